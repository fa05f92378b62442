package api_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
	"fanfold/internal/render"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// clickRig plays each note as one frame, as high as it is strong.
type clickRig struct {
	noRig
	mu       sync.Mutex
	sessions map[string]*clicks
	closed   int
	slow     chan struct{} // closed by the next begin, which waits until it is given up
	dies     int           // after so many pieces; never with 0
}

type clicks struct {
	lanes, at, pieces int
	rows              []rig.PerformRow
	notes             []rig.PerformMessage
}

func (c *clickRig) Perform(ctx context.Context, _, _ string, ask rig.PerformAsk) (out rig.Performed, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if ask.Begin && c.slow != nil {
		c.sessions[ask.Session] = &clicks{lanes: ask.Lanes}
		close(c.slow)
		c.slow = nil
		c.mu.Unlock()
		<-ctx.Done()
		c.mu.Lock()
		return out, ctx.Err()
	}
	if c.sessions == nil {
		c.sessions = map[string]*clicks{}
	}
	if ask.Close {
		c.closed++
		delete(c.sessions, ask.Session)
		return out, nil
	}
	if ask.Begin {
		c.sessions[ask.Session] = &clicks{lanes: ask.Lanes}
	}
	s := c.sessions[ask.Session]
	s.rows = append(s.rows, ask.Rows...)
	s.notes = append(s.notes, ask.Messages...)
	if s.pieces++; c.dies > 0 && s.pieces > c.dies {
		return out, errors.New("it fell over")
	}
	for n := range ask.Blocks {
		lanes := make([]*render.Block, s.lanes)
		for _, m := range s.notes {
			k := int(m.At) - (s.at+n)*render.Frames
			if m.Kind != sampler.NoteOn || m.Key < 40 || k < 0 || k >= render.Frames {
				continue
			}
			var own render.Block
			own[0][k], own[1][k] = float64(m.Value)/127, float64(m.Value)/127
			render.Spread(lanes, s.rows[m.Row].Ways, &own)
		}
		out.Blocks = append(out.Blocks, lanes)
	}
	s.at += ask.Blocks
	return out, nil
}

// performer talks to the server as a browser does.
type performer struct {
	t    *testing.T
	conn *websocket.Conn
}

func (c *client) perform(t *testing.T, id string) *performer {
	t.Helper()
	conn, _, err := websocket.Dial(context.Background(), c.base+"/api/templates/"+id+"/perform", &websocket.DialOptions{HTTPClient: c.http})
	require.NoError(t, err)
	conn.SetReadLimit(1 << 20)
	t.Cleanup(func() { _ = conn.CloseNow() })
	return &performer{t, conn}
}

func (p *performer) say(text string, values ...any) {
	require.NoError(p.t, p.conn.Write(context.Background(), websocket.MessageText, []byte(fmt.Sprintf(text, values...))))
}

// told is the next of what is told; sound meanwhile goes to sound.
func (p *performer) told(sound func(play, number int, blocks []*render.Block)) app.PerformTold {
	for {
		kind, data, err := p.conn.Read(context.Background())
		require.NoError(p.t, err)
		if kind == websocket.MessageText {
			var x app.PerformTold
			require.NoError(p.t, json.Unmarshal(data, &x))
			return x
		}
		play, number := int(binary.LittleEndian.Uint32(data)), int(binary.LittleEndian.Uint32(data[4:]))
		var blocks []*render.Block
		for data = data[8:]; len(data) > 0; data = data[render.StereoBytes:] {
			blocks = append(blocks, render.ReadStereo(data))
		}
		if sound != nil {
			sound(play, number, blocks)
		}
	}
}

// heard plays until the end and gives the left side.
func (p *performer) heard(play int) (left []float64, silent []render.Silence) {
	next := 0
	for {
		x := p.told(func(of, number int, blocks []*render.Block) {
			require.Equal(p.t, play, of)
			require.Equal(p.t, next, number, "one after the other")
			next += len(blocks)
			for _, b := range blocks {
				left = append(left, b[0][:]...)
			}
			p.say(`{"heard":[%d,%d]}`, play, next)
		})
		silent = append(silent, x.Silent...)
		require.Empty(p.t, x.Refused)
		if x.Ended {
			return left, silent
		}
	}
}

// fourBars is a piece at 60 to the minute: a note on each bar of 4/4, for Violins 1, and one
// for somebody who is not there.
func fourBars(t *testing.T) []byte { return bars(t, 4) }

func bars(t *testing.T, many int) []byte {
	t.Helper()
	time, err := tempo.NewTime(480, []tempo.Change{{Tick: 0, Quarter: 1_000_000}}, nil)
	require.NoError(t, err)
	note := func(bar int, key int) []articulation.Message {
		at := int64(bar-1) * 1920
		return []articulation.Message{{Tick: at, Status: articulation.NoteOn, Channel: 1, Data1: key, Data2: 127}, {Tick: at + 2400, Status: articulation.NoteOff, Channel: 1, Data1: key, Data2: 64}}
	}
	var violins []articulation.Message
	for bar := 1; bar <= many; bar++ {
		violins = append(violins, note(bar, 60+bar%12)...)
	}
	slices.SortStableFunc(violins, func(a, b articulation.Message) int { return int(a.Tick - b.Tick) })
	var b bytes.Buffer
	require.NoError(t, smf.WritePlayed(&b, time, []smf.Played{{Name: "Violins 1", Port: -1, Messages: violins}, {Name: "Timpani", Port: -1, Messages: note(1, 70)}}))
	return b.Bytes()
}

// Music plays from any bar through the graph, to the mix, a stem or a row by itself, with the
// notes that still sound there; who cannot play is told.
func TestPerforming(t *testing.T) {
	r := &clickRig{}
	ada := serveOn(t, r).signedIn(t, "ada")
	one := violins(t)
	one.Patches[0].Dynamics, one.Patches[0].Map = template.DynamicsNone, nil
	one.Folds = append(one.Folds, &template.Fold{ID: "f", Name: "Stems"})
	one.Buses = append(one.Buses, &template.Bus{ID: "st", Kind: template.Stem, Fold: "f", Name: "Strings", GainDB: -6, Routes: []template.Route{{To: one.TheMix().ID, Tap: template.Post, GainDB: -6}}},
		&template.Bus{ID: "re", Kind: template.Return, Name: "Echo", Routes: []template.Route{{To: "st", Tap: template.Post}}, Runs: []template.BusEffect{{Kind: template.EffectDelay, Set: map[string]float64{
			template.SetQuarters: .5, template.SetFeedback: 0, template.SetLowCut: template.NoLowCutHz, template.SetHighCut: template.NoHighCutHz,
		}}}})
	one.Instruments[0].GainDB, one.Instruments[0].Routes = -12, template.SortRoutes([]template.Route{{To: "st", Tap: template.Post}, {To: "re", Tap: template.Pre, GainDB: -20}})
	id := ada.keep(t, one)
	p := ada.perform(t, id)
	require.NoError(t, p.conn.Write(context.Background(), websocket.MessageBinary, fourBars(t)))
	first := p.told(nil)
	cast := first.Piece
	require.NotNil(t, cast, first.Refused)
	require.Equal(t, []app.PerformedRow{{ID: "i", Name: "Violins 1", Machine: "Birch", Notes: 4}}, cast.Rows)
	require.Equal(t, []float64{0, 4, 8, 12, 16}, cast.Bars)
	require.InDelta(t, 17, cast.Seconds, .01)
	require.Len(t, cast.Silent, 1)
	require.Equal(t, "Timpani", cast.Silent[0].Name)

	db := func(x float64) float64 { return 20 * math.Log10(x) }
	p.say(`{"play":{"number":1,"bar":2}}`)
	began := p.told(nil).Began
	require.NotNil(t, began)
	require.InDelta(t, 4, began.Second, 1e-9)
	left, _ := p.heard(1)
	const second = 48_000
	require.InDelta(t, -24+6.02, db(left[0]), .01, "bar 2, with the note of bar 1 that still sounds")
	require.InDelta(t, -32+6.02, db(left[second/2]), .01, "an eighth later, before the fader")
	require.InDelta(t, -24, db(left[4*second]), .01, "bar 3")
	require.Zero(t, left[3*second])
	require.Greater(t, len(left), 13*second, "to the end of what rings")

	p.say(`{"play":{"number":2,"bar":4,"bus":"st"}}`)
	_ = p.told(nil)
	left, _ = p.heard(2)
	require.InDelta(t, -18+6.02, db(left[0]), .01, "at the stem")
	p.say(`{"play":{"number":3,"bar":4,"rows":["i"],"dry":true}}`)
	_ = p.told(nil)
	left, _ = p.heard(3)
	require.InDelta(t, 6.02, db(left[0]), .01, "by itself")
	require.Zero(t, left[second/2])
	frames := len(left)

	p.say(`{"play":{"number":7,"from":13.5,"rows":["i"],"dry":true}}`)
	began = p.told(nil).Began
	require.Equal(t, 4, began.Bar)
	require.InDelta(t, 13.5, began.Second, 1e-3)
	left, _ = p.heard(7)
	require.InDelta(t, 0, db(left[0]), .01, "the note that still sounds in the middle of bar 4")

	p.say(`{"play":{"number":8,"bar":4,"rows":["i"],"dry":true,"rate":96000}}`)
	_ = p.told(nil)
	left, _ = p.heard(8)
	require.InDelta(t, 6.02, db(left[0]), .01)
	require.InDelta(t, 2*frames, len(left), render.Frames, "at twice the rate")
	p.say(`{"play":{"number":9,"bar":1,"rate":12345}}`)
	require.Contains(t, p.told(nil).Refused, "not at 12345")

	p.say(`{"play":{"number":4,"bar":1,"bus":"gone"}}`)
	require.Contains(t, p.told(nil).Refused, "no longer there")
	p.say(`{"play":{"number":5,"bar":1,"hand":{"track-2":[]}}}`)
	require.Contains(t, p.told(nil).Refused, "nobody plays")
	require.NoError(t, p.conn.Write(context.Background(), websocket.MessageBinary, []byte("nonsense")))
	require.NotEmpty(t, p.told(nil).Refused)
	p.say(`{"play":{"number":6,"bar":1}}`)
	require.Contains(t, p.told(nil).Refused, "no notes")
	r.mu.Lock()
	require.Empty(t, r.sessions, "all were ended")
	require.Equal(t, 5, r.closed)
	r.mu.Unlock()
}

// Sound waits for a browser that does not hear it; one that plays from elsewhere meanwhile
// hears nothing of before; a machine that falls over is told, and the music goes on.
func TestPerformingAndItsFaults(t *testing.T) {
	r := &clickRig{dies: 5}
	ada := serveOn(t, r).signedIn(t, "ada")
	one := violins(t)
	one.Instruments[0].Routes = []template.Route{{To: one.TheMix().ID, Tap: template.Post}}
	p := ada.perform(t, ada.keep(t, one))
	require.NoError(t, p.conn.Write(context.Background(), websocket.MessageBinary, fourBars(t)))
	require.NotNil(t, p.told(nil).Piece)
	p.say(`{"play":{"number":1,"bar":1}}`)
	require.NotNil(t, p.told(nil).Began)
	blocks := 0
	for blocks < 176 { // nearly as many as may be under way
		kind, data, err := p.conn.Read(context.Background())
		require.NoError(t, err)
		if kind == websocket.MessageBinary {
			blocks += (len(data) - 8) / render.StereoBytes
		}
	}
	p.say(`{"stop":{}}`)
	p.say(`{"play":{"number":2,"bar":3}}`)
	var began *app.Began
	for began == nil {
		x := p.told(func(play, _ int, _ []*render.Block) { require.NotEqual(t, 1, play, "no more than may be under way") })
		began = x.Began
	}
	require.Equal(t, 3, began.Bar)
	_, silent := p.heard(2)
	require.Len(t, silent, 1)
	require.Equal(t, "Birch", silent[0].Name)
	require.Contains(t, silent[0].Reason, "it fell over")

	r.mu.Lock()
	r.dies = 0
	r.mu.Unlock()
	began3 := make(chan struct{})
	r.mu.Lock()
	r.slow = began3
	r.mu.Unlock()
	p.say(`{"play":{"number":3,"bar":1}}`)
	<-began3
	p.say(`{"play":{"number":4,"bar":1}}`) // before the machines have begun: they are told that the other ends
	for began = nil; began == nil; began = p.told(nil).Began {
	}
	r.mu.Lock()
	require.Len(t, r.sessions, 1)
	r.mu.Unlock()
	require.NoError(t, p.conn.CloseNow()) // the browser is gone: the machines are told
	require.Eventually(t, func() bool {
		r.mu.Lock()
		defer r.mu.Unlock()
		return len(r.sessions) == 0
	}, 10*time.Second, time.Millisecond)
}

// A piece of a minute and more plays to its end, a note on every bar.
func TestPerformingALongPiece(t *testing.T) {
	ada := serveOn(t, &clickRig{}).signedIn(t, "ada")
	one := violins(t)
	one.Patches[0].Dynamics, one.Patches[0].Map = template.DynamicsNone, nil
	one.Instruments[0].Routes = []template.Route{{To: one.TheMix().ID, Tap: template.Post}}
	p := ada.perform(t, ada.keep(t, one))
	const many = 20
	require.NoError(t, p.conn.Write(context.Background(), websocket.MessageBinary, bars(t, many)))
	require.NotNil(t, p.told(nil).Piece)
	p.say(`{"play":{"number":1,"bar":1}}`)
	require.NotNil(t, p.told(nil).Began)
	left, silent := p.heard(1)
	require.Len(t, silent, 0)
	for bar := range many {
		require.InDelta(t, 1, left[bar*4*48_000], 1e-6, "bar %d", bar+1)
	}
	require.Greater(t, len(left), many*4*48_000)
}

func TestPerformingIsGuarded(t *testing.T) {
	s := serveOn(t, &clickRig{})
	ada, eve := s.signedIn(t, "ada"), s.signedIn(t, "eve")
	id := ada.keep(t, violins(t))
	for _, text := range []string{`{}`, `nonsense`} {
		p := ada.perform(t, id)
		p.say("%s", text)
		_, _, err := p.conn.Read(context.Background())
		require.Equal(t, websocket.StatusPolicyViolation, websocket.CloseStatus(err), text)
	}
	_, answer, err := websocket.Dial(context.Background(), s.URL+"/api/templates/"+id+"/perform", &websocket.DialOptions{HTTPClient: eve.http})
	require.Error(t, err)
	require.Equal(t, http.StatusNotFound, answer.StatusCode)
}
