package sampler

import (
	"sync"

	"fanfold/internal/core/dsp"
)

// Quality is how pitch is made.
type Quality byte

// Draft takes four points between which it draws a curve; Print a windowed sinc of sixteen.
const (
	Draft Quality = iota
	Print
)

// before is how many frames left of a place are looked at, points how many in all.
func (q Quality) before() int {
	if q == Print {
		return printPoints/2 - 1
	}
	return 1
}

func (q Quality) points() int {
	if q == Print {
		return printPoints
	}
	return 4
}

// fraction is the bits of a place between frames.
const fraction = 32

// draft1 and draft2 read a window at places between its frames, one channel or two: the
// third-order Hermite curve through the four nearest.
func draft1(out, win []float32, pos, step uint64) {
	for n := range out {
		at := pos >> fraction
		x := float32(uint32(pos)) * (1.0 / (1 << fraction))
		w := win[at : at+4 : at+4]
		a, b, c, d := w[0], w[1], w[2], w[3]
		c1 := .5 * (c - a)
		c3 := .5*(d-a) + 1.5*(b-c)
		c2 := a - b + c1 - c3
		out[n] = ((c3*x+c2)*x+c1)*x + b
		pos += step
	}
}

func draft2(left, right, win []float32, pos, step uint64) {
	right = right[:len(left)]
	for n := range left {
		at := pos >> fraction
		x := float32(uint32(pos)) * (1.0 / (1 << fraction))
		w := win[2*at : 2*at+8 : 2*at+8]
		a, b, c, d := w[0], w[2], w[4], w[6]
		c1 := .5 * (c - a)
		c3 := .5*(d-a) + 1.5*(b-c)
		c2 := a - b + c1 - c3
		left[n] = ((c3*x+c2)*x+c1)*x + b
		a, b, c, d = w[1], w[3], w[5], w[7]
		c1 = .5 * (c - a)
		c3 = .5*(d-a) + 1.5*(b-c)
		c2 = a - b + c1 - c3
		right[n] = ((c3*x+c2)*x+c1)*x + b
		pos += step
	}
}

// printPoints is how many frames a print looks at; phaseBits how finely it knows the place
// between two of them.
const (
	printPoints = 16
	phaseBits   = 11
)

// kernels are windowed sincs for steps up to a ratio: what is played higher must lose what
// would come back mirrored.
type kernels struct {
	upTo float64
	at   [1 << phaseBits][printPoints]float32
}

var banks = sync.OnceValue(func() []*kernels {
	var out []*kernels
	for _, ratio := range []float64{1.0001, 1.2, 1.42, 1.7, 2.0001, 2.9, 4.1, 1e9} {
		out = append(out, newKernels(ratio))
	}
	return out
})

// newKernels makes sincs of a cutoff below the mirror, under a Kaiser window.
func newKernels(ratio float64) *kernels {
	k := &kernels{upTo: ratio}
	cut := .94
	if ratio > 1.001 {
		cut = max(.16, .94/ratio)
	}
	half := float64(printPoints) / 2
	for phase := range k.at {
		x := float64(phase) / (1 << phaseBits)
		sum := 0.0
		var row [printPoints]float64
		for n := range row {
			row[n] = dsp.WindowedSinc(float64(n-printPoints/2+1)-x, cut, half)
			sum += row[n]
		}
		for n := range row {
			k.at[phase][n] = float32(row[n] / sum)
		}
	}
	return k
}

func kernelsFor(step uint64) *kernels {
	ratio := float64(step) / (1 << fraction)
	all := banks()
	for _, k := range all {
		if ratio <= k.upTo {
			return k
		}
	}
	return all[len(all)-1]
}

func print1(out, win []float32, pos, step uint64) {
	table := kernelsFor(step)
	for n := range out {
		at := pos >> fraction
		k := &table.at[uint32(pos)>>(fraction-phaseBits)]
		w := (*[printPoints]float32)(win[at:])
		a := k[0]*w[0] + k[1]*w[1] + k[2]*w[2] + k[3]*w[3]
		b := k[4]*w[4] + k[5]*w[5] + k[6]*w[6] + k[7]*w[7]
		c := k[8]*w[8] + k[9]*w[9] + k[10]*w[10] + k[11]*w[11]
		d := k[12]*w[12] + k[13]*w[13] + k[14]*w[14] + k[15]*w[15]
		out[n] = (a + b) + (c + d)
		pos += step
	}
}

func print2(left, right, win []float32, pos, step uint64) {
	table := kernelsFor(step)
	right = right[:len(left)]
	for n := range left {
		at := pos >> fraction
		k := &table.at[uint32(pos)>>(fraction-phaseBits)]
		w := (*[2 * printPoints]float32)(win[2*at:])
		a := k[0]*w[0] + k[1]*w[2] + k[2]*w[4] + k[3]*w[6]
		b := k[4]*w[8] + k[5]*w[10] + k[6]*w[12] + k[7]*w[14]
		c := k[8]*w[16] + k[9]*w[18] + k[10]*w[20] + k[11]*w[22]
		d := k[12]*w[24] + k[13]*w[26] + k[14]*w[28] + k[15]*w[30]
		left[n] = (a + b) + (c + d)
		a = k[0]*w[1] + k[1]*w[3] + k[2]*w[5] + k[3]*w[7]
		b = k[4]*w[9] + k[5]*w[11] + k[6]*w[13] + k[7]*w[15]
		c = k[8]*w[17] + k[9]*w[19] + k[10]*w[21] + k[11]*w[23]
		d = k[12]*w[25] + k[13]*w[27] + k[14]*w[29] + k[15]*w[31]
		right[n] = (a + b) + (c + d)
		pos += step
	}
}
