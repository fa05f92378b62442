package patch_test

import (
	"encoding/json"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/patch"
)

func zone(sample string, bytes int64, low, high int) patch.Zone {
	return patch.Zone{Sample: sample, Bytes: bytes, KeyLow: low, KeyHigh: high, VelLow: 1, VelHigh: 127, Switch: -1, Sequence: 1, Sounded: 1}
}

// The whole size is that of its samples, each once; preloaded is the beginning
// of each, and the player's own for each zone.
func TestSizes(t *testing.T) {
	zones := []patch.Zone{zone("a", 1<<20, 40, 50), zone("b", 32<<10, 51, 60), zone("a", 1<<20, 61, 70)}
	m := patch.Take(zones, patch.Policy{PreloadKiB: 64, ZoneBytes: 1024})
	require.Equal(t, []int{3, 2, 40, 70, 1, 127}, []int{m.Zones, m.Samples, m.KeyLow, m.KeyHigh, m.VelLow, m.VelHigh})
	require.InDelta(t, 1+32.0/1024, m.FullMiB, 1e-12)
	require.InDelta(t, (64+32+3)/1024.0, m.PreloadMiB, 1e-12)
}

func TestWhatZonesTell(t *testing.T) {
	release := zone("r", 10, 1, 0) // sounded by no key
	robin := zone("x", 10, 60, 60)
	robin.Sequence, robin.Sounded, robin.Switch, robin.Looped = 4, 3, 26, true
	low := zone("y", 10, 48, 59)
	low.Switch = 24
	again := low
	m := patch.Take([]patch.Zone{release, robin, low, again}, patch.DefaultPolicy())
	require.Equal(t, []int{48, 60, 4, 1}, []int{m.KeyLow, m.KeyHigh, m.RoundRobins, m.Loops})
	require.Equal(t, []int{24, 26}, m.Switches)
	none := patch.Take([]patch.Zone{release}, patch.DefaultPolicy())
	require.Equal(t, []int{0, 0, 1}, []int{none.KeyLow, none.KeyHigh, none.Zones})
	require.Equal(t, 1, patch.Take(nil, patch.DefaultPolicy()).RoundRobins)
}

// Preloading more never takes less, and never more than everything.
func TestPreloadingGrows(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		var zones []patch.Zone
		for range rapid.IntRange(0, 20).Draw(r, "zones") {
			name := rapid.SampledFrom([]string{"a", "b", "c", "d"}).Draw(r, "sample")
			zones = append(zones, zone(name, 1000*(1+int64(name[0]-'a')), 0, 127))
		}
		less := rapid.IntRange(0, 4).Draw(r, "less")
		more := less + rapid.IntRange(0, 4).Draw(r, "more")
		own := rapid.IntRange(0, 600).Draw(r, "own")
		a, b := patch.Take(zones, patch.Policy{PreloadKiB: less, ZoneBytes: own}), patch.Take(zones, patch.Policy{PreloadKiB: more, ZoneBytes: own})
		require.LessOrEqual(r, a.PreloadMiB, b.PreloadMiB)
		require.LessOrEqual(r, b.PreloadMiB, b.FullMiB)
	})
}

// Whatever zones a file or a host tells of, the measure is one: sizes are none below 0,
// what is ready is no more than the whole, and switches are told once.
func FuzzTake(f *testing.F) {
	f.Add([]byte(`[{"Sample":"a","Bytes":1000,"KeyLow":1,"KeyHigh":2,"VelLow":1,"VelHigh":127,"Switch":24,"Label":"x","Sequence":3}]`))
	f.Add([]byte(`[{"Bytes":9223372036854775807},{"Sample":"b","Bytes":9223372036854775807,"Switch":-9}]`))
	f.Fuzz(func(t *testing.T, data []byte) {
		var zones []patch.Zone
		if json.Unmarshal(data, &zones) != nil {
			return
		}
		m := patch.Take(zones, patch.DefaultPolicy())
		require.GreaterOrEqual(t, m.PreloadMiB, 0.0)
		require.LessOrEqual(t, m.PreloadMiB, m.FullMiB)
		require.Equal(t, m.Switches, slices.Compact(slices.Clone(m.Switches)))
		require.Equal(t, len(zones), m.Zones)
	})
}
