package deliver_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// One of the fine stems of a section set to dry alone: its wet sound is told to be
// missing from the fold, by number and by name, not hidden in a sentence about the
// whole; and the wet stem it lacks is proposed, made, and holds it.
func TestADryStemTellsWhatItLeavesOut(t *testing.T) {
	now := settle(t, coretest.Orchestra(16, 1), hall())
	fine := now.StemsOf("fold-fine")
	now = settle(t, now, inHall(now, template.CarriesBoth, fine...))
	rows := map[template.ID]int{}
	f := fan.New(now)
	for n := range now.Instruments {
		for _, s := range f.StemsIn(f.FromRow(n), "fold-fine") {
			rows[s.ID]++
		}
	}
	all := f.Sum(now.Folds[0])
	require.Equal(t, []int{16, 16}, []int{all.DryRows, all.WetRows})
	require.Empty(t, all.Without)

	dry := fine[0]
	bare := settle(t, now, inHall(now, template.CarriesDry, dry))
	sum := fan.New(bare).Sum(bare.Folds[0])
	require.True(t, sum.AddsUp())
	require.Equal(t, []int{16, 16 - rows[dry.ID]}, []int{sum.DryRows, sum.WetRows})
	require.Len(t, sum.Without, 1)
	require.Equal(t, dry.Name, sum.Without[0].Stem.Name)
	require.Equal(t, rows[dry.ID], sum.Without[0].Rows)
	require.Equal(t, "fold-sections", string(sum.Without[0].Home.Fold))
	coarse := fan.New(bare).Sum(bare.Folds[1])
	require.Equal(t, []int{16, 16}, []int{coarse.DryRows, coarse.WetRows})

	_, err := deliver.AddWet(bare, fine[1].ID, coretest.Mint())
	require.ErrorContains(t, err, "is not delivered dry")
	c, err := deliver.AddWet(bare, dry.ID, coretest.Mint())
	require.NoError(t, err)
	seen, err := deliver.Preview(bare, c)
	require.NoError(t, err)
	mended := coretest.Must(bare, c)
	sum = fan.New(mended).Sum(mended.Folds[0])
	require.Equal(t, []int{16, 16}, []int{sum.DryRows, sum.WetRows})
	require.Empty(t, sum.Without)
	wet := mended.Index().Buses[seen.Made[0].ID]
	require.Equal(t, mended.ParentStem(dry).Name+" wet", wet.Name)
	require.Contains(t, seen.Stems, deliver.Carried{Stem: wet, After: deliver.Load{Wet: rows[dry.ID]}})
	require.Empty(t, seen.Moved, "no instrument has another stem")
	_, err = deliver.AddWet(mended, dry.ID, coretest.Mint())
	require.ErrorContains(t, err, "already")
}

// What computing the wiring will do is told before it is done: a plate that two stems
// share is named with the returns it is split into, an instrument that changes its stem
// with both, and what each stem carries before and after is what can be counted.
func TestTheWiringIsSeenFirst(t *testing.T) {
	now := coretest.Orchestra(16, 1)
	fine := now.StemsOf("fold-fine")
	plate := &template.Bus{ID: "plate", Kind: template.Return, Name: "Plate", Process: "Plate 1 s", Routes: []template.Route{{To: fine[0].ID, Tap: template.Post}}}
	now = coretest.Must(now, change.Put{Buses: []change.Entry[template.Bus]{change.Append(plate)}})
	f := fan.New(now)
	var one, other *template.Instrument
	for n, i := range now.Instruments {
		switch f.StemsIn(f.FromRow(n), "fold-fine")[0].ID {
		case fine[0].ID:
			one = i
		case fine[1].ID:
			other = i
		}
	}
	send := change.WireSetting{GainDB: -12, Tap: template.Post}
	now = coretest.Must(now, change.Connect{Wires: []change.Wire{{From: one.ID, To: "plate", Level: &send}, {From: other.ID, To: "plate", Level: &send}}})
	c, err := deliver.Wire(now, coretest.Mint())
	require.NoError(t, err)
	seen, err := deliver.Preview(now, c)
	require.NoError(t, err)
	require.Len(t, seen.Split, 1)
	require.Equal(t, "Plate", seen.Split[0].Return.Name)
	var into []string
	for _, b := range seen.Split[0].Into {
		into = append(into, b.Name)
	}
	require.Equal(t, []string{"Plate, " + fine[0].Name, "Plate, " + fine[1].Name}, into)
	require.Empty(t, seen.Moved)
	after := coretest.Must(now, c)
	for _, s := range seen.Stems {
		require.Equal(t, s.After, loadOf(after, s.Stem.ID), s.Stem.Name)
		require.Equal(t, s.Before, loadOf(now, s.Stem.ID), s.Stem.Name)
	}

	moved, err := deliver.ByHand(now, []template.ID{one.ID}, fine[1].ID, coretest.Mint())
	require.NoError(t, err)
	seen, err = deliver.Preview(now, moved)
	require.NoError(t, err)
	require.Len(t, seen.Moved, 1)
	require.Equal(t, one.Name, seen.Moved[0].Instrument.Name)
	require.Equal(t, fine[0].Name, seen.Moved[0].From[0].Name)
	require.Equal(t, fine[1].Name, seen.Moved[0].To[0].Name)

	nothing, err := deliver.Preview(now, nil)
	require.NoError(t, err)
	require.Equal(t, deliver.Outcome{}, nothing)
}

func loadOf(t *template.Template, stem template.ID) deliver.Load {
	f, load := fan.New(t), deliver.Load{}
	for n := range t.Instruments {
		dry, wet := false, false
		for _, r := range f.FromRow(n) {
			if f.Bus(r).ID == stem {
				dry, wet = dry || !f.Wet(r.Chain), wet || f.Wet(r.Chain)
			}
		}
		if dry {
			load.Dry++
		}
		if wet {
			load.Wet++
		}
	}
	return load
}

// A spare row keeps its place in a stem, and is not a source: it is not counted, it adds
// nothing up, and a return that it alone would share is not shared.
func TestSpareRowsAreNoInstruments(t *testing.T) {
	now := settle(t, coretest.Orchestra(16, 1), hall())
	now = settle(t, now, inHall(now, template.CarriesBoth, now.StemsOf("fold-fine")...))
	spare := now.Instruments[0].Clone()
	spare.ID, spare.Name, spare.Kind, spare.Patches, spare.Seat = "spare", "Spare", template.Spare, nil, nil
	spare.Routes = append(spare.Routes, template.Route{To: returnInto(now, now.StemsOf("fold-fine")[1].ID).ID, Tap: template.Post})
	with := coretest.Must(now, change.Add{Instruments: []change.Placed{{At: -1, Instrument: spare}}})
	require.Equal(t, now.Played(), with.Played())
	f := fan.New(with)
	require.Equal(t, fan.New(now).Sum(now.Folds[0]).Sources, f.Sum(with.Folds[0]).Sources)
	require.True(t, f.Sum(with.Folds[0]).AddsUp())
	require.Empty(t, deliver.SharedReturns(with, f, "fold-fine"))
	for _, a := range f.Arriving("bus-mix") {
		require.NotEqual(t, "Spare", a.Instrument.Name)
	}
	stem := f.Stems(now.Instruments[0], "fold-fine")[0].ID
	require.Equal(t, loadOf(now, stem).Dry+1, loadOf(with, stem).Dry, "its place is kept there")
	seen, err := deliver.Preview(now, change.Add{Instruments: []change.Placed{{At: -1, Instrument: spare}}})
	require.NoError(t, err)
	require.Empty(t, seen.Stems)
}
