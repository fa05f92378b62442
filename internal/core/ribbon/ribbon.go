// Package ribbon draws the routing of a template: instruments gathered by
// section, groups and returns, the stems of one fold, the mix and the speakers,
// in columns from left to right, with ribbons between them whose thickness is
// the number of instruments. A fan and what is unfolded go in; places and
// ribbons in a height come out. Where columns stand, and in which colours, is
// for whoever shows them.
package ribbon

import (
	"cmp"
	"slices"

	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Kinds of place beside those of buses.
const (
	KindSection    = "section"
	KindInstrument = "instrument"
)

// MostPlaces is how many places of one kind stand by themselves; more are
// gathered by their top section.
const MostPlaces = 60

// View says what of the routing is drawn.
type View struct {
	Fold    template.ID          // whose stems show; empty takes the finest
	Toggled map[template.ID]bool // places folded or unfolded against their usual way
	Room    float64              // the height to fill; more is taken if it is too little
	Only    map[template.ID]bool // instruments that show, and what they reach; nil shows all
}

// Place is a section, an instrument, a bus, or several buses gathered.
type Place struct {
	ID     template.ID // of the section, instrument or bus; of gathered ones, see gathering
	Name   string
	Kind   string // KindSection, KindInstrument or a template.BusKind
	Number int    // of a bus
	Tint   string
	Column int
	Y, H   float64
	Count  int         // instruments
	Holds  int         // things gathered here; 0 for a single one
	In     template.ID // what it was unfolded from, to fold it again
}

// Ribbon is a flow between two places, given by their positions in Drawing.
type Ribbon struct {
	From, To      int
	Count         int // instruments in it
	Send          bool
	LowDB, HighDB float64
	Tap           string // "post", "pre", or "both" where they differ
	Y1, Y2, H     float64
}

// Drawing is the routing as drawn.
type Drawing struct {
	Places  []Place
	Ribbons []Ribbon
	Columns int
	Height  float64
}

// The columns, from left to right.
const (
	columnRows = iota
	columnBuses
	columnStems
	columnMix
	columnSpeakers
	columns
)

type drawer struct {
	t       *template.Template
	f       *fan.Fan
	view    View
	fold    template.ID
	d       Drawing
	at      map[template.ID]int // places
	ofRow   []int               // the place of each instrument
	ofBus   map[template.ID]int // the place of each bus that shows
	reach   map[template.ID]int // instruments that reach each bus
	ribbons map[[2]int]*Ribbon
}

// Draw draws the routing of a template.
func Draw(t *template.Template, f *fan.Fan, view View) Drawing {
	d := &drawer{
		t: t, f: f, view: view, fold: view.Fold, at: map[template.ID]int{}, ofRow: make([]int, len(t.Instruments)),
		ofBus: map[template.ID]int{}, reach: map[template.ID]int{}, ribbons: map[[2]int]*Ribbon{},
	}
	if t.FoldPlace(d.fold) < 0 && len(t.Folds) > 0 {
		d.fold = t.Folds[0].ID
	}
	d.countReach()
	d.placeRows()
	d.placeBuses()
	d.flow()
	for _, r := range d.ribbons {
		d.d.Ribbons = append(d.d.Ribbons, *r)
	}
	slices.SortFunc(d.d.Ribbons, func(a, b Ribbon) int { return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.To, b.To)) })
	d.d.Columns = columns
	d.layOut()
	return d.d
}

func (d *drawer) countReach() {
	var seen []int32
	for n, i := range d.t.Instruments {
		if d.hidden(i) {
			continue
		}
		seen = seen[:0]
		for _, r := range d.f.FromRow(n) {
			if !slices.Contains(seen, r.Bus) {
				seen = append(seen, r.Bus)
				d.reach[d.f.Bus(r).ID]++
			}
		}
	}
}

// hidden tells whether a row is none of those that show: no spare row does.
func (d *drawer) hidden(i *template.Instrument) bool {
	return !i.Played() || d.view.Only != nil && !d.view.Only[i.ID]
}

func (d *drawer) place(p Place) int {
	if n, ok := d.at[p.ID]; ok {
		d.d.Places[n].Count += p.Count
		d.d.Places[n].Holds += p.Holds
		return n
	}
	d.at[p.ID] = len(d.d.Places)
	d.d.Places = append(d.d.Places, p)
	return len(d.d.Places) - 1
}

// placeRows gathers the instruments that go anywhere by section. A section with
// others below it is unfolded into them, unless there are too many.
func (d *drawer) placeRows() {
	rows, children := map[template.ID][]int{}, map[template.ID][]*template.Section{}
	holds := map[template.ID]bool{}
	for n, i := range d.t.Instruments {
		d.ofRow[n] = -1
		if len(i.Routes) == 0 || d.hidden(i) {
			continue
		}
		rows[i.Section] = append(rows[i.Section], n)
		if !holds[i.Section] {
			for _, s := range d.t.Ancestry(i.Section) {
				holds[s.ID] = true
			}
		}
	}
	for _, s := range d.t.Sections {
		if holds[s.ID] {
			children[s.Parent] = append(children[s.Parent], s)
		}
	}
	usual := len(rows) <= MostPlaces
	var gather func(s *template.Section, n int)
	gather = func(s *template.Section, n int) {
		for _, row := range rows[s.ID] {
			d.ofRow[row] = n
		}
		d.d.Places[n].Count += len(rows[s.ID])
		for _, c := range children[s.ID] {
			gather(c, n)
		}
	}
	var walk func(s *template.Section, in template.ID)
	walk = func(s *template.Section, in template.ID) {
		below := children[s.ID]
		open := d.view.Toggled[s.ID] != (usual && len(below) > 0)
		if open && len(below) == 0 {
			for _, row := range rows[s.ID] {
				i := d.t.Instruments[row]
				d.ofRow[row] = d.place(Place{ID: i.ID, Name: i.Name, Kind: KindInstrument, Tint: d.t.TintOf(s.ID), Count: 1, In: s.ID})
			}
			return
		}
		if !open || len(rows[s.ID]) > 0 {
			n := d.place(Place{ID: s.ID, Name: s.Name, Kind: KindSection, Tint: d.t.TintOf(s.ID), In: in})
			if open {
				for _, row := range rows[s.ID] {
					d.ofRow[row] = n
				}
				d.d.Places[n].Count = len(rows[s.ID])
			} else {
				gather(s, n)
			}
			d.d.Places[n].Holds = d.d.Places[n].Count
		}
		if open {
			for _, c := range below {
				walk(c, s.ID)
			}
		}
	}
	for _, s := range children[""] {
		walk(s, "")
	}
}

// gathering names several buses of one kind and top section, drawn as one.
func gathering(kind template.BusKind, section *template.Section) template.ID {
	id := template.ID(kind) + "/"
	if section != nil {
		id += section.ID
	}
	return id
}

// placeBuses places the buses that show. Groups, returns and stems are gathered
// by their top section if there are too many of them.
func (d *drawer) placeBuses() {
	count := map[template.BusKind]int{}
	for _, b := range d.t.Buses {
		if d.shows(b) {
			count[b.Kind]++
		}
	}
	for _, b := range d.t.Buses {
		if !d.shows(b) {
			continue
		}
		p := Place{ID: b.ID, Name: b.Name, Kind: string(b.Kind), Number: b.Number, Tint: d.t.TintOf(b.Section), Column: columnOf(b), Count: d.reach[b.ID]}
		top := d.t.TopSection(b.Section)
		all := gathering(b.Kind, top)
		if many := count[b.Kind] > MostPlaces; many && !d.view.Toggled[all] {
			p.ID, p.Number, p.Holds, p.Name = all, 0, 1, b.Kind.Is().Many
			if top != nil {
				p.Name, p.Tint = top.Name+" "+p.Name, d.t.TintOf(top.ID)
			}
		} else if many {
			p.In = all
		}
		d.ofBus[b.ID] = d.place(p)
	}
}

// shows tells whether a bus is drawn. Stems of other folds are passed through,
// and a print bus is drawn where it is heard.
func (d *drawer) shows(b *template.Bus) bool {
	if d.view.Only != nil && d.reach[b.ID] == 0 && !b.Kind.Is().Only && !b.Kind.Is().Last {
		return false
	}
	switch is := b.Kind.Is(); {
	case is.Stem:
		return d.t.InFold(b, d.fold)
	case is.Prints: // another way to hear the same
		return slices.ContainsFunc(b.Routes, func(r template.Route) bool { return r.OpenAt(d.t.Position()) })
	}
	return true
}

// columnOf is the column of a bus; that of the rows is the first.
func columnOf(b *template.Bus) int { return columnBuses + int(b.Kind.Is().Column) }

// flow adds up the ribbons.
func (d *drawer) flow() {
	for n, i := range d.t.Instruments {
		if from := d.ofRow[n]; from >= 0 {
			d.follow(from, i.Routes, 1, 0, "", 0)
		}
	}
	for _, b := range d.t.Buses {
		if from, ok := d.ofBus[b.ID]; ok {
			d.follow(from, b.Routes, d.reach[b.ID], 0, "", 0)
		}
	}
}

// follow adds the routes of something to the ribbons, past stems that do not
// show, whose levels it takes along.
func (d *drawer) follow(from int, routes []template.Route, count int, db float64, tap string, steps int) {
	for _, r := range routes {
		to := d.t.Index().Buses[r.To]
		if !r.OpenAt(d.t.Position()) {
			continue
		}
		level, way := db+r.GainDB, cmp.Or(tap, string(r.Tap))
		n, shown := d.ofBus[to.ID]
		if !shown {
			if steps < len(d.t.Buses) && steps < 16 {
				d.follow(from, to.Routes, count, level+to.GainDB, way, steps+1)
			}
			continue
		}
		if n == from {
			continue
		}
		key := [2]int{from, n}
		x := d.ribbons[key]
		if x == nil {
			d.ribbons[key] = &Ribbon{From: from, To: n, Count: count, Send: to.Kind.Is().Sends, LowDB: level, HighDB: level, Tap: way}
			continue
		}
		x.Count += count
		x.LowDB, x.HighDB = min(x.LowDB, level), max(x.HighDB, level)
		if x.Tap != way {
			x.Tap = "both"
		}
	}
}
