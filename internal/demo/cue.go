package demo

import (
	"bytes"
	"cmp"
	"math"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/smf"
)

// CueName is the name of the demo's piece of music: of the first reel, as cues are numbered.
const CueName = "1m2 The lamp is lit"

// ticks of a quarter and of a bar of 4/4.
const (
	quarter = 480
	bar     = 4 * quarter
)

// chord is what sounds for two bars: its bass, and what lies above it, MIDI notes.
type chord struct {
	bass  int
	above [4]int
}

// lamp are the chords of the cue, two bars each: it climbs from D minor to D major.
var lamp = []chord{
	{38, [4]int{57, 62, 65, 69}}, {34, [4]int{58, 62, 65, 70}}, {41, [4]int{57, 60, 65, 69}}, {36, [4]int{55, 60, 64, 67}},
	{43, [4]int{58, 62, 67, 70}}, {38, [4]int{57, 62, 65, 69}}, {33, [4]int{57, 61, 64, 69}}, {38, [4]int{57, 62, 66, 69}},
	{43, [4]int{59, 62, 67, 71}}, {45, [4]int{57, 61, 64, 69}}, {47, [4]int{59, 62, 66, 71}}, {38, [4]int{57, 62, 66, 74}},
}

// tune is what the horns sing, from the fifth bar on: a key and how long, quarters.
var tune = [][2]float64{
	{57, 1}, {62, 2}, {64, 1}, {65, 3}, {64, 1}, {60, 4}, {55, 1}, {60, 2}, {62, 1}, {58, 4},
	{62, 2}, {67, 2}, {65, 3}, {64, 1}, {61, 2}, {64, 2}, {62, 4}, {66, 4}, {67, 2}, {71, 2}, {69, 4}, {73, 2}, {76, 2}, {74, 6},
}

type cuePart struct {
	name  string
	notes []articulation.Note
	wheel bool // somebody has played dynamics in
}

func (p *cuePart) play(at, long float64, velocity int, keys ...int) {
	for _, key := range keys {
		p.notes = append(p.notes, articulation.Note{Start: int64(at * quarter), End: int64((at+long)*quarter) - 10, Key: key, Velocity: velocity})
	}
}

// swell is how strong the cue is at a quarter, as a velocity: it grows to two thirds of its
// length and dies away.
func swell(at float64) int {
	x := at / float64(8*len(lamp))
	if x < .7 {
		return 38 + int(62*x/.7)
	}
	return 38 + int(62*math.Sqrt(max(0, 1-x)/.3))
}

// Cue is a piece of music for the demo's orchestra, as a MIDI file of a score: a track for
// each part, under the names that parts have, and not those of the template's rows.
func Cue() ([]byte, error) {
	var tempi []tempo.Change
	for n := range 2 * len(lamp) {
		bpm := 66.0 + float64(n)/2
		if last := 2*len(lamp) - n; last < 4 {
			bpm -= 6 * float64(4-last)
		}
		tempi = append(tempi, tempo.Change{Tick: int64(n * bar), Quarter: int64(math.Round(60e6 / bpm))})
	}
	time, err := tempo.NewTime(quarter, tempi, nil)
	if err != nil {
		return nil, err
	}
	var played []smf.Played
	for _, p := range cueParts() {
		played = append(played, smf.Played{Name: p.name, Port: -1, Messages: p.messages()})
	}
	var b bytes.Buffer
	if err := smf.WritePlayed(&b, time, played); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

func cueParts() []*cuePart {
	part := func(name string, wheel bool) *cuePart { return &cuePart{name: name, wheel: wheel} }
	flute, oboe, clarinet, bassoon := part("Flute 1", false), part("Oboe 1", false), part("Clarinet 1", false), part("Bassoon 1", false)
	horns, trumpet, tuba := part("Horns 1-4", false), part("Trumpet 1", false), part("Tuba", false)
	timpani, harp := part("Timpani", false), part("Harp", false)
	first, second := part("Violins I", true), part("Violins II", true)
	violas, cellos, basses := part("Violas", true), part("Cellos", true), part("Double basses", true)
	for n, c := range lamp {
		at := float64(8 * n)
		v := swell(at)
		high := c.above[3] + 12
		first.play(at, 8, v, high)
		second.play(at, 8, v, c.above[2]+12)
		violas.play(at, 8, v, c.above[1])
		cellos.play(at, 4, v, c.bass+12)
		cellos.play(at+4, 4, v, c.bass+19)
		basses.play(at, 8, v, max(28, c.bass-12))
		for k := range 16 { // the harp goes up and down
			step := k % 8
			if step > 4 {
				step = 8 - step
			}
			harp.play(at+float64(k)/2, .5, v-8, []int{c.bass + 12, c.above[0], c.above[1], c.above[2], c.above[3]}[step])
		}
		if n >= 4 {
			bassoon.play(at, 8, v, c.bass+12)
			clarinet.play(at, 4, v, c.above[2])
			clarinet.play(at+4, 4, v, c.above[1])
			oboe.play(at+2, 2, v, c.above[3])
			oboe.play(at+4, 4, v, c.above[2])
			for k := range 4 {
				flute.play(at+4+float64(k), 1, v, c.above[(k+1)%4]+12)
			}
		}
		if n >= 7 {
			trumpet.play(at, 6, v, c.above[3])
			tuba.play(at, 8, v, max(28, c.bass))
			for k := range 8 {
				timpani.play(at+float64(k), .9, v-20+10*(k%4/3), 38+7*(n%2))
			}
		}
	}
	at := 16.0
	for _, x := range tune {
		horns.play(at, x[1], min(120, swell(at)+10), int(x[0]))
		at += x[1]
	}
	return []*cuePart{flute, oboe, clarinet, bassoon, horns, trumpet, tuba, timpani, harp, first, second, violas, cellos, basses}
}

// messages are the part's notes on channel 1, and its dynamics where they were played in.
func (p *cuePart) messages() (out []articulation.Message) {
	for _, n := range p.notes {
		out = append(out,
			articulation.Message{Tick: n.Start, Status: articulation.NoteOn, Channel: 1, Data1: n.Key, Data2: n.Velocity},
			articulation.Message{Tick: n.End, Status: articulation.NoteOff, Channel: 1, Data1: n.Key, Data2: 64})
	}
	for k := 0; p.wheel && k < 32*len(lamp); k++ { // every sixteenth, a breath in each phrase
		at := float64(k) / 4
		value := float64(swell(at)) * (.82 + .18*math.Sin(math.Pi*math.Mod(at, 8)/8))
		out = append(out, articulation.Message{Tick: int64(at * quarter), Status: articulation.Controller, Channel: 1, Data1: 1, Data2: int(value)})
	}
	slices.SortStableFunc(out, func(a, b articulation.Message) int {
		return cmp.Or(cmp.Compare(a.Tick, b.Tick), int(a.Status)-int(b.Status))
	})
	return out
}
