package render

import (
	"hash/fnv"
	"runtime"
	"sync"
	"sync/atomic"

	"fanfold/internal/sampler"
)

// Player plays one row: the engines of its patches, each with its trim.
type Player struct {
	engines []*sampler.Engine
	trims   []float64
}

// Layer is a patch that a row plays.
type Layer struct {
	Patch *sampler.Patch
	Trim  float64 // linear
}

// NewPlayer makes a player for a row; name seeds what is left to chance in it.
func NewPlayer(name string, layers []Layer, o sampler.Options) *Player {
	p := &Player{}
	seed := Seed(name)
	for n, l := range layers {
		o.Seed = seed + uint64(n)
		p.engines, p.trims = append(p.engines, sampler.New(l.Patch, o)), append(p.trims, l.Trim)
	}
	return p
}

// Seed is the seed of a row's chance: of its name, so that the same piece sounds the same
// twice.
func Seed(name string) uint64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte(name))
	return h.Sum64()
}

// Send gives a message to all patches; one whose time is past, or less than 0, is heard at
// once.
func (p *Player) Send(m sampler.Message) {
	for _, e := range p.engines {
		x := m
		if x.At < 0 {
			x.At = e.Now()
		}
		e.Send(x)
	}
}

// Trim sets the trims of the patches, linear.
func (p *Player) Trim(trims []float64) {
	for n := range p.trims {
		if n < len(trims) {
			p.trims[n] = trims[n]
		}
	}
}

// Idle tells whether nothing sounds, and nothing waits to.
func (p *Player) Idle() bool {
	for _, e := range p.engines {
		if !e.Idle() {
			return false
		}
	}
	return true
}

// skip moves on by so many frames while nothing sounds.
func (p *Player) skip(frames int) {
	for _, e := range p.engines {
		e.Skip(frames)
	}
}

// Render adds what the row sounds to two channels of one length, and moves on by as much;
// quiet tells that there was nothing.
func (p *Player) Render(left, right []float64) (quiet bool) {
	quiet = true
	var own [2][Frames]float64
	for n, e := range p.engines {
		for from := 0; from < len(left); from += Frames {
			to := min(len(left), from+Frames)
			if e.Idle() {
				e.Skip(to - from)
				continue
			}
			quiet = false
			l, r := own[0][:to-from], own[1][:to-from]
			clear(l)
			clear(r)
			e.Render(l, r)
			for k, trim := 0, p.trims[n]; k < len(l); k++ {
				left[from+k] += trim * l[k]
				right[from+k] += trim * r[k]
			}
		}
	}
	return quiet
}

// Count adds up what the row's engines do: voices that sound, voices that had to stop for
// others, and gaps since samples were not read in time.
func (p *Player) Count() (c Count) {
	for _, e := range p.engines {
		c.Voices += e.Voices()
		c.Stolen += e.Stolen()
		c.Dry += e.Dry()
	}
	return c
}

// Count is what engines do.
type Count struct {
	Voices int `json:"voices,omitempty"`
	Stolen int `json:"stolen,omitempty"`
	Dry    int `json:"dry,omitempty"`
}

// Add adds another up.
func (c *Count) Add(o Count) {
	c.Voices += o.Voices
	c.Stolen += o.Stolen
	c.Dry += o.Dry
}

// Spread adds what a row sounds to the lanes it feeds.
func Spread(lanes [][2][]float64, ways []Way, left, right []float64) {
	for _, w := range ways {
		l, r := lanes[w.Lane][0][:len(left)], lanes[w.Lane][1][:len(left)]
		for k := range left {
			l[k] += w.Left * left[k]
			r[k] += w.Right * right[k]
		}
	}
}

// Seat is a row that plays, and where it goes.
type Seat struct {
	*Player
	Ways []Way
}

// Ensemble plays many rows into lanes, on all cores.
type Ensemble struct {
	Rows  []Seat
	lanes int
}

// NewEnsemble makes an ensemble of rows that feed so many lanes.
func NewEnsemble(rows []Seat, lanes int) *Ensemble { return &Ensemble{rows, lanes} }

// Render makes the next frames of every lane, nil where it is silent. Rows are added in their
// order, so that the same music gives the same bits on any number of cores.
func (e *Ensemble) Render(frames int) [][2][]float64 {
	type sound struct{ left, right []float64 }
	made := make([]sound, len(e.Rows))
	var next atomic.Int64
	var all sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			for n := int(next.Add(1)) - 1; n < len(e.Rows); n = int(next.Add(1)) - 1 {
				if e.Rows[n].Idle() {
					e.Rows[n].skip(frames)
					continue
				}
				x := sound{make([]float64, frames), make([]float64, frames)}
				if !e.Rows[n].Render(x.left, x.right) {
					made[n] = x
				}
			}
		})
	}
	all.Wait()
	lanes := make([][2][]float64, e.lanes)
	for n, x := range made {
		if x.left == nil {
			continue
		}
		for _, w := range e.Rows[n].Ways {
			if lanes[w.Lane][0] == nil {
				lanes[w.Lane] = [2][]float64{make([]float64, frames), make([]float64, frames)}
			}
		}
		Spread(lanes, e.Rows[n].Ways, x.left, x.right)
	}
	return lanes
}

// Count adds up what all rows do.
func (e *Ensemble) Count() (c Count) {
	for _, r := range e.Rows {
		c.Add(r.Count())
	}
	return c
}
