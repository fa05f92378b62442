// Package patch measures a patch from its zones: what it takes in memory, and
// over which keys and velocities it plays. Zones, as a format reads them, go
// in; figures for the catalogue come out.
package patch

import (
	"cmp"
	"maps"
	"slices"
)

// Zone is one sample of a patch and when it sounds.
type Zone struct {
	Sample            string // names the sample; zones of one sample share its memory
	Bytes             int64  // of the sample's sound; 0 when it is made, not read
	KeyLow, KeyHigh   int    // MIDI notes, 0..127; a low above the high never sounds
	VelLow, VelHigh   int    // MIDI velocities, 0..127
	Looped            bool
	Switch            int    // the key that switches it on, -1 for none
	Label             string // what the file calls that switch
	Sequence, Sounded int    // it is the Sounded-th of Sequence round robins; 1 and 1 without
}

// Policy is how a player preloads.
type Policy struct {
	PreloadKiB int // of each sample; defaults to DefaultPolicy
	ZoneBytes  int // the player's own, for each zone
}

// DefaultPolicy is the first 64 KiB of each sample, and 512 bytes a zone.
// Common practice, no source.
func DefaultPolicy() Policy { return Policy{PreloadKiB: 64, ZoneBytes: 512} }

// Measure is what zones add up to.
type Measure struct {
	KeyLow, KeyHigh int // over all zones that sound
	VelLow, VelHigh int
	Zones           int
	Samples         int
	RoundRobins     int            // the longest sequence; 1 without
	Loops           int            // zones that loop
	Switches        []int          // keys that switch, lowest first
	Labels          map[int]string // what the file calls the switches, where it does
	FullMiB         float64
	PreloadMiB      float64
}

const mib = 1 << 20

// Take measures zones under a policy. Each sample counts once, however many
// zones play it: its whole size to FullMiB, and its beginning, but no more
// than there is, to PreloadMiB, beside the player's own for each zone. What is ready
// is never more than the whole.
func Take(zones []Zone, p Policy) Measure {
	m := Measure{KeyLow: 127, VelLow: 127, Zones: len(zones), RoundRobins: 1, Switches: []int{}, Labels: map[int]string{}}
	size := make(map[string]int64, len(zones))
	sounds := false
	for _, z := range zones {
		size[z.Sample] = max(size[z.Sample], z.Bytes)
		if z.Looped {
			m.Loops++
		}
		m.RoundRobins = max(m.RoundRobins, z.Sequence)
		if z.Switch >= 0 && !slices.Contains(m.Switches, z.Switch) {
			m.Switches = append(m.Switches, z.Switch)
		}
		if z.Switch >= 0 && z.Label != "" {
			m.Labels[z.Switch] = z.Label
		}
		if z.KeyLow > z.KeyHigh || z.VelLow > z.VelHigh {
			continue
		}
		sounds = true
		m.KeyLow, m.KeyHigh = min(m.KeyLow, z.KeyLow), max(m.KeyHigh, z.KeyHigh)
		m.VelLow, m.VelHigh = min(m.VelLow, z.VelLow), max(m.VelHigh, z.VelHigh)
	}
	if !sounds {
		m.KeyLow, m.VelLow = 0, 0
	}
	full, preload := 0.0, float64(len(zones))*float64(p.ZoneBytes) // hosts tell sizes that no integer adds up
	names := slices.Sorted(maps.Keys(size))                        // floats add up alike in one order
	for _, name := range names {
		full += float64(size[name])
		preload += float64(min(size[name], int64(p.PreloadKiB)<<10))
	}
	m.Samples, m.FullMiB, m.PreloadMiB = len(size), full/mib, min(preload, full)/mib
	slices.SortFunc(m.Switches, cmp.Compare)
	return m
}
