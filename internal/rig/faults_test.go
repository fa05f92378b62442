package rig_test

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/rig"
)

// A credential that is taken back cuts its host off at once and for good.
func TestARevokedHostIsCutOff(t *testing.T) {
	good := atomic.Bool{}
	good.Store(true)
	heard := make(chan told, 1000)
	d, err := rig.Open(rig.DeskConfig{
		Lookup: func(_ context.Context, id, _ string) (rig.Host, bool) {
			return rig.Host{Credential: id, Studio: "s", Machine: "Birch"}, good.Load()
		},
		Listen: func(_ rig.Host, r rig.Report, away bool) { heard <- told{r, away} }, Heartbeat: 400 * time.Millisecond,
	})
	require.NoError(t, err)
	t.Cleanup(d.Close)
	d.Know(rig.Host{Credential: "c1", Studio: "s", Machine: "Birch"})
	done := make(chan error, 1)
	go func() {
		done <- rig.RunHost(t.Context(), rig.Line{Address: d.Address(), Token: rig.Token("c1", "secret")}, rig.NewStandIn(1000, 1000, 50, rig.Faults{}), slog.New(slog.DiscardHandler))
	}()
	until(t, heard, "here", func(x told) bool { return !x.away })
	good.Store(false)
	d.Forget("c1")
	until(t, heard, "away", func(x told) bool { return x.away })
	select {
	case err := <-done:
		require.ErrorIs(t, err, rig.ErrTurnedAway)
	case <-time.After(20 * time.Second):
		require.Fail(t, "the host still dials")
	}
	for len(heard) > 0 {
		require.True(t, (<-heard).away, "nothing of it is heard after that")
	}
}

// A host may hear and say only what is its own.
func TestAHostHearsOnlyItsOwn(t *testing.T) {
	d, heard := openDesk(t)
	d.Know(rig.Host{Credential: "c2", Studio: "s", Machine: "Cedar"})
	conn := dial(t, d, "c1.secret")
	other, err := conn.SubscribeSync("rig.c2.orders")
	require.NoError(t, err)
	require.NoError(t, conn.Flush())
	say(t, conn, "c2", rig.Report{Generation: 1, UsedMiB: 666})
	d.Want("s", "t", "Cedar", []rig.Load{load("a", 10)})
	say(t, conn, "c1", rig.Report{Generation: 1, UsedMiB: 7})
	until(t, heard, "its own report", func(x told) bool {
		require.NotEqual(t, 666.0, x.report.UsedMiB, "it spoke for another")
		return x.report.UsedMiB == 7
	})
	_, err = other.NextMsg(200 * time.Millisecond)
	require.Error(t, err, "it heard another's orders")
}

// Orders that come twice change nothing.
func TestOrdersThatComeTwice(t *testing.T) {
	s := rig.NewStandIn(1000, 100, 1, rig.Faults{})
	o := rig.Orders{Generation: 3, Loads: []rig.Load{load("a", 200), load("b", 100)}}
	s.Follow(o)
	s.Step(2 * time.Second)
	before := s.Report()
	s.Follow(o)
	require.Equal(t, before, s.Report())
	s.Step(2100 * time.Millisecond)
	require.Equal(t, map[string]rig.State{"a": rig.Ready, "b": rig.Ready}, states(s.Report()))
}

// What has begun to load is finished before what was asked for since, however
// urgent; it is not taken for stalled meanwhile.
func TestWhatIsBegunIsFinished(t *testing.T) {
	s := rig.NewStandIn(1000, 100, 1, rig.Faults{})
	s.Follow(rig.Orders{Generation: 1, Loads: []rig.Load{load("slow", 300)}})
	s.Step(2 * time.Second) // 1 s of waking, 1 s of reading
	s.Follow(rig.Orders{Generation: 2, Loads: []rig.Load{load("urgent", 100), load("slow", 300)}})
	s.Step(2 * time.Second)
	require.Equal(t, map[string]rig.State{"slow": rig.Ready}, states(s.Report()))
	s.Step(1100 * time.Millisecond)
	require.Equal(t, map[string]rig.State{"slow": rig.Ready, "urgent": rig.Ready}, states(s.Report()))
}

// A disk half as fast as promised takes twice as long to read, and no less
// memory.
func TestASlowDisk(t *testing.T) {
	s := rig.NewStandIn(1000, 100, 1, rig.Faults{DiskShare: 0.5})
	s.Follow(rig.Orders{Generation: 1, Loads: []rig.Load{load("a", 200)}})
	s.Step(4900 * time.Millisecond)
	require.Equal(t, rig.Tuning, states(s.Report())["a"])
	s.Step(100 * time.Millisecond)
	require.Equal(t, rig.Ready, states(s.Report())["a"], "1 s of waking, 200 MiB at 50 MiB/s")
	require.Equal(t, 250.0, s.Report().UsedMiB)
}

// What sounds is counted, and only once it is ready.
func TestVoicesAreReported(t *testing.T) {
	s := rig.NewStandIn(1000, 100, 1, rig.Faults{Sounding: map[string]int{"a": 32}, Armed: map[string]bool{"b": true}})
	s.Cores = 1
	s.Follow(rig.Orders{Generation: 1, Loads: []rig.Load{load("a", 100), load("b", 100)}})
	s.Step(time.Second)
	require.Zero(t, s.Report().Voices)
	s.Step(10 * time.Second)
	r := s.Report()
	require.Equal(t, 32, r.Voices)
	require.Equal(t, 0.25, r.Load)
	require.True(t, r.Items[1].Armed)
}

// A late report that follows old orders does not pass for the present: the
// desk waits for its own generation before it believes nothing was lost, and
// tells a host that lost its orders everything again.
func TestALateAnswerOfAnOldGeneration(t *testing.T) {
	c := &clock{now: time.Unix(1_000_000, 0)}
	d, heard := deskAt(t, c)
	d.Want("s", "t", "birch", []rig.Load{load("a", 10)})
	conn := dial(t, d, "birch.secret")
	orders, err := conn.SubscribeSync("rig.birch.orders")
	require.NoError(t, err)
	require.NoError(t, conn.Flush())
	next := func() rig.Orders {
		m, err := orders.NextMsg(10 * time.Second)
		require.NoError(t, err)
		var o rig.Orders
		require.NoError(t, json.Unmarshal(m.Data, &o))
		return o
	}
	say(t, conn, "birch", rig.Report{})
	<-heard
	first := next()
	require.Len(t, first.Loads, 1)
	say(t, conn, "birch", rig.Report{Generation: first.Generation, Items: []rig.Item{{ID: "a", State: rig.Ready}}})
	<-heard
	d.Want("s", "t", "birch", []rig.Load{load("a", 10), load("b", 10)})
	second := next()
	require.Greater(t, second.Generation, first.Generation)
	say(t, conn, "birch", rig.Report{Generation: first.Generation, Items: []rig.Item{{ID: "a", State: rig.Ready}}})
	<-heard
	c.pass(3 * time.Minute) // more than two heartbeats: it does not follow
	say(t, conn, "birch", rig.Report{Generation: first.Generation, Items: []rig.Item{{ID: "a", State: rig.Ready}}})
	<-heard
	third := next()
	require.Greater(t, third.Generation, second.Generation)
	require.Equal(t, second.Loads, third.Loads, "everything again")
}

// The desk begun again while 500 loads run: the host goes on, nothing is
// loaded twice or reported ready that is not, and in the end all agree.
func TestTheDeskIsBegunAgainUnder500Loads(t *testing.T) {
	var loads []rig.Load
	for n := range 500 {
		loads = append(loads, load(fmt.Sprintf("i%d", n), 2))
	}
	heard := make(chan told, 10_000)
	config := rig.DeskConfig{
		Lookup: func(_ context.Context, id, _ string) (rig.Host, bool) {
			return rig.Host{Credential: id, Studio: "s", Machine: "Birch"}, true
		},
		Listen: func(_ rig.Host, r rig.Report, away bool) { heard <- told{r, away} }, Heartbeat: 400 * time.Millisecond,
	}
	begin := func() *rig.Desk {
		d, err := rig.Open(config)
		require.NoError(t, err)
		d.Know(rig.Host{Credential: "c1", Studio: "s", Machine: "Birch"})
		d.Want("s", "t", "Birch", loads)
		return d
	}
	d := begin()
	var port int
	_, err := fmt.Sscanf(d.Address(), "nats://127.0.0.1:%d", &port)
	require.NoError(t, err)
	config.Port = port
	machine := rig.NewStandIn(4000, 100, 4, rig.Faults{}) // 11 s at this speed for 1000 MiB and a player: 2.75 s
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() {
		done <- rig.RunHost(ctx, rig.Line{Address: d.Address(), Token: rig.Token("c1", "secret")}, machine, slog.New(slog.DiscardHandler))
	}()
	ready := 0
	count := func(x told) int {
		n := 0
		for _, i := range x.report.Items {
			if i.State == rig.Ready {
				n++
			}
		}
		return n
	}
	until(t, heard, "some are ready", func(x told) bool { ready = count(x); return ready > 100 && ready < 500 })
	d.Close()
	for len(heard) > 0 {
		<-heard
	}
	d = begin()
	defer d.Close()
	until(t, heard, "all are ready", func(x told) bool {
		if x.away {
			return false
		}
		now := count(x)
		require.GreaterOrEqual(t, now, ready, "what was ready stays so")
		return now == 500
	})
	require.InDelta(t, 50+500*2, machine.Report().UsedMiB, 1e-9, "nothing was loaded twice")
	stop()
	require.NoError(t, <-done)
}

// The network is cut and comes back: the host is told away, nothing of it is
// ready meanwhile, and afterwards what it held is still there, loaded once.
func TestTheNetworkIsCutAndComesBack(t *testing.T) {
	d, heard := openDesk(t)
	d.Want("s", "t", "Birch", []rig.Load{load("a", 100), load("b", 100)})
	machine := rig.NewStandIn(1000, 1000, 20, rig.Faults{DropAfter: 1500 * time.Millisecond, DropFor: 2500 * time.Millisecond})
	stop := host(t, d, machine)
	defer stop()
	both := func(x told) bool { s := states(x.report); return s["a"] == rig.Ready && s["b"] == rig.Ready }
	until(t, heard, "both ready", both)
	until(t, heard, "away", func(x told) bool { return x.away && len(x.report.Items) == 0 })
	d.Want("s", "t", "Birch", []rig.Load{load("a", 100), load("c", 100)}) // somebody goes on meanwhile
	first := true
	until(t, heard, "back, with what is wanted now", func(x told) bool {
		require.False(t, x.away)
		s := states(x.report)
		if first {
			require.Equal(t, rig.Ready, s["a"], "it was not loaded again")
			first = false
		}
		return s["a"] == rig.Ready && s["c"] == rig.Ready && len(s) == 2
	})
	require.InDelta(t, 50+200, machine.Report().UsedMiB, 1e-9)
}

// Trimming frees memory at once; loading whole again reads the rest and no
// more; a note outside the trim is loaded on demand and reported.
func TestTrimAndWholeAgain(t *testing.T) {
	s := rig.NewStandIn(1000, 100, 1, rig.Faults{})
	whole := load("a", 228)
	trimmed := load("a", 100)
	trimmed.Patches[0].WholeMiB, trimmed.Patches[0].Trim = 228, rig.KeysText([][3]int{{60, 1, 80}, {62, 1, 127}})
	follow := func(n int64, l rig.Load) rig.Item {
		s.Follow(rig.Orders{Generation: n, Loads: []rig.Load{l}})
		return s.Report().Items[0]
	}
	s.Follow(rig.Orders{Generation: 1, Loads: []rig.Load{whole}})
	s.Step(time.Minute)
	require.Equal(t, 278.0, s.Report().UsedMiB)
	require.Equal(t, rig.Ready, follow(2, trimmed).State, "it stays ready")
	require.Equal(t, 150.0, s.Report().UsedMiB)

	s.Play("a", 60, 80)
	s.Play("a", 62, 127)
	require.Zero(t, s.Report().Items[0].Missed)
	s.Play("a", 60, 81)
	s.Play("a", 61, 1)
	s.Play("nobody", 61, 1)
	require.Equal(t, 2, s.Report().Items[0].Missed)
	require.Equal(t, 152.0, s.Report().UsedMiB, "two keys of 128, of the 128 MiB left out")

	require.Equal(t, rig.Tuning, follow(3, whole).State)
	s.Step(1200 * time.Millisecond)
	require.Equal(t, rig.Tuning, s.Report().Items[0].State)
	s.Step(100 * time.Millisecond)
	r := s.Report()
	require.Equal(t, rig.Ready, r.Items[0].State, "126 MiB at 100 MiB/s")
	require.Equal(t, 278.0, r.UsedMiB)
	require.Zero(t, r.Items[0].Missed)
}
