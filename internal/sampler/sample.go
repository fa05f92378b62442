package sampler

import (
	"container/list"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"sync"

	"fanfold/internal/format/wav"
)

// Sample is recorded sound. Its beginning is in memory; the rest is read while it sounds.
type Sample struct {
	Name     string
	RateHz   float64
	Channels int // one or two
	Frames   int64
	Loop     Loop // that of the file, NoLoop when it has none

	key   string
	store *Store
	refs  int
	head  []float32 // frame by frame
	read  func(into []float32, from int64) error
}

// headFrames is how much of the beginning of a sample stays in memory, and pageFrames how
// much is read at a time: two thirds and a third of a second at 48 kHz.
const (
	headFrames = 32768
	pageFrames = 16384
)

// mostFrames bounds a sample: twelve hours at 48 kHz, and what 32 bits count.
const mostFrames = 1 << 31

// Store holds the samples of the patches that are open, each once, and what was read of
// those that are streamed, within a budget.
type Store struct {
	budget int64 // bytes

	mu      sync.Mutex
	samples map[string]*Sample
	heads   int64 // bytes
	pages   map[pageKey]*list.Element
	recent  *list.List // of *page, the last used first
	paged   int64      // bytes
	wanted  map[pageKey]bool
	asked   chan pageKey
	stop    chan struct{}
}

type pageKey struct {
	sample *Sample
	number int64
}

type page struct {
	key    pageKey
	frames []float32
	err    error
}

// NewStore makes a store of a budget in bytes. Its reader runs until Close.
func NewStore(budget int64) *Store {
	s := &Store{
		budget: budget, samples: map[string]*Sample{}, pages: map[pageKey]*list.Element{}, recent: list.New(),
		wanted: map[pageKey]bool{}, asked: make(chan pageKey, 256), stop: make(chan struct{}),
	}
	go s.reads()
	return s
}

// Close ends the reader.
func (s *Store) Close() { close(s.stop) }

// Bytes is what samples take in memory.
func (s *Store) Bytes() int64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.heads + s.paged
}

// errBudget is how a sample that does not fit is refused.
var errBudget = errors.New("there is no memory left for samples")

// hold gives a sample of a key, opened by open unless it is there. release gives it back.
func (s *Store) hold(key string, open func() (*Sample, error)) (*Sample, error) {
	s.mu.Lock()
	if x := s.samples[key]; x != nil {
		x.refs++
		s.mu.Unlock()
		return x, nil
	}
	s.mu.Unlock()
	x, err := open()
	if err != nil {
		return nil, err
	}
	x.key, x.store = key, s
	s.mu.Lock()
	defer s.mu.Unlock()
	if other := s.samples[key]; other != nil { // opened twice at once
		other.refs++
		return other, nil
	}
	size := int64(len(x.head)) * 4
	if s.heads+size > s.budget {
		return nil, fmt.Errorf("%s: %w (%d MiB)", x.Name, errBudget, s.budget>>20)
	}
	s.heads += size
	s.makeRoom()
	x.refs = 1
	s.samples[key] = x
	return x, nil
}

func (s *Store) release(x *Sample) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if x.refs--; x.refs > 0 {
		return
	}
	delete(s.samples, x.key)
	s.heads -= int64(len(x.head)) * 4
	for e := s.recent.Front(); e != nil; {
		next := e.Next()
		if p := e.Value.(*page); p.key.sample == x {
			s.forget(e)
		}
		e = next
	}
}

func (s *Store) forget(e *list.Element) {
	p := s.recent.Remove(e).(*page)
	delete(s.pages, p.key)
	s.paged -= int64(len(p.frames)) * 4
}

// makeRoom forgets pages not used for longest, but keeps a few: the least that sounds.
func (s *Store) makeRoom() {
	for s.heads+s.paged > s.budget && s.recent.Len() > 8 {
		s.forget(s.recent.Back())
	}
}

// reads reads what voices should need next.
func (s *Store) reads() {
	for {
		select {
		case <-s.stop:
			return
		case key := <-s.asked:
			s.readPage(key)
		}
	}
}

func (s *Store) readPage(key pageKey) *page {
	x := key.sample
	from := key.number * pageFrames
	p := &page{key: key, frames: make([]float32, min(pageFrames, x.Frames-from)*int64(x.Channels))}
	if p.err = x.read(p.frames, from); p.err != nil {
		clear(p.frames) // what cannot be read is silent
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.wanted, key)
	if e := s.pages[key]; e != nil {
		return e.Value.(*page)
	}
	if x.refs > 0 {
		s.pages[key] = s.recent.PushFront(p)
		s.paged += int64(len(p.frames)) * 4
		s.makeRoom()
	}
	return p
}

// page gives a page; nil when it is not there and nobody waits. It is asked for then.
func (s *Store) page(key pageKey, wait bool) *page {
	s.mu.Lock()
	if e := s.pages[key]; e != nil {
		s.recent.MoveToFront(e)
		s.mu.Unlock()
		return e.Value.(*page)
	}
	ask := !s.wanted[key]
	if !wait && ask {
		select {
		case s.asked <- key:
			s.wanted[key] = true
		default: // it will be asked for again
		}
	}
	s.mu.Unlock()
	if !wait {
		return nil
	}
	return s.readPage(key)
}

// headed tells whether the whole sample is in memory.
func (x *Sample) headed() bool { return int64(len(x.head)) >= x.Frames*int64(x.Channels) }

// frames copies frames from a place on; those before the first and after the last are
// silent. false when some are not there, and nobody waits.
func (x *Sample) frames(into []float32, from int64, wait bool) bool {
	ch := int64(x.Channels)
	n := int64(len(into)) / ch
	for done := int64(0); done < n; {
		at := from + done
		part := into[done*ch:]
		switch head := int64(len(x.head)) / ch; {
		case at < 0:
			k := min(-at, n-done)
			clear(part[:k*ch])
			done += k
		case at >= x.Frames:
			clear(part)
			return true
		case at < head:
			k := min(head-at, n-done)
			copy(part[:k*ch], x.head[at*ch:])
			done += k
		default:
			p := x.store.page(pageKey{x, at / pageFrames}, wait)
			if p == nil {
				return false
			}
			inside := at % pageFrames * ch
			done += int64(copy(part, p.frames[inside:])) / ch
		}
	}
	return true
}

// ahead asks for the page after a place, so that it is there in time.
func (x *Sample) ahead(at int64) {
	if x.headed() {
		return
	}
	next := (at/pageFrames + 1) * pageFrames
	if next < x.Frames && next >= int64(len(x.head))/int64(x.Channels) {
		x.store.page(pageKey{x, next / pageFrames}, false)
	}
}

// openWAV opens a WAV file of a folder.
func openWAV(folder fs.FS, name string) (*Sample, error) {
	x := &Sample{Name: name}
	err := withFile(folder, name, func(src io.ReaderAt, size int64) error {
		w, err := wav.Open(src, size)
		if err != nil {
			return err
		}
		x.RateHz, x.Channels, x.Frames = float64(w.RateHz), min(2, w.Channels), w.Frames
		if x.Frames == 0 || x.Frames > mostFrames || w.RateHz < 1000 || w.RateHz > 768_000 {
			return fmt.Errorf("it has %d frames at %d Hz, which cannot be played", x.Frames, w.RateHz)
		}
		for _, l := range w.Loops {
			if l.Start >= 0 && l.Start < l.End && l.End < w.Frames {
				x.Loop = Loop{Continuous, l.Start, l.End + 1}
				break
			}
		}
		x.head = make([]float32, min(headFrames, x.Frames)*int64(x.Channels))
		return readWAV(w, x.head, x.Channels, 0)
	})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	x.read = func(into []float32, from int64) error {
		return withFile(folder, name, func(src io.ReaderAt, size int64) error {
			w, err := wav.Open(src, size)
			if err != nil {
				return err
			}
			return readWAV(w, into, x.Channels, from)
		})
	}
	return x, nil
}

func withFile(folder fs.FS, name string, use func(src io.ReaderAt, size int64) error) error {
	f, err := folder.Open(name)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }() // only read
	info, err := f.Stat()
	if err != nil {
		return err
	}
	src, ok := f.(io.ReaderAt)
	if !ok {
		return fmt.Errorf("%s cannot be read from anywhere in it", name)
	}
	return use(src, info.Size())
}

// readWAV reads frames of the first channels; what the file lacks is silent.
func readWAV(w *wav.Sound, into []float32, channels int, from int64) error {
	n := len(into) / channels
	parts := make([][]float64, w.Channels)
	for c := range parts {
		parts[c] = make([]float64, n)
	}
	got, err := w.ReadAt(parts, from)
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	for k := range got {
		for c := range channels {
			into[k*channels+c] = float32(parts[c][k])
		}
	}
	return nil
}
