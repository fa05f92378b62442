package articulation

import (
	"cmp"
	"slices"
)

// chased is the state at the beginning: the last of each controller and
// programme, and the key switches of the articulations that still stand.
func (c *compiler) chased() []timed {
	type what struct {
		status          byte
		channel, number int
	}
	slices.SortStableFunc(c.chase, func(a, b timed) int { return cmp.Compare(a.Tick, b.Tick) })
	last, stood := map[what]int{}, map[stand]*choice{}
	of := func(m timed) what {
		if m.Status == Programme {
			return what{m.Status, m.Channel, 0}
		}
		return what{m.Status, m.Channel, m.Data1}
	}
	for n, m := range c.chase {
		last[of(m)] = n
		if m.of != nil {
			stood[stand{m.Channel, m.of.group}] = m.of
		}
	}
	var out []timed
	for n, m := range c.chase {
		if last[of(m)] != n || m.Status == NoteOn && stood[stand{m.Channel, m.of.group}] != m.of {
			continue
		}
		m.Tick = c.from
		out = append(out, m)
		if m.Status == NoteOn {
			m.Status, m.Data2, m.Tick, m.rank = NoteOff, 64, c.from+lasting, rankOff
			out = append(out, m)
		}
	}
	return out
}
