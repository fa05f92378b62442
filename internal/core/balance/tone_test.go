package balance_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/balance"
	"fanfold/internal/core/template"
)

// thirds is a tone of some level in five octaves, the upper two of them as bright, dB.
func thirds(level, bright float64) []float64 {
	var out []float64
	for _, db := range []float64{-200, -200, -90, -20 + level, -14 + level, -10 + level, -16 + level + bright, -22 + level + bright, -200, -200} {
		out = append(out, db, db, db)
	}
	return out
}

// Rows of one instrument are told how far their tones lie apart, whatever their levels; one
// that is alone, or could not be measured, is told nothing.
func TestTonesOfRowsAlike(t *testing.T) {
	x := weighed(t, map[string]struct {
		sound, role string
		rows        int
	}{"Trumpets": {"brass.trumpet", "solo", 3}, "Oboe": {"wind.reed.oboe", "solo", 1}})
	at := map[template.ID]*template.Heard{
		"Trumpets1long": {Thirds: thirds(0, 0)}, "Trumpets2long": {Thirds: thirds(-12, 0)}, "Trumpets3long": {Thirds: thirds(0, -6)}, "Oboe1long": {Thirds: thirds(0, 0)},
		"Trumpets1staccato": {Thirds: thirds(0, 0), Silent: true},
	}
	for _, i := range x.Instruments {
		i.Heard = at[i.ID]
	}
	got := map[template.ID]float64{}
	for _, r := range balance.Of(x).Rows {
		got[r.Row.ID] = r.ToneDB
	}
	// Six bands of fifteen lie 6 dB lower in one of three: 2 dB above the mean in two, 4 below in one.
	require.Equal(t, map[template.ID]float64{"Trumpets1long": 1.3, "Trumpets2long": 1.3, "Trumpets3long": 2.5, "Oboe1long": 0, "Trumpets1staccato": 0}, got)
}

// Of a row's microphones those come first whose tone and decay are nearest to the others of
// its kind; those that are silent are left out.
func TestNearestMicrophones(t *testing.T) {
	x := weighed(t, map[string]struct {
		sound, role string
		rows        int
	}{"Trumpets": {"brass.trumpet", "solo", 3}, "Oboe": {"wind.reed.oboe", "solo", 1}})
	of := func(bright, decay float64) *template.Heard {
		return &template.Heard{Thirds: thirds(0, bright), DecayS: decay}
	}
	for _, i := range x.Instruments {
		i.Heard = of(0, 1)
	}
	row := x.Instrument("Trumpets1long")
	others := balance.Alike(x, row)
	require.Len(t, others, 2, "the other long trumpets")
	list := balance.Nearest([]balance.Mics{
		{Names: []string{"Far"}, Now: true, Heard: of(-6, 2)}, {Names: []string{"Close"}, Heard: of(6, 1)}, {Names: []string{"Stage"}, Heard: of(0, 2)}, {Names: []string{"Broken"}, Heard: &template.Heard{Silent: true}},
	}, others)
	require.Len(t, list, 3)
	for n, want := range []struct {
		name        string
		tone, apart float64
	}{{"Stage", 0, 3}, {"Close", 3.8, 3.8}, {"Far", 3.8, 4.8}} { // 6 dB in six bands of fifteen; an octave of decay is 3 dB
		require.Equal(t, want.name, list[n].Names[0])
		require.InDelta(t, want.tone, list[n].ToneDB, 1e-9)
		require.InDelta(t, want.apart, list[n].ApartDB, 1e-9)
	}

	p := x.PatchOf(row)
	require.Empty(t, balance.MicsOf(x, row))
	p.Mics = []template.Mic{{Name: "Close"}, {Name: "Stage", Off: true}, {Name: "Far", Off: true}}
	require.Equal(t, [][]string{{"Close"}, {"Stage"}, {"Far"}}, balance.MicsOf(x, row))
	row.Mics = []string{"Close", "Far"}
	require.Equal(t, [][]string{{"Close", "Far"}, {"Close"}, {"Stage"}, {"Far"}}, balance.MicsOf(x, row))
}

// What was measured in octaves, before third-octaves were, is compared with what was measured
// since; a row of which no tone is known is told nothing, and puts no other off.
func TestTonesOfLongAgo(t *testing.T) {
	x := weighed(t, map[string]struct {
		sound, role string
		rows        int
	}{"Trumpets": {"brass.trumpet", "solo", 3}})
	octaves := []float64{-200, -200, -90, -20, -14, -10, -16, -22, -200, -200}
	at := map[template.ID]*template.Heard{"Trumpets1long": {Thirds: thirds(0, 0)}, "Trumpets2long": {Octaves: octaves}, "Trumpets3long": {}}
	for _, i := range x.Instruments {
		i.Heard = at[i.ID]
	}
	require.InDelta(t, -10-4.77, at["Trumpets2long"].Tone()[16], .01, "three thirds make an octave")
	for _, r := range balance.Of(x).Rows {
		require.Zero(t, r.ToneDB, r.Row.ID)
	}
}
