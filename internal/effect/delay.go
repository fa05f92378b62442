package effect

import (
	"math"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// delay repeats what it hears, each time softer and darker.
type delay struct {
	rate     float64
	frames   int
	feedback float64
	cross    bool
	edges    edges
	lines    [2]*line
}

// shortestDelay is how short a delay may be: a block, for what comes back goes in a block
// later.
const shortestDelay = Frames

func newDelay(e template.BusEffect, o Options) *delay {
	seconds := e.Value(template.SetTime) / 1000
	if q := e.Value(template.SetQuarters); q > 0 {
		seconds = q * o.QuarterS
	}
	d := &delay{rate: o.RateHz, feedback: e.Value(template.SetFeedback) / 100, cross: e.Value(template.SetCross) >= .5, edges: newEdges(e, o.RateHz)}
	d.frames = max(shortestDelay, int(math.Round(seconds*o.RateHz)))
	d.lines = [2]*line{newLine(d.frames), newLine(d.frames)}
	return d
}

func (d *delay) Late() int { return 0 }

// Tail counts the repeats until they are 60 dB softer.
func (d *delay) Tail() float64 {
	repeats := 1.0
	if d.feedback > 0 {
		repeats += math.Ceil(-60 / dsp.DB(d.feedback))
	}
	return repeats * float64(d.frames) / d.rate
}

func (d *delay) Run(b *Block) {
	var out Block
	for c, l := range d.lines {
		l.read(out[c][:])
	}
	d.edges.run(&out) // each time round
	in := *b
	if d.cross { // all goes in at the left, and comes out at the left first
		for n := range in[0] {
			in[0][n], in[1][n] = (in[0][n]+in[1][n])/math.Sqrt2, 0
		}
	}
	for c, l := range d.lines {
		from := c
		if d.cross {
			from = 1 - c
		}
		for n := range in[c] {
			in[c][n] += d.feedback * out[from][n]
		}
		l.write(in[c][:])
	}
	*b = out
}
