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
	sum      float64
}

type channel struct {
	weight float64
	stages [2]Biquad
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
		l.channels = append(l.channels, channel{w, kWeighting(rate)})
	}
	return l
}

// Add takes frames in: for each channel its samples, all as many.
func (l *Loudness) Add(frames ...[]float64) {
	if len(frames) == 0 {
		return
	}
	for n := range frames[0] {
		for c := range l.channels {
			ch := &l.channels[c]
			y := ch.stages[1].next(ch.stages[0].next(frames[c][n]))
			l.sum += ch.weight * y * y
		}
		if l.at++; l.at == l.hop {
			l.sums = append(l.sums, l.sum/float64(l.hop))
			l.sum, l.at = 0, 0
		}
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
