package change_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// A bus that goes hands on what fed it at the level it had, and its rules.
func TestRemoveBusHandsOn(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	i := base.Instruments[0]
	group := base.Index().Buses[i.Routes[0].To].Clone()
	group.GainDB, group.Routes[0].GainDB = -4, -2
	stem := base.Index().Buses[group.Routes[0].To]
	base = coretest.Must(base, change.Put{Buses: []change.Entry[template.Bus]{change.Append(group)}},
		change.SetRules{Rules: []*template.StemRule{{ID: "r", Stem: stem.ID}}})

	without := coretest.Must(base, change.RemoveBus{ID: group.ID, Onward: stem.ID})
	require.Equal(t, []template.Route{{To: stem.ID, GainDB: -6, Tap: template.Post}}, without.Instrument(i.ID).Routes)

	parent := base.ParentStem(stem)
	moved := coretest.Must(base, change.RemoveBus{ID: stem.ID, Onward: parent.ID})
	require.Equal(t, parent.ID, moved.Rules[0].Stem)
	require.Empty(t, coretest.Must(base, change.RemoveBus{ID: stem.ID}).Rules)
	_, _, err := change.Apply(base, change.RemoveBus{ID: stem.ID, Onward: "gone"})
	require.ErrorContains(t, err, "no longer in the template")
}

// A first switch to print makes the print bus; switching back closes its way.
func TestSwitchingMakesThePrintBus(t *testing.T) {
	base := coretest.Orchestra(8, 1)
	listening := coretest.Must(base, change.SetPosition{Position: template.AtListen})
	require.Nil(t, listening.FindBus(template.Print, "Print"), "nothing to do yet")
	printing := coretest.Must(base, change.SetPosition{Position: template.AtPrint})
	bus := printing.FindBus(template.Print, "Print")
	require.NotNil(t, bus)
	require.Equal(t, template.AtPrint, bus.Routes[0].At)
	require.Equal(t, template.AtListen, printing.TheMix().Routes[0].At)
	require.Equal(t, template.AtPrint, printing.Position())
	require.Equal(t, template.AtListen, coretest.Must(printing, change.SetPosition{Position: template.AtListen}).Position())

	deaf := coretest.Must(base, change.RemoveBus{ID: "bus-speakers"})
	_, _, err := change.Apply(deaf, change.SetPosition{Position: template.AtPrint})
	require.ErrorContains(t, err, "no speakers")
}
