package remote_test

import (
	"context"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
	"fanfold/internal/format/osc"
	"fanfold/internal/remote"
	"fanfold/internal/rig"
	"fanfold/internal/store/storetest"
)

// deafRig drives nothing.
type deafRig struct{}

func (deafRig) Know(rig.Host)                            {}
func (deafRig) Play(string, string, rig.PlayOrder) error { return nil }
func (deafRig) Measure(context.Context, string, string, rig.MeasureAsk) (*template.Heard, error) {
	return nil, nil
}
func (deafRig) Perform(context.Context, string, string, rig.PerformAsk) (rig.Performed, error) {
	return rig.Performed{}, nil
}
func (deafRig) HearSound(string, string, func(string, rig.SoundBlock)) (func(), error) {
	return func() {}, nil
}
func (deafRig) Zones(context.Context, string, string, string, *template.Patch) ([]patch.Zone, error) {
	return nil, nil
}
func (deafRig) Forget(string)                                                 {}
func (deafRig) Want(_, _, _ string, _ []rig.Load)                             {}
func (deafRig) Scan(_, _ string, _ rig.ScanOrder, _ func(rig.ScanNews)) error { return nil }
func (deafRig) StopScan(string)                                               {}
func (deafRig) Address() string                                               { return "" }
func (deafRig) Drive(string, string, bool)                                    {}

// freePort is a UDP port nobody listens on.
func freePort(t *testing.T) int {
	c, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	defer c.Close()
	return c.LocalAddr().(*net.UDPAddr).Port
}

// A music program calls and rests what a song needs, hears what was done or
// why not, and nothing listens unless a template says so.
func TestAMusicProgramCallsWhatItNeeds(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	s := storetest.Open(t)
	a := app.New(app.Config{Store: s, Rig: deafRig{}})
	ada, err := s.AccountEnsure(ctx, "Studio", "ada@studio.example", "Ada", "a long password")
	require.NoError(t, err)
	p := app.Person{ID: ada.ID, Studio: ada.StudioID, Name: "Ada"}
	base := coretest.Orchestra(12, 2)
	base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	var ids []template.ID
	for _, i := range base.ScoreOrder() {
		if i.Seat != nil {
			ids = append(ids, i.ID)
		}
	}
	base.Calls = []*template.Call{{ID: "call-1", Name: "1M01 Salt & tide", Instruments: ids[:2]}, {ID: "call-2", Name: "1M02", Instruments: ids[2:5]}}
	row, err := a.Create(ctx, p, base)
	require.NoError(t, err)
	h, err := a.Open(ctx, p, row.ID)
	require.NoError(t, err)

	served := make(chan struct{})
	go func() {
		defer close(served)
		remote.Serve(ctx, a)
	}()
	defer func() { stop(); <-served }()
	require.Empty(t, a.RemotePorts(), "off by default")

	taken, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	defer taken.Close()
	watcher := h.Watch(h.View().Revision)
	defer h.Unwatch(watcher)

	port := freePort(t)
	set := func(port int) {
		_, err := h.Apply(ctx, p, func(t *template.Template) (change.Change, error) {
			s := t.Settings
			s.RemotePort = port
			return change.Configure{Name: t.Name, Settings: s}, nil
		})
		require.NoError(t, err)
	}
	set(taken.LocalAddr().(*net.UDPAddr).Port)
	for timeout := time.After(20 * time.Second); ; {
		select {
		case e := <-watcher.Events:
			if e.Name != "said" {
				continue
			}
			require.Contains(t, string(e.Data), "is taken, so no music program is heard")
		case <-timeout:
			require.Fail(t, "nobody was told that the port is taken")
		}
		break
	}
	set(port)
	conn, err := net.DialUDP("udp4", nil, &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1), Port: port})
	require.NoError(t, err)
	defer conn.Close()
	send := func(data []byte) (osc.Message, bool) {
		buf := make([]byte, osc.MaxBytes)
		if _, err := conn.Write(data); err != nil {
			return osc.Message{}, false // nobody listens yet
		}
		_ = conn.SetReadDeadline(time.Now().Add(2 * time.Second))
		n, err := conn.Read(buf)
		if err != nil {
			return osc.Message{}, false
		}
		got, err := osc.Read(buf[:n])
		require.NoError(t, err)
		require.Len(t, got, 1)
		return got[0], true
	}
	ask := func(address string, args ...any) string {
		m, ok := send(osc.Write(osc.Message{Address: address, Args: args}))
		require.True(t, ok, "no answer to %s", address)
		return m.Address + " " + m.Args[0].(string)
	}
	require.Eventually(t, func() bool { _, ok := send([]byte("nonsense")); return ok }, 20*time.Second, 50*time.Millisecond)

	name := func(id template.ID) string { return h.View().Template.Instrument(id).Name }
	require.Equal(t, "/fanfold/done called "+name(ids[0]), ask("/fanfold/call", name(ids[0])))
	require.Equal(t, "/fanfold/done called "+name(ids[1]), ask("/fanfold/call", handover.Slug(name(ids[1]))))
	require.ElementsMatch(t, ids[:2], h.Wanted())
	require.Equal(t, "/fanfold/done rested "+name(ids[0]), ask("/fanfold/rest", name(ids[0])))
	require.Equal(t, ids[1:2], h.Wanted())
	require.Equal(t, "/fanfold/done called 1M02", ask("/fanfold/call/1m02"))
	require.ElementsMatch(t, ids[2:5], h.Wanted())
	require.Equal(t, "/fanfold/done called 1M01 Salt & tide", ask("/fanfold/call/1m01-salt-&-tide"))
	require.ElementsMatch(t, ids[:2], h.Wanted())

	require.Equal(t, `/fanfold/failed /fanfold/call: there is no instrument "moon"`, ask("/fanfold/call", "moon"))
	require.Equal(t, `/fanfold/failed /fanfold/call/9m99: there is no call "9m99"`, ask("/fanfold/call/9m99"))
	require.Contains(t, ask("/fanfold/wave"), "there is no such address")
	require.Contains(t, ask("/fanfold/call", int32(4)), "named by texts")
	require.Contains(t, ask("/other"), "begin with /fanfold/")
	require.ElementsMatch(t, ids[:2], h.Wanted(), "nothing was half done")
	require.Equal(t, "/fanfold/done rested everything", ask("/fanfold/rest"))
	require.Empty(t, h.Wanted())

	// the file of a call, played message by message, brings in just that call
	for _, m := range handover.NewWake(h.View().Template, h.View().Template.Calls[1]).Messages {
		midi := osc.MIDI{0, m.Status | byte(m.Channel-1), byte(m.Data1), byte(m.Data2)}
		_, err := conn.Write(osc.Write(osc.Message{Address: "/fanfold/midi", Args: []any{midi}}))
		require.NoError(t, err)
	}
	require.Eventually(t, func() bool { return len(h.Wanted()) == 3 }, 20*time.Second, 20*time.Millisecond)
	require.ElementsMatch(t, ids[2:5], h.Wanted())

	set(0)
	require.Eventually(t, func() bool { _, ok := send([]byte("nonsense")); return !ok }, 20*time.Second, 50*time.Millisecond)
}

func TestMain(m *testing.M) { storetest.Main(m) }
