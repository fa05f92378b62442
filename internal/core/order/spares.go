package order

import (
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// Spares makes the change that adds the spare rows which sections lack at their
// end, as the settings ask for; nil when none is lacking. Only sections in which
// somebody plays keep any. A spare row has the routes, fader, colour and seat style
// of the last that plays there, and a seat where there is one left, so that what
// fills it finds all that.
func Spares(t *template.Template, only []template.ID, mint template.Mint) change.Change {
	type room struct {
		plays, spares int
		last          *template.Instrument
		end           int // of the section's rows in the list
	}
	rooms := map[template.ID]*room{}
	for n, i := range t.Instruments {
		r := rooms[i.Section]
		if r == nil {
			r = &room{}
			rooms[i.Section] = r
		}
		r.end = n + 1
		switch i.Kind {
		case template.Sampled:
			r.plays++
			r.last = i
		case template.Spare:
			r.spares++
		}
	}
	var add change.Add
	var ids []template.ID
	rows := slices.Clone(t.Instruments) // as they become, to know the places
	for _, s := range t.SectionsInOrder() {
		r := rooms[s.ID]
		if r == nil || r.plays == 0 || len(only) > 0 && !slices.Contains(only, s.ID) {
			continue
		}
		want := max(t.Settings.SpareRows, int(math.Ceil(t.Settings.SpareShare*float64(r.plays)-1e-9)))
		for lack := want - r.spares; lack > 0; lack-- {
			i := &template.Instrument{
				ID: mint("instrument"), Section: s.ID, Name: "Spare", Kind: template.Spare, Articulations: []string{}, Patches: []template.ID{},
				Colour: r.last.Colour, GainDB: r.last.GainDB, Routes: slices.Clone(r.last.Routes), StemByHand: r.last.StemByHand, Style: r.last.Style,
			}
			at := 0
			for n, other := range rows {
				if other.Section == s.ID {
					at = n + 1
				}
			}
			rows = slices.Insert(rows, at, i)
			ids = append(ids, i.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	for n, i := range rows {
		if slices.Contains(ids, i.ID) {
			add.Instruments = append(add.Instruments, change.Placed{At: n, Instrument: i})
		}
	}
	batch := change.Batch{Label: fmt.Sprintf("Add %d spare rows", len(ids)), Changes: []change.Change{add}}
	if then, _, err := change.Apply(t, add); err == nil && len(t.Machines) > 0 {
		batch.Changes = append(batch.Changes, seating.Everyone(then, seating.Options{Only: ids, Rounds: -1}).Change())
	}
	return batch
}

// WithSpares is a change with the spare rows that sections lack after it, where
// it fills one.
func WithSpares(t *template.Template, c change.Change, mint template.Mint) change.Change {
	if t.Settings.SpareRows == 0 && t.Settings.SpareShare == 0 {
		return c
	}
	after, _, err := change.Apply(t, c)
	if err != nil {
		return c // it is refused where it is applied
	}
	var filled []template.ID
	for _, i := range after.Instruments {
		if was := t.Instrument(i.ID); was != nil && was.Kind == template.Spare && i.Kind != template.Spare {
			filled = append(filled, i.Section)
		}
	}
	if len(filled) == 0 {
		return c
	}
	more := Spares(after, filled, mint)
	if more == nil {
		return c
	}
	return change.Batch{Label: change.Describe(c), Changes: []change.Change{c, more}}
}
