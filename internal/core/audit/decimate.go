package audit

import (
	"slices"

	"fanfold/internal/core/dsp"
)

// decimator keeps every so many samples, after a filter that takes away what they cannot hold.
type decimator struct {
	by   int
	taps []float64
	past []float64
}

func newDecimator(by int) *decimator {
	n := 5*by | 1
	d := &decimator{by: by, taps: make([]float64, n), past: make([]float64, n-1)}
	sum := 0.0
	for k := range d.taps {
		d.taps[k] = dsp.WindowedSinc(float64(k-n/2), 1/float64(by), float64(n)/2)
		sum += d.taps[k]
	}
	for k := range d.taps {
		d.taps[k] /= sum
	}
	return d
}

// run takes a second in: of two channels the first and somewhat less of the second, so that
// sides that are opposite do not cancel out. scratch is room to compute in, and comes back for the
// next.
func (d *decimator) run(x [][]float32, scratch, out []float64) (less, room []float64) {
	keep := len(d.taps) - 1
	all := slices.Grow(scratch[:0], keep+len(x[0]))[:keep+len(x[0])]
	copy(all, d.past)
	for k, v := range x[0] {
		all[keep+k] = float64(v)
	}
	if len(x) > 1 {
		for k, v := range x[1] {
			all[keep+k] += .6 * float64(v)
		}
	}
	if cap(out) < len(x[0])/d.by {
		out = make([]float64, len(x[0])/d.by)
	}
	out = out[:len(x[0])/d.by]
	for n := range out {
		out[n] = dot(d.taps, all[n*d.by:])
	}
	copy(d.past, all[len(all)-keep:])
	return out, all
}
