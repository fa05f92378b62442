package fan

import (
	"fmt"
	"strconv"

	"fanfold/internal/core/template"
)

// Arrival is one source arriving at a bus over one chain.
type Arrival struct {
	Instrument *template.Instrument
	Chain      ChainID
	Ways       int
	Gain       float64 // linear
}

// Arriving returns everything that reaches a bus, in score order.
func (f *Fan) Arriving(bus template.ID) []Arrival {
	b, ok := f.place[bus]
	if !ok {
		return nil
	}
	var out []Arrival
	for _, i := range f.t.ScoreOrder() {
		if !i.Played() {
			continue
		}
		for _, r := range f.FromInstrument(i) {
			if r.Bus == b {
				out = append(out, Arrival{Instrument: i, Chain: r.Chain, Ways: int(r.Ways), Gain: r.Gain})
			}
		}
	}
	return out
}

// BusTrace tells what comes to a bus and where it goes: the sentence of its
// whole way back and on.
func (f *Fan) BusTrace(b *template.Bus) Trace {
	at := f.place[b.ID]
	tr := Trace{{Text: b.Name, Leaf: "routing", ID: b.ID}}
	rows, wet := 0, 0
	for n, i := range f.t.Instruments {
		if !i.Played() {
			continue
		}
		dryHere, wetHere := false, false
		for _, r := range f.rows[n] {
			if r.Bus == at {
				dryHere, wetHere = dryHere || !f.Wet(r.Chain), wetHere || f.Wet(r.Chain)
			}
		}
		if dryHere {
			rows++
		}
		if wetHere {
			wet++
		}
	}
	say := func(join, text string, id template.ID) {
		tr = append(tr, Step{Text: text, Leaf: "routing", ID: id, Join: join})
	}
	say(next, heads(rows)+" dry, "+none(wet)+" wet", b.ID)
	join := "; from "
	shown := 0
	for _, o := range f.t.Buses {
		for _, r := range o.Routes {
			if r.To != b.ID {
				continue
			}
			if shown++; shown <= mostNamed {
				say(join, o.Name+levelText(r, o.GainDB), o.ID)
				join = ", "
			}
		}
	}
	if shown > mostNamed {
		say(join, fmt.Sprintf("%d more buses", shown-mostNamed), b.ID)
	}
	if len(b.Routes) == 0 {
		if !b.Kind.Is().Last {
			say("; on to ", "nowhere", b.ID)
		}
		return tr
	}
	first := len(tr)
	tr = f.follow(tr, b.Routes, b.GainDB, map[template.ID]bool{b.ID: true})
	tr[first].Join = "; on to "
	return tr
}

// mostNamed is how many buses a sentence names that come to another.
const mostNamed = 6

func heads(n int) string {
	if n == 1 {
		return "1 instrument"
	}
	return strconv.Itoa(n) + " instruments"
}

func none(n int) string {
	if n == 0 {
		return "none"
	}
	return strconv.Itoa(n)
}
