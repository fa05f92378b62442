package deliver

import (
	"fanfold/internal/core/template"
)

// Printed audio: 24 bits at 48 kHz.
const (
	SampleRateHz   = template.SampleRateHz
	BytesPerSample = 3
)

// Cost is what a delivery takes.
type Cost struct {
	Groups, Returns, Stems int
	Buses                  int // of every kind
	Pairs                  int // stereo output pairs: those in use, and one for each group that unseated instruments feed
	Files                  int // to print: every stem of every fold, and the mix
	Bytes                  float64
	Minutes                float64
	Effects                int     // returns and other processing that run all the time
	Ways                   int     // connections that are added up
	AddsPerSecond          float64 // multiplications and additions that the ways take
	Folds                  []FoldCost
}

// FoldCost is what one fold adds to a delivery: what would be saved without it.
type FoldCost struct {
	Fold    *template.Fold
	Stems   int
	Files   int
	Bytes   float64
	Returns int // that are needed only because this fold is wet and finer than the next
	Ways    int
}

// FileBytes is the size of one printed file, bytes: 288,000 a second in stereo.
func FileBytes(mono bool, minutes float64) float64 {
	channels := 2.0
	if mono {
		channels = 1
	}
	return channels * BytesPerSample * SampleRateHz * 60 * minutes
}

// Estimate counts what delivering minutes of music takes.
func Estimate(t *template.Template, minutes float64) Cost {
	c := Cost{Buses: len(t.Buses), Minutes: minutes}
	channels := 0
	perFold := map[template.ID]*FoldCost{}
	for _, f := range t.Folds {
		perFold[f.ID] = &FoldCost{Fold: f}
	}
	for _, b := range t.Buses {
		c.Ways += len(b.Routes)
		wide := 2
		if b.Mono {
			wide = 1
		}
		channels += wide * len(b.Routes)
		if b.Processed() {
			c.Effects++
		}
		is, size := b.Kind.Is(), FileBytes(b.Mono, minutes)
		if is.Delivered() {
			c.Files, c.Bytes = c.Files+1, c.Bytes+size
		}
		switch {
		case is.Sums:
			c.Groups++
		case is.Wet():
			c.Returns++
		case is.Stem:
			c.Stems++
			f := perFold[b.Fold]
			f.Stems, f.Files, f.Bytes, f.Ways = f.Stems+1, f.Files+1, f.Bytes+size, f.Ways+len(b.Routes)
		}
	}
	for _, i := range t.Instruments {
		c.Ways += len(i.Routes)
		channels += 2 * len(i.Routes)
	}
	c.AddsPerSecond = float64(channels) * SampleRateHz
	c.Pairs = pairs(t)
	for _, f := range t.Folds {
		perFold[f.ID].Returns = returnsFor(t, f.ID)
		c.Folds = append(c.Folds, *perFold[f.ID])
	}
	return c
}

type outputPair struct {
	machine     template.ID
	riser, pair int
}

func pairs(t *template.Template) int {
	used, asked := map[outputPair]bool{}, map[template.ID]bool{}
	for _, i := range t.Instruments {
		switch {
		case i.Seat != nil:
			used[outputPair{i.Seat.Machine, i.Seat.Riser, i.Seat.Pair}] = true
		case i.NeedsSeat():
			for _, r := range i.Routes {
				asked[r.To] = asked[r.To] || !t.Index().Buses[r.To].Kind.Is().Sends
			}
		}
	}
	n := len(used)
	for _, dry := range asked {
		if dry {
			n++
		}
	}
	return n
}

// returnsFor counts the returns that one fold needs beyond those that its
// coarser stems would share.
func returnsFor(t *template.Template, fold template.ID) int {
	type key struct{ effect, process, home template.ID }
	now, without := map[key]bool{}, map[key]bool{}
	for _, b := range t.Buses {
		if !b.Kind.Is().Wet() {
			continue
		}
		for _, r := range b.Routes {
			s := t.Index().Buses[r.To]
			if !s.Kind.Is().Stem || s.Fold != fold {
				continue
			}
			home := t.TheMix().ID
			if above := t.ParentStem(s); above != nil {
				home = above.ID
			}
			now[key{b.Effect, template.ID(b.Process), s.ID}] = true
			without[key{b.Effect, template.ID(b.Process), home}] = true
		}
	}
	return len(now) - len(without)
}
