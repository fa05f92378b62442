package store_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/store"
)

// Servers that share a NATS server run side by side; one with a NATS server of its
// own is alone, and says so by the other's name.
func TestServersJoin(t *testing.T) {
	k := keep(t)
	server := func(name, nats string) store.Server { return store.Server{ID: uuid.New(), Name: name, NATS: nats} }
	alone, err := k.Join(ctx, server("desk, process 1", ""))
	require.NoError(t, err)
	var two *store.TwoServersError
	_, err = k.Join(ctx, server("desk, process 2", ""))
	require.ErrorAs(t, err, &two)
	require.ErrorContains(t, err, "desk, process 1 runs on this database since")
	require.ErrorContains(t, err, "it has a NATS server of its own")
	_, err = k.Join(ctx, server("cellar, process 3", "nats://cellar:4222"))
	require.ErrorAs(t, err, &two)
	require.NoError(t, alone.Leave(ctx))

	first, err := k.Join(ctx, server("cellar, process 3", "nats://cellar:4222"))
	require.NoError(t, err)
	second, err := k.Join(ctx, server("cellar, process 4", "nats://cellar:4222"))
	require.NoError(t, err)
	list, err := k.Servers(ctx)
	require.NoError(t, err)
	require.Len(t, list, 2)
	_, err = k.Join(ctx, server("attic, process 5", "nats://attic:4222"))
	require.ErrorContains(t, err, "it shares another NATS server")
	require.NoError(t, first.Leave(ctx))
	require.NoError(t, second.Leave(ctx))

	// One that crashed holds its place no longer than its connection.
	crashed, err := k.Join(ctx, server("desk, process 6", ""))
	require.NoError(t, err)
	crashed.Crash()
	require.Eventually(t, func() bool {
		next, err := k.Join(ctx, server("desk, process 7", ""))
		return err == nil && next.Leave(ctx) == nil
	}, 10*time.Second, 20*time.Millisecond)
	list, err = k.Servers(ctx)
	require.NoError(t, err)
	require.Empty(t, list, "and is forgotten")
}

// One server at a time has the lease of a machine; another takes it over once it
// has run out, or was given back.
func TestLeases(t *testing.T) {
	k := keep(t)
	one, two := uuid.New(), uuid.New()
	machines := []store.Driven{{Studio: k.person.StudioID, Machine: "Birch"}, {Studio: k.person.StudioID, Machine: "Cedar"}}
	take := func(server uuid.UUID, which []store.Driven, lasts time.Duration) []store.Driven {
		t.Helper()
		got, err := k.LeaseTake(ctx, server, which, lasts)
		require.NoError(t, err)
		return got
	}
	require.ElementsMatch(t, machines, take(one, machines, time.Minute))
	require.Empty(t, take(two, machines, time.Minute))
	require.ElementsMatch(t, machines, take(one, machines, time.Minute), "held on to")
	require.Len(t, take(one, machines[:1], time.Millisecond), 1)
	require.Eventually(t, func() bool { return len(take(two, machines, time.Minute)) == 1 }, 10*time.Second, 10*time.Millisecond)
	require.Empty(t, take(one, machines[:1], time.Minute))
	require.NoError(t, k.Queries().LeasesRelease(ctx, one))
	require.Len(t, take(two, machines, time.Minute), 2)
	require.Empty(t, take(two, nil, time.Minute))
}
