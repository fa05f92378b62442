package change_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

func asJSON(t require.TestingT, x any) string {
	data, err := json.Marshal(x)
	require.NoError(t, err)
	return string(data)
}

// Any change that applies can be taken back, gives the very same template,
// leaves the old one as it was, and survives its own JSON.
func TestApplyThenInverseIsIdentity(t *testing.T) {
	base := coretest.Orchestra(24, 1)
	before := asJSON(t, base)
	rapid.Check(t, func(r *rapid.T) {
		now := base
		var undo []change.Change
		for range rapid.IntRange(1, 5).Draw(r, "steps") {
			if len(now.Instruments) < 8 {
				break
			}
			c := coretest.Any(now).Draw(r, "change")
			data, err := change.Marshal(c)
			require.NoError(r, err)
			read, err := change.Unmarshal(data)
			require.NoError(r, err, "%s", data)
			after, inverse, err := change.Apply(now, read)
			if err != nil {
				continue
			}
			require.NoError(r, after.Validate())
			now, undo = after, append(undo, inverse)
		}
		for n := len(undo) - 1; n >= 0; n-- {
			data, err := change.Marshal(undo[n])
			require.NoError(r, err)
			inverse, err := change.Unmarshal(data)
			require.NoError(r, err)
			now, _, err = change.Apply(now, inverse)
			require.NoError(r, err)
		}
		require.Equal(r, before, asJSON(r, now))
		require.Equal(r, before, asJSON(r, base))
	})
}

func TestRefusedChangesSayWhy(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	first := base.Instruments[0]
	empty, low := "", -200.0
	for name, tc := range map[string]struct {
		c    change.Change
		says string
	}{
		"unknown row":       {change.Delete{IDs: []template.ID{"nobody"}}, "no longer in the template"},
		"empty name":        {change.Edit{Edits: []change.Fields{{ID: first.ID, Name: &empty}}}, "the name is empty"},
		"level too low":     {change.Edit{Edits: []change.Fields{{ID: first.ID, GainDB: &low}}}, "-200 dB is outside -96 to 24 dB"},
		"stem that is none": {change.AssignStem{IDs: []template.ID{first.ID}, Stem: base.TheMix().ID}, "not a stem"},
		"before itself":     {change.Move{IDs: []template.ID{first.ID}, Section: first.Section, Before: first.ID}, "before one of themselves"},
		"the mix":           {change.RemoveBus{ID: base.TheMix().ID}, "every template has one"},
		"section in use":    {change.Drop{Sections: []template.ID{first.Section}}, "no section has the id"},
		"added twice":       {change.Add{Instruments: []change.Placed{{At: 0, Instrument: first}}}, "already in the template"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := change.Apply(base, tc.c)
			require.ErrorContains(t, err, tc.says)
		})
	}
}

// Half of a batch is never applied.
func TestBatchIsAllOrNothing(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	before := asJSON(t, base)
	_, _, err := change.Apply(base, change.Batch{Changes: []change.Change{
		change.Delete{IDs: []template.ID{base.Instruments[0].ID}},
		change.Delete{IDs: []template.ID{"nobody"}},
	}})
	require.Error(t, err)
	require.Equal(t, before, asJSON(t, base))
}

func TestClash(t *testing.T) {
	name, notes := "New", "text"
	rename := change.Edit{Edits: []change.Fields{{ID: "a", Name: &name}}}
	annotate := change.Edit{Edits: []change.Fields{{ID: "a", Notes: &notes}}}
	elsewhere := change.Edit{Edits: []change.Fields{{ID: "b", Name: &name}}}
	remove := change.Delete{IDs: []template.ID{"a"}}
	seat := template.Seat{Machine: "m", Riser: 1, Port: 1, Channel: 1, Pair: 2}
	for name, tc := range map[string]struct {
		a, b  change.Change
		clash bool
	}{
		"same field":            {rename, rename, true},
		"other field":           {rename, annotate, false},
		"other row":             {rename, elsewhere, false},
		"edit a deleted row":    {rename, remove, true},
		"delete an edited row":  {remove, rename, true},
		"one seat for two rows": {change.Seat{Seats: []change.Seating{{ID: "a", Seat: &seat}}}, change.Seat{Seats: []change.Seating{{ID: "b", Seat: &seat}}}, true},
	} {
		t.Run(name, func(t *testing.T) {
			_, clash := change.Clash(tc.a.Keys(), tc.b.Keys())
			require.Equal(t, tc.clash, clash)
		})
	}
}

// A copied row keeps routes, seat style and colour; its stem can then change
// without losing its sends.
func TestAssignStemKeepsSends(t *testing.T) {
	base := coretest.Large(64, 60)
	i := base.Instruments[0]
	stems := base.StemsOf(base.Folds[0].ID)
	after := coretest.Must(base, change.AssignStem{IDs: []template.ID{i.ID}, Stem: stems[3].ID})
	kinds := map[template.BusKind]int{}
	for _, r := range after.Instrument(i.ID).Routes {
		b := after.Index().Buses[r.To]
		kinds[b.Kind]++
		if b.Kind == template.Group {
			require.Equal(t, stems[3].ID, b.Routes[0].To)
		}
	}
	require.Equal(t, map[template.BusKind]int{template.Group: 1, template.Return: 1}, kinds)
}

func FuzzUnmarshal(f *testing.F) {
	f.Add([]byte(`{"kind":"delete","ids":["i-1"]}`))
	f.Add([]byte(`{"kind":"batch","changes":[{"kind":"put","buses":[{"at":-1,"value":{"id":"b"}}]}]}`))
	f.Add([]byte(`{"kind":"add","instruments":[{"at":-1,"instrument":null}]}`))
	base := coretest.Orchestra(4, 1)
	f.Fuzz(func(t *testing.T, data []byte) {
		c, err := change.Unmarshal(data)
		if err != nil {
			return
		}
		if after, _, err := change.Apply(base, c); err == nil {
			require.NoError(t, after.Validate())
		}
	})
}

func BenchmarkApplyOneChange(b *testing.B) {
	t := coretest.Large(10_000, 200)
	name := "Renamed"
	for b.Loop() {
		_, _, err := change.Apply(t, change.Edit{Edits: []change.Fields{{ID: t.Instruments[500].ID, Name: &name}}})
		require.NoError(b, err)
	}
}

// Between makes any template like any other, and its inverse brings back the
// first, byte for byte; through JSON as well.
func TestBetweenMakesOneLikeTheOther(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		a := coretest.Orchestra(rapid.IntRange(1, 30).Draw(r, "rows"), 1)
		b := a
		if rapid.Bool().Draw(r, "unrelated") {
			b = coretest.Orchestra(rapid.IntRange(1, 30).Draw(r, "other rows"), 2)
		}
		for range rapid.IntRange(0, 6).Draw(r, "changes") {
			if len(b.Instruments) == 0 {
				break
			}
			if after, _, err := change.Apply(b, coretest.Any(b).Draw(r, "change")); err == nil {
				b = after
			}
		}
		c := change.Between(a, b)
		if c == nil {
			require.Equal(r, asJSON(r, a), asJSON(r, b))
			return
		}
		wire, err := change.Marshal(c)
		require.NoError(r, err)
		c, err = change.Unmarshal(wire)
		require.NoError(r, err)
		now, undo, err := change.Apply(a, c)
		require.NoError(r, err)
		require.Equal(r, asJSON(r, b), asJSON(r, now))
		require.Nil(r, change.Between(now, b))
		back, _, err := change.Apply(now, undo)
		require.NoError(r, err)
		require.Equal(r, asJSON(r, a), asJSON(r, back))
	})
}
