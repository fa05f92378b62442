// Package layout converts between the three ways an instrument offers its
// articulations: switched (one row), spread (a row for each, feeding one
// player over several channels) and performed (one row whose playing
// chooses). Instruments of a template go in; the change that converts them,
// with routes, notes and calls kept and seats computed again, comes out.
package layout

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// DefaultPattern names the rows of a spread instrument.
const DefaultPattern = "{name} {articulation}"

// Mint makes a new ID for a thing of a kind.
type Mint = template.Mint

// Convert lays instruments out in another way. pattern names the rows of a
// spread: {name} stands for the instrument's, {articulation} for the
// articulation's, {short} for its abbreviation; empty takes DefaultPattern.
// Rows of one spread are converted together, whichever of them is named.
func Convert(t *template.Template, ids []template.ID, to template.Layout, pattern string, mint Mint) (change.Change, error) {
	c := &converter{before: t, t: t, words: articulation.NewVocabulary(t.Vocabulary), pattern: pattern, mint: mint}
	if pattern == "" {
		c.pattern = DefaultPattern
	}
	if !strings.Contains(c.pattern, "{articulation}") && !strings.Contains(c.pattern, "{short}") {
		return nil, &change.Refused{Reason: "the pattern needs {articulation} or {short}, or all rows would have the same name"}
	}
	sets, err := c.sets(ids)
	if err != nil {
		return nil, err
	}
	for _, rows := range sets {
		if rows[0].Layout == to {
			continue
		}
		one, err := c.gathered(rows)
		if err != nil {
			return nil, err
		}
		switch to {
		case template.SpreadOut:
			err = c.spreadOut(one)
		case template.Performed:
			err = c.performed(one)
		}
		if err != nil {
			return nil, err
		}
	}
	if len(c.made) == 0 {
		return nil, &change.Refused{Reason: fmt.Sprintf("they are %s already", Name(to))}
	}
	if err := c.seat(); err != nil {
		return nil, err
	}
	return change.Batch{Label: fmt.Sprintf("Lay out %s", Name(to)), Changes: c.made}, nil
}

// Name says a layout in a word.
func Name(l template.Layout) string {
	if l == template.Switched {
		return "switched"
	}
	return string(l)
}

type converter struct {
	before  *template.Template
	t       *template.Template // with what was made so far
	words   *articulation.Vocabulary
	pattern string
	mint    Mint
	made    []change.Change
	touched []template.ID // rows that need their seat computed again
}

func (c *converter) apply(x change.Change) error {
	after, _, err := change.Apply(c.t, x)
	if err != nil {
		return err
	}
	c.t, c.made = after, append(c.made, x)
	return nil
}

// sets gathers the rows named with all that share their player.
func (c *converter) sets(ids []template.ID) ([][]*template.Instrument, error) {
	var out [][]*template.Instrument
	done := map[template.ID]bool{}
	for _, id := range ids {
		i := c.t.Instrument(id)
		switch {
		case i == nil:
			return nil, &change.Refused{Subject: id, Reason: "the instrument is no longer in the template"}
		case done[id]:
			continue
		case i.With != "":
			return nil, &change.Refused{Subject: id, Reason: fmt.Sprintf("%s sits with %s; lay that one out, or give this a seat of its own first", i.Name, c.t.Home(i).Name)}
		case i.Kind != template.Sampled:
			return nil, &change.Refused{Subject: id, Reason: fmt.Sprintf("%s is %s; only sampled instruments have articulations", i.Name, i.Kind)}
		}
		rows := []*template.Instrument{i}
		if i.Spread != "" {
			rows = nil
			for _, x := range c.t.Instruments {
				if x.Spread == i.Spread && x.With == "" {
					rows = append(rows, x)
				}
			}
		}
		for _, x := range rows {
			done[x.ID] = true
		}
		out = append(out, rows)
	}
	return out, nil
}

// gathered makes one switched row of a spread, keeping its first; another row
// only forgets a map of its own.
func (c *converter) gathered(rows []*template.Instrument) (template.ID, error) {
	first := rows[0]
	none, empty, layout := []template.Mapping{}, template.ID(""), template.Switched
	f := change.Fields{ID: first.ID, Map: &none, Layout: &layout, Spread: &empty}
	if len(rows) == 1 && first.Layout == template.Switched {
		return first.ID, nil
	}
	if first.Spread != "" {
		var list []string
		for _, x := range rows {
			list = append(list, x.Articulations...)
		}
		name := c.base(first)
		f.Articulations, f.Name = &list, &name
	}
	if err := c.apply(change.Edit{Edits: []change.Fields{f}}); err != nil {
		return "", err
	}
	var gone []template.ID
	for _, x := range rows[1:] {
		gone = append(gone, x.ID)
	}
	c.touched = append(c.touched, first.ID)
	if len(gone) == 0 {
		return first.ID, nil
	}
	return first.ID, c.apply(change.Delete{IDs: gone})
}

// base is what a row of a spread was called before: its name without the
// articulation.
func (c *converter) base(i *template.Instrument) string {
	name := i.Name
	for _, a := range i.Articulations {
		short := a
		if t := c.words.Find(a); t != nil {
			short = t.Short
		}
		for _, word := range []string{a, short} {
			if cut := strings.TrimSpace(strings.TrimSuffix(name, word)); cut != "" && cut != name {
				return strings.TrimRight(cut, " -·,:")
			}
		}
	}
	return name
}

// spreadOut makes a row of each articulation.
func (c *converter) spreadOut(id template.ID) error {
	i := c.t.Instrument(id)
	if len(i.Articulations) < 2 {
		return &change.Refused{Subject: id, Reason: fmt.Sprintf("%s has %d articulations; there is nothing to spread", i.Name, len(i.Articulations))}
	}
	if len(i.Articulations) > template.PortChannels {
		return &change.Refused{Subject: id, Reason: fmt.Sprintf("%s has %d articulations, and a port %d channels", i.Name, len(i.Articulations), template.PortChannels)}
	}
	mappings := articulation.MapOf(c.t, i)
	var add change.Add
	at := c.t.Index().Place[id]
	for n, a := range i.Articulations {
		row := i.Clone()
		row.Name, row.Articulations, row.Layout, row.Spread = c.name(i.Name, a), []string{a}, template.SpreadOut, id
		row.Map = onChannel(c.words, mappings, a)
		if n == 0 {
			f := change.Fields{ID: id, Name: &row.Name, Articulations: &row.Articulations, Map: &row.Map, Layout: &row.Layout, Spread: &row.Spread}
			if err := c.apply(change.Edit{Edits: []change.Fields{f}}); err != nil {
				return err
			}
			continue
		}
		row.ID, row.Seat = c.mint("instrument"), nil
		add.Instruments = append(add.Instruments, change.Placed{At: at + n, Instrument: row})
	}
	if err := c.apply(add); err != nil {
		return err
	}
	var fresh []template.ID
	for _, p := range add.Instruments {
		fresh = append(fresh, p.Instrument.ID)
	}
	c.touched = append(append(c.touched, id), fresh...)
	return c.called(id, fresh)
}

// onChannel is the part of a map that reaches one articulation; channels are
// the seat's own now.
func onChannel(words *articulation.Vocabulary, mappings []template.Mapping, name string) []template.Mapping {
	for _, m := range mappings {
		if words.Same(m.Articulation, name) {
			one := template.CloneMap([]template.Mapping{m})
			one[0].Switches = slices.DeleteFunc(one[0].Switches, func(s template.Switch) bool { return s.Kind == template.ByChannel })
			return one
		}
	}
	return []template.Mapping{{Articulation: name, Switches: []template.Switch{}}}
}

func (c *converter) name(base, a string) string {
	short := a
	if t := c.words.Find(a); t != nil {
		short = t.Short
	}
	return strings.NewReplacer("{name}", base, "{articulation}", a, "{short}", short).Replace(c.pattern)
}

// called puts new rows into every call that holds the row they come from.
func (c *converter) called(of template.ID, fresh []template.ID) error {
	var put change.Put
	for _, call := range c.t.Calls {
		if !slices.Contains(call.Instruments, of) {
			continue
		}
		x := *call
		x.Instruments = append(slices.Clone(call.Instruments), fresh...)
		put.Calls = append(put.Calls, change.Append(&x))
	}
	if len(put.Calls) == 0 {
		return nil
	}
	return c.apply(put)
}

// performed lets playing choose: the articulations share the velocities
// evenly, the first the softest, unless their map tells bands of its own.
func (c *converter) performed(id template.ID) error {
	i := c.t.Instrument(id)
	n := len(i.Articulations)
	if n < 1 || n > 127 {
		return &change.Refused{Subject: id, Reason: fmt.Sprintf("%s has %d articulations; playing chooses among 1 to 127", i.Name, n)}
	}
	mappings := articulation.MapOf(c.t, i)
	out := make([]template.Mapping, n)
	for k, a := range i.Articulations {
		m := template.Mapping{Articulation: a}
		for _, x := range mappings {
			if c.words.Same(x.Articulation, a) {
				m.DelayMs = x.DelayMs
				m.Switches = slices.DeleteFunc(slices.Clone(x.Switches), func(s template.Switch) bool {
					return s.Kind != template.ByVelocity && s.Kind != template.ByController
				})
			}
		}
		if len(m.Switches) == 0 {
			m.Switches = []template.Switch{{Kind: template.ByVelocity, Low: 1 + k*127/n, High: (k + 1) * 127 / n}}
		}
		out[k] = m
	}
	layout := template.Performed
	c.touched = append(c.touched, id)
	return c.apply(change.Edit{Edits: []change.Fields{{ID: id, Map: &out, Layout: &layout}}})
}

// seat computes the seats of all rows that came or changed. Those that find
// none stay unseated, and the proof tells.
func (c *converter) seat() error {
	var ids []template.ID
	for _, id := range c.touched {
		i := c.t.Instrument(id)
		was := c.before.Instrument(id)
		if i != nil && (i.Spread != "" || was == nil || was.Seat == nil && i.Seat == nil) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 || len(c.t.Machines) == 0 {
		return nil
	}
	plan := seating.Everyone(c.t, seating.Options{Only: ids})
	if len(plan.Seats) == 0 {
		return nil
	}
	return c.apply(plan.Change())
}
