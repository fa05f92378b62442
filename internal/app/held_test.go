package app_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// chase is another template on the same machines.
func (f *fixture) chase(t *testing.T) *app.Hot {
	second := coretest.Orchestra(40, 2)
	second.Name = "Chase"
	second = coretest.Must(second, seating.Everyone(second, seating.Options{}).Change())
	row, err := f.app.Create(ctx, f.ada, second)
	require.NoError(t, err)
	h, err := f.app.Open(ctx, f.ada, row.ID)
	require.NoError(t, err)
	return h
}

// Two templates sit on one machine: each knows what the other holds there, a call
// that does not fit for it says so, and resting there makes room.
func TestTemplatesShareAMachine(t *testing.T) {
	f := setUp(t)
	chase := f.chase(t)
	m := f.hot.View().Template.Machines[0]
	require.Equal(t, m.ID, chase.View().Template.Machines[0].ID, "the studio's machine")

	on := func(h *app.Hot) (out []template.ID) {
		for _, i := range h.View().Template.Instruments {
			if i.Seat != nil && i.Seat.Machine == m.ID {
				out = append(out, i.ID)
			}
		}
		return out
	}
	mine, theirs := on(f.hot), on(chase)
	held := func() float64 { return f.hot.Rig().Machines[0].OthersMiB }
	require.Zero(t, held())
	w := f.hot.Watch(f.hot.View().Revision)
	defer f.hot.Unwatch(w)
	require.Contains(t, string(told(w).Data), `"othersMib":0`)
	require.NoError(t, chase.Call(ctx, theirs, app.CallThem, false))
	whole := held()
	require.Positive(t, whole)
	require.Regexp(t, `"machine-1"[^}]*"othersMib":[1-9]`, string(told(w).Data), "browsers hear of it")

	estimates, _ := f.hot.Estimate(mine, app.CallThem)
	require.Len(t, estimates[0].Others, 1)
	require.Equal(t, "Chase", estimates[0].Others[0].Name)
	tight := *m
	tight.MemoryMiB, tight.ReserveMiB = estimates[0].AfterMiB+whole-1, 0
	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&tight)}})
	require.NoError(t, err)
	require.Equal(t, tight.MemoryMiB, chase.View().Template.Machines[0].MemoryMiB, "it follows")
	var room *app.NoRoomError
	require.ErrorAs(t, f.hot.Call(ctx, mine, app.CallThem, false), &room)
	require.Contains(t, room.Error(), "Chase holds")
	require.Contains(t, room.Error(), "Rest Chase there, which frees")
	require.Empty(t, f.hot.Wanted())

	cat, err := f.app.Catalogue(ctx, f.ada)
	require.NoError(t, err)
	other := f.hot.View().Template.Machines[1]
	remove := change.RemoveMachine{ID: other.ID}
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, remove)
	require.NoError(t, err)
	require.NotNil(t, cat.View().Template.Index().Machines[other.ID], "another template sits on it")
	_, err = chase.ApplyFrom(ctx, f.ada, chase.View().Revision, remove)
	require.NoError(t, err)
	require.Nil(t, cat.View().Template.Index().Machines[other.ID], "nobody does")
	_, err = chase.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.NotNil(t, cat.View().Template.Index().Machines[other.ID])

	require.ElementsMatch(t, theirs, chase.HeldOn(m.ID))
	require.NoError(t, chase.Call(ctx, chase.HeldOn(m.ID), app.RestThem, false))
	require.Empty(t, chase.HeldOn(m.ID))
	require.Zero(t, held())
	require.NoError(t, f.hot.Call(ctx, mine, app.CallThem, false))
	require.Positive(t, chase.Rig().Machines[0].OthersMiB)
}

// What another template holds is left to it by new seats, is counted where a machine is
// nearly full, and crowds calls that fit by themselves: the mark names who holds how
// much, and its remedy rests it there.
func TestOthersCrowdCallsAndPlans(t *testing.T) {
	f := setUp(t)
	chase := f.chase(t)
	view := func() *template.Template { return f.hot.View().Template }
	m := view().Machines[0]
	var mine, theirs []template.ID
	for _, i := range view().Instruments {
		if i.Seat.Machine == m.ID {
			mine = append(mine, i.ID)
		}
	}
	for _, i := range chase.View().Template.Instruments {
		if i.Seat.Machine == m.ID {
			theirs = append(theirs, i.ID)
		}
	}
	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "call-1", Name: "1M05", Instruments: mine})}})
	require.NoError(t, err)
	require.NoError(t, chase.Call(ctx, theirs, app.CallThem, false))
	held := f.hot.HeldByOthers()[m.ID]
	require.Positive(t, held)
	require.Empty(t, f.hot.Crowded(), "there is room for both")

	alone := proof.EachReady(view())(view().Calls[0])[m.ID]
	tight := *m
	tight.MemoryMiB, tight.ReserveMiB = alone+held/2, 0
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&tight)}})
	require.NoError(t, err)
	require.NotContains(t, f.hot.View().Proof.Counts(), "over-memory", "it fits by itself")
	crowded := f.hot.Crowded()
	require.Len(t, crowded, 1)
	require.Regexp(t, `^1M05 does not fit now: Machine 1 is .* short: .*, and Chase holds .* there$`, crowded[0].Message)
	require.Equal(t, "Rest Chase on Machine 1", crowded[0].Remedies[0].Label)
	require.Equal(t, 1, f.hot.Rig().Machines[0].Crowded)
	full := seating.NearlyFull(view(), 0.9, f.hot.HeldByOthers())
	require.Equal(t, "memory", full[0].What)
	require.Contains(t, full[0].Text(), "of it other templates'")

	// who sits stays; who is new sits where the other template leaves room
	loose := mine[len(mine)-1]
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Seat{Seats: []change.Seating{{ID: loose}}})
	require.NoError(t, err)
	full0 := seating.Everyone(view(), seating.Options{Rounds: -1})
	beside := seating.Everyone(view(), seating.Options{Rounds: -1, Held: seating.Held{m.ID: tight.MemoryMiB}})
	require.Equal(t, m.ID, full0.Seats[0].Seat.Machine)
	require.Len(t, beside.Seats, 1, "nobody else moves")
	require.Equal(t, view().Machines[1].ID, beside.Seats[0].Seat.Machine)
	packed := seating.Everyone(view(), seating.Options{Rounds: -1, Held: seating.Held{m.ID: tight.MemoryMiB, view().Machines[1].ID: 1 << 30}})
	require.Contains(t, packed.Unseated[0].Reason, "that other templates hold")
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)

	rests := crowded[0].Remedies[0].Rests
	require.Equal(t, []any{chase.ID().String(), m.ID, "Chase"}, []any{rests.Template, rests.Machine, rests.Name})
	require.NoError(t, chase.Call(ctx, chase.HeldOn(rests.Machine), app.RestThem, false))
	require.Empty(t, chase.HeldOn(m.ID))
	require.Empty(t, f.hot.Crowded())
}
