// Package tempo turns musical time into clock time and back: a map of tempo
// changes in ticks goes in, microseconds come out.
package tempo

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
)

// Change is a tempo from a tick on.
type Change struct {
	Tick    int64
	Quarter int64 // microseconds of one quarter note, 1..16,777,215 as in Standard MIDI Files
}

// Map is a sequence of tempi.
type Map struct {
	ticks   int64 // in a quarter note
	changes []Change
	micros  []int64 // the time of each change
}

// Slowest is the longest quarter note, microseconds (24 bits in FF 51).
const Slowest = 1<<24 - 1

// New returns the map with so many ticks in a quarter note, 1..32767, at 120
// beats a minute unless a change at tick 0 says otherwise. A tempo that is said again
// while it is in force is left out.
func New(ticksPerQuarter int, changes ...Change) (*Map, error) {
	if ticksPerQuarter < 1 || ticksPerQuarter > 1<<15-1 {
		return nil, fmt.Errorf("%d ticks in a quarter note; use 1 to 32767", ticksPerQuarter)
	}
	m := &Map{ticks: int64(ticksPerQuarter), changes: []Change{{0, 500_000}}, micros: []int64{0}}
	sorted := slices.Clone(changes)
	slices.SortStableFunc(sorted, func(a, b Change) int { return cmp.Compare(a.Tick, b.Tick) })
	for _, c := range sorted {
		if c.Tick < 0 || c.Quarter < 1 || c.Quarter > Slowest {
			return nil, fmt.Errorf("at tick %d, a quarter note of %d µs is not possible", c.Tick, c.Quarter)
		}
		last := len(m.changes) - 1
		switch {
		case m.changes[last].Tick == c.Tick:
			m.changes[last].Quarter = c.Quarter
			if last > 0 && m.changes[last-1].Quarter == c.Quarter {
				m.changes, m.micros = m.changes[:last], m.micros[:last]
			}
			continue
		case m.changes[last].Quarter == c.Quarter:
			continue // said again
		}
		at := m.Micros(c.Tick)
		m.changes, m.micros = append(m.changes, c), append(m.micros, at)
	}
	return m, nil
}

// TicksPerQuarter is the time resolution.
func (m *Map) TicksPerQuarter() int { return int(m.ticks) }

// Changes lists the tempi, the first of them at tick 0.
func (m *Map) Changes() []Change { return slices.Clone(m.changes) }

// Micros is the time of a tick, microseconds, rounded down. Ticks before 0 lie
// before the beginning, in the first tempo.
func (m *Map) Micros(tick int64) int64 {
	n := max(0, sort.Search(len(m.changes), func(i int) bool { return m.changes[i].Tick > tick })-1)
	c := m.changes[n]
	return m.micros[n] + floorDiv((tick-c.Tick)*c.Quarter, m.ticks)
}

// Tick is the last tick that is not later than a time in microseconds.
func (m *Map) Tick(micros int64) int64 {
	n := max(0, sort.Search(len(m.micros), func(i int) bool { return m.micros[i] > micros })-1)
	c := m.changes[n]
	return c.Tick + floorDiv((micros-m.micros[n])*m.ticks, c.Quarter)
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}
