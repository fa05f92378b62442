package smf

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"slices"

	"gitlab.com/gomidi/midi/v2"
	"gitlab.com/gomidi/midi/v2/smf"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// Cue is the time of a cue for a file: its tempi, metres and markers, and the timecode at which the
// file begins.
type Cue struct {
	Ticks   int // in a quarter note, 1..32767
	Tempi   []tempo.Change
	Metres  []tempo.Metre
	Markers []Marker
	Rate    timecode.Rate // of the picture; without one, nothing is said of it
	Begin   float64       // the first tick, frames of timecode with their fraction
	Texts   []string      // of the first track
	Click   []Tick        // of a metronome, on a track of its own; none for none
}

// Marker is a name at a tick.
type Marker struct {
	Tick int64
	Name string
}

// Tick is a click of a metronome.
type Tick struct {
	Tick   int64
	Strong bool // the first of a bar
}

// WriteCue writes a song in the time of a cue: the tracks of Write, with the tempi, metres and
// markers of the cue, and where it begins as SMPTE offset (FF 54). Rates that the offset does not
// know are said in a text beside.
func WriteCue(w io.Writer, song handover.Song, c Cue) error {
	var first smf.Track
	song.CueTick = 0
	type timed struct {
		tick int64
		data []byte
	}
	list := []timed{{0, smf.MetaTrackSequenceName(song.Name)}}
	texts := slices.Clone(c.Texts)
	if c.Rate.Num > 0 {
		list = append(list, timed{0, offset(c.Rate, c.Begin)})
		texts = append(texts, aboutRate(c.Rate)...)
	}
	for _, text := range texts {
		list = append(list, timed{0, smf.MetaText(text)})
	}
	for _, m := range c.Metres {
		list = append(list, timed{m.Tick, metre(m)})
	}
	for _, t := range c.Tempi {
		list = append(list, timed{t.Tick, smf.Message{0xff, 0x51, 3, byte(t.Quarter >> 16), byte(t.Quarter >> 8), byte(t.Quarter)}})
	}
	for _, m := range c.Markers {
		list = append(list, timed{m.Tick, smf.MetaMarker(m.Name)})
	}
	slices.SortStableFunc(list, func(a, b timed) int { return cmp.Compare(a.tick, b.tick) })
	last := int64(0)
	for _, x := range list {
		later(&first, x.tick-last, x.data)
		last = x.tick
	}
	first.Close(0)
	var beside []smf.Track
	if len(c.Click) > 0 {
		beside = append(beside, clicks(c))
	}
	return write(w, song, c.Ticks, first, beside...)
}

// The keys of a click: those of General MIDI's metronome bell and click, on channel 10.
const (
	clickChannel = 9 // from 0
	bellKey      = 34
	clickKey     = 33
)

func clicks(c Cue) smf.Track {
	var t smf.Track
	t.Add(0, smf.MetaTrackSequenceName("Click"))
	last := int64(0)
	long := int64(c.Ticks / 8)
	for _, x := range c.Click {
		key, velocity := uint8(clickKey), uint8(90)
		if x.Strong {
			key, velocity = bellKey, 120
		}
		later(&t, x.Tick-last, midi.NoteOn(clickChannel, key, velocity))
		later(&t, long, midi.NoteOff(clickChannel, key))
		last = x.Tick + long
	}
	t.Close(0)
	return t
}

// code is the rate of a SMPTE offset (Standard MIDI Files 1.0, FF 54) that is nearest, and how many
// frames of the film are one of it.
func code(r timecode.Rate) (rr byte, per int64) {
	switch counted := r.Counted(); {
	case r.Drop:
		return 2, max(1, counted/30)
	case counted%25 == 0:
		return 1, counted / 25
	case counted%24 == 0:
		return 0, counted / 24
	default:
		return 3, counted / 30
	}
}

// offset is FF 54: the timecode at which the file begins, to a hundredth of a frame.
func offset(r timecode.Rate, begin float64) smf.Message {
	rr, per := code(r)
	whole := math.Floor(begin)
	at := r.Code(int64(whole))
	frames := (float64(at.Frames) + begin - whole) / float64(per)
	hundredths := int(math.Round(frames * 100))
	if most := int(r.Counted()/per)*100 - 1; hundredths > most {
		hundredths = most
	}
	return smf.Message{0xff, 0x54, 5, rr<<5 | byte(at.Hours), byte(at.Minutes), byte(at.Seconds), byte(hundredths / 100), byte(hundredths % 100)}
}

// aboutRate says a rate that the offset cannot.
func aboutRate(r timecode.Rate) []string {
	switch r {
	case timecode.Rate{Num: 24, Den: 1}, timecode.Rate{Num: 25, Den: 1}, timecode.Rate{Num: 30, Den: 1}, timecode.Rate{Num: 30_000, Den: 1001, Drop: true}:
		return nil
	}
	return []string{fmt.Sprintf("The picture runs at %s frames a second, which a SMPTE offset cannot say.", r)}
}
