package dsp

import (
	"math"
	"slices"
)

// Loudness measures programme loudness as ITU-R BS.1770-4 and EBU R 128 say: K-weighted,
// gated, in LUFS. It takes frames of any number at a time, and keeps a figure for every
// tenth of a second.
type Loudness struct {
	channels []channel
	hop      int       // frames of a tenth of a second
	at       int       // frames of the present tenth
	sums     []float64 // mean squares of each tenth, weighted over the channels
}

type channel struct {
	weight float64
	stages [2]Biquad
	sum    float64 // of the squares of the present tenth
}

// Weights of the channels of a stereo and of a five-channel programme in the order left,
// right, centre, left and right surround: BS.1770-4, table 4.
var (
	StereoWeights = []float64{1, 1}
	FiveWeights   = []float64{1, 1, 1, 1.41, 1.41}
)

// The blocks of EBU Tech 3341, in tenths of a second.
const (
	momentaryTenths = 4
	shortTenths     = 30
)

// NewLoudness prepares to measure at a sample rate, Hz, with a weight for each channel.
func NewLoudness(rate float64, weights []float64) *Loudness {
	l := &Loudness{hop: max(1, int(math.Round(rate/10)))}
	for _, w := range weights {
		l.channels = append(l.channels, channel{weight: w, stages: kWeighting(rate)})
	}
	return l
}

// Add takes frames in: for each channel its samples, all as many.
func (l *Loudness) Add(frames ...[]float64) {
	if len(frames) == 0 {
		return
	}
	for from := 0; from < len(frames[0]); {
		to := min(len(frames[0]), from+l.hop-l.at)
		c := 0
		for ; c+1 < len(l.channels); c += 2 {
			addPowers(&l.channels[c], &l.channels[c+1], frames[c][from:to], frames[c+1][from:to])
		}
		if c < len(l.channels) {
			addPowers(&l.channels[c], &channel{}, frames[c][from:to], frames[c][from:to])
		}
		if l.at += to - from; l.at == l.hop {
			l.end()
		}
		from = to
	}
}

// end ends a tenth of a second.
func (l *Loudness) end() {
	sum := 0.0
	for c := range l.channels {
		sum += l.channels[c].weight * l.channels[c].sum
		l.channels[c].sum = 0
	}
	l.sums, l.at = append(l.sums, sum/float64(l.hop)), 0
}

// Silence takes frames of silence in.
func (l *Loudness) Silence(frames int) {
	for c := range l.channels {
		for _, f := range l.channels[c].stages {
			if f.z1 != 0 || f.z2 != 0 { // it rings on
				list := make([][]float64, len(l.channels))
				for c := range list {
					list[c] = make([]float64, frames)
				}
				l.Add(list...)
				return
			}
		}
	}
	for frames > 0 {
		n := min(frames, l.hop-l.at)
		if l.at += n; l.at == l.hop {
			l.end()
		}
		frames -= n
	}
}

// inaudible is what a filter may ring with before it is stopped: numbers that are smaller by
// far take processors a hundred times as long.
const inaudible = 1e-40

func (f *Biquad) settle() {
	if math.Abs(f.z1) < inaudible && math.Abs(f.z2) < inaudible {
		f.z1, f.z2 = 0, 0
	}
}

// addPowers filters two channels and adds up their squares. The four filters are written out
// side by side, so that they do not wait for each other.
func addPowers(p, q *channel, x, y []float64) {
	a, b := p.stages[0].Coefficients, p.stages[1].Coefficients
	p1, p2, p3, p4 := p.stages[0].z1, p.stages[0].z2, p.stages[1].z1, p.stages[1].z2
	q1, q2, q3, q4 := q.stages[0].z1, q.stages[0].z2, q.stages[1].z1, q.stages[1].z2
	sumP, sumQ := p.sum, q.sum
	y = y[:len(x)]
	for n, v := range x {
		w := y[n]
		s, t := a.B0*v+p1, a.B0*w+q1
		p1, q1 = a.B1*v-a.A1*s+p2, a.B1*w-a.A1*t+q2
		p2, q2 = a.B2*v-a.A2*s, a.B2*w-a.A2*t
		u, z := b.B0*s+p3, b.B0*t+q3
		p3, q3 = b.B1*s-b.A1*u+p4, b.B1*t-b.A1*z+q4
		p4, q4 = b.B2*s-b.A2*u, b.B2*t-b.A2*z
		sumP += u * u
		sumQ += z * z
	}
	p.stages[0].z1, p.stages[0].z2, p.stages[1].z1, p.stages[1].z2 = p1, p2, p3, p4
	q.stages[0].z1, q.stages[0].z2, q.stages[1].z1, q.stages[1].z2 = q1, q2, q3, q4
	p.sum, q.sum = sumP, sumQ
	for n := range p.stages {
		p.stages[n].settle()
		q.stages[n].settle()
	}
}

// offset makes a sine of 997 Hz at full scale in one channel read -3.01 LUFS: BS.1770-4.
const offset = -0.691

func lufs(power float64) float64 { return max(Silence, offset+10*math.Log10(power)) }

// blocks are the mean squares of all runs of so many tenths.
func (l *Loudness) blocks(tenths int) []float64 {
	if len(l.sums) < tenths {
		return nil
	}
	out := make([]float64, 0, len(l.sums)-tenths+1)
	for n := tenths; n <= len(l.sums); n++ {
		sum := 0.0
		for _, s := range l.sums[n-tenths : n] {
			sum += s
		}
		out = append(out, sum/float64(tenths))
	}
	return out
}

func (l *Loudness) over(tenths int) []float64 {
	out := l.blocks(tenths)
	for n := range out {
		out[n] = lufs(out[n])
	}
	return out
}

// Momentary is the loudness of 400 ms that end at each tenth of a second from the fourth
// on, LUFS.
func (l *Loudness) Momentary() []float64 { return l.over(momentaryTenths) }

// ShortTerm is the loudness of 3 s that end at each tenth of a second from the thirtieth
// on, LUFS.
func (l *Loudness) ShortTerm() []float64 { return l.over(shortTenths) }

// The gates of BS.1770-4 and of EBU Tech 3342.
const (
	absoluteLUFS = -70
	relativeLU   = -10
	rangeLU      = -20
)

func mean(list []float64) float64 {
	sum := 0.0
	for _, x := range list {
		sum += x
	}
	return sum / float64(len(list))
}

// gated are the blocks above the absolute gate and then above one relative to them.
func gated(blocks []float64, relative float64) []float64 {
	above := func(list []float64, gate float64) []float64 {
		return slices.DeleteFunc(slices.Clone(list), func(p float64) bool { return lufs(p) <= gate })
	}
	list := above(blocks, absoluteLUFS)
	if len(list) == 0 {
		return nil
	}
	return above(list, lufs(mean(list))+relative)
}

// Integrated is the loudness of the whole programme, gated, LUFS; Silence when nothing of
// it is above the gate.
func (l *Loudness) Integrated() float64 {
	if list := gated(l.blocks(momentaryTenths), relativeLU); len(list) > 0 {
		return lufs(mean(list))
	}
	return Silence
}

// Range is the loudness range of EBU Tech 3342, LU: from the 10th to the 95th percentile of
// the short-term loudness above the gates.
func (l *Loudness) Range() float64 {
	list := gated(l.blocks(shortTenths), rangeLU)
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	at := func(share float64) float64 { return lufs(list[int(math.Round(share*float64(len(list)-1)))]) }
	return at(.95) - at(.10)
}
