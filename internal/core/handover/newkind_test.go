package handover_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/template"
)

// A kind of bus that there is not yet, with one entry in the table: what players hear
// in their headphones, fed by sends and beyond the stems.
func TestANewKindOfBusIsOneEntry(t *testing.T) {
	known := template.BusTypes
	t.Cleanup(func() { template.BusTypes = known })
	const headphones template.BusKind = "headphones"
	template.BusTypes = append(slices.Clone(known), template.BusType{
		Kind: headphones, Words: "headphones", Many: "headphones",
		Column: template.ColumnMix, Chain: template.ChainNever, Sends: true, Beyond: true,
	})

	before := coretest.Orchestra(60, 2)
	fold := before.Folds[0].ID
	told := func(x *template.Template) (out []string) {
		for _, m := range proof.Check(x, fold).Marks {
			out = append(out, m.Message)
		}
		return out
	}
	ids := make([]template.ID, 0, len(before.Instruments))
	for _, i := range before.Instruments {
		ids = append(ids, i.ID)
	}
	var sends change.Connect
	for _, id := range ids[:20] {
		sends.Wires = append(sends.Wires, change.Wire{From: id, To: "bus-phones", Level: &change.WireSetting{GainDB: -12, Tap: template.Pre}})
	}
	with := coretest.Must(before,
		change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{ID: "bus-phones", Kind: headphones, Name: "Headphones 1"})}}, sends)

	// the proof: nothing reaches a stem or the mix another way than before
	f := fan.New(with)
	require.Equal(t, told(before), told(with))
	for n := range with.Instruments {
		require.Len(t, f.Stems(with.Instruments[n], fold), 1)
	}

	// rules and wiring leave what is sent there
	for _, make := range []func() (change.Change, error){
		func() (change.Change, error) { return deliver.Wire(with, coretest.Mint()) },
		func() (change.Change, error) { return deliver.Straighten(with) },
		func() (change.Change, error) {
			return change.AssignStem{IDs: ids[:3], Stem: with.StemsOf(fold)[1].ID}, nil
		},
	} {
		c, err := make()
		require.NoError(t, err)
		after := with
		if c != nil {
			after = coretest.Must(with, c)
		}
		for _, id := range ids[:20] {
			require.True(t, slices.ContainsFunc(after.Instrument(id).Routes, func(r template.Route) bool { return r.To == "bus-phones" && r.GainDB == -12 }))
		}
		require.Equal(t, told(before), told(after))
	}

	// it stands in its column, with ribbons that are sends
	d := ribbon.Draw(with, f, ribbon.View{Fold: fold, Room: 800})
	at := slices.IndexFunc(d.Places, func(p ribbon.Place) bool { return p.ID == "bus-phones" })
	require.GreaterOrEqual(t, at, 0)
	mix := slices.IndexFunc(d.Places, func(p ribbon.Place) bool { return p.ID == with.TheMix().ID })
	require.Equal(t, d.Places[mix].Column, d.Places[at].Column)
	into := 0
	for _, r := range d.Ribbons {
		if r.To == at {
			require.True(t, r.Send)
			into += r.Count
		}
	}
	require.Equal(t, 20, into)

	// it is neither a file nor a return of a delivery, stands in order, and can go
	was, is := deliver.Estimate(before, 10), deliver.Estimate(with, 10)
	require.Equal(t, was.Files, is.Files)
	require.Equal(t, was.Returns, is.Returns)
	require.Equal(t, was.Buses+1, is.Buses)
	require.Equal(t, headphones, deliver.InOrder(with)[is.Buses-2].Kind, "before the speakers")
	gone := coretest.Must(with, change.RemoveBus{ID: "bus-phones"})
	require.Equal(t, before.Instruments[0].Routes, gone.Instruments[0].Routes)
}
