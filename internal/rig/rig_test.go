package rig_test

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/rig"
)

func load(id string, mib float64) rig.Load {
	return rig.Load{ID: id, Name: id, Patches: []rig.PatchLoad{{Name: id, PreloadMiB: mib}},
		Players: []rig.PlayerLoad{{Key: "p1", Kind: "p", OwnMiB: 50, WakeMs: 1000, WakeAgainMs: 100}}}
}

func states(r rig.Report) map[string]rig.State {
	out := map[string]rig.State{}
	for _, i := range r.Items {
		out[i.ID] = i.State
	}
	return out
}

// Loading takes the time a real machine would: 1 s to wake the player, then
// 200 MiB at 100 MiB/s.
func TestStandInTakesItsTimeAndMemory(t *testing.T) {
	s := rig.NewStandIn(1000, 100, 1, rig.Faults{})
	s.Follow(rig.Orders{Generation: 1, Loads: []rig.Load{load("a", 200), load("b", 100)}})
	require.True(t, s.Step(2900*time.Millisecond))
	require.Equal(t, rig.Tuning, states(s.Report())["a"])
	s.Step(100 * time.Millisecond)
	require.Equal(t, rig.Ready, states(s.Report())["a"])
	s.Step(time.Second)
	require.Equal(t, rig.Ready, states(s.Report())["b"], "its player is awake already")
	require.InDelta(t, 350, s.Report().UsedMiB, 1e-9)
	s.Follow(rig.Orders{Generation: 2, Loads: []rig.Load{load("b", 100)}})
	require.InDelta(t, 150, s.Report().UsedMiB, 1e-9)
	s.Follow(rig.Orders{Generation: 1, Loads: nil})
	require.Len(t, s.Report().Items, 1, "late orders are not followed")
}

func TestStandInRefusesStallsAndFails(t *testing.T) {
	s := rig.NewStandIn(300, 100, 1, rig.Faults{Corrupt: map[string]bool{"bad": true}, Stall: map[string]bool{"slow": true}})
	s.Follow(rig.Orders{Generation: 1, Loads: []rig.Load{load("big", 400), load("bad", 10), load("slow", 10), load("good", 10)}})
	s.Step(time.Minute)
	r := s.Report()
	require.Equal(t, map[string]rig.State{"big": rig.Failed, "bad": rig.Failed, "slow": rig.Tuning, "good": rig.Ready}, states(r))
	require.Equal(t, "needs 450 MiB, 300 MiB free", r.Items[0].Reason)
	require.Equal(t, "the samples of bad cannot be read", r.Items[1].Reason)
}

type told struct {
	report rig.Report
	away   bool
}

func openDesk(t *testing.T) (*rig.Desk, chan told) { return openPatientDesk(t, 400*time.Millisecond) }

// openPatientDesk is openDesk, for hosts that may say nothing for three such times:
// a scan keeps a slow machine busy.
func openPatientDesk(t *testing.T, heartbeat time.Duration) (*rig.Desk, chan told) {
	heard := make(chan told, 1000)
	d, err := rig.Open(rig.DeskConfig{
		Lookup: func(_ context.Context, id, secret string) (rig.Host, bool) {
			return rig.Host{Credential: id, Studio: "s", Machine: "Birch"}, secret == "secret"
		},
		Listen:    func(_ rig.Host, r rig.Report, away bool) { heard <- told{r, away} },
		Heartbeat: heartbeat,
	})
	require.NoError(t, err)
	t.Cleanup(d.Close)
	d.Know(rig.Host{Credential: "c1", Studio: "s", Machine: "Birch"})
	return d, heard
}

func host(t *testing.T, d *rig.Desk, s *rig.StandIn) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() {
		done <- rig.RunHost(ctx, rig.Line{Address: d.Address(), Token: rig.Token("c1", "secret")}, s, slog.New(slog.DiscardHandler))
	}()
	return func() {
		cancel()
		require.NoError(t, <-done)
	}
}

func until(t *testing.T, heard chan told, what string, is func(told) bool) {
	t.Helper()
	timeout := time.After(20 * time.Second)
	for {
		select {
		case x := <-heard:
			if is(x) {
				return
			}
		case <-timeout:
			require.Fail(t, "never heard: "+what)
		}
	}
}

// A host killed and started again is brought back to its call without a
// person; one that vanishes is noticed.
func TestAHostIsBroughtBackToItsCall(t *testing.T) {
	d, heard := openDesk(t)
	d.Want("s", "t", "Birch", []rig.Load{load("a", 10), load("b", 10)})
	stop := host(t, d, rig.NewStandIn(1000, 1000, 50, rig.Faults{}))
	both := func(x told) bool { s := states(x.report); return s["a"] == rig.Ready && s["b"] == rig.Ready }
	until(t, heard, "both ready", both)
	stop()
	until(t, heard, "away", func(x told) bool { return x.away })
	stop = host(t, d, rig.NewStandIn(1000, 1000, 50, rig.Faults{}))
	defer stop()
	until(t, heard, "both ready again", both)
	d.Want("s", "t", "Birch", []rig.Load{load("b", 10)})
	until(t, heard, "a rested", func(x told) bool {
		return len(x.report.Items) == 1 && both(told{report: rig.Report{Items: append(x.report.Items, rig.Item{ID: "a", State: rig.Ready})}})
	})
}

func TestAWrongCredentialIsKeptOut(t *testing.T) {
	d, _ := openDesk(t)
	err := rig.RunHost(context.Background(), rig.Line{Address: d.Address(), Token: rig.Token("c1", "guess")}, rig.NewStandIn(1, 1, 1, rig.Faults{}), slog.New(slog.DiscardHandler))
	require.ErrorIs(t, err, rig.ErrTurnedAway)
	err = rig.RunHost(context.Background(), rig.Line{Address: d.Address(), Token: "nonsense"}, rig.NewStandIn(1, 1, 1, rig.Faults{}), slog.New(slog.DiscardHandler))
	require.ErrorContains(t, err, "ID.SECRET")
}

// Loads that share a patch take its memory once, and until the last of them
// rests.
func TestASharedPatchIsLoadedOnce(t *testing.T) {
	s := rig.NewStandIn(1000, 1000, 1, rig.Faults{})
	share := func(id string) rig.Load {
		l := load(id, 400)
		l.Patches[0].Key = "the patch"
		return l
	}
	follow := func(loads ...rig.Load) rig.Report {
		s.Follow(rig.Orders{Generation: 1, Loads: loads})
		for range 50 {
			s.Step(time.Second)
		}
		return s.Report()
	}
	require.Equal(t, 450.0, follow(share("a")).UsedMiB)
	r := follow(share("a"), share("b"), share("c"))
	require.Equal(t, 450.0, r.UsedMiB, "three would not fit by themselves")
	require.Equal(t, map[string]rig.State{"a": rig.Ready, "b": rig.Ready, "c": rig.Ready}, states(r))
	require.Equal(t, 450.0, follow(share("c")).UsedMiB)
	require.Zero(t, follow().UsedMiB)
}
