package render

import (
	"hash/fnv"

	"fanfold/internal/core/share"
	"fanfold/internal/sampler"
)

// Player plays one row: the engines of its patches.
type Player struct{ engines []*sampler.Engine }

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
		p.engines = append(p.engines, sampler.New(l.Patch, o))
	}
	p.Trim(layers)
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

// Trim takes the trims of the layers, which are those the player was made of.
func (p *Player) Trim(layers []Layer) {
	for n, l := range layers {
		p.engines[n].Trim(l.Trim)
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

// Render adds what the row sounds to a block, and moves on by it; quiet tells that there was
// nothing.
func (p *Player) Render(b *Block) (quiet bool) {
	quiet = true
	for _, e := range p.engines {
		if e.Idle() {
			e.Skip(Frames)
			continue
		}
		quiet = false
		e.Render(b[0][:], b[1][:])
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

// Spread adds what a row sounds to the lanes it feeds; lanes that are nil are made.
func Spread(lanes []*Block, ways []Way, own *Block) {
	spread(lanes, ways, own, func(int) *Block { return &Block{} })
}

// spread is Spread where somebody has blocks for lanes that are nil, whatever is in them.
func spread(lanes []*Block, ways []Way, own *Block, fresh func(lane int) *Block) {
	for _, w := range ways {
		to := lanes[w.Lane]
		if to == nil {
			to = fresh(w.Lane)
			lanes[w.Lane] = to
			for k := range own[0] {
				to[0][k], to[1][k] = w.Left*own[0][k], w.Right*own[1][k]
			}
			continue
		}
		if w.Left == w.Right {
			to.Add(own, w.Left)
			continue
		}
		for k := range own[0] {
			to[0][k] += w.Left * own[0][k]
			to[1][k] += w.Right * own[1][k]
		}
	}
}

// Playing is what gives the sound of a row: a Player, or a Recording of it.
type Playing interface {
	// Render adds the next block, and moves on by it; quiet tells that there was nothing.
	Render(b *Block) (quiet bool)
	Count() Count
}

// Seat is a row that plays, and where it goes.
type Seat struct {
	Playing
	Ways []Way
}

// Ensemble plays many rows into lanes, on all cores.
type Ensemble struct {
	Rows  []Seat
	lanes int
	own   []blocks // of each row
	mixed []blocks // of each lane
}

// NewEnsemble makes an ensemble of rows that feed so many lanes.
func NewEnsemble(rows []Seat, lanes int) *Ensemble {
	return &Ensemble{Rows: rows, lanes: lanes, own: make([]blocks, len(rows)), mixed: make([]blocks, lanes)}
}

// Render makes the next blocks: of each the lanes, nil where one is silent. Rows are added in
// their order, so that the same music gives the same bits on any number of cores. What it gives
// holds until the next are made.
func (e *Ensemble) Render(blocks int) [][]*Block {
	made := e.Own(blocks)
	for n := range e.mixed {
		e.mixed[n].at(blocks - 1)
	}
	out := make([][]*Block, blocks)
	for k := range out {
		out[k] = make([]*Block, e.lanes)
		for n, x := range made {
			if x[k] != nil {
				spread(out[k], e.Rows[n].Ways, x[k], func(lane int) *Block { return e.mixed[lane].at(k) })
			}
		}
	}
	return out
}

// Own makes the next blocks of each row by itself, nil where it is silent; they hold until the next
// are made.
func (e *Ensemble) Own(blocks int) [][]*Block {
	made := make([][]*Block, len(e.Rows))
	share.Out(len(e.Rows), func(n int) { made[n] = e.own[n].of(e.Rows[n], blocks) })
	return made
}

// of are the next of a row, nil where it is silent.
func (b *blocks) of(p Playing, n int) []*Block {
	out := make([]*Block, n)
	b.at(n - 1) // none of them moves from here on
	for k := range out {
		x := b.at(k)
		if *x = (Block{}); !p.Render(x) {
			out[k] = x
		}
	}
	return out
}

// Count adds up what all rows do.
func (e *Ensemble) Count() (c Count) {
	for _, r := range e.Rows {
		c.Add(r.Count())
	}
	return c
}
