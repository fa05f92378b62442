package balance_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/balance"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// Ten rows at the working level come to -8 dBFS in the mix (-18 + 10 log10 10), and four
// times as many to 6 dB more; faders count, and what was measured counts for what is taken.
func TestHeadroom(t *testing.T) {
	x := coretest.Orchestra(40, 1)
	var edit change.Edit
	var ids []template.ID
	for _, i := range x.Instruments {
		zero := 0.0
		edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, GainDB: &zero})
		ids = append(ids, i.ID)
	}
	var put change.Put
	put.Calls = append(put.Calls, change.Append(&template.Call{ID: "ten", Name: "Ten", Instruments: ids[:10]}), change.Append(&template.Call{ID: "all", Name: "All", Instruments: ids}), change.Append(&template.Call{ID: "none", Name: "None", Instruments: []template.ID{}}))
	x, _, err := change.Apply(x, change.Batch{Changes: []change.Change{edit, put}})
	require.NoError(t, err)
	of := func(x *template.Template) map[string]balance.Headroom {
		out := map[string]balance.Headroom{}
		for _, h := range balance.Headrooms(x, fan.New(x)) {
			out[h.Call.Name] = h
		}
		return out
	}
	got := of(x)
	require.Equal(t, 10, got["Ten"].Rows)
	unity := template.Decibels(balance.MixGain(fan.New(x), x.Instruments[0])) // of its way
	require.InDelta(t, -8+unity, got["Ten"].LevelDB, .01)
	require.InDelta(t, 6.02, got["All"].LevelDB-got["Ten"].LevelDB, .01)
	require.InDelta(t, got["Ten"].StrongDB+balance.CrestDB, got["Ten"].PeakDB, 1e-9)
	require.InDelta(t, max(0, got["All"].PeakDB), got["All"].OverDB, 1e-9)
	require.NotContains(t, got, "None")

	loud := &template.Heard{By: template.ByStandIn, Levels: [3]float64{-20, -8, -2}}
	edit = change.Edit{}
	for _, id := range ids[:10] {
		edit.Edits = append(edit.Edits, change.Fields{ID: id, Heard: loud})
	}
	x, _, err = change.Apply(x, edit)
	require.NoError(t, err)
	require.InDelta(t, 2+unity, of(x)["Ten"].LevelDB, .01)
	require.Equal(t, 10, of(x)["Ten"].Heard)
	require.Positive(t, of(x)["Ten"].OverDB)
}
