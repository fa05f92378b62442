package template_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// A divider is a line between rows: it may be without a word, and is nothing else.
func TestADividerIsALine(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	line := template.Instrument{ID: "line", Section: base.Sections[0].ID, Kind: template.Divider}
	with := func(more func(*template.Instrument)) error {
		i := line.Clone()
		more(i)
		_, _, err := change.Apply(base, change.Add{Instruments: []change.Placed{{At: 2, Instrument: i}}})
		return err
	}
	require.NoError(t, with(func(*template.Instrument) {}), "without a word")
	require.NoError(t, with(func(i *template.Instrument) { i.Name, i.Notes = "Effects", "after the long ones" }))
	require.ErrorContains(t, with(func(i *template.Instrument) { i.Kind = template.Spare }), "name is empty")
	require.ErrorContains(t, with(func(i *template.Instrument) { i.Name = "a\x00b" }), "control character")
	for _, more := range []func(*template.Instrument){
		func(i *template.Instrument) { i.Patches = []template.ID{base.Patches[0].ID} },
		func(i *template.Instrument) { i.Articulations = []string{"long"} },
		func(i *template.Instrument) { i.Routes = []template.Route{{To: base.TheMix().ID, Tap: template.Post}} },
	} {
		require.ErrorContains(t, with(more), "a divider plays nothing")
	}
	require.ErrorContains(t, with(func(i *template.Instrument) {
		i.Seat = &template.Seat{Machine: base.Machines[0].ID, Riser: 1, Port: 1, Channel: 16, Pair: 1}
	}), "takes no seat")

	now := coretest.Must(base, change.Add{Instruments: []change.Placed{{At: 2, Instrument: &line}}})
	require.Equal(t, base.Played(), now.Played(), "it is no instrument")
	_, _, err := change.Apply(now, change.Edit{Edits: []change.Fields{{ID: "line", Kind: new(template.Kind)}}})
	require.Error(t, err)
}
