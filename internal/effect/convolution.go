package effect

import (
	"errors"
	"fmt"

	"gonum.org/v1/gonum/dsp/fourier"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// convolution is a room as it was recorded: every sample in brings the whole impulse out. Its
// first part is made in blocks, so that nothing is late, the rest in longer ones, whose
// results are wanted later (W. G. Gardner, Efficient convolution without input-output delay,
// 1995).
type convolution struct {
	rate  float64
	tail  float64
	pre   preDelay
	edges edges
	sides [2]convolved
}

// longBlock is how long the later parts are, frames; the first part lasts two of them.
const longBlock = 16 * Frames

// longestImpulse bounds an impulse, s.
const longestImpulse = 30

func newConvolution(e template.BusEffect, o Options) (*convolution, error) {
	if e.Audio == "" {
		return nil, errors.New("it has no impulse; choose a recording of one")
	}
	if o.Audio == nil {
		return nil, errors.New("recordings cannot be read here")
	}
	channels, rate, err := o.Audio(e.Audio)
	if err != nil {
		return nil, err
	}
	if len(channels) == 0 || len(channels[0]) == 0 || rate <= 0 {
		return nil, fmt.Errorf("%s holds no sound", e.File)
	}
	if s := float64(len(channels[0])) / rate; s > longestImpulse {
		return nil, fmt.Errorf("%s lasts %.0f s; an impulse lasts %d at most", e.File, s, longestImpulse)
	}
	c := &convolution{rate: o.RateHz, pre: newPreDelay(e.Value(template.SetPreDelay), o.RateHz), edges: newEdges(e, o.RateHz)}
	for n := range c.sides {
		impulse := dsp.Resample(channels[min(n, len(channels)-1)], rate, o.RateHz)
		gain := evened(o.RateHz, impulse)
		if gain == 0 {
			return nil, fmt.Errorf("%s is silent", e.File)
		}
		for k := range impulse {
			impulse[k] *= gain
		}
		c.sides[n] = newConvolved(impulse)
		c.tail = max(c.tail, float64(len(impulse))/o.RateHz)
	}
	c.tail += c.pre.seconds(o.RateHz)
	return c, nil
}

func (c *convolution) Tail() float64 { return c.tail }
func (c *convolution) Late() int     { return 0 }

func (c *convolution) Run(b *Block) {
	c.pre.run(b)
	for n := range c.sides {
		c.sides[n].run(b[n][:])
	}
	c.edges.run(b)
}

// convolved is one channel.
type convolved struct {
	first *parts
	rest  *parts // nil for a short impulse
	long  []float64
	next  []float64 // what the rest gives to the long block after this one
	now   []float64
}

func newConvolved(impulse []float64) convolved {
	head := impulse[:min(len(impulse), 2*longBlock)]
	c := convolved{first: newParts(head, Frames)}
	if len(impulse) > len(head) {
		c.rest = newParts(impulse[len(head):], longBlock)
		c.now, c.next = make([]float64, longBlock), make([]float64, longBlock)
	}
	return c
}

func (c *convolved) run(x []float64) {
	in := append([]float64(nil), x...)
	c.first.run(x)
	if c.rest == nil {
		return
	}
	at := len(c.long)
	for n := range x {
		x[n] += c.now[at+n]
	}
	if c.long = append(c.long, in...); len(c.long) == longBlock {
		// What went in now comes out of the rest from two long blocks on after its beginning:
		// one after the block that begins now.
		c.now, c.next = c.next, c.now
		copy(c.next, c.long)
		c.rest.run(c.next)
		c.long = c.long[:0]
	}
}

// parts convolves block by block with an impulse cut into parts of a block's length, by
// overlap and save.
type parts struct {
	size    int
	fft     *fourier.FFT
	impulse [][]complex128
	spectra [][]complex128 // of what came in, a ring
	at      int
	window  []float64 // the block before, and this one
	sum     []complex128
	out     []float64
}

func newParts(impulse []float64, size int) *parts {
	p := &parts{size: size, fft: fourier.NewFFT(2 * size), window: make([]float64, 2*size), sum: make([]complex128, size+1), out: make([]float64, 2*size)}
	for from := 0; from < len(impulse); from += size {
		part := make([]float64, 2*size)
		copy(part[:size], impulse[from:])
		p.impulse = append(p.impulse, p.fft.Coefficients(nil, part))
		p.spectra = append(p.spectra, make([]complex128, size+1))
	}
	return p
}

func (p *parts) run(x []float64) {
	copy(p.window, p.window[p.size:])
	copy(p.window[p.size:], x)
	p.at = (p.at + len(p.spectra) - 1) % len(p.spectra)
	p.fft.Coefficients(p.spectra[p.at], p.window)
	clear(p.sum)
	for n, h := range p.impulse {
		s := p.spectra[(p.at+n)%len(p.spectra)]
		h, sum := h[:len(s)], p.sum[:len(s)]
		for k := range s {
			sum[k] += s[k] * h[k]
		}
	}
	p.fft.Sequence(p.out, p.sum)
	scale := 1 / float64(2*p.size)
	for n := range x {
		x[n] = p.out[p.size+n] * scale
	}
}
