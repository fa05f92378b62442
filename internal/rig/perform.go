package rig

import (
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"sync"
	"time"

	"github.com/nats-io/nats.go"

	"fanfold/internal/render"
	"fanfold/internal/sampler"
)

// PerformAsk asks a host to play music ahead of being heard: rows into lanes, piece by piece.
// The rows need not be ready; the samples of those that are not are read from the disk.
type PerformAsk struct {
	Session  string           `json:"session"`
	Begin    bool             `json:"begin,omitempty"` // from the start, with the rows and lanes of this ask
	Lanes    int              `json:"lanes,omitempty"` // with Begin, 1..MostPerformLanes
	Print    bool             `json:"print,omitempty"` // with Begin: in the quality of a print
	RateHz   int              `json:"rate,omitempty"`  // with Begin: one of render.Rates; 0 is SoundRateHz
	Rows     []PerformRow     `json:"rows,omitempty"`  // that are added
	Messages []PerformMessage `json:"messages,omitempty"`
	Blocks   int              `json:"blocks,omitempty"` // how many are made now
	Close    bool             `json:"close,omitempty"`  // it ends
}

// PerformRow is a row that plays.
type PerformRow struct {
	Load Load         `json:"load"`
	Ways []render.Way `json:"ways"`
}

// PerformMessage is a MIDI message of a row, by its place among the rows, and when it is
// heard, frames from the start.
type PerformMessage struct {
	Row   int          `json:"r"`
	At    int64        `json:"t"`
	Kind  sampler.Kind `json:"k"`
	Key   int          `json:"n"`
	Value int          `json:"v"`
}

// Performed is what a host answers.
type Performed struct {
	Blocks  [][]*render.Block // of each block the lanes, nil where one is silent
	Reasons map[int]string    // why rows that were added, or parts of them, cannot sound
	Count   render.Count      // stolen and dry since the start
}

// The bounds of a performance on one host: lanes, rows, blocks of one answer, bytes of one
// ask or answer that a message may have, and performances at once.
const (
	MostPerformLanes  = 512
	MostPerformRows   = 4000
	MostPerformBlocks = 64
	MostPerformBytes  = 900 << 10
	mostPerformances  = 8
)

// BlocksAtOnce is how many blocks of so many lanes fit an answer.
func BlocksAtOnce(lanes int) int {
	return min(MostPerformBlocks, max(1, MostPerformBytes/(render.StereoBytes*max(1, lanes))))
}

type performHead struct {
	Reason  string         `json:"reason,omitempty"`
	Reasons map[int]string `json:"reasons,omitempty"`
	Count   render.Count   `json:"count"`
	Lanes   int            `json:"lanes"`
	There   [][]int        `json:"there,omitempty"` // of each block the lanes that follow
}

func performSubject(credential string) string { return "rig." + credential + ".perform" }

// performance is music that a host plays ahead.
type performance struct {
	mu      sync.Mutex // held while a piece is made; nothing else waits for it
	ended   bool       // what comes later opens nothing any more
	lanes   int
	print   bool
	rateHz  float64
	rows    []render.Seat
	players []*render.Player // of the rows
	files   map[string]*openedFiles
	expire  *time.Timer
}

// openedFiles are the patches of one set of files, for all rows that play them.
type openedFiles struct {
	patches []*sampler.Patch
	places  []int
	reason  string
	used    bool
}

// performanceGone is how long a host keeps a performance that it hears nothing of.
const performanceGone = time.Minute

// answerPerform answers one ask.
func answerPerform(s Sounding, m *nats.Msg) {
	var ask PerformAsk
	var done Performed
	err := json.Unmarshal(m.Data, &ask)
	lanes := 0
	if err == nil {
		done, lanes, err = s.Perform(ask)
	}
	head := performHead{Reasons: done.Reasons, Count: done.Count, Lanes: lanes}
	if err != nil {
		head = performHead{Reason: err.Error()}
	}
	var sound []byte
	for _, block := range done.Blocks {
		there := []int{}
		for n, lane := range block {
			if lane != nil {
				there = append(there, n)
				sound = render.AppendStereo(sound, lane)
			}
		}
		head.There = append(head.There, there)
	}
	text, err := json.Marshal(head)
	if err != nil {
		return // who asks is told that no answer came
	}
	out := binary.LittleEndian.AppendUint32(nil, uint32(len(text)))
	_ = m.Respond(append(append(out, text...), sound...))
}

// Perform makes the next piece of a performance.
func (s *stage) Perform(ask PerformAsk) (Performed, int, error) {
	p, err := s.performanceOf(ask)
	if p == nil || err != nil {
		return Performed{}, 0, err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.ended {
		return Performed{}, 0, errNotKnown
	}
	if ask.Begin {
		if ask.Lanes < 1 || ask.Lanes > MostPerformLanes {
			return Performed{}, 0, fmt.Errorf("%d lanes; use 1 to %d", ask.Lanes, MostPerformLanes)
		}
		rate := cmp.Or(ask.RateHz, SoundRateHz)
		if !slices.Contains(render.Rates, rate) {
			return Performed{}, 0, fmt.Errorf("%d Hz; sound is made at one of %v", rate, render.Rates)
		}
		p.lanes, p.print, p.rateHz, p.rows, p.players = ask.Lanes, ask.Print, float64(rate), nil, nil
		for _, f := range p.files {
			f.used = false
		}
	}
	if len(p.rows)+len(ask.Rows) > MostPerformRows || ask.Blocks < 0 || ask.Blocks > MostPerformBlocks {
		return Performed{}, 0, fmt.Errorf("more than %d rows or %d blocks cannot be played at once", MostPerformRows, MostPerformBlocks)
	}
	out := Performed{Reasons: s.add(p, ask.Rows)}
	for _, m := range ask.Messages {
		if m.Row >= 0 && m.Row < len(p.rows) && m.At >= 0 {
			p.players[m.Row].Send(sampler.Message{At: m.At, Kind: m.Kind, Key: m.Key, Value: m.Value})
		}
	}
	e := render.NewEnsemble(p.rows, p.lanes)
	if ask.Blocks > 0 {
		p.forget(func(f *openedFiles) bool { return !f.used })
		out.Blocks = e.Render(ask.Blocks)
	}
	out.Count = e.Count()
	return out, p.lanes, nil
}

var errNotKnown = errors.New("the machine no longer knows this music; it begins again")

// closedKept is how many sessions are remembered that were closed, so that an ask that is
// overtaken by its own end does not begin them again.
const closedKept = 64

// performanceOf finds a performance, or makes it; nil once it is closed.
func (s *stage) performanceOf(ask PerformAsk) (*performance, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	p := s.performances[ask.Session]
	switch {
	case slices.Contains(s.closed, ask.Session):
		return nil, errNotKnown
	case ask.Close:
		delete(s.performances, ask.Session)
		if s.closed = append(s.closed, ask.Session); len(s.closed) > closedKept {
			s.closed = s.closed[1:]
		}
		if p != nil {
			p.expire.Stop()
			go p.end()
		}
		return nil, nil //nolint:nilnil // it is closed
	case p != nil:
		p.expire.Reset(performanceGone)
		return p, nil
	case !ask.Begin:
		return nil, errNotKnown
	case len(s.performances) >= mostPerformances:
		return nil, fmt.Errorf("the machine plays %d pieces already; stop one", mostPerformances)
	}
	p = &performance{files: map[string]*openedFiles{}}
	p.expire = time.AfterFunc(performanceGone, func() {
		s.mu.Lock()
		if s.performances[ask.Session] == p {
			delete(s.performances, ask.Session)
		}
		s.mu.Unlock()
		p.end()
	})
	s.performances[ask.Session] = p
	return p, nil
}

// end gives back what the performance holds.
func (p *performance) end() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.rows, p.players, p.ended = nil, nil, true
	p.forget(func(*openedFiles) bool { return true })
}

// forget closes patches. The caller holds the lock.
func (p *performance) forget(which func(*openedFiles) bool) {
	for key, f := range p.files {
		if which(f) {
			delete(p.files, key)
			for _, x := range f.patches {
				x.Close()
			}
		}
	}
}

// add opens the patches of rows, and lets them play; it tells which cannot. The caller holds
// the performance's lock.
func (s *stage) add(p *performance, rows []PerformRow) map[int]string {
	todo := map[string]Load{}
	for _, r := range rows {
		key := filesOf(r.Load)
		if f := p.files[key]; f != nil {
			f.used = true
		} else {
			todo[key] = r.Load
		}
	}
	var mu sync.Mutex
	var all sync.WaitGroup
	at := make(chan struct{}, runtime.GOMAXPROCS(0))
	for key, l := range todo {
		all.Go(func() {
			at <- struct{}{}
			defer func() { <-at }()
			f := &openedFiles{used: true}
			var err error
			if f.patches, f.places, err = s.patchesOf(l); err != nil {
				f.reason = err.Error()
			}
			mu.Lock()
			defer mu.Unlock()
			p.files[key] = f
		})
	}
	all.Wait()
	reasons := map[int]string{}
	quality := sampler.Draft
	if p.print {
		quality = sampler.Print
	}
	for _, r := range rows {
		f := p.files[filesOf(r.Load)]
		if f.reason != "" {
			reasons[len(p.rows)] = f.reason
		}
		player := render.NewPlayer(r.Load.ID, layersOf(f.patches, f.places, r.Load), sampler.Options{RateHz: p.rateHz, Quality: quality, Wait: true})
		ways := slices.DeleteFunc(slices.Clone(r.Ways), func(w render.Way) bool { return w.Lane < 0 || w.Lane >= p.lanes })
		p.rows, p.players = append(p.rows, render.Seat{Playing: player, Ways: ways}), append(p.players, player)
	}
	return reasons
}

// performWithin is how long a host may take for one piece: patches may have to be opened.
const performWithin = 60 * time.Second

// Perform asks the host of a machine for the next piece of a performance.
func (d *Desk) Perform(ctx context.Context, studio, machine string, ask PerformAsk) (Performed, error) {
	credential, err := d.credentialOf(studio, machine)
	if err != nil {
		return Performed{}, err
	}
	data, err := json.Marshal(ask)
	if err != nil {
		return Performed{}, fmt.Errorf("perform: %w", err)
	}
	if ask.Close {
		if err := d.conn.Publish(performSubject(credential), data); err != nil {
			return Performed{}, fmt.Errorf("perform: %w", err)
		}
		return Performed{}, nil
	}
	m, err := d.request(ctx, studio, machine, performSubject(credential), data, performWithin)
	if err != nil {
		return Performed{}, err
	}
	return readPerformed(m)
}

var errNotPerformed = errors.New("what the machine played cannot be read")

// readPerformed reads an answer.
func readPerformed(data []byte) (Performed, error) {
	if len(data) < 4 {
		return Performed{}, errNotPerformed
	}
	size := int64(binary.LittleEndian.Uint32(data))
	if size > int64(len(data)-4) {
		return Performed{}, errNotPerformed
	}
	var head performHead
	if err := json.Unmarshal(data[4:4+size], &head); err != nil {
		return Performed{}, errNotPerformed
	}
	if head.Reason != "" {
		return Performed{}, errors.New(head.Reason)
	}
	if head.Lanes < 0 || head.Lanes > MostPerformLanes || len(head.There) > MostPerformBlocks {
		return Performed{}, errNotPerformed
	}
	out := Performed{Reasons: head.Reasons, Count: head.Count}
	data = data[4+size:]
	for _, there := range head.There {
		block := make([]*render.Block, head.Lanes)
		for _, lane := range there {
			if lane < 0 || lane >= len(block) || block[lane] != nil || len(data) < render.StereoBytes {
				return Performed{}, errNotPerformed
			}
			block[lane] = render.ReadStereo(data)
			data = data[render.StereoBytes:]
		}
		out.Blocks = append(out.Blocks, block)
	}
	if len(data) > 0 {
		return Performed{}, errNotPerformed
	}
	return out, nil
}
