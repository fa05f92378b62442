package change

import (
	"slices"

	"fanfold/internal/core/template"
)

// SetRules replaces the stem rules.
type SetRules struct {
	Rules []*template.StemRule `json:"rules"`
}

// Kind implements Change.
func (SetRules) Kind() string { return "set-rules" }

// Keys implements Change.
func (SetRules) Keys() []Key { return []Key{ofList(template.Rules)} }

func (c SetRules) apply(d *draft) (Change, error) {
	if slices.Contains(c.Rules, nil) {
		return nil, refuse("", "a rule is missing")
	}
	undo := SetRules{Rules: d.t.Rules}
	d.t.Rules, d.lists[template.Rules] = slices.Clone(c.Rules), true
	return undo, nil
}

// SetReturns replaces the return sets. Stems of a set that goes lose it, and
// sections lose their amounts for an effect that goes.
type SetReturns struct {
	Sets []*template.ReturnSet `json:"sets"`
}

// Kind implements Change.
func (SetReturns) Kind() string { return "set-returns" }

// Keys implements Change.
func (SetReturns) Keys() []Key { return []Key{ofList(template.ReturnSets)} }

func (c SetReturns) apply(d *draft) (Change, error) {
	if slices.Contains(c.Sets, nil) {
		return nil, refuse("", "a return set is missing")
	}
	sets, effects := map[template.ID]bool{}, map[template.ID]bool{}
	for _, s := range c.Sets {
		sets[s.ID] = true
		for _, e := range s.Effects {
			effects[e.ID] = true
		}
	}
	undo := SetReturns{Sets: d.t.ReturnSets}
	d.t.ReturnSets, d.lists[template.ReturnSets] = slices.Clone(c.Sets), true
	lost := Put{}
	for _, b := range d.t.Buses {
		if b.Returns != "" && !sets[b.Returns] {
			b = b.Clone()
			b.Returns = ""
			lost.Buses = append(lost.Buses, Append(b))
		}
	}
	for _, s := range d.t.Sections {
		gone := func(x template.Send) bool { return !effects[x.Effect] }
		if slices.ContainsFunc(s.Sends, gone) {
			kept := *s
			kept.Sends = slices.DeleteFunc(slices.Clone(s.Sends), gone)
			lost.Sections = append(lost.Sections, Append(&kept))
		}
	}
	if lost.empty() {
		return undo, nil
	}
	back, err := lost.apply(d)
	return Batch{Changes: []Change{undo, back}}, err
}

// SetPosition switches what is heard: the mix, or the recorded stems. Each
// bus's way to the speakers is opened in one position alone, the print bus's
// in print and every other in listen, so that no sound can reach the speakers
// twice. A template without a print bus gets one, fed by the stems of the
// coarsest fold.
type SetPosition struct {
	Position template.At `json:"position"`
	Bus      template.ID `json:"bus,omitempty"` // the ID of a print bus to be made; empty takes "bus-print"
}

// Kind implements Change.
func (SetPosition) Kind() string { return "set-position" }

// Keys implements Change.
func (SetPosition) Keys() []Key {
	return []Key{{Object: whole, Field: ofList(template.TheSettings).Field + "/position"}}
}

func (c SetPosition) apply(d *draft) (Change, error) {
	if c.Position != template.AtListen && c.Position != template.AtPrint {
		return nil, refuse("", "%q is neither listen nor print", c.Position)
	}
	speakers := d.t.TheSpeakers()
	if speakers == nil {
		return nil, refuse("", "the template has no speakers to hear it on; add a bus of that kind first")
	}
	var put Put
	made := d.t.ThePrint()
	if made == nil && c.Position == template.AtPrint {
		made = &template.Bus{ID: c.Bus, Kind: template.Print, Name: "Print"}
		if c.Bus == "" {
			made.ID = "bus-print"
		}
		made.Routes = []template.Route{{To: speakers.ID, Tap: template.Post, At: template.AtPrint}}
		put.Buses = append(put.Buses, Append(made))
		put.Buses = append(put.Buses, feed(d.t, made.ID)...)
	}
	if made != nil { // without a print bus there is nothing to hear twice
		put.Buses = positioned(d.t, speakers.ID, put.Buses)
	}
	set := d.t.Settings
	set.Deliver.Position = c.Position
	if set.Deliver.Position == template.AtListen {
		set.Deliver.Position = ""
	}
	return Batch{Changes: []Change{put, Configure{Name: d.t.Name, Settings: set}}}.apply(d)
}

// feed sends every stem that the coarsest fold with stems is delivered as to the
// print bus.
func feed(t *template.Template, print template.ID) []Entry[template.Bus] {
	var out []Entry[template.Bus]
	for _, fold := range slices.Backward(t.Folds) {
		for _, s := range t.Delivered(fold.ID) {
			s = s.Clone()
			s.Routes = template.SortRoutes(append(s.Routes, template.Route{To: print, Tap: template.Post}))
			out = append(out, Append(s))
		}
		if len(out) > 0 {
			break
		}
	}
	return out
}

// positioned opens every bus's way to the speakers in its one position, taking
// over what is to be put already.
func positioned(t *template.Template, speakers template.ID, puts []Entry[template.Bus]) []Entry[template.Bus] {
	taken := map[template.ID]bool{}
	for _, e := range puts {
		taken[e.Value.ID] = true
	}
	for _, b := range t.Buses {
		at := b.Kind.Is().HeardAt()
		n := slices.IndexFunc(b.Routes, func(r template.Route) bool { return r.To == speakers })
		if n < 0 || b.Routes[n].At == at || taken[b.ID] {
			continue
		}
		b = b.Clone()
		b.Routes[n].At = at
		puts = append(puts, Append(b))
	}
	return puts
}

// SetSightlines replaces the sightlines.
type SetSightlines struct {
	Sightlines []*template.Sightline `json:"sightlines"`
}

// Kind implements Change.
func (SetSightlines) Kind() string { return "set-sightlines" }

// Keys implements Change.
func (SetSightlines) Keys() []Key { return []Key{ofList(template.Sightlines)} }

func (c SetSightlines) apply(d *draft) (Change, error) {
	if slices.Contains(c.Sightlines, nil) {
		return nil, refuse("", "a sightline is missing")
	}
	undo := SetSightlines{Sightlines: d.t.Sightlines}
	d.t.Sightlines, d.lists[template.Sightlines] = slices.Clone(c.Sightlines), true
	return undo, nil
}
