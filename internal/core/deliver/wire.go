package deliver

import (
	"cmp"
	"math"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// wiring is one computation of groups, returns and sends.
type wiring struct {
	t       *template.Template
	f       *fan.Fan
	mint    template.Mint
	assign  map[template.ID]template.ID // stems to be given
	stems   []*template.Bus             // of each instrument; nil for none
	moved   []bool                      // its stem has changed
	put     change.Put
	wires   change.Connect
	number  func(b *template.Bus) int
	emptied map[template.ID]bool // groups that instruments left
	targets map[template.ID]int  // groups, how many instruments feed them afterwards
}

// wire brings groups, returns and sends in line with the stems that
// instruments have, or are given.
func wire(t *template.Template, assign map[template.ID]template.ID, mint template.Mint) (change.Change, error) {
	if len(t.Folds) == 0 {
		return nil, nil
	}
	for id, stem := range assign {
		if home := t.Home(t.Instrument(id)); home != nil && home.ID != id && assign[home.ID] == "" {
			assign[home.ID] = stem
		}
	}
	w := &wiring{
		t: t, f: fan.New(t), mint: mint, assign: assign,
		stems: make([]*template.Bus, len(t.Instruments)), moved: make([]bool, len(t.Instruments)),
		number: numberer(t), emptied: map[template.ID]bool{}, targets: map[template.ID]int{},
	}
	w.findStems()
	w.dryWays()
	gone := w.returns()
	var done []change.Change
	if len(w.put.Buses) > 0 {
		done = append(done, w.put)
	}
	if len(w.wires.Wires) > 0 {
		done = append(done, w.wires)
	}
	for _, id := range append(w.empty(), gone...) {
		done = append(done, change.RemoveBus{ID: id})
	}
	if len(done) == 0 {
		return nil, nil
	}
	return change.Batch{Label: "Wire", Changes: done}, nil
}

// findStems finds the one stem of the finest fold that each instrument should
// feed. Those that feed several, or none, are left as they are.
func (w *wiring) findStems() {
	for n, i := range w.t.Instruments {
		if !i.FeedsStems() || i.With != "" {
			continue // it goes the way of the row it sits with
		}
		now := w.f.StemsIn(w.f.FromRow(n), w.t.Folds[0].ID)
		if id, ok := w.assign[i.ID]; ok {
			w.stems[n] = w.t.Index().Buses[id]
			w.moved[n] = len(now) != 1 || now[0] != w.stems[n]
		} else if len(now) == 1 {
			w.stems[n] = now[0]
		}
	}
}

// class is a set of instruments that one group can serve.
type class struct {
	stem    *template.Bus
	section template.ID // empty where sections do not matter
}

// dryWays leads every instrument to its stem, over the group that the settings
// ask for.
func (w *wiring) dryWays() {
	rule := w.t.Settings.Deliver.Groups
	if rule == template.GroupsAsTheyAre {
		w.asTheyAre()
		return
	}
	members := map[class][]int{}
	var order []class
	for n, i := range w.t.Instruments {
		if w.stems[n] == nil || !w.moved[n] && w.feedsProcessed(i) {
			continue
		}
		c := class{stem: w.stems[n]}
		if rule == template.GroupsSections {
			c.section = i.Section
		}
		if members[c] == nil {
			order = append(order, c)
		}
		members[c] = append(members[c], n)
	}
	taken := map[template.ID]bool{}
	for _, c := range order {
		to := c.stem
		if rule != template.GroupsNone {
			to = w.groupOf(c, members[c], taken)
		}
		for _, n := range members[c] {
			w.lead(n, to)
		}
	}
}

// asTheyAre gives only instruments with another stem new ways, over the groups
// there are.
func (w *wiring) asTheyAre() {
	groups := map[template.ID]change.Groups{}
	for n, i := range w.t.Instruments {
		if w.stems[n] == nil || !w.moved[n] {
			continue
		}
		stem := w.stems[n].ID
		if _, ok := groups[stem]; !ok {
			groups[stem] = change.GroupsInto(w.t, stem)
		}
		w.lead(n, w.t.Index().Buses[groups[stem].Serving(i.Section, stem)])
	}
}

// feedsProcessed tells whether an instrument feeds a group that does more than
// sum: somebody put it there for its sound.
func (w *wiring) feedsProcessed(i *template.Instrument) bool {
	return slices.ContainsFunc(i.Routes, func(r template.Route) bool {
		b := w.t.Index().Buses[r.To]
		return b.Kind.Is().Sums && b.Processed()
	})
}

// groupOf finds the group that most of a class feeds already and that feeds
// only its stem, or makes one.
func (w *wiring) groupOf(c class, members []int, taken map[template.ID]bool) *template.Bus {
	feed := map[template.ID]int{}
	for _, n := range members {
		for _, r := range w.t.Instruments[n].Routes {
			feed[r.To]++
		}
	}
	var best *template.Bus
	for _, b := range w.t.Buses {
		if !b.Kind.Is().Sums || b.Processed() || taken[b.ID] || len(b.Routes) != 1 || b.Routes[0].To != c.stem.ID {
			continue
		}
		if feed[b.ID] == 0 && (c.section == "" || b.Section != c.section) {
			continue
		}
		if best == nil || feed[b.ID] > feed[best.ID] {
			best = b
		}
	}
	if best == nil {
		best = w.newGroup(c)
	}
	taken[best.ID] = true
	return best
}

func (w *wiring) newGroup(c class) *template.Bus {
	name, section := c.stem.Name+" group", c.stem.Section
	if s := w.t.Index().Sections[c.section]; s != nil {
		name, section = s.Name, s.ID
		if w.named(name) {
			name += " (" + c.stem.Name + ")"
		}
	}
	b := &template.Bus{
		ID: w.mint("bus"), Kind: template.Group, Name: shorten(name), Section: section,
		Routes: []template.Route{{To: c.stem.ID, Tap: template.Post}},
	}
	return w.add(b)
}

func (w *wiring) add(b *template.Bus) *template.Bus {
	b.Number = w.number(b)
	w.put.Buses = append(w.put.Buses, change.Append(b))
	return b
}

func (w *wiring) named(name string) bool {
	is := func(b *template.Bus) bool { return template.FoldName(b.Name) == template.FoldName(name) }
	return slices.ContainsFunc(w.t.Buses, is) ||
		slices.ContainsFunc(w.put.Buses, func(e change.Entry[template.Bus]) bool { return is(e.Value) })
}

// lead sends an instrument dry to one bus and to no other; sends to returns
// stay. The level at which it reaches its stem stays what it was.
func (w *wiring) lead(n int, to *template.Bus) {
	i := w.t.Instruments[n]
	w.targets[to.ID]++
	var off []template.Route
	there := false
	for _, r := range i.Routes {
		switch b := w.t.Index().Buses[r.To]; {
		case r.To == to.ID:
			there = true
		case !b.Kind.Is().Sends && !b.Kind.Is().Last:
			off = append(off, r)
		}
	}
	if there && len(off) == 0 {
		return
	}
	for _, r := range off {
		w.wires.Wires = append(w.wires.Wires, change.Wire{From: i.ID, To: r.To})
		w.emptied[r.To] = true
	}
	w.wires.Wires = append(w.wires.Wires, change.Wire{From: i.ID, To: to.ID, Level: &change.WireSetting{GainDB: w.level(n, to), Tap: template.Post}})
}

// level is the gain, dB, that brings an instrument to its stem over another
// bus as loud as it came to its present one.
func (w *wiring) level(n int, to *template.Bus) float64 {
	i := w.t.Instruments[n]
	var dry float64
	for _, r := range w.f.FromRow(n) {
		if b := w.f.Bus(r); b.Kind.Is().Stem && b.Fold == w.t.Folds[0].ID && r.Chain == fan.Dry {
			dry += r.Gain / template.Gain(b.GainDB)
		}
	}
	if dry <= 0 {
		return 0
	}
	db := template.Decibels(dry) - i.GainDB
	if to.Kind.Is().Sums {
		db -= to.Routes[0].GainDB
		if to.Routes[0].Tap == template.Post {
			db -= to.GainDB
		}
	}
	if math.Abs(db) < 1e-9 {
		return 0
	}
	return min(template.MaxGainDB, max(template.MinGainDB, db))
}

// empty lists groups that instruments left and nothing feeds any more.
func (w *wiring) empty() []template.ID {
	fed := map[template.ID]bool{}
	for _, b := range w.t.Buses {
		for _, r := range b.Routes {
			fed[r.To] = true
		}
	}
	leaving := map[[2]template.ID]bool{}
	for _, x := range w.wires.Wires {
		if x.Level == nil {
			leaving[[2]template.ID{x.From, x.To}] = true
		}
	}
	for _, i := range w.t.Instruments {
		for _, r := range i.Routes {
			fed[r.To] = fed[r.To] || !leaving[[2]template.ID{i.ID, r.To}]
		}
	}
	var out []template.ID
	for _, b := range w.t.Buses {
		if b.Kind.Is().Sums && w.emptied[b.ID] && !fed[b.ID] && w.targets[b.ID] == 0 && !b.Processed() {
			out = append(out, b.ID)
		}
	}
	return out
}

// home is one effect in the stem that carries it.
type home struct {
	effect template.ID
	stem   *template.Bus
}

// returns makes a return for every effect of every stem that carries wet sound
// and is asked for it, sends the instruments there, and lists the computed
// returns that nobody needs any more.
func (w *wiring) returns() []template.ID {
	effects := map[template.ID]bool{} // of all sets
	for _, s := range w.t.ReturnSets {
		for _, e := range s.Effects {
			effects[e.ID] = true
		}
	}
	if len(effects) == 0 && !slices.ContainsFunc(w.t.Buses, func(b *template.Bus) bool { return b.Effect != "" }) {
		return nil
	}
	made := map[home]*template.Bus{}
	homes := map[*template.Bus]*template.Bus{}
	for n, i := range w.t.Instruments {
		stem := w.stems[n]
		if stem == nil {
			continue
		}
		wet, known := homes[stem]
		if !known {
			wet = w.t.WetHome(stem)
			homes[stem] = wet
		}
		var set *template.ReturnSet
		if wet != nil {
			set = w.t.ReturnSet(setOf(w.t, stem))
		}
		w.sendsOf(i, set, wet, made)
	}
	needed := map[template.ID]bool{}
	for _, b := range made {
		needed[b.ID] = true
	}
	var gone []template.ID
	for _, b := range w.t.Buses {
		if b.Effect != "" && !needed[b.ID] {
			gone = append(gone, b.ID)
		}
	}
	return gone
}

// setOf is the return set of a stem: its own, or that of the stem it belongs
// to.
func setOf(t *template.Template, stem *template.Bus) template.ID {
	for range len(t.Folds) {
		if stem == nil || stem.Returns != "" {
			break
		}
		stem = t.ParentStem(stem)
	}
	if stem == nil {
		return ""
	}
	return stem.Returns
}

// sendsOf brings the sends of one instrument to computed returns in line.
func (w *wiring) sendsOf(i *template.Instrument, set *template.ReturnSet, wet *template.Bus, made map[home]*template.Bus) {
	present := map[template.ID]template.Route{} // by effect
	for _, r := range i.Routes {
		if b := w.t.Index().Buses[r.To]; b.Effect != "" {
			if _, twice := present[b.Effect]; twice {
				w.wires.Wires = append(w.wires.Wires, change.Wire{From: i.ID, To: r.To})
				continue
			}
			present[b.Effect] = r
		}
	}
	if set != nil {
		for n := range set.Effects {
			e := &set.Effects[n]
			now, has := present[e.ID]
			delete(present, e.ID)
			level, wanted := w.wanted(i, e, now, has)
			if !wanted {
				if has {
					w.wires.Wires = append(w.wires.Wires, change.Wire{From: i.ID, To: now.To})
				}
				continue
			}
			to := w.returnOf(e, wet, made)
			if has && now.To == to.ID && now.GainDB == level.GainDB && now.Tap == level.Tap {
				continue
			}
			if has && now.To != to.ID {
				w.wires.Wires = append(w.wires.Wires, change.Wire{From: i.ID, To: now.To})
			}
			w.wires.Wires = append(w.wires.Wires, change.Wire{From: i.ID, To: to.ID, Level: &level})
		}
	}
	left := make([]template.ID, 0, len(present))
	for _, r := range present {
		left = append(left, r.To)
	}
	slices.Sort(left)
	for _, to := range left {
		w.wires.Wires = append(w.wires.Wires, change.Wire{From: i.ID, To: to})
	}
}

// wanted is the level of a send: what was set by hand, or what the section
// sends.
func (w *wiring) wanted(i *template.Instrument, e *template.ReturnEffect, now template.Route, has bool) (change.WireSetting, bool) {
	if has && now.Hand {
		return change.WireSetting{GainDB: now.GainDB, Tap: now.Tap, Hand: true}, true
	}
	s, sends := w.t.SendOf(i.Section, e)
	return change.WireSetting{GainDB: s.GainDB, Tap: s.Tap}, sends
}

// returnOf finds or makes the return of an effect in a stem.
func (w *wiring) returnOf(e *template.ReturnEffect, wet *template.Bus, made map[home]*template.Bus) *template.Bus {
	key := home{e.ID, wet}
	if b := made[key]; b != nil {
		return b
	}
	for _, b := range w.t.Buses {
		if b.Effect != e.ID || len(b.Routes) != 1 || b.Routes[0].To != wet.ID {
			continue
		}
		if b.Process != e.Process || !slices.EqualFunc(b.Runs, e.Runs, template.BusEffect.Equal) {
			b = b.Clone()
			b.Process, b.Runs = e.Process, template.CloneEffects(e.Runs)
			w.put.Buses = append(w.put.Buses, change.Append(b))
		}
		made[key] = b
		return b
	}
	made[key] = w.add(&template.Bus{
		ID: w.mint("bus"), Kind: template.Return, Name: shorten(e.Name + ", " + wet.Name), Process: e.Process, Runs: template.CloneEffects(e.Runs), Effect: e.ID,
		Section: wet.Section, Routes: []template.Route{{To: wet.ID, Tap: template.Post}},
	})
	return made[key]
}

// shorten keeps a made name within what a name may have.
func shorten(name string) string {
	runes := []rune(name)
	return string(runes[:min(len(runes), template.MaxName)])
}

// numberer gives new buses their numbers, if the others have any: the first
// free one after those of its kind and top section, else after all.
func numberer(t *template.Template) func(*template.Bus) int {
	used := map[int]bool{}
	for _, b := range t.Buses {
		if b.Number > 0 {
			used[b.Number] = true
		}
	}
	if len(used) == 0 {
		return func(*template.Bus) int { return 0 }
	}
	return func(b *template.Bus) int {
		after, most := 0, 0
		for _, o := range t.Buses {
			most = max(most, o.Number)
			if o.Kind == b.Kind && t.TopSection(o.Section) == t.TopSection(b.Section) {
				after = max(after, o.Number)
			}
		}
		n := cmp.Or(after, most) + 1
		for used[n] {
			n++
		}
		if n > template.MaxNumber {
			return 0
		}
		used[n] = true
		return n
	}
}
