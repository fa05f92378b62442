package balance_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/balance"
	"fanfold/internal/core/template"
)

// Rows of one instrument are told how far their tones lie apart, whatever their levels; one
// that is alone, or could not be measured, is told nothing.
func TestTonesOfRowsAlike(t *testing.T) {
	x := weighed(t, map[string]struct {
		sound, role string
		rows        int
	}{"Trumpets": {"brass.trumpet", "solo", 3}, "Oboe": {"wind.reed.oboe", "solo", 1}})
	octaves := func(level, bright float64) [10]float64 {
		return [10]float64{-200, -200, -90, -20 + level, -14 + level, -10 + level, -16 + level + bright, -22 + level + bright, -200, -200}
	}
	at := map[template.ID]*template.Heard{
		"Trumpets1long": {Octaves: octaves(0, 0)}, "Trumpets2long": {Octaves: octaves(-12, 0)}, "Trumpets3long": {Octaves: octaves(0, -6)}, "Oboe1long": {Octaves: octaves(0, 0)},
		"Trumpets1staccato": {Octaves: octaves(0, 0), Silent: true},
	}
	for _, i := range x.Instruments {
		i.Heard = at[i.ID]
	}
	got := map[template.ID]float64{}
	for _, r := range balance.Of(x).Rows {
		got[r.Row.ID] = r.ToneDB
	}
	// Two octaves of five lie 6 dB lower in one of three: 2 dB above the mean in two, 4 below in one.
	require.Equal(t, map[template.ID]float64{"Trumpets1long": 1.3, "Trumpets2long": 1.3, "Trumpets3long": 2.5, "Oboe1long": 0, "Trumpets1staccato": 0}, got)
}
