package rig

import (
	"fmt"
	"slices"
	"sync"
	"time"
)

// StandIn is a small simulated sample machine: it takes the memory and the
// time a real one would, refuses what does not fit, and can be told to fail.
type StandIn struct {
	MemoryMiB float64 // what instruments may take
	DiskMiBs  float64 // reading rate
	Speed     float64 // time runs this much faster; 1 is real
	Faults    Faults
	ScanRoots []string // folders that may be scanned, with what is in them
	Cores     int
	Libraries []string // installed
	// SampleBytes is the memory for what sounds. Defaults to 1 GiB.
	SampleBytes int64

	stage *stage // nil until it has dialled in

	mu         sync.Mutex
	generation int64
	orders     []Load
	held       map[string]*held
	changed    chan struct{}
}

// Faults are the ways a stand-in can be told to fail.
type Faults struct {
	Corrupt    map[string]bool  // names of patches that cannot be read
	Stall      map[string]bool  // names of instruments that never finish loading
	Sounding   map[string]int   // voices that sound of instruments, by name, once they are ready
	Armed      map[string]bool  // names of instruments somebody is about to play
	Plays      map[string][]int // keys of instruments, by name, that are played once they are ready
	DiskShare  float64          // reads at this share of its rate; 0 takes all of it
	CrashAfter time.Duration    // end without a word after this time; 0 never
	DropAfter  time.Duration    // drop off the network after this time; 0 never
	DropFor    time.Duration    // and come back after this time
}

type held struct {
	load     Load
	state    State
	reason   string
	progress float64
	left     time.Duration // of simulated time
	total    time.Duration
	mib      float64
	missed   int // notes loaded on demand
}

// Version is what a host of this program says it is.
const Version = "fanfold host 1"

// voicesPerCore is how many voices take up a core of a stand-in.
const voicesPerCore = 128

// NewStandIn returns an empty machine.
func NewStandIn(memoryMiB, diskMiBs, speed float64, faults Faults) *StandIn {
	return &StandIn{MemoryMiB: memoryMiB, DiskMiBs: diskMiBs, Speed: speed, Faults: faults,
		held: map[string]*held{}, changed: make(chan struct{}, 1)}
}

// Roots are the folders that may be scanned.
func (s *StandIn) Roots() []string { return s.ScanRoots }

// Sound makes what sounds of the machine: the patches in its folders, played by the sampler.
func (s *StandIn) Sound(tell func(string, SoundBlock)) Sounding {
	stage := newStage(s.ScanRoots, s.SampleBytes, tell)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stage = stage
	return stage
}

// Follow takes new orders: what is no longer wanted is rested at once, what
// is wanted and not held will be loaded. A failed instrument is tried again
// only after it was rested.
func (s *StandIn) Follow(o Orders) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if o.Generation < s.generation {
		return // late: newer orders are already followed
	}
	s.generation, s.orders = o.Generation, o.Loads
	wanted := make(map[string]bool, len(o.Loads))
	for _, l := range o.Loads {
		wanted[l.ID] = true
	}
	for id := range s.held {
		if !wanted[id] {
			delete(s.held, id)
		}
	}
	for _, l := range o.Loads {
		if h := s.held[l.ID]; h != nil {
			s.resize(h, l)
		}
	}
	select {
	case s.changed <- struct{}{}:
	default:
	}
}

// resize trims what is held, or loads the rest of it.
func (s *StandIn) resize(h *held, l Load) {
	was := h.load
	h.load = l
	if h.state == Failed || slices.Equal(was.Patches, l.Patches) {
		return
	}
	own := 0.0
	for _, p := range l.Patches {
		if p.Key == "" {
			own += p.PreloadMiB
		}
	}
	more := own - h.mib
	h.mib, h.missed = own, 0
	if h.state == Ready && more > 0 {
		h.state, h.progress = Tuning, 0
		h.total = time.Duration(more / s.DiskMiBs * float64(time.Second))
		h.left = h.total
	}
}

// keys is how many keys MIDI has; a note outside a trim loads one key's share.
const keys = 128

// Play sounds a note of an instrument that is ready. One outside what it was
// trimmed to is loaded on demand, and reported: it takes one key's share of what
// the trim left out.
func (s *StandIn) Play(id string, key, velocity int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if h := s.held[id]; h != nil && h.state == Ready {
		h.play(key, velocity)
	}
}

func (h *held) play(key, velocity int) {
	missed := false
	for _, p := range h.load.Patches {
		if p.WholeMiB > 0 && !within(p.Trim, key, velocity) {
			missed = true
			if h.missed < keys {
				h.mib += (p.WholeMiB - p.PreloadMiB) / keys
			}
		}
	}
	if missed {
		h.missed++
	}
}

// Changed is signalled when new orders came.
func (s *StandIn) Changed() <-chan struct{} { return s.changed }

// Step lets d of real time pass, and tells whether anything is going on. What
// has begun to load is loaded first, whatever was ordered since.
func (s *StandIn) Step(d time.Duration) (busy bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	budget := time.Duration(float64(d) * s.Speed)
	for _, l := range s.turns() {
		h := s.held[l.ID]
		if h == nil {
			h = s.begin(l)
			s.held[l.ID] = h
		}
		if h.state != Tuning {
			continue
		}
		busy = true
		if s.Faults.Stall[l.Name] {
			continue
		}
		spent := min(budget, h.left)
		h.left -= spent
		budget -= spent
		if h.total > 0 {
			h.progress = 1 - float64(h.left)/float64(h.total)
		}
		if h.left <= 0 {
			h.state, h.progress = Ready, 1
			for _, key := range s.Faults.Plays[l.Name] {
				h.play(key, 100)
			}
		}
		if budget <= 0 {
			break
		}
	}
	return busy
}

// turns lists the loads that are begun or to come, those begun first.
func (s *StandIn) turns() []Load {
	var begun, later []Load
	for _, l := range s.orders {
		if h := s.held[l.ID]; h == nil {
			later = append(later, l)
		} else if h.state == Tuning {
			begun = append(begun, l)
		}
	}
	return append(begun, later...)
}

// begin starts to load an instrument, or refuses it.
func (s *StandIn) begin(l Load) *held {
	h := &held{load: l, state: Tuning}
	for _, p := range l.Patches {
		if s.Faults.Corrupt[p.Name] {
			return &held{load: l, state: Failed, reason: fmt.Sprintf("the samples of %s cannot be read", p.Name)}
		}
		if p.Key == "" {
			h.mib += p.PreloadMiB
		}
	}
	awake, kinds := s.players()
	own := s.sharing(l)
	for _, p := range l.Players {
		if !awake[p.Key] {
			own += p.OwnMiB
		}
	}
	if free := s.MemoryMiB - s.used(); h.mib+own > free {
		return &held{load: l, state: Failed, reason: fmt.Sprintf("needs %.0f MiB, %.0f MiB free", h.mib+own, max(0, free))}
	}
	h.total = s.duration(l, awake, kinds)
	h.left = h.total
	return h
}

// duration is the simulated time a load takes: reading its preload from the
// disk, and waking those of its players that sleep. They are awake then.
func (s *StandIn) duration(l Load, awake, kinds map[string]bool) time.Duration {
	var d time.Duration
	read := s.sharing(l)
	for _, p := range l.Patches {
		if p.Key == "" {
			read += p.PreloadMiB
		}
	}
	rate := s.DiskMiBs
	if s.Faults.DiskShare > 0 {
		rate *= s.Faults.DiskShare
	}
	d += time.Duration(read / rate * float64(time.Second))
	for _, p := range l.Players {
		switch {
		case awake[p.Key]:
		case kinds[p.Kind]:
			d += time.Duration(p.WakeAgainMs) * time.Millisecond
		default:
			d += time.Duration(p.WakeMs) * time.Millisecond
		}
		awake[p.Key], kinds[p.Kind] = true, true
	}
	return d
}

// players lists the players awake, and their kinds.
func (s *StandIn) players() (awake, kinds map[string]bool) {
	awake, kinds = map[string]bool{}, map[string]bool{}
	for _, h := range s.held {
		if h.state == Failed {
			continue
		}
		for _, p := range h.load.Players {
			awake[p.Key], kinds[p.Kind] = true, true
		}
	}
	return awake, kinds
}

// shared lists the patches that loads share, with their MiB.
func (s *StandIn) shared() map[string]float64 {
	out := map[string]float64{}
	for _, h := range s.held {
		if h.state == Failed {
			continue
		}
		for _, p := range h.load.Patches {
			if p.Key != "" {
				out[p.Key] = p.PreloadMiB
			}
		}
	}
	return out
}

// sharing is what a load takes more for patches it shares, MiB.
func (s *StandIn) sharing(l Load) float64 {
	there, sum := s.shared(), 0.0
	for _, p := range l.Patches {
		if _, ok := there[p.Key]; p.Key != "" && !ok {
			sum += p.PreloadMiB
		}
	}
	return sum
}

func (s *StandIn) used() float64 {
	sum := 0.0
	players := s.shared()
	for _, h := range s.held {
		if h.state == Failed {
			continue
		}
		sum += h.mib
		for _, p := range h.load.Players {
			players[p.Key] = p.OwnMiB
		}
	}
	for _, mib := range players {
		sum += mib
	}
	return sum
}

// Report tells what the machine holds.
func (s *StandIn) Report() Report {
	s.mu.Lock()
	stage := s.stage
	var ready []Load
	for _, l := range s.orders {
		if h := s.held[l.ID]; h != nil && h.state == Ready {
			ready = append(ready, l)
		}
	}
	s.mu.Unlock()
	var voices map[string]int
	var reasons map[string]string
	if stage != nil {
		stage.ready(ready)
		voices, reasons = stage.voices(), stage.reasons()
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	r := Report{
		Generation: s.generation, MemoryMiB: s.MemoryMiB, UsedMiB: s.used(), Items: []Item{}, ScanRoots: s.ScanRoots,
		Version: Version, Cores: s.Cores, DiskMiBs: s.DiskMiBs, Libraries: s.Libraries,
	}
	awake, kinds := s.players()
	var left time.Duration
	for _, l := range s.orders {
		h := s.held[l.ID]
		if h == nil {
			left += s.duration(l, awake, kinds)
			continue
		}
		if h.state == Tuning {
			left += h.left
		}
		item := Item{ID: l.ID, State: h.state, Progress: h.progress, Reason: h.reason, Armed: s.Faults.Armed[l.Name], Missed: h.missed}
		if h.state == Ready {
			item.Voices, item.Reason = s.Faults.Sounding[l.Name]+voices[l.ID], reasons[l.ID]
		}
		r.Voices += item.Voices
		r.Items = append(r.Items, item)
	}
	r.Load = min(1, float64(r.Voices)/float64(voicesPerCore*max(1, s.Cores)))
	r.LeftMs = int64(float64(left.Milliseconds()) / s.Speed)
	return r
}
