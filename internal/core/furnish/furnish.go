// Package furnish makes a template ready to play: its free rows are filled from the
// studio's libraries by a casting list, its stems are those of a starting point, its rows
// sit on the machines, and an opening call holds what is most useful. A template, the
// catalogue and what is asked for go in; one change, and what it comes to, come out.
package furnish

import (
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/sketch"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Ask says what should be done.
type Ask struct {
	Fill       []template.Preference // by which list free rows are filled; none fills nothing
	Stems      []*deliver.Wanted     // to be established, with their rules; none keeps those there are
	Seats      bool                  // whoever has no seat gets one
	Held       seating.Held          // what other templates hold on the machines
	OpeningMiB float64               // memory of an opening call, MiB; 0 makes none
}

// Report is what it comes to.
type Report struct {
	Filled     int // free rows that play now
	Added      int // rows for what is asked of a desk and the first patch does not play
	Joined     int // free rows that are not needed: another row of the desk plays it all
	Free       []Free
	Libraries  []string // that are used, by name
	Stems      int      // made
	Seated     int
	Unseated   int
	Opening    int // rows of the opening call
	OpeningMiB float64
}

// Free is a row that stays free, and why.
type Free struct {
	Row  template.ID
	Name string
	Why  string
}

// maker makes the change step by step, each on what the one before came to.
type maker struct {
	t, cat *template.Template
	mint   template.Mint
	steps  []change.Change
	left   left
	words  *articulation.Vocabulary
	report Report
}

func (m *maker) do(c change.Change) error {
	after, _, err := change.Apply(m.t, c)
	if err == nil {
		m.t = after
		m.steps = append(m.steps, c)
	}
	return err
}

// Ready makes a template ready to play. The error is a *change.Refused.
func Ready(t, cat *template.Template, ask Ask, mint template.Mint) (change.Change, Report, error) {
	m := &maker{t: t, cat: cat, mint: mint, words: articulation.NewVocabulary(t.Vocabulary), left: left{map[template.ID]bool{}, map[template.ID]bool{}}}
	for _, step := range []func(Ask) error{m.fill, m.tidy, m.stems, m.seats, m.opening} {
		if err := step(ask); err != nil {
			return nil, m.report, err
		}
	}
	return change.Batch{Label: "Make it ready to play", Changes: m.steps}, m.report, nil
}

// desk is the free rows of one desk.
type desk struct {
	name  string
	sound string
	rows  []*template.Instrument
}

// desks gathers the free rows that say what they are for, in the order of the score.
func (m *maker) desks() []*desk {
	at := map[string]*desk{}
	var out []*desk
	for _, i := range m.t.ScoreOrder() {
		name := articulation.Desk(m.words, i.Name)
		is := sound.ByName(name)
		if i.Kind != template.Spare || is == nil {
			continue
		}
		key := string(i.Section) + "/" + template.FoldName(name)
		if at[key] == nil {
			around := ""
			if s := sound.ByName(m.t.SectionPath(i.Section)); s != nil {
				around = sound.Family(s.ID)
			}
			at[key] = &desk{name: name, sound: sound.Among(name, is.ID, around)}
			out = append(out, at[key])
		}
		at[key].rows = append(at[key].rows, i)
	}
	return out
}

// fill casts every free row, and gives it what plays it.
func (m *maker) fill(ask Ask) error {
	list := slices.DeleteFunc(slices.Clone(ask.Fill), func(p template.Preference) bool { // a row stays free rather than be somebody else's
		return p.Kind == template.FromTemplate || p.Kind == template.LastResort && len(p.Patches) == 0
	})
	if len(list) == 0 {
		return nil
	}
	desks := m.desks()
	var parts []casting.Part
	for _, d := range desks {
		for _, i := range d.rows {
			p := casting.Part{ID: string(i.ID), Name: d.name, Sound: d.sound}
			for n, a := range i.Articulations {
				p.Ways = append(p.Ways, casting.Way{Name: a, Notes: 1 << max(0, 8-2*n)}) // the first is what it is for
			}
			parts = append(parts, p)
		}
	}
	choices := casting.New(m.t, m.cat).Apart().Cast(parts, list, nil)
	libraries := map[template.ID]bool{}
	at := 0
	for _, d := range desks {
		if err := m.desk(d, choices[at:at+len(d.rows)], libraries); err != nil {
			return err
		}
		at += len(d.rows)
	}
	for _, l := range m.cat.Libraries {
		if libraries[l.ID] {
			m.report.Libraries = append(m.report.Libraries, l.Name)
		}
	}
	return nil
}

// desk fills the rows of a desk: each patch once, extra ones after them.
func (m *maker) desk(d *desk, choices []casting.Choice, libraries map[template.ID]bool) error {
	playing := map[template.ID]template.ID{} // a row, by its patch
	var besides []template.ID
	for n, i := range d.rows {
		patches := choices[n].Patches
		if len(patches) == 0 {
			m.report.Free = append(m.report.Free, Free{Row: i.ID, Name: i.Name, Why: choices[n].Why})
			continue
		}
		for _, p := range patches {
			libraries[m.cat.Index().Patches[p].Library] = true
		}
		is := m.cat.Index().Patches[patches[0]]
		if sound.Covers(d.sound, is.Sound) && sound.ByID(is.Sound) != sound.ByID(d.sound) { // a general part, now that it is known who plays it
			if slices.ContainsFunc(m.t.Instruments, func(o *template.Instrument) bool { return slices.Contains(o.Patches, is.ID) }) {
				m.report.Free = append(m.report.Free, Free{Row: i.ID, Name: i.Name, Why: "everything the libraries have for it is in use already"})
				continue
			}
			if err := m.instead(i.ID, is); err != nil {
				return err
			}
			besides = append(besides, patches[1:]...)
			continue
		}
		if playing[patches[0]] != "" {
			if err := m.join(d, i.ID, playing[patches[0]]); err != nil {
				return err
			}
		} else {
			c, err := catalogue.Use(m.t, m.cat, patches[:1], catalogue.Place{Onto: i.ID}, m.mint)
			if err != nil {
				return err
			}
			if err := m.do(c); err != nil {
				return err
			}
			playing[patches[0]] = i.ID
			m.report.Filled++
		}
		besides = append(besides, patches[1:]...)
	}
	last := d.rows[len(d.rows)-1].ID
	for _, p := range besides {
		if playing[p] != "" {
			continue
		}
		c, err := catalogue.Use(m.t, m.cat, []template.ID{p}, m.after(last), func(kind string) template.ID {
			id := m.mint(kind)
			if kind == "instrument" {
				playing[p] = id
			}
			return id
		})
		if err != nil {
			return err
		}
		if err := m.do(c); err != nil {
			return err
		}
		patch := m.cat.Index().Patches[p]
		if base := articulation.Desk(m.words, patch.Name); base != d.name && strings.HasPrefix(patch.Name, base) { // it is this desk's now
			name := d.name + strings.TrimPrefix(patch.Name, base)
			if err := m.do(change.Edit{Edits: []change.Fields{{ID: playing[p], Name: &name}}}); err != nil {
				return err
			}
		}
		m.report.Added++
	}
	return nil
}

// instead puts a patch's own row in its own section in the place of a free row of a general
// part, such as percussion.
func (m *maker) instead(row template.ID, p *template.Patch) error {
	i := m.t.Instrument(row)
	m.left.sections[i.Section] = true
	for _, r := range i.Routes {
		m.left.stems[r.To] = true
	}
	if err := m.do(change.Delete{IDs: []template.ID{row}}); err != nil {
		return err
	}
	c, err := catalogue.Use(m.t, m.cat, []template.ID{p.ID}, catalogue.Place{}, m.mint)
	if err != nil {
		return err
	}
	m.report.Filled++
	return m.do(c)
}

// join takes a free row away whose desk plays all it is for on another row, which then
// has the desk's name.
func (m *maker) join(d *desk, row, plays template.ID) error {
	m.report.Joined++
	return m.do(change.Batch{Changes: []change.Change{change.Delete{IDs: []template.ID{row}}, change.Edit{Edits: []change.Fields{{ID: plays, Name: &d.name}}}}})
}

// left are the sections free rows were taken out of, with the stems they were on.
type left struct{ sections, stems map[template.ID]bool }

// tidy takes away the sections, and then the stems, that rows were taken out of and that
// hold nothing now.
func (m *maker) tidy(Ask) error {
	var drop change.Drop
	for _, s := range m.t.Sections {
		if m.left.sections[s.ID] && !slices.ContainsFunc(m.t.Instruments, func(i *template.Instrument) bool { return i.Section == s.ID }) &&
			!slices.ContainsFunc(m.t.Sections, func(o *template.Section) bool { return o.Parent == s.ID }) {
			drop.Sections = append(drop.Sections, s.ID)
		}
	}
	fed := map[template.ID]bool{}
	for _, i := range m.t.Instruments {
		for _, r := range i.Routes {
			fed[r.To] = true
		}
	}
	for _, b := range m.t.Buses {
		for _, r := range b.Routes {
			fed[r.To] = true
		}
	}
	for _, b := range m.t.Buses {
		if m.left.stems[b.ID] && !fed[b.ID] {
			if err := m.do(change.RemoveBus{ID: b.ID}); err != nil {
				return err
			}
		}
	}
	if len(drop.Sections) == 0 {
		return nil
	}
	for _, b := range m.t.Buses { // a coarse stem may have its colour
		if slices.Contains(drop.Sections, b.Section) {
			return nil
		}
	}
	return m.do(drop)
}

// after is the place below a row, or at the end of its section.
func (m *maker) after(row template.ID) catalogue.Place {
	at, known := m.t.Index().Place[row]
	if !known {
		return catalogue.Place{}
	}
	where := catalogue.Place{Section: m.t.Instruments[at].Section}
	if at+1 < len(m.t.Instruments) && m.t.Instruments[at+1].Section == where.Section {
		where.Before = m.t.Instruments[at+1].ID
	}
	return where
}

// stems establishes those of the stems asked for that somebody feeds, lets the rules
// decide, and takes away what nothing feeds then.
func (m *maker) stems(ask Ask) error {
	if len(ask.Stems) == 0 {
		if !slices.ContainsFunc(m.t.Instruments, func(i *template.Instrument) bool { return i.Kind != template.Guide && len(i.Routes) == 0 }) {
			return nil
		}
		ask.Stems = deliver.FromSections(m.t) // somebody goes nowhere
	}
	trial := *m
	if _, err := trial.establish(ask.Stems); err != nil {
		return err
	}
	fed := fedStems(trial.t)
	list := fedOf(ask.Stems, fed)
	made, err := m.establish(list)
	if err != nil {
		return err
	}
	m.report.Stems = made
	set := m.t.Settings.Deliver
	c, err := deliver.Renumber(m.t, max(1, set.FirstNumber), set.NumberGap)
	if err != nil {
		return err
	}
	return m.do(c)
}

// establish makes stems, applies their rules, and takes away what nothing feeds then.
func (m *maker) establish(list []*deliver.Wanted) (made int, err error) {
	var report deliver.Report
	for n, step := range []func() (change.Change, error){
		func() (c change.Change, err error) {
			c, report, err = deliver.Establish(m.t, list, false, m.mint)
			return c, err
		},
		func() (change.Change, error) { return deliver.ApplyRules(m.t, m.mint) },
		func() (change.Change, error) {
			c, _, err := deliver.Establish(m.t, list, true, m.mint)
			return c, err
		},
	} {
		c, err := step()
		if err == nil {
			err = m.do(c)
		}
		if err != nil {
			return 0, err
		}
		if n == 0 {
			made = len(report.Made)
		}
	}
	return made, nil
}

// fedStems are the stems that instruments reach, by folded name.
func fedStems(t *template.Template) map[string]bool {
	out, f := map[string]bool{}, fan.New(t)
	for _, i := range t.Instruments {
		for _, fold := range t.Folds {
			for _, b := range f.Stems(i, fold.ID) {
				out[template.FoldName(b.Name)] = true
			}
		}
	}
	return out
}

// fedOf is a list of stems without those that nobody feeds.
func fedOf(list []*deliver.Wanted, fed map[string]bool) []*deliver.Wanted {
	var out []*deliver.Wanted
	for _, w := range list {
		if !fed[template.FoldName(w.Name)] {
			continue
		}
		c := *w
		c.Children = fedOf(w.Children, fed)
		out = append(out, &c)
	}
	return out
}

func (m *maker) seats(ask Ask) error {
	if !ask.Seats || len(m.t.Machines) == 0 {
		return nil
	}
	var rows []template.ID
	for _, i := range m.t.Instruments {
		if i.NeedsSeat() && i.Seat == nil {
			rows = append(rows, i.ID)
		}
	}
	if len(rows) == 0 {
		return nil
	}
	plan := seating.Everyone(m.t, seating.Options{Only: rows, Held: ask.Held})
	if err := m.do(plan.Change()); err != nil {
		return err
	}
	for _, id := range rows {
		if m.t.Instrument(id).Seat != nil {
			m.report.Seated++
		} else {
			m.report.Unseated++
		}
	}
	return nil
}

// opening makes an opening call of what is most useful to write with, where there is none.
func (m *maker) opening(ask Ask) error {
	if ask.OpeningMiB <= 0 || slices.ContainsFunc(m.t.Calls, func(c *template.Call) bool { return c.Opening }) {
		return nil
	}
	s := sketch.Make(m.t, sketch.Wish{BudgetMiB: ask.OpeningMiB})
	call := &template.Call{ID: m.mint("call"), Name: "Opening call", Opening: true, Instruments: []template.ID{}}
	for _, i := range s.Rows {
		if i.Seat != nil {
			call.Instruments = append(call.Instruments, i.ID)
		}
	}
	if len(call.Instruments) == 0 {
		return nil
	}
	m.report.Opening, m.report.OpeningMiB = len(call.Instruments), s.MiB
	return m.do(change.Put{Calls: []change.Entry[template.Call]{change.Append(call)}})
}
