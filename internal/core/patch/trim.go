package patch

// Played is which keys sound at which velocities.
type Played struct {
	at [128][2]uint64 // for each key, a bit for each velocity
}

// Note adds one note. One beyond MIDI's 0..127 plays nothing.
func (p *Played) Note(key, velocity int) { p.Band(key, velocity, velocity) }

// Band adds a key at every velocity from low to high.
func (p *Played) Band(key, low, high int) {
	if key < 0 || key > 127 {
		return
	}
	for v := max(0, low); v <= min(127, high); v++ {
		p.at[key][v>>6] |= 1 << (v & 63)
	}
}

// touches tells whether a zone sounds for anything that is played.
func (p *Played) touches(z Zone) bool {
	low, high := mask(z.VelLow, z.VelHigh)
	for key := max(0, z.KeyLow); key <= min(127, z.KeyHigh); key++ {
		if p.at[key][0]&low != 0 || p.at[key][1]&high != 0 {
			return true
		}
	}
	return false
}

// mask has a bit for each velocity of a band.
func mask(from, to int) (low, high uint64) {
	upTo := func(v int) (uint64, uint64) { // all velocities below v
		switch {
		case v <= 0:
			return 0, 0
		case v < 64:
			return 1<<v - 1, 0
		case v < 128:
			return ^uint64(0), 1<<(v-64) - 1
		}
		return ^uint64(0), ^uint64(0)
	}
	a0, a1 := upTo(from)
	b0, b1 := upTo(to + 1)
	return b0 &^ a0, b1 &^ a1
}

// Trim lists the zones that must stay in memory for what is played, in their
// order: those that sound for it, of the switches in use; nil takes every
// switch. What Take measures of them is what the trimmed patch takes.
func Trim(zones []Zone, played *Played, switches map[int]bool) []Zone {
	var out []Zone
	for _, z := range zones {
		if z.Switch >= 0 && switches != nil && !switches[z.Switch] {
			continue
		}
		if played.touches(z) {
			out = append(out, z)
		}
	}
	return out
}
