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

func (p *playedRig) Play(_, _ string, o rig.PlayOrder) error {
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
	// What is told and what sounds come on ways of their own, in any order.
	within, stop := context.WithTimeout(context.Background(), time.Minute)
	defer stop()
	for stolen, sounded, lost := false, false, false; !stolen || !sounded || !lost; {
		kind, data, err := conn.Read(within)
		require.NoError(t, err, "stolen %v, sounded %v, lost %v", stolen, sounded, lost)
		if kind == websocket.MessageBinary {
			require.Equal(t, []byte{0, 0, 3, 0, 7, 0, 0, 0}, data[:8])
			require.Equal(t, render.Block{{.5}, {-.25}}, *render.ReadStereo(data[8:]))
			sounded = true
			continue
		}
		var x app.Told
		require.NoError(t, json.Unmarshal(data, &x))
		stolen, lost = stolen || x.Stolen == 2, lost || x.Lost == "Birch" // it sounded, and says no more
	}

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

// Rows are heard at a bus: the machine plays them into the lanes that they feed, and what
// comes of them goes through faders and effects on the way there; an edit of something else
// cuts nothing of what rings on.
func TestListeningAtABus(t *testing.T) {
	r := &playedRig{}
	ada := serveOn(t, r).signedIn(t, "ada")
	one := violins(t)
	one.Folds = append(one.Folds, &template.Fold{ID: "f", Name: "Stems"})
	one.Buses = append(one.Buses, &template.Bus{ID: "st", Kind: template.Stem, Fold: "f", Name: "Strings", GainDB: -6.0206, Routes: []template.Route{{To: one.TheMix().ID, Tap: template.Post}}, Runs: []template.BusEffect{{
		Kind: template.EffectDelay, Set: map[string]float64{template.SetTime: 16, template.SetFeedback: 0, template.SetWet: 50, template.SetLowCut: template.NoLowCutHz, template.SetHighCut: template.NoHighCutHz},
	}}})
	one.Instruments[0].GainDB, one.Instruments[0].Routes = -12.0412, []template.Route{{To: "st", Tap: template.Post}}
	id := ada.keep(t, one)
	conn := ada.listen(t, id)
	said := func(text string) {
		require.NoError(t, conn.Write(context.Background(), websocket.MessageText, []byte(text)))
	}
	heard := func() render.Block {
		for {
			kind, data, err := conn.Read(context.Background())
			require.NoError(t, err)
			if kind == websocket.MessageBinary {
				return *render.ReadStereo(data[8:])
			}
		}
	}
	last := func() (o rig.PlayOrder) {
		r.mu.Lock()
		defer r.mu.Unlock()
		if len(r.orders) > 0 {
			o = r.orders[len(r.orders)-1]
		}
		return o
	}
	said(`{"arm":{"rows":["i"],"as":"bus","bus":"st"}}`)
	require.Eventually(t, func() bool { o := last(); return len(o.Rows) == 1 && len(o.Rows[0].Ways) == 1 }, 10*time.Second, time.Millisecond)
	o := last()
	require.Equal(t, 1, o.Lanes)
	require.InDelta(t, .25, o.Rows[0].Ways[0].Left, 1e-5)
	require.InDelta(t, .016, o.TailS, 1e-6, "blocks come for as long as it rings")
	r.heard("m", rig.SoundBlock{Lanes: []*render.Block{{{.5}, {-.5}}}})
	b := heard()
	require.InDelta(t, .5*.5*.5, b[0][0], 1e-5, "half of it at once, at the fader")
	require.InDelta(t, -.125, b[1][0], 1e-5)
	require.Equal(t, 200, ada.do("POST", "/api/templates/"+id+"/changes", map[string]any{"base": 0, "change": map[string]any{"kind": "put", "sections": []any{map[string]any{"at": -1, "value": map[string]any{"id": "s", "name": "All strings"}}}}}).status)
	time.Sleep(1100 * time.Millisecond) // rows are looked at every second
	r.heard("m", rig.SoundBlock{Number: 1, Lanes: []*render.Block{nil}})
	_ = heard()
	r.heard("m", rig.SoundBlock{Number: 2, Lanes: []*render.Block{nil}})
	_ = heard()
	r.heard("m", rig.SoundBlock{Number: 3, Lanes: []*render.Block{nil}})
	require.InDelta(t, .125, heard()[0][0], 1e-5, "the other half 768 frames later")
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
