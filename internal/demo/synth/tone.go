// Package synth makes the sounds of the demo's libraries by computation: small stand-ins
// for large recordings. A timbre, a key and a strength go in; samples come out.
package synth

import (
	"hash/fnv"
	"math"
	"math/rand/v2"
)

// RateHz is the sample rate of all sounds, Hz.
const RateHz = 32_000

// Sustained sounds begin with Lead frames and repeat the Loop frames behind those for ever:
// every partial fits into the loop a whole number of times.
const (
	Lead = RateHz / 5
	Loop = RateHz * 3 / 4
)

// Timbre is how a kind of instrument sounds.
type Timbre struct {
	Name      string
	Low, High int     // keys it is made for
	Step      int     // semitones from one sample to the next
	Sustained bool    // otherwise it dies away
	Seconds   float64 // of one that dies away
	Soft      float64 // how fast its partials fall, of a soft note and of a strong one: power of their number
	Strong    float64
	Odd       bool      // only every other partial is strong
	Ratios    []float64 // of its partials; none are whole numbers
	Formants  []Formant
	Noise     float64 // share of noise, of a strong note
	Players   int     // how many play at once, out of tune by a little
	Decay     float64 // s, of the lowest partial to a third; higher ones are quicker
}

// Formant is where a body or a mouth makes partials stronger.
type Formant struct{ Hz, Width, Gain float64 }

// Sample is one made sample.
type Sample struct {
	Frames []int16
	Cents  float64 // it is above its key
}

// rmsTarget is what every sustained sample is made as strong as, of full scale 1: -20 dBFS.
const rmsTarget = 0.1

// peakTarget likewise of the peak of those that die away.
const peakTarget = 0.5

// Make makes the sample of a key, soft or strong. It is the same each time.
func (t Timbre) Make(key int, strong bool) Sample {
	hash := fnv.New64a()
	_, _ = hash.Write([]byte{byte(key), byte(len(t.Name)), t.Name[0], t.Name[len(t.Name)-1]})
	random := rand.New(rand.NewPCG(hash.Sum64(), 7)) //nolint:gosec // sounds, not secrets
	if t.Sustained {
		return t.sustained(key, strong, random)
	}
	return t.dying(key, strong, random)
}

// weight of a partial at a frequency.
func (t Timbre) weight(number, hz float64, strong bool) float64 {
	slope := t.Soft
	if strong {
		slope = t.Strong
	}
	a := math.Pow(number, -slope)
	if t.Odd && len(t.Ratios) == 0 && int(number)%2 == 0 {
		a *= .12
	}
	if len(t.Formants) > 0 {
		body := .08
		for _, f := range t.Formants {
			body += f.Gain * math.Exp(-(hz-f.Hz)*(hz-f.Hz)/(2*f.Width*f.Width))
		}
		a *= body
	}
	return a
}

// highest is how high partials go, of the rate.
const highest = .44

func hertz(key int) float64 { return 440 * math.Exp2(float64(key-69)/12) }

// sustained adds partials that fit into the loop.
func (t Timbre) sustained(key int, strong bool, random *rand.Rand) Sample {
	base := max(2, math.Round(hertz(key)*Loop/RateHz)) // periods in the loop
	loop := make([]float64, Loop)
	for player := range max(1, t.Players) {
		periods := base
		if player > 0 {
			periods += float64([]int{1, -1, 2, -2}[(player-1)%4])
		}
		for h := 1.0; periods*h < highest*Loop; h++ {
			a := t.weight(h, periods*h*RateHz/Loop, strong)
			if a < 1e-4 {
				if h > 40 {
					break
				}
				continue
			}
			add(loop, a, periods*h/Loop, random.Float64())
		}
	}
	if t.Noise > 0 {
		addNoise(loop, t.Noise*level(loop), random)
	}
	scale(loop, rmsTarget/level(loop))
	out := Sample{Cents: CentsOf(key)}
	out.Frames = append(rounded(loop[Loop-Lead:]), rounded(loop)...)
	return out
}

// add adds a sine of a frequency, of the rate, by turning a vector.
func add(out []float64, amplitude, frequency, phase float64) {
	sin, cos := math.Sincos(2 * math.Pi * frequency)
	y, x := math.Sincos(2 * math.Pi * phase)
	for n := range out {
		out[n] += amplitude * y
		x, y = x*cos-y*sin, x*sin+y*cos
	}
}

// addNoise adds noise, softened, that goes round without a step.
func addNoise(out []float64, rms float64, random *rand.Rand) {
	noise := make([]float64, len(out))
	for n := range noise {
		noise[n] = random.NormFloat64()
	}
	last := noise[len(noise)-1]
	for n, x := range noise {
		noise[n] = (x + last) / 2
		last = x
	}
	scale(noise, rms/level(noise))
	for n := range out {
		out[n] += noise[n]
	}
}

// dying adds partials that die away, the higher the sooner.
func (t Timbre) dying(key int, strong bool, random *rand.Rand) Sample {
	hz := hertz(key)
	out := make([]float64, int(t.Seconds*RateHz))
	partial := func(ratio, number float64) {
		f := hz * ratio
		if f > highest*RateHz {
			return
		}
		a := t.weight(number, f, strong)
		sin, cos := math.Sincos(2 * math.Pi * f / RateHz)
		keep := math.Exp(-1 / (t.Decay * RateHz / (1 + .35*(number-1))))
		sin, cos = sin*keep, cos*keep
		y, x := 0.0, a
		for n := range out {
			out[n] += y
			x, y = x*cos-y*sin, x*sin+y*cos
		}
	}
	if len(t.Ratios) > 0 {
		for n, r := range t.Ratios {
			partial(r, float64(n+1))
		}
	} else {
		for h := 1.0; h <= 24; h++ {
			partial(h*math.Sqrt(1+.0002*h*h), h)
		}
	}
	if t.Noise > 0 { // the stroke
		share := t.Noise
		if !strong {
			share /= 2
		}
		keep, a, last := math.Exp(-1/(.02*RateHz*(1+4*t.Noise))), share*1.2, 0.0
		for n := range out {
			x := random.NormFloat64()
			out[n] += a * (x + last) / 2
			last = x
			a *= keep
		}
	}
	peak := 0.0
	for n, x := range out {
		if n > len(out)-RateHz/20 {
			out[n] = x * float64(len(out)-n) / (RateHz / 20)
		}
		peak = max(peak, math.Abs(x))
	}
	scale(out, peakTarget/peak)
	return Sample{Frames: rounded(out)}
}

// Tail is how a room dies away: noise for both sides, frame by frame, that falls by 60 dB
// in a time, s; each seed has a noise of its own.
func Tail(seconds float64, seed uint64) []int16 {
	random := rand.New(rand.NewPCG(seed, 11)) //nolint:gosec // sounds, not secrets
	n := int(seconds * RateHz)
	out := make([]float64, 2*n)
	var last [2]float64
	for k := range n {
		a := math.Pow(10, -3*float64(k)/float64(n))
		for side := range 2 {
			last[side] += .25 * (random.NormFloat64() - last[side]) // the air takes what is high
			out[2*k+side] = a * last[side] * rmsTarget * 2
		}
	}
	return rounded(out)
}

func level(x []float64) float64 {
	sum := 0.0
	for _, v := range x {
		sum += v * v
	}
	return math.Sqrt(sum / float64(len(x)))
}

func scale(x []float64, by float64) {
	for n := range x {
		x[n] *= by
	}
}

func rounded(x []float64) []int16 {
	out := make([]int16, len(x))
	for n, v := range x {
		out[n] = int16(math.Round(min(1, max(-1, v)) * 32767))
	}
	return out
}

// CentsOf is how far the sustained sample of a key is above it, since its partials fit
// into the loop, hundredths of a semitone.
func CentsOf(key int) float64 {
	return 1200 * math.Log2(max(2, math.Round(hertz(key)*Loop/RateHz))*RateHz/Loop/hertz(key))
}
