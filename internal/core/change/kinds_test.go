package change_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// every returns one change of each kind that applies to the template, with
// the words for it.
func every(t *template.Template) map[string]struct {
	c    change.Change
	says string
} {
	first, second := t.Instruments[0], t.Instruments[5]
	stem := t.StemsOf("fold-fine")[2]
	name, colour, fader, notes := "New name", "rose", -8.0, "loud"
	renamed := first.Clone()
	renamed.ID, renamed.Name, renamed.Seat = "fresh", "Fresh", nil
	set := t.Settings
	set.TempoBPM = 96
	section := *t.Sections[0]
	section.Name = "Woods"
	type of = struct {
		c    change.Change
		says string
	}
	return map[string]of{
		"add":            {change.Add{Instruments: []change.Placed{{At: 3, Instrument: renamed}}}, "Add 1 row"},
		"delete":         {change.Delete{IDs: []template.ID{first.ID, second.ID}}, "Delete 2 rows"},
		"move":           {change.Move{IDs: []template.ID{second.ID}, Section: first.Section, Before: first.ID}, "Move 1 row"},
		"arrange":        {change.Arrange{Places: []change.Position{{ID: second.ID, At: 0, Section: first.Section}}}, "Move 1 row"},
		"edit":           {change.Edit{Edits: []change.Fields{{ID: first.ID, Colour: &colour, GainDB: &fader}, {ID: second.ID, Notes: &notes, Name: &name}}}, "Set colour of 2 rows"},
		"configure":      {change.Configure{Name: "Other", Settings: set}, "Change settings"},
		"connect":        {change.Connect{Wires: []change.Wire{{From: first.ID, To: stem.ID, Level: &change.WireSetting{GainDB: -6, Tap: template.Pre}}, {From: stem.ID, To: stem.Routes[0].To}}}, "Connect"},
		"assign-stem":    {change.AssignStem{IDs: []template.ID{first.ID, second.ID}, Stem: stem.ID}, "Set stem of 2 rows"},
		"seat":           {change.Seat{Seats: []change.Seating{{ID: first.ID}, {ID: second.ID, Seat: &template.Seat{Machine: "machine-1", Riser: 2, Port: 1, Channel: 1, Pair: 2}}}}, "Seat 2 rows"},
		"put":            {change.Put{Sections: []change.Entry[template.Section]{change.Append(&section), {At: 0, Value: &template.Section{ID: "new", Name: "Newest"}}}}, "Set 2 sections"},
		"drop":           {change.Drop{Calls: []template.ID{"call-1"}}, "Remove a call"},
		"remove-bus":     {change.RemoveBus{ID: stem.ID}, "Remove a bus"},
		"set-rules":      {change.SetRules{Rules: []*template.StemRule{{ID: "rule", Stem: stem.ID, Register: template.Low}}}, "Set the stem rules"},
		"set-sightlines": {change.SetSightlines{Sightlines: []*template.Sightline{{ID: "s", Name: "Ready", Match: template.Match{State: "ready"}}}}, "Set the sightlines"},
		"become":         {change.Between(t, coretest.Must(t, change.Delete{IDs: []template.ID{first.ID}}, change.Configure{Name: "Other", Settings: set})), "Make it like another"},
		"set-sections":   {change.SetSections{Sections: append([]*template.Section{{ID: "new", Name: "Newest"}}, t.Sections...)}, "Arrange the sections"},
		"set-returns":    {change.SetReturns{Sets: []*template.ReturnSet{{ID: "other", Name: "Other", Effects: []template.ReturnEffect{{ID: "e2", Name: "Hall"}}}}}, "Set the return sets"},
		"set-position":   {change.SetPosition{Position: template.AtPrint}, "Switch to print"},
		"remove-machine": {change.RemoveMachine{ID: "machine-1"}, "Remove a machine"},
		"rename-machine": {change.RenameMachine{ID: "machine-1", Name: "Rowan"}, "Rename a machine to Rowan"},
		"batch":          {change.Batch{Changes: []change.Change{change.Delete{IDs: []template.ID{first.ID}}, change.Drop{Calls: []template.ID{"call-1"}}}}, "Delete 1 row"},
	}
}

func seatedWithCall() *template.Template {
	t := coretest.Orchestra(24, 2)
	t = coretest.Must(t, seating.Everyone(t, seating.Options{}).Change())
	set := &template.ReturnSet{ID: "set", Name: "Hall", Effects: []template.ReturnEffect{{ID: "e1", Name: "Hall"}}}
	stem, section := t.StemsOf("fold-fine")[0].Clone(), *t.Sections[0]
	stem.Returns, section.Sends = "set", []template.Send{{Effect: "e1", GainDB: -3, Tap: template.Pre}}
	t = coretest.Must(t, change.SetReturns{Sets: []*template.ReturnSet{set}},
		change.Put{Buses: []change.Entry[template.Bus]{change.Append(stem)}, Sections: []change.Entry[template.Section]{change.Append(&section)}},
		change.SetRules{Rules: []*template.StemRule{{ID: "first", Stem: t.StemsOf("fold-fine")[2].ID}}})
	return coretest.Must(t, change.Put{Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "call-1", Name: "1M05", Instruments: []template.ID{t.Instruments[0].ID, t.Instruments[7].ID}})}})
}

// Every kind there is: it changes something, is taken back to the very same
// template, survives its JSON, says what it does, and names what it sets.
func TestEveryKindOfChange(t *testing.T) {
	base := seatedWithCall()
	before := asJSON(t, base)
	all := every(base)
	for _, kind := range change.Kinds() {
		t.Run(kind, func(t *testing.T) {
			tc, ok := all[kind]
			require.True(t, ok, "there is a case for it")
			require.Equal(t, kind, tc.c.Kind())
			require.Equal(t, tc.says, change.Describe(tc.c))
			require.NotEmpty(t, tc.c.Keys())
			after, inverse, err := change.Apply(base, tc.c)
			require.NoError(t, err)
			require.NotEqual(t, before, asJSON(t, after), "it changes something")
			require.NoError(t, after.Validate())
			back, again, err := change.Apply(after, inverse)
			require.NoError(t, err)
			require.Equal(t, before, asJSON(t, back))
			redone, _, err := change.Apply(back, again)
			require.NoError(t, err)
			require.Equal(t, asJSON(t, after), asJSON(t, redone), "the inverse of the inverse is the change")

			data, err := change.Marshal(tc.c)
			require.NoError(t, err)
			read, err := change.Unmarshal(data)
			require.NoError(t, err)
			require.Equal(t, tc.says, change.Describe(read))
			require.Equal(t, tc.c.Keys(), read.Keys())
		})
	}
	require.Equal(t, before, asJSON(t, base), "the template itself is never altered")
}

func TestRemovingAMachineFreesItsSeats(t *testing.T) {
	base := seatedWithCall()
	pin := template.SeatStyle{Machine: "machine-1", OwnPair: true}
	base = coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: base.Instruments[0].ID, Style: &pin}}})
	after := coretest.Must(base, change.RemoveMachine{ID: "machine-1"})
	require.Len(t, after.Machines, 1)
	for _, i := range after.Instruments {
		require.True(t, i.Seat == nil || i.Seat.Machine == "machine-2")
	}
	require.Equal(t, template.SeatStyle{OwnPair: true}, after.Instruments[0].Style, "only the wish for the machine goes")
	_, _, err := change.Apply(after, change.RemoveMachine{ID: "machine-1"})
	require.ErrorContains(t, err, "no longer in the template")
}

// A stem set by one person and a route of the same row set by another clash;
// routes of a row to different buses do not.
func TestRoutesClashWithStems(t *testing.T) {
	wire := func(from, to template.ID) change.Change {
		return change.Connect{Wires: []change.Wire{{From: from, To: to, Level: &change.WireSetting{Tap: template.Post}}}}
	}
	stem := change.AssignStem{IDs: []template.ID{"a"}, Stem: "s"}
	for name, tc := range map[string]struct {
		a, b  change.Change
		clash bool
	}{
		"stem, then route":       {stem, wire("a", "x"), true},
		"route, then stem":       {wire("a", "x"), stem, true},
		"the same route":         {wire("a", "x"), wire("a", "x"), true},
		"routes to two buses":    {wire("a", "x"), wire("a", "y"), false},
		"routes of two rows":     {wire("a", "x"), wire("b", "x"), false},
		"route of a deleted row": {wire("a", "x"), change.Delete{IDs: []template.ID{"a"}}, true},
		"delete a routed row":    {change.Delete{IDs: []template.ID{"a"}}, wire("a", "x"), true},
		"settings twice":         {change.Configure{}, change.Configure{}, true},
		"settings and a row":     {change.Configure{}, wire("a", "x"), false},
	} {
		t.Run(name, func(t *testing.T) {
			_, clash := change.Clash(tc.a.Keys(), tc.b.Keys())
			require.Equal(t, tc.clash, clash)
		})
	}
}

// Rows go where they are put, in any order of asking.
func TestAddingAtPlaces(t *testing.T) {
	base := coretest.Orchestra(6, 1)
	fresh := func(id string) *template.Instrument {
		i := base.Instruments[0].Clone()
		i.ID, i.Name = template.ID(id), id
		return i
	}
	after := coretest.Must(base, change.Add{Instruments: []change.Placed{
		{At: 7, Instrument: fresh("seven")}, {At: -1, Instrument: fresh("last")}, {At: 0, Instrument: fresh("zero")}, {At: 900, Instrument: fresh("beyond")},
	}})
	at := func(id template.ID) int { return after.Index().Place[id] }
	require.Equal(t, 0, at("zero"))
	require.Equal(t, 7, at("seven"))
	require.ElementsMatch(t, []int{8, 9}, []int{at("last"), at("beyond")})
	_, _, err := change.Apply(base, change.Add{Instruments: []change.Placed{{Instrument: fresh("one")}, {Instrument: fresh("one")}}})
	require.ErrorContains(t, err, "already in the template")
	_, _, err = change.Apply(base, change.Add{Instruments: []change.Placed{{Instrument: fresh(string(base.TheMix().ID))}}})
	require.ErrorContains(t, err, "is used twice", "an id is unique over all nouns")
	_, _, err = change.Apply(base, change.Put{Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: base.Instruments[0].ID, Name: "X"})}})
	require.ErrorContains(t, err, "is used twice")
}

// A stem without groups takes instruments itself; one whose group already
// serves the section takes them there; guides never go to a stem.
func TestWhereAStemTakesItsInstruments(t *testing.T) {
	base := coretest.Orchestra(16, 1)
	bare := &template.Bus{ID: "bare", Kind: template.Stem, Name: "Bare", Fold: "fold-fine", Routes: []template.Route{{To: base.TheMix().ID, Tap: template.Post}}}
	now := coretest.Must(base, change.Put{Buses: []change.Entry[template.Bus]{change.Append(bare)}})
	i := now.Instruments[0]
	own := now.Index().Buses[i.Routes[0].To].Routes[0].To
	moved := coretest.Must(now, change.AssignStem{IDs: []template.ID{i.ID}, Stem: "bare"})
	require.Equal(t, []template.Route{{To: "bare", Tap: template.Post}}, moved.Instrument(i.ID).Routes)
	back := coretest.Must(moved, change.AssignStem{IDs: []template.ID{i.ID}, Stem: own})
	require.Equal(t, i.Routes, back.Instrument(i.ID).Routes, "to the group that serves its section or feeds the stem")
	guide := &template.Instrument{ID: "g", Name: "Dialogue", Section: i.Section, Kind: template.Guide}
	guided := coretest.Must(now, change.Add{Instruments: []change.Placed{{At: -1, Instrument: guide}}})
	_, _, err := change.Apply(guided, change.AssignStem{IDs: []template.ID{"g"}, Stem: "bare"})
	require.ErrorContains(t, err, "guides go straight to the speakers")
}

func TestUnmarshalRefuses(t *testing.T) {
	deep := `{"kind":"delete","ids":["a"]}`
	for range 12 {
		deep = `{"kind":"batch","changes":[` + deep + `]}`
	}
	for name, tc := range map[string]struct{ data, says string }{
		"nonsense":      {"nonsense", "read change"},
		"no kind":       {"{}", `"" is not a kind of change; kinds are add, arrange`},
		"odd field":     {`{"kind":"move","ids":[],"to":"x"}`, "unknown field"},
		"wrong type":    {`{"kind":"delete","ids":"all"}`, "read delete change"},
		"in a batch":    {`{"kind":"batch","changes":[{"kind":"delete","ids":[]},{"kind":"explode"}]}`, "changes[1]"},
		"too deep":      {deep, "nested deeper than 8"},
		"batch of none": {`{"kind":"batch","changes":7}`, "read batch"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := change.Unmarshal([]byte(tc.data))
			require.ErrorContains(t, err, tc.says)
		})
	}
}
