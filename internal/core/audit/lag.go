package audit

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"
)

// mostLateS is how late a stem is looked for, s, and likeliest for how many stems.
const mostLateS, likeliest = .9, 6

// moved is how much of a stem may stay where it is, and must be where it has been moved to.
const moved = .25

// lag finds the stem that explains most of what is left when it comes at another time, and
// gives it as it is and at that time.
func (n *null) lag(columns []column, fit []float64, left float64) ([]column, bool) {
	var stems []*track
	for _, t := range n.stems {
		if !slices.ContainsFunc(n.known, func(x column) bool { return x.stem == t }) {
			stems = append(stems, t)
		}
	}
	score := map[*track]float64{}
	for _, t := range stems {
		rest := n.without(t, columns, fit)
		score[t] = max(n.explains(column{stem: t}, rest), n.moving(t, rest))
	}
	slices.SortStableFunc(stems, func(a, b *track) int { return cmp.Compare(score[b], score[a]) })
	best, most := column{}, 0.0
	for _, t := range stems[:min(likeliest, len(stems))] {
		if score[t] == 0 {
			continue
		}
		if late, gain := n.lagOf(t, n.without(t, columns, fit)); late != 0 && gain > most {
			best, most = column{t, late}, gain
		}
	}
	if best.stem == nil {
		return nil, false
	}
	pair := []column{{stem: best.stem}, best}
	kept := slices.DeleteFunc(slices.Clone(columns), func(x column) bool { return x.stem == best.stem })
	gains, now := n.fit(append(kept, pair...), n.energy())
	if here, there := gains[len(gains)-2], gains[len(gains)-1]; now > left*(1-worthwhile) || math.Abs(here+1) > moved || math.Abs(there) < moved {
		return nil, false
	}
	return pair, true
}

// without is what is left when the explanations by all other stems are taken away.
func (n *null) without(t *track, columns []column, fit []float64) [2][]float64 {
	var others []column
	var gains []float64
	for k, x := range columns {
		if x.stem != t {
			others, gains = append(others, x), append(gains, fit[k])
		}
	}
	return n.rest(others, gains)
}

// moving is how much of some sound a stem explains by being moved by a hair: by its slope.
func (n *null) moving(t *track, rest [2][]float64) float64 {
	value := make([]float64, len(rest[0]))
	after := make([]float64, len(rest[0]))
	both, own := 0.0, 0.0
	for c := range rest {
		n.value(column{t, -1}, c, value)
		n.value(column{t, 1}, c, after)
		for k := range value {
			value[k] = after[k] - value[k]
		}
		both += dot(value, rest[c])
		own += dot(value, value)
	}
	if own <= 0 {
		return 0
	}
	return both * both / own
}

// lagOf is by how many samples a stem must be moved to explain most of what the mix has of it,
// and how much more energy that explains than where it is.
func (n *null) lagOf(t *track, rest [2][]float64) (late int, gain float64) {
	frames := len(rest[0])
	most := int(mostLateS * float64(frames))
	size := 1
	for size < 2*frames+2*most {
		size *= 2
	}
	fft := fourier.NewFFT(size)
	own, held := make([]float64, size), make([]float64, size)
	value := make([]float64, frames)
	weights := [2]float64{1, .6} // sides that are opposite do not cancel out
	for c := range rest {
		n.value(column{stem: t}, c, value)
		for k, v := range rest[c] {
			held[k] += weights[c] * (v + value[k]) // what the mix has of the stem
		}
		for _, by := range []int{-most, 0, most} {
			n.value(column{t, by}, c, value)
			for k := range frames {
				if at := k + by + most; by == 0 || by < 0 && at < most || by > 0 && at >= most+frames {
					own[at] += weights[c] * value[k]
				}
			}
		}
	}
	a, b := fft.Coefficients(nil, own), fft.Coefficients(nil, held)
	for k := range a {
		a[k] *= complex(real(b[k]), -imag(b[k]))
	}
	corr := fft.Sequence(nil, a)
	energy := 0.0
	for _, v := range own[:frames] {
		energy += v * v
	}
	explains := func(k int, energy float64) float64 {
		v := corr[k] / float64(size)
		return v * v / max(energy, 1e-30)
	}
	here, high := 0.0, 0.0
	for k := 0; k <= 2*most; k++ {
		if k > 0 {
			energy += own[k+frames-1]*own[k+frames-1] - own[k-1]*own[k-1]
		}
		e := explains(k, energy)
		if k == most {
			here = e
		}
		if e > high {
			high, late = e, k-most
		}
	}
	if math.IsNaN(high) {
		return 0, 0
	}
	return late, high - here
}
