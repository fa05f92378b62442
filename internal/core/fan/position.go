package fan

import (
	"math"

	"fanfold/internal/core/template"
)

// Heard is what reaches the speakers in one print position.
type Heard struct {
	Position template.At
	Over     []*template.Bus        // buses that feed the speakers there
	Twice    []*template.Instrument // heard over more than one of them, by the same chain
	RiseDB   float64                // of the first of those: 20 log10(|g1+g2|/|g1|)
	Missing  []*template.Instrument // reach the mix, but not the speakers
}

// opening is a bus that feeds the speakers, and what its figures are to be
// multiplied by to tell its level there.
type opening struct {
	bus  int32
	gain float64
}

// Heard computes what reaches the speakers in a print position, whichever the
// template is in. Sound that does not reach the mix, as guides, is left out.
func (f *Fan) Heard(position template.At) Heard {
	h := Heard{Position: position}
	var open []opening
	for n, b := range f.t.Buses {
		for _, r := range b.Routes {
			if !f.t.Buses[f.place[r.To]].Kind.Is().Last || !r.OpenAt(position) {
				continue
			}
			gain := template.Gain(r.GainDB)
			switch {
			case r.Tap == template.Post && b.AtInput():
				gain *= template.Gain(b.GainDB)
			case r.Tap == template.Pre && !b.AtInput():
				gain /= template.Gain(b.GainDB)
			}
			open = append(open, opening{int32(n), gain})
			h.Over = append(h.Over, b)
		}
	}
	var ways []heardWay
	for n, i := range f.t.Instruments {
		ways = f.heardWays(ways[:0], n, open)
		h.judge(i, ways)
	}
	return h
}

// heardWay is what one chain of one instrument gives to the speakers.
type heardWay struct {
	chain     ChainID
	mix       bool
	over      int
	sum, most float64
}

func (f *Fan) heardWays(ways []heardWay, n int, open []opening) []heardWay {
	at := func(chain ChainID) *heardWay {
		for n := range ways {
			if ways[n].chain == chain {
				return &ways[n]
			}
		}
		ways = append(ways, heardWay{chain: chain})
		return &ways[len(ways)-1]
	}
	for _, r := range f.rows[n] {
		if r.Bus == f.mix {
			at(r.Chain).mix = true
		}
		for _, o := range open {
			if o.bus != r.Bus {
				continue
			}
			w := at(r.Chain)
			w.over++
			w.sum += r.Gain * o.gain
			w.most = max(w.most, math.Abs(r.Gain*o.gain))
		}
	}
	return ways
}

func (h *Heard) judge(i *template.Instrument, ways []heardWay) {
	missing, twice := false, false
	for _, w := range ways {
		missing = missing || w.mix && w.over == 0
		if w.over > 1 {
			if !twice && len(h.Twice) == 0 {
				h.RiseDB = template.Decibels(w.sum) - template.Decibels(w.most)
			}
			twice = true
		}
	}
	if twice {
		h.Twice = append(h.Twice, i)
	}
	if missing {
		h.Missing = append(h.Missing, i)
	}
}
