package layout_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/layout"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

func mint() layout.Mint {
	next := intake.Sequence()
	return func(kind string) template.ID { return "new-" + next(kind) }
}

// violins is a seated template whose first row has three articulations on key
// switches, notes and a call.
func violins() *template.Template {
	t := coretest.Orchestra(6, 2)
	i := t.Instruments[0]
	p := *t.PatchesOf(i)[0]
	p.KeyLow = 48
	list := []string{"long", "stacc.", "pizz."}
	for n, a := range list {
		p.Map = append(p.Map, template.Mapping{Articulation: a, LeadMs: 20, Switches: []template.Switch{{Kind: template.ByKey, Number: 24 + n}}})
	}
	name, notes := "Violins", "the good ones"
	t = coretest.Must(t,
		change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}},
		change.Edit{Edits: []change.Fields{{ID: i.ID, Name: &name, Notes: &notes, Articulations: &list}}},
		change.Put{Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "call", Name: "1M01", Instruments: []template.ID{i.ID}})}})
	return coretest.Must(t, seating.Everyone(t, seating.Options{}).Change())
}

func convert(t require.TestingT, of *template.Template, to template.Layout) *template.Template {
	c, err := layout.Convert(of, []template.ID{of.Instruments[0].ID}, to, "", mint())
	require.NoError(t, err)
	return coretest.Must(of, c)
}

func TestSpreadOutAndBack(t *testing.T) {
	before := violins()
	out := convert(t, before, template.SpreadOut)
	rows := out.Instruments[:3]
	require.Len(t, out.Instruments, 8)
	require.Equal(t, []string{"Violins long", "Violins stacc.", "Violins pizz."}, []string{rows[0].Name, rows[1].Name, rows[2].Name})
	for n, r := range rows {
		require.Equal(t, before.Instruments[0].Routes, r.Routes)
		require.Equal(t, "the good ones", r.Notes)
		require.NotNil(t, r.Seat, r.Name)
		require.Equal(t, [3]any{rows[0].Seat.Machine, rows[0].Seat.Riser, rows[0].Seat.Port}, [3]any{r.Seat.Machine, r.Seat.Riser, r.Seat.Port}, "they feed one player")
		require.Equal(t, 24+n, r.Map[0].Switches[0].Number, "each channel is set once to its own")
	}
	require.ElementsMatch(t, []template.ID{rows[0].ID, rows[1].ID, rows[2].ID}, out.Calls[0].Instruments)
	require.Empty(t, proof.Check(out, "").Marks)
	require.InDelta(t, calls.EverythingMiB(before)[rows[0].Seat.Machine], calls.EverythingMiB(out)[rows[0].Seat.Machine], 1e-9, "the patch is loaded once")

	back := convert(t, out, template.Switched)
	require.Len(t, back.Instruments, 6)
	require.Equal(t, before.Instruments[0].Name, back.Instruments[0].Name)
	require.Equal(t, before.Instruments[0].Articulations, back.Instruments[0].Articulations)
	require.Empty(t, back.Instruments[0].Map)
	require.Empty(t, proof.Check(back, "").Marks)
	require.Equal(t, []template.ID{before.Instruments[0].ID}, back.Calls[0].Instruments)
}

func TestPerformedSharesTheVelocities(t *testing.T) {
	out := convert(t, violins(), template.Performed)
	var bands [][2]int
	for _, m := range out.Instruments[0].Map {
		require.Equal(t, template.ByVelocity, m.Switches[0].Kind)
		bands = append(bands, [2]int{m.Switches[0].Low, m.Switches[0].High})
	}
	require.Equal(t, [][2]int{{1, 42}, {43, 84}, {85, 127}}, bands)
	back := convert(t, out, template.Switched)
	require.Empty(t, back.Instruments[0].Map)
	require.Equal(t, template.Switched, back.Instruments[0].Layout)
	across := convert(t, out, template.SpreadOut)
	require.Len(t, across.Instruments, 8)
}

func TestRefusals(t *testing.T) {
	base := violins()
	id := base.Instruments[0].ID
	_, err := layout.Convert(base, []template.ID{id}, template.Switched, "", mint())
	require.ErrorContains(t, err, "they are switched already")
	_, err = layout.Convert(base, []template.ID{id}, template.SpreadOut, "{name}", mint())
	require.ErrorContains(t, err, "all rows would have the same name")
	_, err = layout.Convert(base, []template.ID{"gone"}, template.SpreadOut, "", mint())
	require.ErrorContains(t, err, "no longer in the template")
	one := []string{"long"}
	few := coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: id, Articulations: &one}}})
	_, err = layout.Convert(few, []template.ID{id}, template.SpreadOut, "", mint())
	require.ErrorContains(t, err, "there is nothing to spread")
}

// Undoing any conversion brings the template back as it was, and no
// conversion breaks a limit of seats or memory.
func TestAnyConversionIsSoundAndUndone(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		now := violins()
		for range rapid.IntRange(1, 4).Draw(r, "steps") {
			to := rapid.SampledFrom(template.Layouts).Draw(r, "to")
			ids := rapid.SliceOfNDistinct(rapid.SampledFrom(now.Instruments), 1, 3, func(i *template.Instrument) template.ID { return i.ID }).Draw(r, "rows")
			var named []template.ID
			for _, i := range ids {
				named = append(named, i.ID)
			}
			next := intake.Sequence()
			suffix := rapid.StringMatching("[a-z]{8}").Draw(r, "suffix")
			c, err := layout.Convert(now, named, to, "", func(kind string) template.ID { return template.ID(suffix) + next(kind) })
			if err != nil {
				continue
			}
			after, undo, err := change.Apply(now, c)
			require.NoError(r, err)
			back, _, err := change.Apply(after, undo)
			require.NoError(r, err)
			require.Equal(r, now.Instruments, back.Instruments)
			require.Equal(r, now.Calls, back.Calls)
			counts := proof.Check(after, "").Counts()
			for _, code := range []string{"seat-clash", "riser-overload", "split-output", "over-memory", "orphan"} {
				require.Zero(r, counts[code], code)
			}
			now = after
		}
	})
}
