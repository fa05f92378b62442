package app

import (
	"reflect"
	"slices"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/sight"
	"fanfold/internal/core/template"
)

// Fact is what the core computes for one row of the sheet.
type Fact struct {
	ID       template.ID   `json:"id"`
	Stems    []template.ID `json:"stems"`            // of the finest fold
	ReadyMiB float64       `json:"readyMib"`         // preload when ready, MiB
	Sights   []template.ID `json:"sights,omitempty"` // along which it is seen, whatever its state
}

// facts computes the facts of all rows, taking over from an earlier version
// those of rows that are the same.
func facts(t *template.Template, p proof.Proof, before *template.Template, earlier []Fact) []Fact {
	samePatches := before != nil && slices.Equal(before.Patches, t.Patches)
	sameBuses := before != nil && slices.Equal(before.Buses, t.Buses) && slices.Equal(before.Folds, t.Folds)
	sameSights := samePatches && sameBuses && slices.Equal(before.Sightlines, t.Sightlines) && slices.Equal(before.Sections, t.Sections)
	looker := sight.NewLooker(t, t.Sightlines)
	out := make([]Fact, len(t.Instruments))
	for n, i := range t.Instruments {
		old, ok := p.Fan.Taken(n)
		if ok = ok && samePatches && sameBuses; ok {
			out[n] = earlier[old]
			if was := before.Instruments[old]; was != i && (was.Trim != i.Trim || was.With != i.With || !slices.Equal(was.Patches, i.Patches) || !slices.Equal(was.Mics, i.Mics)) {
				out[n].ReadyMiB = calls.PreloadMiB(t, i)
			}
		} else {
			out[n] = Fact{ID: i.ID, Stems: []template.ID{}, ReadyMiB: calls.PreloadMiB(t, i)}
			for _, s := range p.Stems(n) {
				out[n].Stems = append(out[n].Stems, s.ID)
			}
		}
		if !ok || !sameSights || before.Instruments[old] != i {
			out[n].Sights = looker.Showing(i, out[n].Stems)
		}
	}
	return out
}

// Risers is the number of risers that each machine carries, by its ID.
func Risers(t *template.Template) map[string]int {
	out := make(map[string]int, len(t.Machines))
	for _, m := range t.Machines {
		out[string(m.ID)] = t.Risers(m)
	}
	return out
}

// Shades are the shades of the libraries of a template.
func Shades(t *template.Template) []palette.Shade {
	return append([]palette.Shade{}, palette.Shades(t)...)
}

// otherShades tells whether a template may have other shades than it had.
func otherShades(before, after *template.Template) bool {
	if !slices.Equal(before.Sections, after.Sections) || !slices.Equal(before.Libraries, after.Libraries) ||
		!slices.Equal(before.Patches, after.Patches) || len(before.Instruments) != len(after.Instruments) ||
		!reflect.DeepEqual(before.Settings.Palette, after.Settings.Palette) {
		return true
	}
	for n, i := range after.Instruments {
		if old := before.Instruments[n]; old != i && (old.Section != i.Section || !slices.Equal(old.Patches, i.Patches)) {
			return true
		}
	}
	return false
}

// ProofSummary is the state of the proof in figures.
type ProofSummary struct {
	Marks  int            `json:"marks"`
	Counts map[string]int `json:"counts"`
}

// Delta tells a browser what one revision changed.
type Delta struct {
	Revision int64                  `json:"revision"`
	Author   string                 `json:"author"`
	AuthorID string                 `json:"authorId"`
	Label    string                 `json:"label"`
	Role     string                 `json:"role"`
	Name     string                 `json:"name"`
	Settings *template.Settings     `json:"settings,omitempty"`
	Facts    []Fact                 `json:"facts,omitempty"`
	Risers   *map[string]int        `json:"risers,omitempty"` // of each machine, when that may be other than before
	Shades   *[]palette.Shade       `json:"shades,omitempty"` // all of them, when they may be other than before
	Proof    ProofSummary           `json:"proof"`
	Lists    map[string]any         `json:"lists"`
	Rules    *[]*template.StemRule  `json:"rules,omitempty"`      // all of them, when they changed
	Returns  *[]*template.ReturnSet `json:"returnSets,omitempty"` // likewise
	Sights   *[]*template.Sightline `json:"sightlines,omitempty"` // likewise
}

// ListDelta tells what became of one list: things new or changed, and, when
// the order changed, the run of IDs to replace.
type ListDelta[T any] struct {
	Put    []*T          `json:"put"`
	Set    []change.Rows `json:"set,omitempty"` // of instruments: what is set in those that are there
	Splice *Splice       `json:"splice,omitempty"`
}

// Splice replaces a run of a list of IDs.
type Splice struct {
	At     int           `json:"at"`
	Remove int           `json:"remove"`
	IDs    []template.ID `json:"ids"`
}

// differ compares two lists whose unchanged things are the same pointers.
func differ[T any](lists map[string]any, name string, before, after []*T, id func(*T) template.ID) {
	if slices.Equal(before, after) {
		return
	}
	d := ListDelta[T]{Put: []*T{}}
	old := map[*T]bool{} // made when something stands elsewhere than before
	known := func(n int, v *T) bool {
		if n < len(before) && (before[n] == v || id(before[n]) == id(v)) {
			return before[n] == v
		}
		if len(old) == 0 {
			for _, v := range before {
				old[v] = true
			}
		}
		return old[v]
	}
	var set []change.Fields
	for n, v := range after {
		if known(n, v) {
			continue
		}
		if n < len(before) {
			if f, ok := simply(before[n], v); ok {
				set = append(set, f)
				continue
			}
		}
		d.Put = append(d.Put, v)
	}
	d.Set = change.Gather(set)
	head := 0
	for head < len(before) && head < len(after) && id(before[head]) == id(after[head]) {
		head++
	}
	tail := 0
	for tail < len(before)-head && tail < len(after)-head && id(before[len(before)-1-tail]) == id(after[len(after)-1-tail]) {
		tail++
	}
	if remove := len(before) - head - tail; remove > 0 || len(after)-head-tail > 0 {
		d.Splice = &Splice{At: head, Remove: remove, IDs: []template.ID{}}
		for _, v := range after[head : len(after)-tail] {
			d.Splice.IDs = append(d.Splice.IDs, id(v))
		}
	}
	lists[name] = d
}

// simply is what sets an instrument to what it is now, where that is less than the
// instrument.
func simply[T any](was, now *T) (change.Fields, bool) {
	if i, ok := any(now).(*template.Instrument); ok {
		return change.Simply(any(was).(*template.Instrument), i)
	}
	return change.Fields{}, false
}

func lists(before, after *template.Template) map[string]any {
	out := map[string]any{}
	differ(out, "folds", before.Folds, after.Folds, func(x *template.Fold) template.ID { return x.ID })
	differ(out, "sections", before.Sections, after.Sections, func(x *template.Section) template.ID { return x.ID })
	differ(out, "instruments", before.Instruments, after.Instruments, func(x *template.Instrument) template.ID { return x.ID })
	differ(out, "buses", before.Buses, after.Buses, func(x *template.Bus) template.ID { return x.ID })
	differ(out, "libraries", before.Libraries, after.Libraries, func(x *template.Library) template.ID { return x.ID })
	differ(out, "players", before.Players, after.Players, func(x *template.Player) template.ID { return x.ID })
	differ(out, "patches", before.Patches, after.Patches, func(x *template.Patch) template.ID { return x.ID })
	differ(out, "machines", before.Machines, after.Machines, func(x *template.Machine) template.ID { return x.ID })
	differ(out, "vocabulary", before.Vocabulary, after.Vocabulary, func(x *template.Term) template.ID { return x.ID })
	differ(out, "calls", before.Calls, after.Calls, func(x *template.Call) template.ID { return x.ID })
	return out
}

// delta is what one revision changed.
func delta(e entry, before, after *sheetView) Delta {
	was, now := before.State, after.State
	d := Delta{
		Revision: e.Revision, Author: e.By, AuthorID: e.Author.String(), Label: e.Label, Role: string(e.Role), Name: now.Name,
		Proof: ProofSummary{Marks: len(after.Facts.Proof.Marks), Counts: after.Facts.Proof.Counts()},
		Lists: lists(was, now), Facts: changedFacts(before.Facts.Facts, after.Facts.Facts),
	}
	if !slices.Equal(was.Rules, now.Rules) {
		rules := append([]*template.StemRule{}, now.Rules...)
		d.Rules = &rules
	}
	if !slices.Equal(was.ReturnSets, now.ReturnSets) {
		sets := append([]*template.ReturnSet{}, now.ReturnSets...)
		d.Returns = &sets
	}
	if !slices.Equal(was.Sightlines, now.Sightlines) {
		sights := append([]*template.Sightline{}, now.Sightlines...)
		d.Sights = &sights
	}
	if !was.Settings.Equal(now.Settings) {
		d.Settings = &now.Settings
	}
	if d.Settings != nil || !slices.Equal(was.Machines, now.Machines) {
		risers := Risers(now)
		d.Risers = &risers
	}
	if otherShades(was, now) {
		shades := Shades(now)
		d.Shades = &shades
	}
	return d
}

func changedFacts(before, after []Fact) []Fact {
	old := make(map[template.ID]Fact, len(before))
	for n, f := range before {
		if n < len(after) && after[n].ID == f.ID {
			continue // compared in place below
		}
		old[f.ID] = f
	}
	var out []Fact
	for n, f := range after {
		was, ok := old[f.ID]
		if n < len(before) && before[n].ID == f.ID {
			was, ok = before[n], true
		}
		if !ok || was.ReadyMiB != f.ReadyMiB || !slices.Equal(was.Stems, f.Stems) || !slices.Equal(was.Sights, f.Sights) {
			out = append(out, f)
		}
	}
	return out
}
