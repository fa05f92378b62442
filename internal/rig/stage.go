package rig

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"fanfold/internal/core/template"
	"fanfold/internal/render"
	"fanfold/internal/roots"
	"fanfold/internal/sampler"
)

// stage is what of a host sounds: the patches of what is ready, and who listens to them.
type stage struct {
	roots []string
	store *sampler.Store
	tell  func(listener string, b SoundBlock)

	mu           sync.Mutex
	wanted       map[string]Load // what is ready, by ID
	opened       map[string]*opened
	listeners    map[string]*listener
	performances map[string]*performance // by their sessions
	closed       []string                // sessions of performances, the oldest first
	awake        chan struct{}
}

// opened are the patches of one load.
type opened struct {
	patches []*sampler.Patch
	places  []int  // of the patches, in the load
	reason  string // why there are none
	key     string // of the files it was opened from
	done    bool
}

type listener struct {
	name   string
	heard  time.Time
	rows   map[string]*playing
	order  []string // of rows
	lanes  int
	tail   int // blocks that the lanes ring on
	number int
	quiet  int // blocks since something sounded
	told   bool
}

// playing is a row that somebody listens to.
type playing struct {
	ways    []render.Way
	player  *render.Player // nil until its patches are open
	of      *opened
	waiting []PlayMessage // until then
}

// voicesOfRow is how many voices one row has for one listener, and mostRows how many rows
// somebody may listen to at once on a machine.
const (
	voicesOfRow = 64
	mostRows    = 32
	mostWaiting = 1000
)

func newStage(roots []string, budget int64, tell func(string, SoundBlock)) *stage {
	if budget == 0 {
		budget = 1 << 30
	}
	return &stage{
		roots: roots, store: sampler.NewStore(budget), tell: tell, wanted: map[string]Load{}, opened: map[string]*opened{},
		listeners: map[string]*listener{}, performances: map[string]*performance{}, awake: make(chan struct{}, 1),
	}
}

// ready takes what the machine holds ready: of what it no longer holds the patches are
// closed, and who plays it falls silent. So are those that nobody listens to.
func (s *stage) ready(loads []Load) {
	now := make(map[string]Load, len(loads))
	for _, l := range loads {
		now[l.ID] = l
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.wanted = now
	heard := map[string]bool{}
	for _, x := range s.listeners {
		for id := range x.rows {
			heard[id] = true
		}
	}
	for id, o := range s.opened {
		if l, held := now[id]; o.done && (!held || !heard[id] || filesOf(l) != o.key) {
			delete(s.opened, id)
			for _, x := range s.listeners {
				if row := x.rows[id]; row != nil && row.of == o {
					row.of, row.player = nil, nil
				}
			}
			for _, p := range o.patches {
				p.Close()
			}
		}
	}
	for _, x := range s.listeners {
		for id := range x.rows {
			s.open(id)
		}
	}
}

func filesOf(l Load) string {
	var b strings.Builder
	for _, p := range l.Patches {
		fmt.Fprintf(&b, "%s\x00%s\x00%d\x00%d\x00%s\n", p.Library, p.File, p.Bank, p.Programme, p.Mics)
	}
	return b.String()
}

// open begins to open the patches of a load that is ready, unless they are. The caller holds
// the lock.
func (s *stage) open(id string) {
	l, held := s.wanted[id]
	if !held || s.opened[id] != nil {
		return
	}
	o := &opened{key: filesOf(l)}
	s.opened[id] = o
	go func() {
		patches, places, err := s.patchesOf(l)
		s.mu.Lock()
		o.patches, o.places, o.done = patches, places, true
		if err != nil {
			o.reason = err.Error()
		}
		s.mu.Unlock()
		s.wake()
	}()
}

// patchesOf opens the patches of a load, and tells which they are. One that cannot be played
// is left out, where another can.
func (s *stage) patchesOf(l Load) (out []*sampler.Patch, places []int, err error) {
	for n, p := range l.Patches {
		patch, failed := s.openPatch(p)
		if failed != nil {
			err = errors.Join(err, failed)
			continue
		}
		out, places = append(out, patch), append(places, n)
	}
	return out, places, err
}

func (s *stage) openPatch(p PatchLoad) (*sampler.Patch, error) {
	return roots.Roots{Folders: s.roots, Store: s.store}.Open(roots.Patch{
		Name: p.Name, Library: p.Library, Source: template.Source{File: p.File, Bank: p.Bank, Programme: p.Programme}, Mics: p.micNames(),
	})
}

// Play takes an order of a listener.
func (s *stage) Play(o PlayOrder) {
	s.mu.Lock()
	defer s.mu.Unlock()
	defer s.wake()
	x := s.listeners[o.Listener]
	if o.Close {
		delete(s.listeners, o.Listener)
		return
	}
	if x == nil {
		x = &listener{name: o.Listener, rows: map[string]*playing{}, told: true, quiet: idleAfter}
		s.listeners[o.Listener] = x
	}
	x.heard = time.Now()
	x.lanes = min(MostLanes, max(1, o.Lanes))
	x.tail = int(min(mostTailS, max(0, o.TailS)) * SoundRateHz / SoundFrames)
	x.take(o.Rows)
	for id := range x.rows {
		s.open(id)
	}
	if o.Stop {
		for id := range x.rows {
			s.send(x, PlayMessage{Load: id, Kind: sampler.Control, Key: 120})
			s.send(x, PlayMessage{Load: id, Kind: sampler.Control, Key: 121})
		}
	}
	for _, m := range o.Messages {
		s.send(x, m)
	}
}

// take sets the rows a listener hears.
func (x *listener) take(rows []PlayRow) {
	there := map[string]bool{}
	x.order = x.order[:0]
	for _, r := range rows[:min(len(rows), mostRows)] {
		if there[r.Load] {
			continue
		}
		there[r.Load] = true
		x.order = append(x.order, r.Load)
		row := x.rows[r.Load]
		if row == nil {
			row = &playing{}
			x.rows[r.Load] = row
		}
		row.ways = slices.DeleteFunc(slices.Clone(r.Ways), func(w render.Way) bool { return w.Lane < 0 || w.Lane >= x.lanes })
	}
	for id := range x.rows {
		if !there[id] {
			delete(x.rows, id)
		}
	}
}

// send gives a message to a row. The caller holds the lock.
func (s *stage) send(x *listener, m PlayMessage) {
	row := x.rows[m.Load]
	if row == nil {
		return
	}
	if row.of == nil && len(row.waiting) < mostWaiting {
		row.waiting = append(row.waiting, m)
		return
	}
	if row.player != nil {
		row.player.Send(sampler.Message{At: atOnce, Kind: m.Kind, Key: m.Key, Value: m.Value})
	}
}

// atOnce is when messages are heard that are played now.
const atOnce = -1

// attach gives a row its engines once its patches are open. The caller holds the lock.
func (s *stage) attach(id string, row *playing) {
	o := s.opened[id]
	if row.of != nil || o == nil || !o.done {
		return
	}
	row.of = o
	row.player = render.NewPlayer(id, layersOf(o.patches, o.places, s.wanted[id]), sampler.Options{RateHz: SoundRateHz, Voices: voicesOfRow})
	for _, m := range row.waiting {
		row.player.Send(sampler.Message{At: atOnce, Kind: m.Kind, Key: m.Key, Value: m.Value})
	}
	row.waiting = nil
}

// layersOf are the patches of a load that could be opened, with their trims; places tell
// which they are.
func layersOf(patches []*sampler.Patch, places []int, l Load) []render.Layer {
	out := make([]render.Layer, len(patches))
	for n, p := range patches {
		out[n] = render.Layer{Patch: p, Trim: 1}
		if place := places[n]; place < len(l.Patches) {
			out[n].Trim = template.Gain(l.Patches[place].LevelDB)
		}
	}
	return out
}

func (s *stage) wake() {
	select {
	case s.awake <- struct{}{}:
	default:
	}
}

// idleAfter is how many silent blocks are sent before the rest is left out: a third of a
// second, within which nobody hears the difference.
const idleAfter = 64

// mostTailS bounds how long blocks come after the last sound, s.
const mostTailS = 30

// blockTime is how long a block sounds.
const blockTime = SoundFrames * time.Second / SoundRateHz

// mostBehind is how many blocks are made up for when the machine was held up; those before
// them are lost.
const mostBehind = 6

// Run sounds until the context ends. It sleeps while nobody plays.
func (s *stage) Run(ctx context.Context) {
	defer s.store.Close()
	for {
		select {
		case <-ctx.Done():
			return
		case <-s.awake:
		}
		s.sound(ctx)
	}
}

// sound makes blocks in real time for as long as somebody hears something.
func (s *stage) sound(ctx context.Context) {
	began, made := time.Now(), 0
	tick := time.NewTicker(blockTime)
	defer tick.Stop()
	for {
		due := int(time.Since(began)/blockTime) + 1
		if due-made > mostBehind {
			made = due - mostBehind
		}
		busy := true
		for ; made < due; made++ {
			blocks, still := s.block()
			busy = still
			for _, b := range blocks {
				s.tell(b.listener, b.SoundBlock)
			}
		}
		if !busy {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

type blockOf struct {
	listener string
	SoundBlock
}

// block makes one block for every listener who hears something. busy tells whether any does.
func (s *stage) block() (out []blockOf, busy bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := time.Now()
	for name, x := range s.listeners {
		if now.Sub(x.heard) > listenerGone {
			delete(s.listeners, name)
			continue
		}
		b, is := s.blockFor(x)
		if is {
			out = append(out, blockOf{name, b})
		}
		busy = busy || is
	}
	return out, busy
}

func (s *stage) blockFor(x *listener) (b SoundBlock, sounds bool) {
	b.Lanes = make([]*render.Block, x.lanes)
	awaited := false
	for _, id := range x.order {
		row := x.rows[id]
		s.attach(id, row)
		awaited = awaited || row.of == nil && len(row.waiting) > 0 && s.opened[id] != nil
		if row.player == nil {
			continue
		}
		row.player.Trim(layersOf(row.of.patches, row.of.places, s.wanted[id]))
		var own render.Block
		if !row.player.Render(&own) {
			sounds = true
			render.Spread(b.Lanes, row.ways, &own)
		}
		b.Count.Add(row.player.Count())
	}
	if sounds || awaited {
		x.quiet, x.told = 0, false
	} else if x.quiet++; x.quiet > idleAfter+x.tail {
		if x.told {
			return b, false
		}
		x.told, b.Idle = true, true // the last one
	}
	b.Number = x.number
	x.number++
	return b, true
}

// reasons says why loads that somebody listens to, or parts of them, cannot sound.
func (s *stage) reasons() map[string]string {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := map[string]string{}
	for id, o := range s.opened {
		if o.done && o.reason != "" {
			out[id] = o.reason
		}
	}
	return out
}

// voices counts what sounds of each load, for all listeners.
func (s *stage) voices() map[string]int {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := map[string]int{}
	for _, x := range s.listeners {
		for id, row := range x.rows {
			if row.player != nil {
				out[id] += row.player.Count().Voices
			}
		}
	}
	return out
}
