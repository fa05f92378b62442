package audit

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// The bounds of what is explained.
const (
	// explained is the share of the energy that may stay unexplained: a tenth of a percent.
	explained = 1e-3
	// mostCauses is how many stems one second is explained by.
	mostCauses = 8
	// mostLagged is for how many seconds of a fold lags are looked for.
	mostLagged = 6
	// worthwhile is the share of what is left that a further stem must explain.
	worthwhile = .2
)

// explain finds the stems that what is left comes from.
func (n *null) explain(second int, peak, energy float64) {
	f := failure{second: second, peak: peak, energy: energy}
	for _, t := range append([]*track{n.mix}, n.stems...) {
		if high, _ := level(t.windows[present]); high >= fullScale && t.meter.clipped > 0 {
			f.clipped = append(f.clipped, t)
		}
	}
	if len(f.clipped) > 0 { // what is beyond full scale is in no file
		n.failed = append(n.failed, f)
		return
	}
	floor := max(explained*energy, 2*n.mostPower()*float64(2*len(n.left[0])))
	chosen := slices.Clone(n.known)
	fit, left := n.fit(chosen, energy)
	if left > floor {
		chosen, fit, left = n.grow(chosen, fit, left, floor)
	}
	if left > floor && n.lagged < mostLagged {
		n.lagged++
		for range mostCauses {
			late, ok := n.lag(chosen, fit, left)
			if !ok {
				break
			}
			n.known = append(n.known, late...)
			chosen = slices.Clone(n.known)
			if fit, left = n.fit(chosen, energy); left <= floor {
				break
			}
		}
		if left > floor {
			chosen, fit, left = n.grow(chosen, fit, left, floor)
		}
	}
	f.causes = n.causes(chosen, fit, energy)
	if f.open = left > floor; f.open {
		if f.dropped = n.dropped(chosen, fit, left); len(f.dropped) > 0 {
			f.open = false
			for _, t := range f.dropped {
				f.causes = append(f.causes, cause{stem: t, drop: true})
			}
		} else if n.inTheWet(chosen, fit, left) {
			n.wetLike++
		}
	}
	n.failed = append(n.failed, f)
}

// sample is a stem at a lag as it comes into the mix: later by so many samples means that the
// stem's sample belongs to an earlier one of the mix.
func (n *null) value(x column, c int, into []float64) []float64 {
	gain := x.stem.Gain * n.scale
	if x.stem.Role == Guide {
		gain = 1
	}
	frames := len(n.left[0])
	windows := [3][]float32{x.stem.side(before, c), x.stem.side(present, c), x.stem.side(next, c)}
	for k := range into {
		at := k + x.late + frames
		into[k] = gain * float64(windows[at/frames][at%frames])
	}
	return into
}

// fit explains what is left by some stems, as best as can be (least squares), and tells the
// energy that stays.
func (n *null) fit(columns []column, energy float64) (fit []float64, left float64) {
	if len(columns) == 0 {
		return nil, energy
	}
	frames := len(n.left[0])
	gram, right := mat.NewSymDense(len(columns), nil), mat.NewVecDense(len(columns), nil)
	values := make([][]float64, len(columns))
	for c := range n.left {
		for k, x := range columns {
			if values[k] == nil {
				values[k] = make([]float64, frames)
			}
			n.value(x, c, values[k])
			right.SetVec(k, right.AtVec(k)+dot(values[k], n.left[c]))
			for o := range k + 1 {
				gram.SetSym(k, o, gram.At(k, o)+dot(values[k], values[o]))
			}
		}
	}
	top := 0.0
	for k := range columns {
		top = max(top, gram.At(k, k))
	}
	for k := range columns { // one that is silent explains nothing
		gram.SetSym(k, k, gram.At(k, k)+1e-12*top+1e-30)
	}
	var chol mat.Cholesky
	var out mat.VecDense
	if !chol.Factorize(gram) || chol.SolveVecTo(&out, right) != nil {
		return make([]float64, len(columns)), energy
	}
	fit = make([]float64, len(columns))
	left = energy
	for k := range fit {
		fit[k] = out.AtVec(k)
		left -= fit[k] * right.AtVec(k)
	}
	return fit, max(0, left)
}

func dot(a, b []float64) (sum float64) {
	b = b[:len(a)]
	for n, v := range a {
		sum += v * b[n]
	}
	return sum
}

// grow adds stems to an explanation, the one that explains most first, for as long as that is
// worth it.
func (n *null) grow(columns []column, fit []float64, left, floor float64) ([]column, []float64, float64) {
	for left > floor && len(columns) < mostCauses {
		rest := n.rest(columns, fit)
		best, most := column{}, 0.0
		for _, t := range append(n.guides, n.stems...) {
			x := column{stem: t}
			if slices.Contains(columns, x) {
				continue
			}
			if e := n.explains(x, rest); e > most {
				best, most = x, e
			}
		}
		if most < worthwhile*left {
			break
		}
		wider := append(slices.Clone(columns), best)
		newFit, newLeft := n.fit(wider, n.energy())
		if newLeft > left*(1-worthwhile/2) {
			break
		}
		columns, fit, left = wider, newFit, newLeft
	}
	return columns, fit, left
}

func (n *null) energy() float64 {
	sum := 0.0
	for c := range n.left {
		sum += dot(n.left[c], n.left[c])
	}
	return sum
}

// rest is what some stems leave unexplained.
func (n *null) rest(columns []column, fit []float64) (rest [2][]float64) {
	value := make([]float64, len(n.left[0]))
	for c := range rest {
		rest[c] = slices.Clone(n.left[c])
		for k, x := range columns {
			for at, v := range n.value(x, c, value) {
				rest[c][at] -= fit[k] * v
			}
		}
	}
	return rest
}

// explains is how much energy of some sound a stem alone explains.
func (n *null) explains(x column, rest [2][]float64) float64 {
	value := make([]float64, len(rest[0]))
	both, own := 0.0, 0.0
	for c := range rest {
		n.value(x, c, value)
		both += dot(value, rest[c])
		own += dot(value, value)
	}
	if own <= 0 {
		return 0
	}
	return both * both / own
}

// causes turns an explanation into what is wrong with each stem.
func (n *null) causes(columns []column, fit []float64, energy float64) (out []cause) {
	value := make([]float64, len(n.left[0]))
	share := func(k int) float64 {
		own := 0.0
		for c := range n.left {
			n.value(columns[k], c, value)
			own += dot(value, value)
		}
		return fit[k] * fit[k] * own / max(energy, 1e-30)
	}
	for k, x := range columns {
		if x.late == 0 || share(k) < tinyShare {
			continue
		}
		if math.Abs(fit[k]) > lateShare {
			out = append(out, cause{stem: x.stem, gain: fit[k], late: x.late})
		}
	}
	for k, x := range columns {
		if x.late != 0 || math.Abs(fit[k]) < tinyGain || share(k) < tinyShare || slices.ContainsFunc(out, func(c cause) bool { return c.stem == x.stem }) {
			continue
		}
		out = append(out, cause{stem: x.stem, gain: 1 + fit[k]})
	}
	return out
}

const (
	// tinyGain is by how much a stem must differ to be named, a thousandth of a dB, and
	// tinyShare how much of what is left it must explain.
	tinyGain, tinyShare = 1e-4, 1e-3
	// lateShare is how much of a stem must come at another time to be named.
	lateShare = .1
)

// inTheWet tells whether what no stem explains can be of the wet stems alone: it is no stronger
// than two of them that differ, and no dry stem has a part in it.
func (n *null) inTheWet(columns []column, fit []float64, left float64) bool {
	rest := n.rest(columns, fit)
	wet, value := 0.0, make([]float64, len(n.left[0]))
	for _, t := range n.stems {
		x := column{stem: t}
		if t.Carries != Wet {
			if n.explains(x, rest) > dryShare*left {
				return false
			}
			continue
		}
		for c := range n.left {
			n.value(x, c, value)
			wet += dot(value, value)
		}
	}
	return wet > 0 && left < 2*wet
}

// dryShare is the share of what is left that a dry stem may explain by chance.
const dryShare = .02
