package tempo

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
)

// Metre is a time signature from a tick on: 6 and 8 for 6/8.
type Metre struct {
	Tick  int64
	Beats int // 1..255
	Unit  int // the note value of a beat, 1..128 and a power of two
}

// Common is 4/4, in force until a metre says otherwise.
var Common = Metre{Beats: 4, Unit: 4}

// Clicks is how many MIDI clocks, 24 in a quarter note, lie between two clicks of a
// metronome: one a beat, and in compound metres (6/8, 9/8, 12/8) one every three
// eighths, as the example of FF 58 in Standard MIDI Files 1.0 has it.
func (m Metre) Clicks() int {
	beat := max(1, 24*4/m.Unit)
	if m.Unit >= 8 && m.Beats > 3 && m.Beats%3 == 0 {
		return 3 * beat
	}
	return beat
}

// Bars numbers the bars of a piece from 1 by its metres.
type Bars struct {
	ticks  int64 // in a quarter note
	metres []Metre
	first  []int64 // the bar that begins with each metre
}

// Time is how a piece runs: its tempi and its bars.
type Time struct {
	Clock *Map
	Bars  *Bars
}

// NewTime returns the time of a piece with so many ticks in a quarter note, 1..32767:
// at 120 beats a minute and in 4/4 until tempi and metres say otherwise.
func NewTime(ticksPerQuarter int, tempi []Change, metres []Metre) (Time, error) {
	clock, err := New(ticksPerQuarter, tempi...)
	if err != nil {
		return Time{}, err
	}
	bars, err := NewBars(ticksPerQuarter, metres...)
	return Time{clock, bars}, err
}

// MostBars bounds the number of a bar, so that no place overflows.
const MostBars = 1 << 24

// NewBars returns the bars of a piece with so many ticks in a quarter note, 1..32767. A
// metre that comes within a bar begins a new one.
func NewBars(ticksPerQuarter int, metres ...Metre) (*Bars, error) {
	if ticksPerQuarter < 1 || ticksPerQuarter > 1<<15-1 {
		return nil, fmt.Errorf("%d ticks in a quarter note; use 1 to 32767", ticksPerQuarter)
	}
	b := &Bars{ticks: int64(ticksPerQuarter), metres: []Metre{Common}, first: []int64{1}}
	sorted := slices.Clone(metres)
	slices.SortStableFunc(sorted, func(x, y Metre) int { return cmp.Compare(x.Tick, y.Tick) })
	for _, m := range sorted {
		if m.Tick < 0 || m.Beats < 1 || m.Beats > 255 || m.Unit < 1 || m.Unit > 128 || m.Unit&(m.Unit-1) != 0 {
			return nil, fmt.Errorf("at tick %d, a metre of %d/%d is not possible", m.Tick, m.Beats, m.Unit)
		}
		last := len(b.metres) - 1
		is := b.metres[last]
		switch {
		case is.Tick == m.Tick:
			b.metres[last] = m
			continue
		case is.Beats == m.Beats && is.Unit == m.Unit && b.Start(b.At(m.Tick)) == m.Tick:
			continue // said again
		}
		bar := b.At(m.Tick)
		if b.Start(bar) < m.Tick {
			bar++
		}
		b.metres, b.first = append(b.metres, m), append(b.first, bar)
	}
	return b, nil
}

// Metres lists the metres, the first of them at tick 0. One that is said again at the
// beginning of a bar is left out.
func (b *Bars) Metres() []Metre { return slices.Clone(b.metres) }

// Start is where a bar begins, ticks. Bars are counted from 1, to MostBars.
func (b *Bars) Start(bar int64) int64 {
	bar = min(max(1, bar), MostBars)
	n := max(0, sort.Search(len(b.first), func(i int) bool { return b.first[i] > bar })-1)
	m := b.metres[n]
	at := m.Tick + (bar-b.first[n])*4*b.ticks*int64(m.Beats)/int64(m.Unit)
	if n+1 < len(b.metres) {
		at = min(at, b.metres[n+1].Tick) // the last bar of a metre may be cut short
	}
	return at
}

// At is the bar that a tick lies in.
func (b *Bars) At(tick int64) int64 {
	n := max(0, sort.Search(len(b.metres), func(i int) bool { return b.metres[i].Tick > tick })-1)
	m := b.metres[n]
	long := 4 * b.ticks * int64(m.Beats)
	bar := b.first[n] + max(0, (tick-m.Tick)*int64(m.Unit))/long
	for b.Start(bar+1) <= tick && bar < MostBars && (n+1 == len(b.first) || bar+1 < b.first[n+1]) {
		bar++ // a bar of no whole number of ticks begins a little early
	}
	return min(bar, MostBars)
}
