package rig_test

import (
	"context"
	"encoding/json"
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/stretchr/testify/require"

	"fanfold/internal/rig"
)

// clock is a time that tests set.
type clock struct {
	mu  sync.Mutex
	now time.Time
}

func (c *clock) Now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.now
}

func (c *clock) pass(d time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.now = c.now.Add(d)
}

// dial stands for a host that reports what a test says.
func dial(t *testing.T, d *rig.Desk, token string) *nats.Conn {
	conn, err := nats.Connect(d.Address(), nats.Token(token), nats.NoReconnect())
	require.NoError(t, err)
	t.Cleanup(conn.Close)
	return conn
}

func say(t *testing.T, conn *nats.Conn, credential string, r rig.Report) {
	data, err := json.Marshal(r)
	require.NoError(t, err)
	require.NoError(t, conn.Publish("rig."+credential+".report", data))
	require.NoError(t, conn.Flush())
}

func deskAt(t *testing.T, c *clock) (*rig.Desk, chan told) {
	heard := make(chan told, 1000)
	d, err := rig.Open(rig.DeskConfig{
		Lookup: func(_ context.Context, id, secret string) (rig.Host, bool) {
			return rig.Host{Credential: id, Studio: "s", Machine: id}, secret == "secret"
		},
		Listen: func(_ rig.Host, r rig.Report, away bool) { heard <- told{r, away} }, Now: c.Now, Heartbeat: time.Minute,
	})
	require.NoError(t, err)
	t.Cleanup(d.Close)
	for _, id := range []string{"birch", "cedar"} {
		d.Know(rig.Host{Credential: id, Studio: "s", Machine: id})
	}
	return d, heard
}

// A load that stands still is told after its time, with what to do; one that
// moves, however slowly, is not, nor is one that is ready or failed.
func TestALoadThatStandsStillIsTold(t *testing.T) {
	c := &clock{now: time.Unix(1_000_000, 0)}
	d, heard := deskAt(t, c)
	conn := dial(t, d, "birch.secret")
	report := func(moving float64) rig.Report {
		say(t, conn, "birch", rig.Report{Generation: 1, Items: []rig.Item{
			{ID: "still", State: rig.Tuning, Progress: 0.4}, {ID: "moving", State: rig.Tuning, Progress: moving},
			{ID: "done", State: rig.Ready, Progress: 1}, {ID: "bad", State: rig.Failed, Reason: "unreadable"},
		}})
		return (<-heard).report
	}
	stalled := func(r rig.Report) []string {
		var ids []string
		for _, i := range r.Items {
			if i.Stalled {
				ids = append(ids, i.ID)
			}
		}
		return ids
	}
	require.Empty(t, stalled(report(0.1)))
	c.pass(rig.StallAfter - time.Second)
	require.Empty(t, stalled(report(0.2)))
	c.pass(time.Second)
	r := report(0.3)
	require.Equal(t, []string{"still"}, stalled(r))
	require.Equal(t, "it has stood at 40% for 15 s; rest it and call it again", r.Items[0].Reason)
	require.Equal(t, "unreadable", r.Items[3].Reason, "a host's own reason stays")
	c.pass(rig.StallAfter)
	require.Equal(t, []string{"still", "moving"}, stalled(report(0.3)))
	require.Equal(t, []string{"still"}, stalled(report(0.31)), "it moves again")
}

// A credential reaches its own machine's subjects and no other's.
func TestACredentialReachesItsOwnMachineOnly(t *testing.T) {
	d, heard := deskAt(t, &clock{now: time.Unix(0, 0)})
	refused := make(chan error, 4)
	conn, err := nats.Connect(d.Address(), nats.Token("birch.secret"), nats.ErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) { refused <- err }))
	require.NoError(t, err)
	t.Cleanup(conn.Close)
	say(t, conn, "cedar", rig.Report{Generation: 9})
	require.ErrorIs(t, <-refused, nats.ErrPermissionViolation)
	_, err = conn.Subscribe("rig.cedar.orders", func(*nats.Msg) {})
	require.NoError(t, err)
	require.NoError(t, conn.Flush())
	require.ErrorIs(t, <-refused, nats.ErrPermissionViolation)
	_, err = conn.Subscribe(">", func(*nats.Msg) {})
	require.NoError(t, err)
	require.NoError(t, conn.Flush())
	require.ErrorIs(t, <-refused, nats.ErrPermissionViolation)
	say(t, conn, "birch", rig.Report{Generation: 2})
	require.EqualValues(t, 2, (<-heard).report.Generation, "its own report is heard, the other was not")
	require.Empty(t, heard)
}

// Orders carry the whole wanted set and a growing generation; a host that
// starts empty is told again, what is not a report at all is passed over.
func TestOrdersAreToldAgain(t *testing.T) {
	c := &clock{now: time.Unix(1_000_000, 0)}
	d, heard := deskAt(t, c)
	conn := dial(t, d, "birch.secret")
	orders := make(chan rig.Orders, 10)
	_, err := conn.Subscribe("rig.birch.orders", func(m *nats.Msg) {
		var o rig.Orders
		if json.Unmarshal(m.Data, &o) == nil {
			orders <- o
		}
	})
	require.NoError(t, err)
	require.NoError(t, conn.Publish("rig.birch.report", []byte("not JSON")))
	d.Want("s", "one", "birch", []rig.Load{load("a", 1)})
	d.Want("s", "two", "birch", []rig.Load{load("b", 1)})
	d.Want("other studio", "three", "birch", []rig.Load{load("c", 1)})
	say(t, conn, "birch", rig.Report{})
	first := <-orders
	require.Equal(t, []string{"a", "b"}, names(first), "what all templates of the studio want")
	require.EqualValues(t, 1, first.Generation)
	say(t, conn, "birch", rig.Report{Generation: 1})
	d.Want("s", "one", "birch", nil)
	second := <-orders
	require.Equal(t, []string{"b"}, names(second))
	require.EqualValues(t, 2, second.Generation)
	c.pass(time.Hour)
	say(t, conn, "birch", rig.Report{}) // it crashed and starts empty
	third := <-orders
	require.Equal(t, names(second), names(third))
	require.Greater(t, third.Generation, second.Generation)
	require.Eventually(t, func() bool { return len(heard) >= 3 }, 10*time.Second, time.Millisecond, "each is told, after the order it brings about")
	require.Len(t, heard, 3, "the nonsense was no report")
}

func names(o rig.Orders) []string {
	var out []string
	for _, l := range o.Loads {
		out = append(out, l.Name)
	}
	return out
}

func TestTimeLeftIsReported(t *testing.T) {
	s := rig.NewStandIn(1000, 100, 2, rig.Faults{})
	s.Follow(rig.Orders{Generation: 1, Loads: []rig.Load{load("a", 200), load("b", 100)}})
	require.EqualValues(t, 2000, s.Report().LeftMs, "1 s to wake, 3 s to read, at twice the speed")
	s.Step(500 * time.Millisecond)
	require.EqualValues(t, 1500, s.Report().LeftMs)
	s.Step(1500 * time.Millisecond)
	require.Zero(t, s.Report().LeftMs)
}

// Told to, a stand-in crashes, or drops off the network and comes back.
func TestAStandInFailsAsTold(t *testing.T) {
	d, heard := openDesk(t)
	quiet := slog.New(slog.DiscardHandler)
	err := rig.RunHost(context.Background(), rig.Line{Address: d.Address(), Token: rig.Token("c1", "secret")}, rig.NewStandIn(1, 1, 1, rig.Faults{CrashAfter: 50 * time.Millisecond}), quiet)
	require.ErrorIs(t, err, rig.ErrCrashed)
	dropper := rig.NewStandIn(1000, 1000, 50, rig.Faults{DropAfter: 300 * time.Millisecond, DropFor: 2500 * time.Millisecond})
	d.Want("s", "t", "Birch", []rig.Load{load("a", 10)})
	stop := host(t, d, dropper)
	defer stop()
	until(t, heard, "away", func(x told) bool { return x.away })
	until(t, heard, "ready", func(x told) bool { return states(x.report)["a"] == rig.Ready })
}
