package patch_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/patch"
)

// Trimmed = only zones that the used notes touch (4-reference, Machines).
func TestTrim(t *testing.T) {
	soft, loud, low := zone("soft", 1<<20, 60, 72), zone("loud", 2<<20, 60, 72), zone("low", 4<<20, 40, 59)
	soft.VelHigh, loud.VelLow = 79, 80
	pizz := zone("pizz", 8<<20, 0, 127)
	pizz.Switch = 26
	never := zone("never", 1, 1, 0)
	zones := []patch.Zone{soft, loud, low, pizz, never}
	names := func(played func(*patch.Played), switches map[int]bool) []string {
		var p patch.Played
		played(&p)
		out := []string{}
		for _, z := range patch.Trim(zones, &p, switches) {
			out = append(out, z.Sample)
		}
		return out
	}
	none := map[int]bool{}
	require.Equal(t, []string{"soft"}, names(func(p *patch.Played) { p.Note(64, 79) }, none))
	require.Equal(t, []string{"loud"}, names(func(p *patch.Played) { p.Note(64, 80) }, none))
	require.Equal(t, []string{"soft", "loud"}, names(func(p *patch.Played) { p.Band(72, 70, 90) }, none))
	require.Equal(t, []string{"low"}, names(func(p *patch.Played) { p.Note(59, 127) }, none))
	require.Equal(t, []string{"pizz"}, names(func(p *patch.Played) { p.Note(100, 1) }, map[int]bool{26: true}))
	require.Equal(t, []string{"low", "pizz"}, names(func(p *patch.Played) { p.Note(40, 1) }, nil), "every switch")
	require.Empty(t, names(func(p *patch.Played) { p.Note(128, 1); p.Note(-1, 1); p.Note(64, 200) }, none))
	require.Empty(t, names(func(*patch.Played) {}, nil))
}

// A zone stays if, and only if, one of the notes lies in it; more notes never
// trim more, and what stays takes no more than everything.
func TestTrimAgainstEveryNote(t *testing.T) {
	byte7 := rapid.IntRange(0, 127)
	rapid.Check(t, func(r *rapid.T) {
		var zones []patch.Zone
		for n := range rapid.IntRange(0, 30).Draw(r, "zones") {
			z := zone(fmt.Sprint(n%7), 1000, byte7.Draw(r, "low"), byte7.Draw(r, "high"))
			z.VelLow, z.VelHigh = byte7.Draw(r, "soft"), byte7.Draw(r, "loud")
			zones = append(zones, z)
		}
		var few, all patch.Played
		type note struct{ key, vel int }
		var notes []note
		for n := range rapid.IntRange(0, 20).Draw(r, "notes") {
			x := note{byte7.Draw(r, "key"), byte7.Draw(r, "velocity")}
			notes = append(notes, x)
			all.Note(x.key, x.vel)
			if n%2 == 0 {
				few.Note(x.key, x.vel)
			}
		}
		var want []patch.Zone
		for _, z := range zones {
			for _, n := range notes {
				if z.KeyLow <= n.key && n.key <= z.KeyHigh && z.VelLow <= n.vel && n.vel <= z.VelHigh {
					want = append(want, z)
					break
				}
			}
		}
		got := patch.Trim(zones, &all, nil)
		require.Equal(r, want, got)
		require.LessOrEqual(r, len(patch.Trim(zones, &few, nil)), len(got))
		p := patch.DefaultPolicy()
		require.LessOrEqual(r, patch.Take(got, p).PreloadMiB, patch.Take(zones, p).PreloadMiB)
	})
}

// 100,000 zones against 50,000 notes. The goal is 300 ms.
func BenchmarkTrim100000(b *testing.B) {
	random := rand.New(rand.NewPCG(1, 2))
	zones := make([]patch.Zone, 100_000)
	for n := range zones {
		low := random.IntN(120)
		zones[n] = zone(fmt.Sprint("s", n), 1<<20, low, low+random.IntN(8))
		zones[n].VelLow = random.IntN(100)
		zones[n].VelHigh = zones[n].VelLow + random.IntN(27)
	}
	keys := make([][2]int, 50_000)
	for n := range keys {
		keys[n] = [2]int{30 + random.IntN(60), 1 + random.IntN(127)}
	}
	left := 0
	for b.Loop() {
		var p patch.Played
		for _, k := range keys {
			p.Note(k[0], k[1])
		}
		left = len(patch.Trim(zones, &p, nil))
	}
	b.ReportMetric(float64(left), "zones-left")
}
