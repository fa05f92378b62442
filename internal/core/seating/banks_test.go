package seating_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// checkBanks counts again what each player and each of its banks holds, from
// nothing but the seats.
func checkBanks(t require.TestingT, tm *template.Template, p *template.Player) {
	ports := 1
	if p.Sounds > 1 {
		ports = max(1, p.Banks)
	}
	sounds, pairs := map[string]int{}, map[string]map[int]bool{}
	for _, i := range tm.Instruments {
		patches := tm.PatchesOf(i)
		if i.Seat == nil || len(patches) == 0 || patches[0].Player != p.ID || p.Sounds < 2 {
			continue
		}
		riser := fmt.Sprintf("%s/%d/", i.Seat.Machine, i.Seat.Riser)
		bank, player := riser+fmt.Sprint(i.Seat.Port), riser+fmt.Sprint((i.Seat.Port-1)/ports)
		sounds[bank]++
		if pairs[player] == nil {
			pairs[player] = map[int]bool{}
		}
		pairs[player][i.Seat.Pair] = true
		require.LessOrEqual(t, sounds[bank], p.Sounds)
		require.LessOrEqual(t, len(pairs[player]), p.Outputs)
	}
}

// withPlayer is a number of instruments, each of a group of its own or all of
// one, in one player with so many banks and output pairs, on one machine of
// four risers.
func withPlayer(t *testing.T, instruments, groups, banks, outputs int) *template.Template {
	t.Helper()
	base := coretest.ToSeat(instruments, 1, groups, 0.1, 5)
	p := *base.Players[0]
	p.Banks, p.Outputs, p.OwnMiB = banks, outputs, 100
	put := change.Put{Players: []change.Entry[template.Player]{change.Append(&p)}}
	m := *base.Machines[0]
	m.MemoryMiB, m.Cores = 1<<20, 16
	put.Machines = append(put.Machines, change.Append(&m))
	base = coretest.Must(base, put)
	for n, i := range base.Instruments {
		base = coretest.Must(base,
			change.Edit{Edits: []change.Fields{{ID: i.ID, Patches: &[]template.ID{"patch-player-many-0-false"}}}},
			change.AssignStem{IDs: []template.ID{i.ID}, Stem: template.ID(fmt.Sprintf("stem-%d", n%groups))})
	}
	return base
}

// One player of four banks holds 64 sounds on four ports and is awake once;
// players of one bank, the common practice, are four. The figures follow from
// 16 channels a port and the player's own memory of 100 MiB.
func TestOnePlayerServesAllItsBanks(t *testing.T) {
	for banks, players := range map[int]float64{0: 4, 1: 4, 2: 2, 4: 1, 8: 1} {
		tm := withPlayer(t, 64, 1, banks, 16)
		plan := seating.Everyone(tm, seating.Options{Fresh: true})
		require.Empty(t, plan.Unseated)
		after := coretest.Must(tm, plan.Change())
		var all []template.ID
		for _, i := range after.Instruments {
			all = append(all, i.ID)
		}
		require.InDelta(t, 64*60+players*100, calls.ReadyMiB(after, all)["machine-1"], 1e-9, "%d banks", banks)
	}
}

// One group larger than a riser goes on over the risers of its machine.
func TestALargeGroupGoesOn(t *testing.T) {
	tm := withPlayer(t, 500, 1, 0, 16)
	plan := seating.Everyone(tm, seating.Options{})
	require.Empty(t, plan.Unseated)
	require.Equal(t, 4, plan.RisersUsed)
}

// The banks of a player share its output pairs. 32 groups, eight ports, four
// pairs a player: with a bank each, eight players feed 32 pairs from one riser;
// with four banks each, two players feed eight pairs, and four risers are
// needed. The bound that is shown says so, too.
func TestBanksShareTheirOutputs(t *testing.T) {
	for banks, risers := range map[int]int{1: 1, 2: 2, 4: 4} {
		tm := withPlayer(t, 32, 32, banks, 4)
		plan := seating.Everyone(tm, seating.Options{Fresh: true})
		require.Empty(t, plan.Unseated, "%d banks", banks)
		require.Equal(t, risers, plan.RisersUsed, "%d banks", banks)
		require.Equal(t, risers, plan.LowerBound, "%d banks", banks)
	}
	crowded := seating.Everyone(withPlayer(t, 33, 33, 4, 4), seating.Options{Fresh: true})
	require.Len(t, crowded.Unseated, 1)
	require.Contains(t, crowded.Unseated[0].Reason, "the Sixteen on ports 5 to 8 uses its 4 output pairs")
}

// A player whose banks grow over seats that were sound is marked, and the
// remedy seats the row elsewhere.
func TestProofCountsPairsOverAllBanks(t *testing.T) {
	tm := withPlayer(t, 8, 8, 1, 4)
	seats := change.Seat{}
	for n, i := range tm.Instruments {
		seats.Seats = append(seats.Seats, change.Seating{ID: i.ID, Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 1 + n/4, Channel: 1 + n%4, Pair: 2 + n}})
	}
	tm = coretest.Must(tm, seats)
	require.Zero(t, proof.Check(tm, "").Counts()["riser-overload"])
	p := *tm.Players[0]
	p.Banks = 2
	tm = coretest.Must(tm, change.Put{Players: []change.Entry[template.Player]{change.Append(&p)}})
	r := proof.Check(tm, "")
	require.Equal(t, 1, r.Counts()["riser-overload"])
	for _, m := range r.Marks {
		if m.Code == "riser-overload" {
			require.Contains(t, m.Message, "the Sixteen on ports 1 to 2 feeds more than its 4 output pairs")
			fix, err := m.Remedies[0].Build()
			require.NoError(t, err)
			require.Zero(t, proof.Check(coretest.Must(tm, fix), "").Counts()["riser-overload"])
		}
	}
}
