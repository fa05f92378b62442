package app

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/layout"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

func refused(id template.ID, reason string, args ...any) error {
	return &change.Refused{Subject: id, Reason: fmt.Sprintf(reason, args...)}
}

// Duplicate copies rows with everything: routes, seat style, colour and place
// in the score. The copies stand below the last one and have no seat yet.
func Duplicate(ids []template.ID) Maker {
	return func(t *template.Template) (change.Change, error) {
		chosen := make(map[template.ID]bool, len(ids))
		last := -1
		for _, id := range ids {
			at, ok := t.Index().Place[id]
			if !ok {
				return nil, refused(id, "the instrument is no longer in the template")
			}
			chosen[id], last = true, max(last, at)
		}
		var add change.Add
		for _, i := range t.Instruments {
			if !chosen[i.ID] {
				continue
			}
			c := i.Clone()
			c.ID, c.Seat, c.With, c.Name = NewID("instrument"), nil, "", nextName(t, i)
			last++
			add.Instruments = append(add.Instruments, change.Placed{At: last, Instrument: c})
		}
		return change.Batch{Label: fmt.Sprintf("Duplicate %d rows", len(ids)), Changes: []change.Change{add}}, nil
	}
}

// Seated gives the rows that a maker adds the next free seats, so that they can be called
// at once, in a template whose rows have any. Those that find none are marked.
func Seated(make Maker) Maker {
	return func(t *template.Template) (change.Change, error) {
		c, err := make(t)
		if err != nil || !slices.ContainsFunc(t.Instruments, func(i *template.Instrument) bool { return i.Seat != nil }) {
			return c, err
		}
		then, _, err := change.Apply(t, c)
		if err != nil {
			return nil, err
		}
		var rows []template.ID
		for _, i := range then.Instruments {
			if t.Instrument(i.ID) == nil && i.NeedsSeat() && i.Seat == nil {
				rows = append(rows, i.ID)
			}
		}
		if len(rows) == 0 {
			return c, nil
		}
		return change.Batch{Label: change.Describe(c), Changes: []change.Change{c, seating.Everyone(then, seating.Options{Only: rows}).Change()}}, nil
	}
}

// Again puts another row below each of the rows, on the same seat: it plays the
// same sound, which is loaded once.
func Again(ids []template.ID) Maker {
	return func(t *template.Template) (change.Change, error) {
		add := change.Add{}
		for n, id := range inOrder(t, ids) {
			i := t.Instrument(id)
			switch {
			case i == nil:
				return nil, refused(id, "the instrument is no longer in the template")
			case i.Kind != template.Sampled:
				return nil, refused(id, "%s is %s and has no seat to share; duplicate it instead", i.Name, i.Kind)
			}
			c := i.Clone()
			c.ID, c.With, c.Name, c.Pinned = NewID("instrument"), t.Home(i).ID, nextName(t, i), false
			add.Instruments = append(add.Instruments, change.Placed{At: t.Index().Place[id] + n + 1, Instrument: c})
		}
		return change.Batch{Label: fmt.Sprintf("Same again for %d rows", len(ids)), Changes: []change.Change{add}}, nil
	}
}

// OwnSeats gives rows that sit with others a sound and a seat of their own, as
// far as there are any.
func OwnSeats(ids []template.ID) Maker {
	return func(t *template.Template) (change.Change, error) {
		var edit change.Edit
		var seats change.Seat
		none := template.ID("")
		for _, id := range ids {
			if i := t.Instrument(id); i != nil && i.With != "" {
				edit.Edits = append(edit.Edits, change.Fields{ID: id, With: &none})
				seats.Seats = append(seats.Seats, change.Seating{ID: id})
			}
		}
		if len(edit.Edits) == 0 {
			return nil, refused("", "none of the rows sits with another")
		}
		alone := change.Batch{Label: fmt.Sprintf("Give %d rows their own seats", len(edit.Edits)), Changes: []change.Change{edit, seats}}
		then, _, err := change.Apply(t, alone)
		if err != nil {
			return nil, err
		}
		var rows []template.ID
		for _, f := range edit.Edits {
			rows = append(rows, f.ID)
		}
		alone.Changes = append(alone.Changes, seating.Everyone(then, seating.Options{Only: rows}).Change())
		return alone, nil
	}
}

// CopyRiser duplicates all on a riser and seats the copies on another, with the
// same ports, channels and output pairs.
func CopyRiser(machine template.ID, riser int, to template.ID, toRiser int) Maker {
	return func(t *template.Template) (change.Change, error) {
		rows, err := seating.RowsOn(t, machine, riser)
		if err != nil {
			return nil, err
		}
		copies, err := Duplicate(rows)(t)
		if err != nil {
			return nil, err
		}
		then, _, err := change.Apply(t, copies)
		if err != nil {
			return nil, err
		}
		var like, ids []template.ID
		for _, i := range t.Instruments {
			if slices.Contains(rows, i.ID) {
				like = append(like, i.ID)
			}
		}
		for _, p := range copies.(change.Batch).Changes[0].(change.Add).Instruments {
			ids = append(ids, p.Instrument.ID)
		}
		seats, err := seating.SeatAs(then, ids, like, to, toRiser)
		if err != nil {
			return nil, err
		}
		return change.Batch{Label: fmt.Sprintf("Copy a riser of %d rows", len(ids)), Changes: []change.Change{copies, seats}}, nil
	}
}

func nextName(t *template.Template, i *template.Instrument) string {
	if i.Kind == template.Divider { // many have the same word, or none
		return i.Name
	}
	taken := map[string]bool{}
	for _, o := range t.Instruments {
		if o.Section == i.Section {
			taken[strings.ToLower(o.Name)] = true
		}
	}
	for n := 2; ; n++ {
		if name := fmt.Sprintf("%s %d", i.Name, n); !taken[strings.ToLower(name)] {
			return name
		}
	}
}

// NewRows adds empty rows of a kind: below the row after, else at the end of
// the section, else of the template's first; a template without one gets it.
func NewRows(section, after template.ID, kind template.Kind, count int) Maker {
	return born(func(t *template.Template) (change.Change, error) {
		at := -1
		if i := t.Instrument(after); i != nil {
			at, section = t.Index().Place[after]+1, i.Section
		}
		if count < 1 || count > 1000 {
			return nil, refused("", "%d rows; add 1 to 1000 at a time", count)
		}
		var put change.Put
		if section == "" && len(t.Sections) > 0 {
			section = t.SectionsInOrder()[0].ID
		} else if section == "" {
			section = NewID("section")
			put.Sections = append(put.Sections, change.Append(&template.Section{ID: section, Name: "New section"}))
		}
		var add change.Add
		for n := range count {
			i := &template.Instrument{ID: NewID("instrument"), Section: section, Kind: kind, Name: "Spare"}
			switch kind {
			case template.Spare:
			case template.Divider:
				i.Name = ""
			default:
				i.Name = nextName(t, &template.Instrument{Section: section, Name: "New instrument"})
			}
			place := at
			if at >= 0 {
				place = at + n
			}
			add.Instruments = append(add.Instruments, change.Placed{At: place, Instrument: i})
		}
		return change.Batch{Label: change.Describe(add), Changes: []change.Change{put, add}}, nil
	}, false)
}

// Assign sets what a row names rather than holds, for the whole selection:
// its section (a path), stem, library or machine, by name. Sections, stems
// and libraries that do not exist yet are made.
func Assign(ids []template.ID, field, value string) Maker {
	return func(t *template.Template) (change.Change, error) {
		if len(ids) == 0 {
			return nil, refused("", "select at least one row")
		}
		value := strings.TrimSpace(value)
		switch field {
		case "section":
			return assignSection(t, ids, value)
		case "kind":
			return assignKind(t, ids, template.Kind(value))
		}
		if ids = playing(t, ids); len(ids) == 0 {
			return nil, refused("", "a divider plays nothing and has no %s; set its kind first", field)
		}
		switch field {
		case "stem":
			return assignStem(t, ids, value)
		case "library":
			return assignLibrary(t, ids, value)
		case "machine":
			return assignMachine(t, ids, value)
		}
		return nil, refused("", "%q cannot be assigned; section, stem, library, machine and kind can", field)
	}
}

// playing are the rows of a selection without the dividers in it.
func playing(t *template.Template, ids []template.ID) []template.ID {
	return slices.DeleteFunc(slices.Clone(ids), func(id template.ID) bool {
		i := t.Instrument(id)
		return i != nil && i.Kind == template.Divider
	})
}

func assignSection(t *template.Template, ids []template.ID, path string) (change.Change, error) {
	named := intake.NewNamed(t, NewID)
	section, err := named.Section(path)
	if err != nil {
		return nil, refused("", "the section cannot be set: %s", err)
	}
	return change.Batch{Label: "Set section", Changes: []change.Change{named.Put(), change.Move{IDs: inOrder(t, ids), Section: section.ID}}}, nil
}

// inOrder returns the ids as they stand in the list.
func inOrder(t *template.Template, ids []template.ID) []template.ID {
	place := t.Index().Place
	sorted := slices.Clone(ids)
	slices.SortFunc(sorted, func(a, b template.ID) int { return place[a] - place[b] })
	return slices.Compact(sorted)
}

func assignStem(t *template.Template, ids []template.ID, name string) (change.Change, error) {
	first := t.Instrument(ids[0])
	if first == nil {
		return nil, refused(ids[0], "the instrument is no longer in the template")
	}
	named := intake.NewNamed(t, NewID)
	stem, err := named.Stem(name, first.Section)
	if err != nil {
		return nil, refused("", "the stem cannot be set: %s", err)
	}
	if len(named.Put().Buses) == 0 {
		return deliver.ByHand(t, ids, stem.ID, NewID)
	}
	after, _, err := change.Apply(t, named.Put())
	if err != nil {
		return nil, err
	}
	assign, err := deliver.ByHand(after, ids, stem.ID, NewID)
	return change.Batch{Label: "Make the stem " + stem.Name, Changes: []change.Change{named.Put(), assign}}, err
}

// assignLibrary gives each row the patch of the same name in the library; one
// that is not there yet is made with the figures of the old.
func assignLibrary(t *template.Template, ids []template.ID, name string) (change.Change, error) {
	named := intake.NewNamed(t, NewID)
	library, err := named.Library(name)
	if err != nil {
		return nil, refused("", "the library cannot be set: %s", err)
	}
	player, preload := named.Player(), intake.StandardDefaults().PreloadMiB
	put := named.Put()
	var edit change.Edit
	for _, id := range ids {
		i := t.Instrument(id)
		if i == nil {
			return nil, refused(id, "the instrument is no longer in the template")
		}
		p := template.Patch{Name: i.Name, Player: player.ID, PreloadMiB: preload, KeyHigh: 127}
		if old := t.PatchesOf(i); len(old) > 0 {
			p = *old[0]
		}
		same := func(x *template.Patch) bool { return x.Library == library.ID && strings.EqualFold(x.Name, p.Name) }
		there := find(t.Patches, same)
		for _, made := range put.Patches { // for an earlier row of the selection
			if same(made.Value) {
				there = made.Value
			}
		}
		if there == nil {
			p.ID, p.Library = NewID("patch"), library.ID
			there = &p
			put.Patches = append(put.Patches, change.Append(there))
		}
		patches := []template.ID{there.ID}
		f := change.Fields{ID: id, Patches: &patches}
		if i.Kind == template.Spare {
			sampled := template.Sampled
			f.Kind = &sampled
		}
		edit.Edits = append(edit.Edits, f)
	}
	return change.Batch{Label: "Set library to " + library.Name, Changes: []change.Change{put, edit}}, nil
}

func find[T any](list []*T, is func(*T) bool) *T {
	if n := slices.IndexFunc(list, is); n >= 0 {
		return list[n]
	}
	return nil
}

func assignMachine(t *template.Template, ids []template.ID, name string) (change.Change, error) {
	if name == "" {
		return seating.OnMachine(t, ids, "")
	}
	m := find(t.Machines, func(m *template.Machine) bool { return strings.EqualFold(m.Name, name) })
	if m == nil {
		return nil, refused("", "there is no machine %q; add it in Seating first", name)
	}
	return seating.OnMachine(t, ids, m.ID)
}

// assignKind makes rows of another kind. Those that play no samples any more
// give up their seats and patches; guides leave the stems for the speakers; dividers keep nothing
// but their word, and are named when they play again.
func assignKind(t *template.Template, ids []template.ID, kind template.Kind) (change.Change, error) {
	if !slices.Contains(template.Kinds, kind) {
		return nil, refused("", "%q is not a kind; kinds are %s", kind, template.KindsInWords())
	}
	var seats change.Seat
	var edit change.Edit
	var wires change.Connect
	for _, id := range ids {
		i := t.Instrument(id)
		if i == nil {
			return nil, refused(id, "the instrument is no longer in the template")
		}
		f := change.Fields{ID: id, Kind: &kind}
		if kind != template.Sampled {
			f.Patches = &[]template.ID{}
			if i.Seat != nil {
				seats.Seats = append(seats.Seats, change.Seating{ID: id})
			}
		}
		if kind == template.Divider {
			f.Articulations = &[]string{}
			f.Printed = &template.Printed{}
			for _, r := range i.Routes {
				wires.Wires = append(wires.Wires, change.Wire{From: id, To: r.To})
			}
		} else if i.Name == "" {
			name := nextName(t, &template.Instrument{Section: i.Section, Name: "New instrument"})
			f.Name = &name
		}
		edit.Edits = append(edit.Edits, f)
		if kind == template.Guide {
			wires.Wires = append(wires.Wires, change.ToSpeakers(t, i).Wires...)
		}
	}
	return change.Batch{Label: fmt.Sprintf("Set kind to %s", kind), Changes: []change.Change{seats, edit, wires}}, nil
}

// Mend applies one remedy of a mark, found again on the present template by
// its code, subject and the remedy's position.
func Mend(code string, subject template.ID, remedy int) Maker {
	return func(t *template.Template) (change.Change, error) {
		p := proof.Check(t, "")
		for _, m := range p.Marks {
			if m.Code != code || m.Subject != subject {
				continue
			}
			if remedy < 0 || remedy >= len(m.Remedies) {
				return nil, refused(subject, "that remedy is for a person to carry out")
			}
			return p.Carry(m, m.Remedies[remedy], NewID)
		}
		return nil, refused(subject, "the mark is gone already")
	}
}

// SaveCall keeps a set of instruments as a named call; a call of that name is
// replaced.
func SaveCall(t *template.Template, name string, ids []template.ID) (change.Change, error) {
	name = strings.TrimSpace(name)
	if err := template.CheckName(name); err != nil {
		return nil, refused("", "the call cannot be saved: %s", err)
	}
	if len(ids) == 0 {
		return nil, refused("", "nothing is ready; call instruments first, then save them as %q", name)
	}
	call := &template.Call{ID: NewID("call"), Name: name, Instruments: ids}
	if old := find(t.Calls, func(c *template.Call) bool { return strings.EqualFold(c.Name, name) }); old != nil {
		call.ID, call.Opening = old.ID, old.Opening
	}
	return change.Put{Calls: []change.Entry[template.Call]{change.Append(call)}}, nil
}

// LayOut lays instruments out switched, spread or performed.
func LayOut(ids []template.ID, to template.Layout, pattern string) Maker {
	return func(t *template.Template) (change.Change, error) { return layout.Convert(t, ids, to, pattern, NewID) }
}

// BringIn takes the good rows of a list, which may name what the studio's
// catalogue knows. Rows that name no stem follow the stem rules.
func BringIn(list []intake.Row, cat *template.Template, def intake.Defaults) Maker {
	return born(func(t *template.Template) (change.Change, error) {
		batch, _, _ := intake.Plan(catalogue.Shelf(t, cat), list, NewID, def)
		return catalogue.Lent(batch, t, cat), nil
	}, false)
}
