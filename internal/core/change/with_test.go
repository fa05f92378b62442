package change_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// shared is a template of eight rows, of which the first has a seat and another
// row on it.
func shared() (*template.Template, *template.Instrument, *template.Instrument) {
	base := coretest.Orchestra(8, 1)
	first := base.Instruments[0].ID
	t := coretest.Must(base, change.Seat{Seats: []change.Seating{{ID: first, Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: 3, Pair: 2}}}})
	t = coretest.Must(t, coretest.Again(t, first))
	return t, t.Instruments[0], t.Instruments[1]
}

// What belongs to the sound is one for all rows of a seat; what is the row's own
// stays its own.
func TestRowsOfOneSeatShareTheirSound(t *testing.T) {
	now, home, again := shared()
	require.Equal(t, home.Seat, again.Seat)
	require.Empty(t, seatMarks(now), "the seat is shared on purpose")
	gain, name := -7.0, "Second desk"
	now = coretest.Must(now,
		change.Edit{Edits: []change.Fields{{ID: again.ID, GainDB: &gain, Name: &name}}},
		change.Seat{Seats: []change.Seating{{ID: home.ID, Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 2, Channel: 9, Pair: 2}}}},
	)
	home, again = now.Instruments[0], now.Instruments[1]
	require.InDelta(t, gain, home.GainDB, 0, "the level of one sound")
	require.Equal(t, "Second desk", again.Name)
	require.NotEqual(t, again.Name, home.Name)
	require.Equal(t, 9, again.Seat.Channel, "it goes where its sound goes")

	now = coretest.Must(now, change.Connect{Wires: []change.Wire{{From: again.ID, To: now.TheMix().ID, Level: &change.WireSetting{Tap: template.Post}}}})
	require.Equal(t, now.Instruments[0].Routes, now.Instruments[1].Routes)
	require.Len(t, now.Instruments[0].Routes, 2)

	plan := seating.Everyone(now, seating.Options{Fresh: true})
	require.Empty(t, plan.Unseated)
	now = coretest.Must(now, plan.Change())
	require.Equal(t, now.Instruments[0].Seat, now.Instruments[1].Seat)
	require.Empty(t, seatMarks(now))
}

func seatMarks(t *template.Template) []proof.Mark {
	var out []proof.Mark
	for _, m := range proof.Check(t, "").Marks {
		if m.Code == "seat-clash" || m.Code == "split-output" || m.Code == "riser-overload" {
			out = append(out, m)
		}
	}
	return out
}

// A row that goes leaves its seat to those that sat with it.
func TestTheSeatIsBequeathed(t *testing.T) {
	now, home, again := shared()
	now = coretest.Must(now, coretest.Again(now, again.ID))
	after, inverse, err := change.Apply(now, change.Delete{IDs: []template.ID{home.ID}})
	require.NoError(t, err)
	heir, third := after.Instruments[0], after.Instruments[1]
	require.Equal(t, again.ID, heir.ID)
	require.Empty(t, heir.With)
	require.Equal(t, 3, heir.Seat.Channel)
	require.Equal(t, heir.ID, third.With)
	back, _, err := change.Apply(after, inverse)
	require.NoError(t, err)
	require.Equal(t, asJSON(t, now), asJSON(t, back))
}

func TestWhoCanNotShareASeat(t *testing.T) {
	now, home, again := shared()
	other := now.Instruments[2]
	spare, none := template.Spare, []template.ID{}
	for name, tc := range map[string]struct {
		c    change.Change
		says string
	}{
		"another sound":        {change.Edit{Edits: []change.Fields{{ID: other.ID, With: &home.ID}}}, "does not play the same sound"},
		"itself":               {change.Edit{Edits: []change.Fields{{ID: home.ID, With: &home.ID}}}, "give it a seat of its own first"},
		"one that shares":      {coretest.Again(now, other.ID), ""},
		"a seat of its own":    {change.Seat{Seats: []change.Seating{{ID: again.ID}}}, "sits with another row"},
		"with a spare row":     {change.Edit{Edits: []change.Fields{{ID: home.ID, Kind: &spare, Patches: &none}}}, "give it a seat of its own first"},
		"who has gone":         {change.Edit{Edits: []change.Fields{{ID: other.ID, With: &template.New("x", "x").ID}}}, "no longer in the template"},
		"a chain of such rows": {chain(now, again, other), "give it a seat of its own first"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := change.Apply(now, tc.c)
			if tc.says == "" {
				require.NoError(t, err)
				return
			}
			require.ErrorContains(t, err, tc.says)
		})
	}
}

// chain makes a row sit with one that sits with another.
func chain(_ *template.Template, again, _ *template.Instrument) change.Change {
	c := again.Clone()
	c.ID, c.With = "chained", again.ID
	return change.Add{Instruments: []change.Placed{{At: -1, Instrument: c}}}
}

// Whatever is done, rows of one seat play one sound, and no seat is taken twice
// otherwise.
func TestSharedSeatsHold(t *testing.T) {
	base, _, _ := shared()
	rapid.Check(t, func(r *rapid.T) {
		now := base
		for range 6 {
			if len(now.Instruments) < 6 {
				break
			}
			if after, _, err := change.Apply(now, coretest.Any(now).Draw(r, "change")); err == nil {
				now = after
			}
			for _, i := range now.Instruments {
				require.True(r, i.PlaysAs(now.Home(i)), "%s", i.Name)
			}
		}
	})
}
