package calls

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"fanfold/internal/core/template"
)

// Sounding is a stretch of music in which a row plays, s from the beginning.
type Sounding struct{ From, To float64 }

// FollowAsk asks how memory can follow music: rows are woken before they enter, and rest after
// they have played where memory is short.
type FollowAsk struct {
	Plays  map[template.ID][]Sounding // of each row, in order
	Bars   []float64                  // where each bar begins, s, and at last where the music ends
	Paces  map[template.ID]Pace       // what was learned of each machine
	Others map[template.ID][]Held     // what other templates hold on each
	Margin float64                    // how long before it enters a row should be ready, s
	Tail   float64                    // how long a row rings on, s
}

// The usual margin and tail (common practice, no source).
const (
	UsualMargin = 4.0
	UsualTail   = 6.0
)

// Following is memory by bar.
type Following struct {
	Steps    []FollowStep // in the order of their bars
	Machines []FollowedMachine
}

// FollowStep is what changes where a bar begins. Bar 0 is before the music: what is woken there
// must be ready when it begins.
type FollowStep struct {
	Bar    int
	Second float64
	Wake   []template.ID
	Rest   []template.ID
}

// FollowedMachine is what a machine holds from bar to bar.
type FollowedMachine struct {
	Machine  *template.Machine
	LimitMiB float64 // beside what it holds for other templates
	AllMiB   float64 // with every row of the music at once
	Bars     []float64
	Over     []int // bars, from 1, in which what plays alone is more than it holds
}

// Follow computes memory by bar for the music of a template. Each row is woken as long before its
// entry as its load takes, since the loads of a machine come one after another, with a margin; it
// stays until the end where memory allows, else it rests after it has played, those that play no
// more first, then those whose next entry is farthest.
func Follow(t *template.Template, a FollowAsk) Following {
	out := Following{Steps: []FollowStep{}, Machines: []FollowedMachine{}}
	steps := map[int]*FollowStep{}
	rows := map[template.ID][]template.ID{} // by machine, in score order
	for _, i := range t.ScoreOrder() {
		if i.Loads() && (len(a.Plays[i.ID]) > 0 || i.Keep) {
			rows[i.Seat.Machine] = append(rows[i.Seat.Machine], i.ID)
		}
	}
	for _, m := range t.Machines {
		f := follower{t: t, ask: a, machine: m, rows: rows[m.ID], steps: steps, limit: m.LimitMiB()}
		for _, h := range a.Others[m.ID] {
			f.limit -= h.MiB
		}
		out.Machines = append(out.Machines, f.run())
	}
	for _, s := range steps {
		out.Steps = append(out.Steps, *s)
	}
	slices.SortFunc(out.Steps, func(x, y FollowStep) int { return cmp.Compare(x.Bar, y.Bar) })
	return out
}

// follower computes one machine.
type follower struct {
	t       *template.Template
	ask     FollowAsk
	machine *template.Machine
	rows    []template.ID
	steps   map[int]*FollowStep
	limit   float64
	loads   map[template.ID]float64 // s
}

// held is a stretch of bars in which a row must be ready, from 0.
type held struct {
	row      template.ID
	from, to int
}

func (f *follower) run() FollowedMachine {
	out := FollowedMachine{Machine: f.machine, LimitMiB: f.limit, Bars: []float64{}, Over: []int{}}
	out.AllMiB = ReadyMiB(f.t, f.rows)[f.machine.ID]
	f.loads = map[template.ID]float64{}
	for _, e := range Reckon(f.t, Going{After: f.rows, Paces: f.ask.Paces}) {
		for _, l := range e.Order {
			f.loads[l.Instrument.ID] = f.ask.Paces[l.Machine].Of(l.Wake + l.Read).Seconds()
		}
	}
	all := out.AllMiB <= f.limit
	f.walk(f.stretches(!all), &out)
	return out
}

// bar is the bar that a time lies in, from 0; -1 before the music.
func (f *follower) bar(second float64) int {
	return sort.Search(len(f.ask.Bars), func(n int) bool { return f.ask.Bars[n] > second+1e-9 }) - 1
}

// stretches are the bars in which each row must be ready: with each, every time that it plays,
// where it may rest between; else once.
func (f *follower) stretches(each bool) []held {
	type job struct {
		row      template.ID
		from, to float64
	}
	var jobs []job
	for _, id := range f.rows {
		spans := f.ask.Plays[id]
		if len(spans) == 0 { // kept ready
			jobs = append(jobs, job{id, 0, f.ask.Bars[len(f.ask.Bars)-1]})
			continue
		}
		away := f.loads[id] + f.ask.Margin + f.ask.Tail // for less, it does not rest
		now := job{id, spans[0].From, spans[0].To}
		for _, s := range spans[1:] {
			if each && s.From-now.to > away {
				jobs = append(jobs, now)
				now = job{id, s.From, s.To}
			}
			now.to = max(now.to, s.To)
		}
		jobs = append(jobs, now)
	}
	// The latest that each can begin to load, the last first.
	slices.SortStableFunc(jobs, func(a, b job) int { return -cmp.Compare(a.from, b.from) })
	free := math.Inf(1)
	var out []held
	for _, j := range jobs {
		end := min(free, j.from-f.ask.Margin)
		free = end - f.loads[j.row]
		out = append(out, held{j.row, f.bar(free), f.bar(j.to + f.ask.Tail)})
	}
	return out
}

// walk goes from bar to bar: what must be ready is; what is no longer needed rests where memory is
// short.
func (f *follower) walk(list []held, out *FollowedMachine) {
	glass := NewGlass(f.t)
	ready := map[template.ID]bool{}
	bars := len(f.ask.Bars) - 1
	for bar := -1; bar < bars; bar++ {
		must := map[template.ID]bool{}
		for _, h := range list {
			if h.from <= bar && bar <= h.to || bar == -1 && h.from < 0 {
				must[h.row] = true
			}
		}
		for _, id := range f.rows {
			if must[id] && !ready[id] {
				ready[id] = true
				i := f.t.Instrument(id)
				glass.Add(i, *i.Seat)
				f.step(bar).Wake = append(f.step(bar).Wake, id)
			}
		}
		for glass.UsedMiB(f.machine.ID) > f.limit {
			id := f.leaves(list, ready, must, bar)
			if id == "" {
				break
			}
			delete(ready, id)
			i := f.t.Instrument(id)
			glass.Take(i, *i.Seat)
			f.step(bar).Rest = append(f.step(bar).Rest, id)
		}
		if bar < 0 {
			continue
		}
		used := glass.UsedMiB(f.machine.ID)
		out.Bars = append(out.Bars, math.Round(used*10)/10)
		if used > f.limit {
			out.Over = append(out.Over, bar+1)
		}
	}
}

// leaves is the row that rests first: of those that need not be ready, one that plays no more,
// else the one whose next entry is farthest; of equal ones the largest. Empty when there is none.
func (f *follower) leaves(list []held, ready, must map[template.ID]bool, bar int) template.ID {
	var best template.ID
	far, large := -1, 0.0
	for _, id := range f.rows {
		if !ready[id] || must[id] {
			continue
		}
		next := math.MaxInt
		for _, h := range list {
			if h.row == id && h.from > bar {
				next = min(next, h.from)
			}
		}
		if size := PreloadMiB(f.t, f.t.Instrument(id)); next > far || next == far && size > large {
			best, far, large = id, next, size
		}
	}
	return best
}

func (f *follower) step(bar int) *FollowStep {
	s := f.steps[bar]
	if s == nil {
		s = &FollowStep{Bar: bar + 1, Wake: []template.ID{}, Rest: []template.ID{}}
		if bar >= 0 {
			s.Second = f.ask.Bars[bar]
		}
		f.steps[bar] = s
	}
	return s
}
