// Package render carries the sound of rows through the graph of a template: rows play into
// lanes, one for each bus that rows feed, and the graph takes lanes over faders, sends and
// effects to the bus that is heard. Sound comes in blocks and goes out in blocks; where the
// rows are played, and who hears, it does not know.
package render

import (
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/fan"
	"fanfold/internal/core/share"
	"fanfold/internal/core/template"
	"fanfold/internal/effect"
)

// Frames is how many frames a block has.
const Frames = effect.Frames

// Rates are those that sound is made at, Hz.
var Rates = []int{44_100, 48_000, 88_200, 96_000}

// Block is a block of two channels, full scale 1.
type Block = effect.Block

// Way is how a row reaches a lane: with a linear gain on each side.
type Way struct {
	Lane  int     `json:"lane"`
	Left  float64 `json:"left"`
	Right float64 `json:"right"`
}

// Tap is where a graph is heard: at a bus, after what runs on it and its fader, or before what
// runs on it.
type Tap struct {
	Bus    template.ID // empty for the mix
	Before bool
}

// Graph takes lanes to one bus or several.
type Graph struct {
	fan    *fan.Fan
	lanes  int
	laneOf map[int]int // by the place of its bus
	nodes  []node
	levels [][]int // of nodes: none of one level feeds another of it
	taps   []tapped
	tail   float64
	late   int
}

// node is a bus that leads to the one that is heard.
type node struct {
	bus    *template.Bus
	effect effect.Effect
	fader  float64
	level  int      // after those that feed it
	lanes  []int    // that enter it
	from   []source // nodes that feed it
	tail   int      // blocks for which the effect may yet give something after silence
	left   int      // of them
	out    []*Block // of what comes out after the effects, nil where it is silent
	keep   bool     // what goes into the effects is kept
	in     []*Block // what goes into them, where it is kept
	outs   blocks   // that out and in are of
	ins    blocks
}

// blocks are used again and again: what is in them holds until the next run.
type blocks []Block

// at is a block of them, with whatever was in it.
func (b *blocks) at(n int) *Block {
	for len(*b) <= n {
		*b = append(*b, Block{})
	}
	return &(*b)[n]
}

// tapped is a tap at its node.
type tapped struct {
	node   int
	before bool
	faded  blocks
}

// source is another node, and what the route does to what comes out of it.
type source struct {
	node int
	gain float64
}

// NewGraph makes the graph from rows to a bus; an empty one is the mix, and no rows are all.
// Effects that cannot run are silent, and are named.
func NewGraph(f *fan.Fan, bus template.ID, rows []*template.Instrument, o effect.Options) (*Graph, []Silence, error) {
	return NewGraphTo(f, []Tap{{Bus: bus}}, rows, o)
}

// NewGraphTo is NewGraph to several taps at once.
func NewGraphTo(f *fan.Fan, taps []Tap, rows []*template.Instrument, o effect.Options) (*Graph, []Silence, error) {
	t := f.Template()
	if rows == nil {
		rows = t.Instruments
	}
	flow := f.Flow()
	g := &Graph{fan: f, laneOf: map[int]int{}}
	wanted := map[template.ID]bool{}
	for n := range taps {
		if taps[n].Bus == "" {
			taps[n].Bus = t.TheMix().ID
		}
		wanted[taps[n].Bus] = true
	}
	leads := between(f, flow, wanted, rows)
	at := map[int]int{}
	var silent []Silence
	for _, x := range flow {
		b := t.Buses[x.Bus]
		if !leads[x.Bus] {
			continue
		}
		at[x.Bus] = len(g.nodes)
		runs, err := effect.New(b.Runs, o)
		if err != nil {
			silent = append(silent, Silence{b.Name, err.Error()})
			runs = nothing{}
		}
		n := node{bus: b, effect: runs, fader: template.Gain(b.GainDB)}
		if runs != nil {
			n.tail = 1 + int(math.Ceil(runs.Tail()*o.RateHz/Frames))
			g.tail += runs.Tail()
			g.late += runs.Late()
		}
		g.nodes = append(g.nodes, n)
	}
	for _, tap := range taps {
		n := slices.IndexFunc(g.nodes, func(n node) bool { return n.bus.ID == tap.Bus })
		if n < 0 {
			return nil, nil, fmt.Errorf("there is no bus %q", tap.Bus)
		}
		g.taps = append(g.taps, tapped{node: n, before: tap.Before})
		g.nodes[n].keep = g.nodes[n].keep || tap.Before
	}
	for _, x := range flow {
		n, is := at[x.Bus]
		if !is {
			continue
		}
		for _, o := range x.To {
			if to, is := at[o.Bus]; is {
				g.nodes[to].from = append(g.nodes[to].from, source{n, o.Gain})
				g.nodes[to].level = max(g.nodes[to].level, g.nodes[n].level+1)
			}
		}
	}
	for n := range g.nodes {
		for len(g.levels) <= g.nodes[n].level {
			g.levels = append(g.levels, nil)
		}
		g.levels[g.nodes[n].level] = append(g.levels[g.nodes[n].level], n)
	}
	for _, i := range rows {
		for _, e := range f.Entries(i) {
			_, known := g.laneOf[e.Bus]
			if _, is := at[e.Bus]; is && !known {
				g.laneOf[e.Bus] = g.lanes
				n := &g.nodes[at[e.Bus]]
				n.lanes = append(n.lanes, g.lanes)
				g.lanes++
			}
		}
	}
	return g, silent, nil
}

// between are the buses, by their places, that rows reach and that lead to some buses, and those.
func between(f *fan.Fan, flow []fan.Flowing, wanted map[template.ID]bool, rows []*template.Instrument) map[int]bool {
	reached, out := map[int]bool{}, map[int]bool{}
	for _, i := range rows {
		for _, e := range f.Entries(i) {
			reached[e.Bus] = true
		}
	}
	for _, x := range flow {
		for _, o := range x.To {
			reached[o.Bus] = reached[o.Bus] || reached[x.Bus]
		}
	}
	for _, x := range slices.Backward(flow) {
		is := wanted[f.Template().Buses[x.Bus].ID]
		out[x.Bus] = is || reached[x.Bus] && slices.ContainsFunc(x.To, func(o fan.Onward) bool { return out[o.Bus] })
	}
	return out
}

// Lanes is how many lanes there are.
func (g *Graph) Lanes() int { return g.lanes }

// Tail is how long the graph rings on at most after its input has ended, s.
func (g *Graph) Tail() float64 { return g.tail }

// Late is the delay from what goes in to what comes out, frames.
func (g *Graph) Late() int { return g.late }

// Ways are those of a row into the lanes: its fader, its routes and its pan.
func (g *Graph) Ways(i *template.Instrument) []Way {
	left, right := fan.Sides(i.Pan)
	out := []Way{}
	for _, e := range g.fan.Entries(i) {
		if lane, is := g.laneOf[e.Bus]; is {
			out = append(out, Way{lane, left * e.Gain, right * e.Gain})
		}
	}
	return out
}

// Run takes a block of every lane, nil where it is silent, and gives a block as it is heard
// at the first tap: after its effects and its fader.
func (g *Graph) Run(lanes []*Block) Block { return g.RunAll([][]*Block{lanes})[0] }

// RunAll is Run for several blocks, one after the other, on all cores: buses that do not feed
// each other are computed at once.
func (g *Graph) RunAll(blocks [][]*Block) []Block {
	g.run(blocks)
	out := make([]Block, len(blocks))
	for k := range out {
		if b, gain := g.at(0, k); b != nil {
			out[k].Add(b, gain)
		}
	}
	return out
}

// RunTaps is RunAll for all taps: of each block what is heard at each of them, nil where it is
// silent. What it gives holds until the next run.
func (g *Graph) RunTaps(blocks [][]*Block) [][]*Block {
	g.run(blocks)
	out := make([][]*Block, len(blocks))
	for k := range out {
		out[k] = make([]*Block, len(g.taps))
	}
	share.Out(len(g.taps), func(n int) {
		g.taps[n].faded.at(len(blocks) - 1) // none of them moves from here on
		for k := range out {
			b, gain := g.at(n, k)
			if b != nil && gain != 1 {
				x := g.taps[n].faded.at(k)
				x.Set(b, gain)
				b = x
			}
			out[k][n] = b
		}
	})
	return out
}

// at is what is heard at a tap of a block, before its fader.
func (g *Graph) at(tap, block int) (b *Block, fader float64) {
	n := &g.nodes[g.taps[tap].node]
	if g.taps[tap].before {
		return n.in[block], n.fader
	}
	return n.out[block], n.fader
}

func (g *Graph) run(blocks [][]*Block) {
	for _, some := range g.levels {
		if len(blocks) >= worthSharing {
			share.Out(len(some), func(n int) { g.nodes[some[n]].run(g.nodes, blocks) })
			continue
		}
		for _, n := range some {
			g.nodes[n].run(g.nodes, blocks)
		}
	}
}

// worthSharing is from how many blocks on cores share the work.
const worthSharing = 4

// run makes the blocks of a bus from what feeds it.
func (n *node) run(nodes []node, blocks [][]*Block) {
	n.outs.at(len(blocks) - 1) // none of them moves from here on
	n.out = make([]*Block, len(blocks))
	if n.keep {
		n.ins.at(len(blocks) - 1)
		n.in = make([]*Block, len(blocks))
	}
	for k, lanes := range blocks {
		var b *Block
		add := func(x *Block, gain float64) {
			if x == nil {
				return
			}
			if b == nil {
				b = n.outs.at(k)
				b.Set(x, gain)
				return
			}
			b.Add(x, gain)
		}
		for _, lane := range n.lanes {
			add(lanes[lane], 1)
		}
		for _, s := range n.from {
			add(nodes[s.node].out[k], s.gain)
		}
		if n.keep && b != nil {
			n.in[k] = n.ins.at(k)
			*n.in[k] = *b
		}
		if n.out[k] = n.through(b, k); n.out[k] != nil && n.bus.Mono {
			b := n.out[k]
			for k := range b[0] {
				mean := (b[0][k] + b[1][k]) / 2
				b[0][k], b[1][k] = mean, mean
			}
		}
	}
}

// through takes the kth block through the effects; nil for silence.
func (n *node) through(b *Block, k int) *Block {
	if b != nil {
		n.left = n.tail
	}
	if n.effect == nil || b == nil && n.left == 0 {
		return b
	}
	if b == nil {
		b = n.outs.at(k)
		*b = Block{}
	}
	n.effect.Run(b)
	if n.left = max(0, n.left-1); n.left == 0 && rings(b) {
		n.left = 1
	}
	return b
}

// inaudible is what an effect rings with when it may rest: -180 dB.
const inaudible = 1e-9

func rings(b *Block) bool {
	for c := range b {
		for _, v := range b[c] {
			if math.Abs(v) > inaudible {
				return true
			}
		}
	}
	return false
}

// nothing is an effect that cannot run.
type nothing struct{}

func (nothing) Run(b *Block)  { *b = Block{} }
func (nothing) Tail() float64 { return 0 }
func (nothing) Late() int     { return 0 }
