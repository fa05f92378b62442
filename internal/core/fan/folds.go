package fan

import (
	"math"

	"fanfold/internal/core/template"
)

// Mismatch is one source and chain whose stems do not add up to the mix.
type Mismatch struct {
	Instrument *template.Instrument
	Chain      ChainID
	Stems      float64 // linear gain over all stems of the fold
	Mix        float64 // linear gain at the mix
}

// DifferenceDB is the level of what is left when the mix is taken from the
// stems, relative to full scale, dB.
func (m Mismatch) DifferenceDB() float64 { return template.Decibels(m.Stems - m.Mix) }

// FoldSum says whether the stems of one fold add up to the mix.
type FoldSum struct {
	Fold       *template.Fold
	Stems      int     // stems in the fold
	Dry        bool    // every stem of it is delivered dry
	Sources    int     // instruments looked at
	Largest    float64 // largest difference, linear
	Mismatches []Mismatch
}

// AddsUp tells whether every source and chain agrees within Tolerance.
func (s FoldSum) AddsUp() bool { return len(s.Mismatches) == 0 }

// Sum checks one fold: for every source and chain, the contributions to all
// of its stems equal the contribution to the mix, within Tolerance. Where a
// stem is delivered dry and its returns join in a coarser fold, wet sound must
// be missing from this one instead.
func (f *Fan) Sum(fold *template.Fold) FoldSum {
	sum := FoldSum{Fold: fold, Stems: len(f.t.StemsOf(fold.ID)), Dry: f.t.DeliveredDry(fold.ID)}
	var ways []Mismatch
	dry := f.dryStems(fold.ID)
	for n, i := range f.t.Instruments {
		if len(i.Routes) == 0 {
			continue
		}
		sum.Sources++
		ways = f.compare(ways[:0], n, fold.ID, dry)
		for _, m := range ways {
			d := math.Abs(m.Stems - m.Mix)
			sum.Largest = max(sum.Largest, d)
			if d > Tolerance {
				sum.Mismatches = append(sum.Mismatches, m)
			}
		}
	}
	return sum
}

// compare adds up, chain by chain, what one instrument gives to the stems of
// a fold and to the mix.
func (f *Fan) compare(ways []Mismatch, n int, fold template.ID, dry map[int32]bool) []Mismatch {
	at := func(chain ChainID) *Mismatch {
		for n := range ways {
			if ways[n].Chain == chain {
				return &ways[n]
			}
		}
		ways = append(ways, Mismatch{Instrument: f.t.Instruments[n], Chain: chain})
		return &ways[len(ways)-1]
	}
	withoutWet := false
	for _, r := range f.rows[n] {
		b := f.t.Buses[r.Bus]
		withoutWet = withoutWet || dry[r.Bus] && r.Chain == Dry
		switch {
		case r.Bus == f.mix:
			at(r.Chain).Mix += r.Gain
		case b.Kind.Is().Stem && b.Fold == fold:
			at(r.Chain).Stems += r.Gain
		}
	}
	for n := range ways {
		if withoutWet && f.Wet(ways[n].Chain) {
			ways[n].Mix = 0
		}
	}
	return ways
}

// Wet tells whether a chain passes a return.
func (f *Fan) Wet(c ChainID) bool {
	for ; c != Dry; c = f.chains.tails[c] {
		if f.t.Buses[f.chains.heads[c]].Kind.Is().Wet() {
			return true
		}
	}
	return false
}

// dryStems are the stems of a fold whose returns are delivered elsewhere than
// in that fold.
func (f *Fan) dryStems(fold template.ID) map[int32]bool {
	out := map[int32]bool{}
	for n, b := range f.t.Buses {
		if !b.Kind.Is().Stem || b.Fold != fold || b.Carries != template.CarriesDry {
			continue
		}
		if home := f.t.WetHome(b); home != nil && home.Fold != fold {
			out[int32(n)] = true
		}
	}
	return out
}
