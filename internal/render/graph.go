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
	"fanfold/internal/core/template"
	"fanfold/internal/effect"
)

// Frames is how many frames a block has.
const Frames = effect.Frames

// Block is a block of two channels, full scale 1.
type Block = effect.Block

// Way is how a row reaches a lane: with a linear gain on each side.
type Way struct {
	Lane  int     `json:"lane"`
	Left  float64 `json:"left"`
	Right float64 `json:"right"`
}

// Graph takes lanes to a bus.
type Graph struct {
	fan    *fan.Fan
	lanes  []int // buses by their places, in order
	laneOf map[int]int
	nodes  []node
	heard  int // of nodes
	tail   float64
	late   int
}

// node is a bus that leads to the one that is heard.
type node struct {
	bus    *template.Bus
	effect effect.Effect
	fader  float64
	to     []toward
	in     Block
	full   bool // something came in since the last block
	alive  bool // the effect still rings
}

// toward is another node, and what the route does to what comes out after the effects.
type toward struct {
	node int
	gain float64
}

// Silent is an effect that can not run, with the reason: it is left out.
type Silent struct {
	Bus    *template.Bus
	Reason string
}

// NewGraph makes the graph to a bus; an empty one is the mix. Effects that can not run give
// nothing, and are told.
func NewGraph(f *fan.Fan, bus template.ID, o effect.Options) (*Graph, []Silent, error) {
	t := f.Template()
	if bus == "" {
		bus = t.TheMix().ID
	}
	flow := f.Flow()
	leads := map[int]bool{}
	g := &Graph{fan: f, laneOf: map[int]int{}, heard: -1}
	for _, x := range slices.Backward(flow) {
		leads[x.Bus] = t.Buses[x.Bus].ID == bus || slices.ContainsFunc(x.To, func(o fan.Onward) bool { return leads[o.Bus] })
	}
	at := map[int]int{}
	var silent []Silent
	for _, x := range flow {
		b := t.Buses[x.Bus]
		if !leads[x.Bus] {
			continue
		}
		at[x.Bus] = len(g.nodes)
		runs, err := effect.New(b.Runs, o)
		if err != nil {
			silent = append(silent, Silent{b, err.Error()})
			runs = nothing{}
		}
		n := node{bus: b, effect: runs, fader: template.Gain(b.GainDB)}
		if runs != nil {
			g.tail += runs.Tail()
			g.late += runs.Late()
		}
		g.nodes = append(g.nodes, n)
		if b.ID == bus {
			g.heard = at[x.Bus]
		}
	}
	if g.heard < 0 {
		return nil, nil, fmt.Errorf("there is no bus %q", bus)
	}
	for _, x := range flow {
		n, is := at[x.Bus]
		if !is || n == g.heard {
			continue
		}
		for _, o := range x.To {
			if to, is := at[o.Bus]; is {
				g.nodes[n].to = append(g.nodes[n].to, toward{to, o.Gain})
			}
		}
	}
	for _, i := range t.Instruments {
		for _, e := range f.Entries(i) {
			if _, is := at[e.Bus]; is && !slices.Contains(g.lanes, e.Bus) {
				g.laneOf[e.Bus] = len(g.lanes)
				g.lanes = append(g.lanes, e.Bus)
			}
		}
	}
	return g, silent, nil
}

// Lanes is how many lanes there are.
func (g *Graph) Lanes() int { return len(g.lanes) }

// Tail is how long the graph rings on after its input has ended, s, and Late by how much
// what comes out is later than what goes in, frames.
func (g *Graph) Tail() float64 { return g.tail }

// Late is by how much what comes out is later than what goes in, frames.
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
// at the bus: after its effects and its fader.
func (g *Graph) Run(lanes []*Block) Block {
	for n, b := range lanes {
		if b != nil {
			g.nodes[g.at(n)].add(b, 1)
		}
	}
	var out Block
	for n := range g.nodes {
		x := &g.nodes[n]
		if !x.full && !x.alive {
			continue
		}
		if x.effect != nil {
			x.effect.Run(&x.in)
			x.alive = rings(&x.in)
		}
		if x.bus.Mono {
			for k := range x.in[0] {
				mean := (x.in[0][k] + x.in[1][k]) / 2
				x.in[0][k], x.in[1][k] = mean, mean
			}
		}
		for _, to := range x.to {
			g.nodes[to.node].add(&x.in, to.gain)
		}
		if n == g.heard {
			for c := range out {
				for k, v := range x.in[c] {
					out[c][k] = v * x.fader
				}
			}
		}
		x.in, x.full = Block{}, false
	}
	return out
}

// at is the node of a lane.
func (g *Graph) at(lane int) int {
	bus := g.fan.Template().Buses[g.lanes[lane]]
	return slices.IndexFunc(g.nodes, func(n node) bool { return n.bus == bus })
}

func (n *node) add(b *Block, gain float64) {
	for c := range b {
		for k, v := range b[c] {
			n.in[c][k] += gain * v
		}
	}
	n.full = true
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

// nothing is an effect that can not run.
type nothing struct{}

func (nothing) Run(b *Block)  { *b = Block{} }
func (nothing) Tail() float64 { return 0 }
func (nothing) Late() int     { return 0 }
