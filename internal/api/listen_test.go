package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"sync"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/template"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/render"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// playedRig keeps what is played, and sounds what it is told to.
type playedRig struct {
	noRig
	mu     sync.Mutex
	orders []rig.PlayOrder
	heard  func(machine string, b rig.SoundBlock)
}

func (p *playedRig) Play(_, machine string, o rig.PlayOrder) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.orders = append(p.orders, o)
	return nil
}

func (p *playedRig) HearSound(_, _ string, heard func(string, rig.SoundBlock)) (func(), error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.heard = heard
	return func() {}, nil
}

// messages are all that were played of a row, in their order.
func (p *playedRig) messages() (out []rig.PlayMessage) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, o := range p.orders {
		for _, m := range o.Messages {
			m.Load = ""
			out = append(out, m)
		}
	}
	return out
}

// violins is a template with one row that sits on a machine, and is reached by key switches.
func violins(t *testing.T) *template.Template {
	t.Helper()
	one := template.New("t", "One")
	p := &template.Patch{ID: "p", Library: "l", Player: "k", Name: "Violins", KeyLow: 55, KeyHigh: 100, Map: []template.Mapping{
		{Articulation: "long", Switches: []template.Switch{{Kind: template.ByKey, Number: 24}}, LeadMs: 30},
		{Articulation: "spiccato", Switches: []template.Switch{{Kind: template.ByKey, Number: 25, Hold: true}, {Kind: template.ByVelocity, Low: 1, High: 64}}},
	}}
	p.Dynamics = template.DynamicsExpression
	one.Libraries = append(one.Libraries, &template.Library{ID: "l", Name: "Odd", Code: "OD"})
	one.Players = append(one.Players, &template.Player{ID: "k", Name: "Odd player", Sounds: 16, Outputs: 4})
	one.Machines = append(one.Machines, &template.Machine{ID: "m", Name: "Birch", MemoryMiB: 4096, Cores: 4, DiskMiBs: 500})
	one.Patches = append(one.Patches, p)
	one.Sections = append(one.Sections, &template.Section{ID: "s", Name: "Strings"})
	one.Instruments = append(one.Instruments, &template.Instrument{ID: "i", Section: "s", Name: "Violins 1", Kind: template.Sampled, Articulations: []string{"long", "spiccato"}, Patches: []template.ID{"p"}, Routes: []template.Route{}, Seat: &template.Seat{Machine: "m", Riser: 1, Port: 1, Channel: 1, Pair: 1}})
	return one
}

// What a browser plays reaches the host as the row's map says: switches before the notes
// they are for, held ones for as long, velocities in their band, the dynamics wheel as what
// the patch answers to. Sound comes back block by block, and what there is to tell beside it.
func TestListening(t *testing.T) {
	r := &playedRig{}
	s := serveOn(t, r)
	ada := s.signedIn(t, "ada")
	id := ada.keep(t, violins(t))
	conn := ada.listen(t, id)
	said := func(text string) {
		require.NoError(t, conn.Write(context.Background(), websocket.MessageText, []byte(text)))
	}
	told := func(is func(app.Told) bool) {
		t.Helper()
		for {
			kind, data, err := conn.Read(context.Background())
			require.NoError(t, err)
			var x app.Told
			if kind == websocket.MessageText && json.Unmarshal(data, &x) == nil && is(x) {
				return
			}
		}
	}
	said(`{"arm":{"rows":["i"],"as":"dry"}}`)
	told(func(x app.Told) bool {
		return len(x.Armed) == 1 && x.Armed[0].Name == "Violins 1" && x.Armed[0].Machine == "Birch" && !x.Armed[0].Ready && len(x.Armed[0].Articulations) == 2
	})
	said(`{"on":[60,100]}`)
	told(func(x app.Told) bool { return len(x.NotReady) == 1 })
	said(`{"off":60}`)
	said(`{"how":"long"}`)
	said(`{"on":[62,127]}`)
	said(`{"how":"spiccato"}`)
	said(`{"on":[64,127]}`)
	said(`{"off":64}`)
	said(`{"control":[1,99]}`)
	said(`{"bend":-8192}`)
	on, off := sampler.NoteOn, sampler.NoteOff
	want := []rig.PlayMessage{
		{Kind: sampler.Control, Key: 11, Value: 64}, // the upbeat's dynamics, as expression
		{Kind: on, Key: 60, Value: 100}, {Kind: off, Key: 60, Value: 64},
		{Kind: on, Key: 24, Value: 100}, {Kind: off, Key: 24, Value: 64}, {Kind: on, Key: 62, Value: 127},
		{Kind: on, Key: 25, Value: 100}, {Kind: on, Key: 64, Value: 64}, {Kind: off, Key: 25, Value: 64}, {Kind: off, Key: 64, Value: 64},
		{Kind: sampler.Control, Key: 11, Value: 99}, {Kind: sampler.PitchWheel, Value: -8192},
	}
	require.Eventually(t, func() bool { return len(r.messages()) >= len(want) }, 10*time.Second, time.Millisecond)
	require.ElementsMatch(t, want, r.messages())
	require.Equal(t, want[:8], r.messages()[:8], "in their order")

	r.heard("m", rig.SoundBlock{Number: 7, Count: render.Count{Voices: 3, Stolen: 2}, Lanes: []*render.Block{{{.5}, {-.25}}}})
	told(func(x app.Told) bool { return x.Stolen == 2 })
	for {
		kind, data, err := conn.Read(context.Background())
		require.NoError(t, err)
		if kind == websocket.MessageBinary {
			require.Equal(t, []byte{0, 0, 3, 0, 7, 0, 0, 0}, data[:8])
			require.Equal(t, render.Block{{.5}, {-.25}}, *render.ReadStereo(data[8:]))
			break
		}
	}
	told(func(x app.Told) bool { return x.Lost == "Birch" }) // it sounded, and says no more

	said(`{"stop":{}}`)
	require.Eventually(t, func() bool {
		r.mu.Lock()
		defer r.mu.Unlock()
		return r.orders[len(r.orders)-1].Stop || len(r.orders) > 1 && r.orders[len(r.orders)-2].Stop
	}, 10*time.Second, time.Millisecond)
	require.NoError(t, conn.Close(websocket.StatusNormalClosure, ""))
	require.Eventually(t, func() bool { // the browser is gone: voices stop
		r.mu.Lock()
		defer r.mu.Unlock()
		return r.orders[len(r.orders)-1].Close
	}, 10*time.Second, time.Millisecond)
}

// What MIDI does not have ends the line, and says why; a stranger hears nothing; a flood is
// cut.
func TestListeningIsGuarded(t *testing.T) {
	s := serveOn(t, &playedRig{})
	ada, eve := s.signedIn(t, "ada"), s.signedIn(t, "eve")
	id := ada.keep(t, violins(t))
	for _, text := range []string{`{"on":[128,1]}`, `{"on":[60,0]}`, `{"control":[1,200]}`, `{}`, `nonsense`, `{"arm":{"rows":[],"as":"loud"}}`} {
		conn := ada.listen(t, id)
		require.NoError(t, conn.Write(context.Background(), websocket.MessageText, []byte(text)))
		for {
			_, _, err := conn.Read(context.Background())
			if err != nil {
				require.Equal(t, websocket.StatusPolicyViolation, websocket.CloseStatus(err), text)
				break
			}
		}
	}
	_, answer, err := websocket.Dial(context.Background(), s.URL+"/api/templates/"+id+"/listen", &websocket.DialOptions{HTTPClient: eve.http})
	require.Error(t, err)
	require.Equal(t, http.StatusNotFound, answer.StatusCode)
	_, answer, err = websocket.Dial(context.Background(), s.URL+"/api/templates/"+id+"/listen", nil)
	require.Error(t, err)
	require.Equal(t, http.StatusUnauthorized, answer.StatusCode)
	_, answer, err = websocket.Dial(context.Background(), s.URL+"/api/templates/"+id+"/listen", &websocket.DialOptions{HTTPClient: ada.http, HTTPHeader: http.Header{"Origin": {"https://elsewhere.example"}}})
	require.Error(t, err)
	require.Equal(t, http.StatusForbidden, answer.StatusCode)

	conn := ada.listen(t, id)
	for range 5000 {
		require.NoError(t, conn.Write(context.Background(), websocket.MessageText, []byte(`{"on":[60,1]}`)))
	}
	for {
		_, data, err := conn.Read(context.Background())
		require.NoError(t, err)
		if x := (app.Told{}); json.Unmarshal(data, &x) == nil && x.Refused != "" {
			require.Contains(t, x.Refused, "a second; some are dropped")
			break
		}
	}
	_ = conn.CloseNow()
}

// listen opens the line of a browser.
func (c *client) listen(t *testing.T, id string) *websocket.Conn {
	t.Helper()
	base, err := url.Parse(c.base)
	require.NoError(t, err)
	conn, _, err := websocket.Dial(context.Background(), base.JoinPath("/api/templates", id, "listen").String(), &websocket.DialOptions{HTTPClient: c.http})
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.CloseNow() })
	return conn
}

// keep brings a template in as a file, and returns its id.
func (c *client) keep(t *testing.T, one *template.Template) string {
	t.Helper()
	var file bytes.Buffer
	require.NoError(t, templatefile.Write(&file, one))
	made := c.do("POST", "/api/templates/file", file.Bytes())
	require.Equal(t, 201, made.status, "%s", made.body)
	return made.field(t, "id").(string)
}
