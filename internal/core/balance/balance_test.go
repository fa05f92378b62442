package balance_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/balance"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// heard is a row whose soft, middle and strong notes are so loud, and peak there.
func heard(soft, middle, strong, peak float64) *template.Instrument {
	return &template.Instrument{ID: "i", Name: "Horn", Heard: &template.Heard{By: template.ByStandIn, Levels: [3]float64{soft, middle, strong}, Peak: peak}}
}

// A middle note is brought to -18 dBFS; one whose strong notes would come over -1 dBFS is
// brought as near as they allow, and what is missing is told.
func TestTrimsBringRowsToTheWorkingLevel(t *testing.T) {
	for _, c := range []struct {
		row         *template.Instrument
		has, to     float64
		short       float64
		none        bool
		says        string
		description string
	}{
		{heard(-40, -24, -12, -8), 0, 6, 0, false, "a middle note is -24.0 dBFS RMS", "too soft"},
		{heard(-20, -11.5, -4, -1), 0, -6.5, 0, false, "", "too loud"},
		{heard(-40, -30, -12, -3), 0, 2, 10, false, "a strong one peaks at -3.0 dBFS, so that 10.0 dB are missing", "no room"},
		{heard(-40, -24, -12, -8), 5.8, 0, 0, true, "", "near enough"},
		{heard(-40, -24, -12, -8), -3, 6, 0, false, "", "trimmed otherwise before"},
		{&template.Instrument{ID: "i"}, 0, 0, 0, true, "", "nobody has heard it"},
		{&template.Instrument{ID: "i", Heard: &template.Heard{Silent: true}}, 0, 0, 0, true, "", "silent"},
	} {
		c.row.LevelTrimDB = c.has
		list := balance.Propose(&template.Template{}, []*template.Instrument{c.row}, .5)
		if c.none {
			require.Empty(t, list, c.description)
			continue
		}
		require.Len(t, list, 1, c.description)
		require.InDelta(t, c.to, list[0].ToDB, 1e-9, c.description)
		require.InDelta(t, c.short, list[0].Short, 1e-9, c.description)
		require.Contains(t, list[0].Why, c.says, c.description)
	}
}

// Taken, no row is farther than a tenth of a dB from where it should be, but those that
// would come over the ceiling; nobody comes over it; and a second proposal has nothing to
// say.
func TestTakenTrimsHold(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		x := coretest.Orchestra(9, 2)
		var edit change.Edit
		for n, i := range x.Instruments {
			middle := rapid.Float64Range(-70, -2).Draw(r, fmt.Sprint("middle", n))
			peak := middle + rapid.Float64Range(0, 30).Draw(r, fmt.Sprint("peak", n))
			edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, Heard: &template.Heard{By: template.ByCalibration, Levels: [3]float64{middle - 9, middle, middle + 5}, Peak: min(0, peak)}})
		}
		x, _, err := change.Apply(x, edit)
		require.NoError(r, err)
		list := balance.Propose(x, x.Instruments, 0)
		after, inverse, err := change.Apply(x, balance.Change(list))
		require.NoError(r, err)
		for _, i := range after.Instruments {
			off, ok := balance.Off(i)
			require.True(r, ok)
			peak := i.Heard.Peak + i.LevelTrimDB
			require.LessOrEqual(r, peak, max(balance.CeilingDB, i.Heard.Peak+template.MinTrimDB)+.051)
			if math.Abs(off) > .051 {
				require.True(r, math.Abs(peak-balance.CeilingDB) < .06 || i.LevelTrimDB == template.MaxTrimDB || i.LevelTrimDB == template.MinTrimDB)
			}
		}
		require.Empty(r, balance.Propose(after, after.Instruments, .051))
		back, _, err := change.Apply(after, inverse)
		require.NoError(r, err)
		for n, i := range back.Instruments {
			require.Equal(r, x.Instruments[n].LevelTrimDB, i.LevelTrimDB)
		}
	})
}

// Powers of sources that have nothing to do with each other add (the design's 10 log10 N):
// ten rows at -18 dBFS come to -8, two of equal noise to 3.01 dB more than one.
func TestSums(t *testing.T) {
	require.InDelta(t, -18, balance.MixDB(1), 1e-9)
	require.InDelta(t, -8, balance.MixDB(10), 1e-9)
	require.True(t, math.IsInf(balance.MixDB(0), -1))
	require.InDelta(t, -76.99, balance.SumDB([]float64{-80, -80}), .01)
	require.InDelta(t, balance.MixDB(7), balance.SumDB([]float64{-18, -18, -18, -18, -18, -18, -18}), 1e-9)
}

// Whole octaves are told, out of tune or not; a fifth is none.
func TestOctaves(t *testing.T) {
	for cents, want := range map[float64]int{0: 0, 40: 0, 700: 0, 1200: 1, 1190: 1, -1230: -1, -2390: -2, 600: 0} {
		require.Equal(t, want, balance.Octaves(&template.Heard{Cents: &cents}), "%g", cents)
	}
	require.Zero(t, balance.Octaves(&template.Heard{}))
	require.Zero(t, balance.Octaves(nil))
}

// What is other than the last time is told in words; what is as it was is not.
func TestSince(t *testing.T) {
	base := template.Heard{Levels: [3]float64{-30, -18, -10}, StartMs: 10, Noise: -95, Cents: new(float64)}
	with := func(change func(h *template.Heard)) *template.Heard {
		h := base
		change(&h)
		return &h
	}
	tuned := 14.0
	for _, c := range []struct {
		now  *template.Heard
		want []string
	}{
		{&base, nil}, {nil, nil},
		{with(func(h *template.Heard) { h.Levels[1] = -20.5 }), []string{"2.5 dB softer"}},
		{with(func(h *template.Heard) { h.Levels[1] = -18.9; h.StartMs = 20 }), nil},
		{with(func(h *template.Heard) { h.StartMs, h.Cents = 60, &tuned }), []string{"50 ms later", "14 cents higher"}},
		{with(func(h *template.Heard) { h.Noise = -70 }), []string{"20 dB noisier"}},
		{with(func(h *template.Heard) { h.Silent = true }), []string{"is silent now"}},
		{with(func(h *template.Heard) { h.Clicks = 3 }), []string{"clicks now, 3 times in a note"}},
		{with(func(h *template.Heard) { h.Clipped, h.Alike = true, [][2]string{{"long", "trill"}} }), []string{"clips now", "long and trill sound the same now"}},
		{with(func(h *template.Heard) { h.Fault = "the recording ends before it" }), []string{"could not be measured: the recording ends before it"}},
	} {
		require.Equal(t, c.want, balance.Since(&base, c.now))
	}
	require.Equal(t, []string{"sounds again"}, balance.Since(&template.Heard{Silent: true}, &base))
	require.Empty(t, balance.Since(nil, &base))
}

// A row that sounds other than when it was heard is as loud as before with the trim that keeps
// its level, unless its strong notes would come over the ceiling; nothing is kept of a row that
// was not heard, or is silent now.
func TestKeepingALevel(t *testing.T) {
	row := heard(-40, -22, -12, -9)
	row.LevelTrimDB = 4 // it was at the working level
	x, ok := balance.Keep(row, heard(-36, -17.3, -8, -4).Heard)
	require.True(t, ok)
	require.InDelta(t, -.7, x.ToDB, 1e-9)
	x, ok = balance.Keep(row, heard(-50, -40, -12, -3).Heard)
	require.True(t, ok)
	require.InDelta(t, 2, x.ToDB, 1e-9)
	require.InDelta(t, 20, x.Short, 1e-9)
	_, ok = balance.Keep(row, &template.Heard{Silent: true})
	require.False(t, ok)
	_, ok = balance.Keep(&template.Instrument{}, row.Heard)
	require.False(t, ok)
}

// A row whose patches changed since it was heard is no longer trimmed by what was heard.
func TestWhatWasHeardBeforeIsNotTrimmedBy(t *testing.T) {
	x := coretest.Orchestra(3, 1)
	i := x.Instruments[0]
	i.Heard = heard(-40, -24, -12, -8).Heard
	i.Heard.Of = x.Plays(i)
	require.Len(t, balance.Propose(x, x.Instruments, .5), 1)
	i.LayerTrims = []template.LayerTrim{{Patch: i.Patches[0], DB: -6}}
	require.True(t, x.HeardBefore(i))
	require.Empty(t, balance.Propose(x, x.Instruments, .5))
	require.Equal(t, x.Plays(x.Instruments[1]), x.Plays(x.Instruments[1].Clone()))
}
