package app

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"fanfold/internal/core/template"
	"fanfold/internal/render"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
)

// PerformAsk asks for music to be played: from a bar on, and what of it is heard.
type PerformAsk struct {
	Bar  int           // from 1
	From *float64      // the second of the piece to begin with, in place of a bar
	Bus  template.ID   // where it is heard; empty for the mix
	Rows []template.ID // they alone play; none for all
	Dry  bool          // rows as they are, without the graph
	Rate int           // of the sound, Hz: one of render.Rates; 0 is rig.SoundRateHz
}

// Performance is music that is being played for one person.
type Performance struct {
	h       *Hot
	who     Person
	session string
	rateHz  float64
	score   *render.Score
	view    View
	ask     PerformAsk
	send    func(number int, blocks []render.Block) bool // waits until there is room; false when nobody hears any longer
	tell    func(PerformTold)

	graph    *render.Graph
	lanes    int
	machines []*stageMachine
	over     []render.Seat // rows in whose place recordings play
	total    int           // blocks
}

// PerformTold is what is told of music that plays. Fields that say nothing are left out.
type PerformTold struct {
	Play    int              `json:"play,omitempty"` // the number of the play it belongs to; 0 for none
	Piece   *CastPiece       `json:"piece,omitempty"`
	Began   *Began           `json:"began,omitempty"`
	Silent  []render.Silence `json:"silent,omitempty"` // that are not heard
	Ended   bool             `json:"ended,omitempty"`
	Refused string           `json:"refused,omitempty"`
	Pace    float64          `json:"pace,omitempty"` // how many times faster than it sounds it was made
}

// Began tells that music begins.
type Began struct {
	Bar     int     `json:"bar"`
	Second  float64 `json:"second"`  // of the piece, with which it begins
	Seconds float64 `json:"seconds"` // that it lasts from there, with what rings on
}

// stageMachine is a machine that plays a part of the music.
type stageMachine struct {
	id     template.ID
	rows   []rig.PerformRow
	voices []*voiceOnStage
	gone   bool
}

type voiceOnStage struct {
	name     string
	messages []sampler.Message
	next     int
}

// Perform plays music until it ends, or the context does. Sound is made ahead of being heard,
// as far as send has room.
func (h *Hot) Perform(ctx context.Context, p Person, s *Scored, ask PerformAsk, send func(number int, blocks []render.Block) bool, tell func(PerformTold)) error {
	x := &Performance{h: h, who: p, session: uuid.NewString(), score: s.score, view: s.view, ask: ask, send: send, tell: tell, lanes: 1, rateHz: float64(cmp.Or(ask.Rate, rig.SoundRateHz))}
	defer x.close() // machines may have begun when preparing ends in the middle
	if err := x.prepare(ctx); err != nil {
		return err
	}
	return x.play(ctx)
}

// prepare makes out who plays from where, and through which graph.
func (x *Performance) prepare(ctx context.Context) error {
	s := x.score
	if !slices.Contains(render.Rates, int(x.rateHz)) {
		return refused("", "sound is made at one of %v Hz, not at %g", render.Rates, x.rateHz)
	}
	silent := slices.Clone(s.Silent)
	from := s.Time.Bars.Start(int64(max(1, x.ask.Bar)))
	if x.ask.From != nil {
		from = s.Tick(*x.ask.From)
	}
	var rows []*template.Instrument
	for _, v := range s.Voices {
		if v.Plays(x.ask.Rows) {
			rows = append(rows, v.Home)
		}
	}
	if len(rows) == 0 {
		return refused("", "nobody plays: none of the parts has a row that can sound")
	}
	if !x.ask.Dry {
		graph, without, err := render.NewGraph(x.view.Proof.Fan, x.ask.Bus, rows, x.h.app.effectOptions(ctx, x.who, x.rateHz, s.QuarterS(from)))
		if err != nil {
			return refused(x.ask.Bus, "the bus to be heard is no longer there")
		}
		silent = append(silent, without...)
		x.graph, x.lanes = graph, max(1, graph.Lanes())
	}
	if x.lanes > rig.MostPerformLanes {
		return refused("", "rows feed %d buses; %d can be played at once", x.lanes, rig.MostPerformLanes)
	}
	last := int64(0)
	for _, v := range s.Voices {
		if !v.Plays(x.ask.Rows) {
			continue
		}
		ways := straight
		if x.graph != nil {
			ways = x.graph.Ways(v.Home)
		}
		if v.Over != nil {
			r, err := x.h.app.recordedOver(ctx, x.who, v.Over, s.Seconds(from), x.rateHz)
			if err != nil {
				silent = append(silent, render.Silence{Name: v.Home.Name, Reason: err.Error()})
				continue
			}
			x.over = append(x.over, render.Seat{Playing: r, Ways: ways})
			last = max(last, int64((v.Over.At+v.Over.Seconds-s.Seconds(from))*x.rateHz))
			continue
		}
		messages, err := s.Messages(v, from, x.rateHz)
		if err != nil {
			silent = append(silent, render.Silence{Name: v.Home.Name, Reason: err.Error()})
			continue
		}
		if len(messages) > 0 {
			last = max(last, messages[len(messages)-1].At)
		}
		m := x.machine(v.Home.Seat.Machine)
		m.rows = append(m.rows, rig.PerformRow{Load: x.h.loadOf(v.Home), Ways: ways})
		m.voices = append(m.voices, &voiceOnStage{name: v.Home.Name, messages: messages})
	}
	tail := releaseS
	if x.graph != nil {
		tail += min(mostTailS, x.graph.Tail())
	}
	x.total = int(math.Ceil((float64(last)/x.rateHz + tail) * x.rateHz / render.Frames))
	x.begin(ctx, &silent)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	x.tell(PerformTold{Began: &Began{
		Bar: int(s.Time.Bars.At(from)), Second: s.Seconds(from), Seconds: float64(x.total) * render.Frames / x.rateHz,
	}, Silent: silent})
	return nil
}

// releaseS is how long the last notes are heard to die away, s, and mostTailS how long what
// they go through may ring on.
const (
	releaseS  = 2.0
	mostTailS = 20.0
)

func (x *Performance) machine(id template.ID) *stageMachine {
	for _, m := range x.machines {
		if m.id == id {
			return m
		}
	}
	m := &stageMachine{id: id}
	x.machines = append(x.machines, m)
	return m
}

// rowsAtOnce is how many rows are told to a machine at once.
const rowsAtOnce = 200

// begin has every machine open what its rows play.
func (x *Performance) begin(ctx context.Context, silent *[]render.Silence) {
	var mu sync.Mutex
	x.each(func(m *stageMachine) {
		for from := 0; from < len(m.rows); from += rowsAtOnce {
			ask := rig.PerformAsk{Session: x.session, Begin: from == 0, Lanes: x.lanes, RateHz: int(x.rateHz), Rows: m.rows[from:min(len(m.rows), from+rowsAtOnce)]}
			done, err := x.h.app.rig.Perform(ctx, x.h.studio().String(), string(m.id), ask)
			mu.Lock()
			if err != nil {
				m.gone = true
				*silent = append(*silent, render.Silence{Name: x.h.machineName(m.id), Reason: fmt.Sprintf("its %d rows do not play: %s", len(m.rows), err)})
			}
			for n, reason := range done.Reasons {
				if n >= 0 && n < len(m.voices) {
					*silent = append(*silent, render.Silence{Name: m.voices[n].name, Reason: reason})
				}
			}
			mu.Unlock()
			if err != nil {
				return
			}
		}
	})
}

func (x *Performance) each(do func(*stageMachine)) {
	var all sync.WaitGroup
	for _, m := range x.machines {
		if !m.gone {
			all.Go(func() { do(m) })
		}
	}
	all.Wait()
}

func (x *Performance) close() {
	for _, m := range x.machines {
		// A machine that is away forgets it by itself.
		_, _ = x.h.app.rig.Perform(context.Background(), x.h.studio().String(), string(m.id), rig.PerformAsk{Session: x.session, Close: true})
	}
}

// piecesAhead is how many pieces wait for the graph.
const piecesAhead = 4

// firstBlocks is how many blocks the first piece has, so that it is heard soon; each is twice
// the one before, up to what an answer holds.
const firstBlocks = 8

// play has machines make piece by piece, ahead of the graph.
func (x *Performance) play(ctx context.Context) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	pieces := make(chan [][]*render.Block, piecesAhead)
	busy := time.Duration(0)
	var making sync.WaitGroup
	defer making.Wait()
	defer stop()
	making.Go(func() {
		defer close(pieces)
		size, most := firstBlocks, rig.BlocksAtOnce(x.lanes)
		for at := 0; at < x.total; {
			n := min(size, most, x.total-at)
			from := time.Now()
			lanes := x.piece(ctx, at, n)
			busy += time.Since(from)
			select {
			case pieces <- lanes:
			case <-ctx.Done():
				return
			}
			at, size = at+n, min(most, 2*size)
		}
	})
	at := 0
	var graphed time.Duration
	for lanes := range pieces {
		from := time.Now()
		var out []render.Block
		if x.graph != nil {
			out = x.graph.RunAll(lanes)
		} else {
			out = make([]render.Block, len(lanes))
			for n, block := range lanes {
				if block[0] != nil {
					out[n] = *block[0]
				}
			}
		}
		graphed += time.Since(from)
		if !x.send(at, out) {
			return nil
		}
		at += len(out)
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	x.tell(PerformTold{Ended: true, Pace: float64(x.total) * render.Frames / x.rateHz / (max(busy, graphed).Seconds() + 1e-9)})
	return nil
}

// piece has every machine make the next blocks, and adds their lanes up.
func (x *Performance) piece(ctx context.Context, at, blocks int) [][]*render.Block {
	made := map[template.ID][][]*render.Block{}
	var mu sync.Mutex
	x.each(func(m *stageMachine) {
		ask := rig.PerformAsk{Session: x.session, Blocks: blocks}
		until := int64(at+blocks) * render.Frames
		for row, v := range m.voices {
			for ; v.next < len(v.messages) && v.messages[v.next].At < until; v.next++ {
				n := v.messages[v.next]
				ask.Messages = append(ask.Messages, rig.PerformMessage{Row: row, At: n.At, Kind: n.Kind, Key: n.Key, Value: n.Value})
			}
		}
		done, err := x.h.app.rig.Perform(ctx, x.h.studio().String(), string(m.id), ask)
		mu.Lock()
		defer mu.Unlock()
		if err != nil {
			m.gone = true
			if ctx.Err() == nil {
				x.tell(PerformTold{Silent: []render.Silence{{Name: x.h.machineName(m.id), Reason: "it no longer plays: " + err.Error()}}})
			}
			return
		}
		made[m.id] = done.Blocks
	})
	out := render.NewEnsemble(x.over, x.lanes).Render(blocks)
	for n := range out {
		for _, m := range x.machines { // in their order, so that the same music gives the same bits
			if n >= len(made[m.id]) {
				continue
			}
			for lane, b := range made[m.id][n] {
				switch {
				case b == nil || lane >= x.lanes:
				case out[n][lane] == nil:
					out[n][lane] = b
				default:
					out[n][lane].Add(b, 1)
				}
			}
		}
	}
	return out
}
