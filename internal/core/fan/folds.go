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
	Stems      int  // that the fold is delivered as
	Dry        bool // every stem of it is delivered dry
	Sources    int  // instruments looked at
	DryRows    int  // instruments whose dry sound its stems bring to the mix whole
	WetRows    int  // likewise their wet sound, as far as they have any
	Without    []Without
	Largest    float64 // largest difference, linear
	Mismatches []Mismatch
}

// Without is wet sound that is in no stem of a fold, since its stem there is
// delivered dry.
type Without struct {
	Stem *template.Bus
	Home *template.Bus // the coarser stem that carries it; nil where none does
	Rows int           // instruments whose wet sound it is
}

// AddsUp tells whether every source and chain agrees within Tolerance.
func (s FoldSum) AddsUp() bool { return len(s.Mismatches) == 0 }

// Sum checks one fold: for every source and chain, the contributions to all
// of its stems equal the contribution to the mix, within Tolerance. Where a
// stem is delivered dry and its returns join in a coarser fold, wet sound must
// be missing from this one instead.
func (f *Fan) Sum(fold *template.Fold) FoldSum {
	sum := FoldSum{Fold: fold, Stems: len(f.t.Delivered(fold.ID)), Dry: f.t.DeliveredDry(fold.ID)}
	var ways []Mismatch
	in, dry, at := f.folds[fold.ID], f.dryStems(fold.ID), map[int32]int{}
	if in == nil {
		in = make([]bool, len(f.t.Buses))
	}
	for n, i := range f.t.Instruments {
		if len(i.Routes) == 0 || !i.Played() {
			continue
		}
		sum.Sources++
		var without int32
		ways, without = f.compare(ways[:0], n, in, dry)
		var good, bad [2]bool // dry, wet
		for k := range ways {
			m := &ways[k]
			kind := 0
			if f.Wet(m.Chain) {
				kind = 1
			}
			if kind == 1 && without >= 0 {
				if m.Mix != 0 {
					if _, known := at[without]; !known {
						at[without] = len(sum.Without)
						b := f.t.Buses[without]
						sum.Without = append(sum.Without, Without{Stem: b, Home: f.t.WetHome(b)})
					}
					if !good[1] && !bad[1] {
						sum.Without[at[without]].Rows++
					}
				}
				m.Mix = 0
				bad[1] = true // not here, as meant
			}
			d := math.Abs(m.Stems - m.Mix)
			sum.Largest = max(sum.Largest, d)
			if d > Tolerance {
				sum.Mismatches = append(sum.Mismatches, *m)
				bad[kind] = true
			} else {
				good[kind] = true
			}
		}
		if good[0] && !bad[0] {
			sum.DryRows++
		}
		if good[1] && !bad[1] {
			sum.WetRows++
		}
	}
	return sum
}

// compare adds up, chain by chain, what one instrument gives to the stems of
// a fold and to the mix; without is the place of its stem there that is delivered
// dry while its wet sound goes elsewhere, or -1.
func (f *Fan) compare(ways []Mismatch, n int, in []bool, dry map[int32]bool) (_ []Mismatch, without int32) {
	at := func(chain ChainID) *Mismatch {
		for n := range ways {
			if ways[n].Chain == chain {
				return &ways[n]
			}
		}
		ways = append(ways, Mismatch{Instrument: f.t.Instruments[n], Chain: chain})
		return &ways[len(ways)-1]
	}
	without = -1
	for _, r := range f.rows[n] {
		if len(dry) > 0 && r.Chain == Dry && dry[r.Bus] {
			without = r.Bus
		}
		switch {
		case r.Bus == f.mix:
			at(r.Chain).Mix += r.Gain
		case in[r.Bus]:
			at(r.Chain).Stems += r.Gain
		}
	}
	return ways, without
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
		if in := f.folds[fold]; in == nil || !in[n] || b.Carries != template.CarriesDry {
			continue
		}
		if home := f.t.WetHome(b); home != nil && !f.t.InFold(home, fold) {
			out[int32(n)] = true
		}
	}
	return out
}
