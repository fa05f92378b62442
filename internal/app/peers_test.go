package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
)

// What failed to load is called again at another server: the one that drives the
// machine rests it and loads it again; what is called beside it is left alone, and so is
// what failed when something else is rested.
func TestWhatFailedIsTriedAnewFromAnotherServer(t *testing.T) {
	f := setUp(t)
	stop, err := f.app.Start(ctx)
	require.NoError(t, err)
	defer stop()
	elsewhere := app.New(app.Config{Store: f.store, Rig: &quietRig{wanted: map[string][]rig.Load{}}})
	theirs, err := elsewhere.Open(ctx, f.ada, f.id)
	require.NoError(t, err)
	rows := f.rows(3)
	m := f.machineOf(rows[0])
	for _, id := range rows[1:] {
		require.Equal(t, m, f.machineOf(id))
	}
	require.NoError(t, theirs.Call(ctx, rows, app.CallThem, false))
	told := func(n int) bool { return len(f.rig.names(string(m.ID))) == n }
	require.Eventually(t, func() bool { return told(3) }, 10*time.Second, 5*time.Millisecond)
	f.report(m, rig.Item{ID: string(rows[0]), State: rig.Failed, Reason: "unreadable"}, rig.Item{ID: string(rows[1]), State: rig.Ready}, rig.Item{ID: string(rows[2]), State: rig.Ready})

	f.rig.orders(string(m.ID)) // forgotten
	require.NoError(t, theirs.Call(ctx, rows[2:], app.RestThem, false))
	require.Eventually(t, func() bool { return told(2) }, 10*time.Second, 5*time.Millisecond)
	require.Equal(t, [][]string{f.names(rows[:2])}, f.rig.orders(string(m.ID)), "nothing is tried anew")

	require.NoError(t, theirs.Call(ctx, rows[:1], app.CallThem, false))
	var orders [][]string
	require.Eventually(t, func() bool {
		orders = append(orders, f.rig.orders(string(m.ID))...)
		return len(orders) == 2
	}, 10*time.Second, 5*time.Millisecond)
	require.Equal(t, [][]string{f.names(rows[1:2]), f.names(rows[:2])}, orders)
}

// What one server learns of a machine's speed, the others compute with.
func TestLearnedSpeedsAreKnownEverywhere(t *testing.T) {
	f := setUp(t)
	elsewhere := app.New(app.Config{Store: f.store, Rig: &quietRig{wanted: map[string][]rig.Load{}}})
	stop, err := elsewhere.Start(ctx)
	require.NoError(t, err)
	defer stop()
	ids := f.rows(1)
	m := f.machineOf(ids[0])
	f.report(m)
	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	f.report(m, rig.Item{ID: string(ids[0]), State: rig.Ready})
	here, err := f.app.Host(ctx, f.ada, m.ID)
	require.NoError(t, err)
	require.Equal(t, 1, here.Pace.Loads)
	require.Eventually(t, func() bool {
		there, err := elsewhere.Host(ctx, f.ada, m.ID)
		println(there.Pace.Loads, there.Pace.Computed, here.Pace.Computed, there.Pace.Measured, here.Pace.Measured)
		return err == nil && there.Pace == here.Pace
	}, 10*time.Second, 10*time.Millisecond)
}

// names are those of rows.
func (f *fixture) names(ids []template.ID) []string {
	out := []string{}
	for _, id := range ids {
		out = append(out, f.hot.View().Template.Instrument(id).Name)
	}
	return out
}
