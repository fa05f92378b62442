// Package calibrate makes every row of a template play a short test in turn, and cuts a
// recording of that into what each row did. Rows go in, and a schedule with the notes of
// each comes out; the schedule and recordings go in, and figures of each row come out.
package calibrate

import (
	"math"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
)

// Row is what is played and listened to.
type Row struct {
	ID        template.ID `json:"id"`
	Name      string      `json:"name"`
	Pair      int         `json:"pair"` // the recording it is in, from 0: an output pair or a stem
	Low       int         `json:"low"`  // its playable keys, MIDI notes
	High      int         `json:"high"`
	Ways      []string    `json:"ways"`                // its articulations that a switch reaches, the plain one first
	Percussed bool        `json:"percussed,omitempty"` // its notes begin at once: it can make the click
	Plays     string      `json:"plays,omitempty"`     // what it plays now: template.Template.Plays
}

// Kind says what an event of a schedule is for.
type Kind string

// The kinds.
const (
	Click    Kind = "click"    // by which a recording is aligned
	Silence  Kind = "silence"  // for the noise
	Dynamics Kind = "dynamics" // one of three strengths on a middle key
	Key      Kind = "key"      // a low or a high one
	Way      Kind = "way"      // an articulation
)

// Event is something that a row does, or does not do.
type Event struct {
	Row      int // of the schedule
	Kind     Kind
	At       float64 // from the start of the recording, s
	Seconds  float64
	Key      int
	Strength int    // velocity, and the dynamics controller, 1..127
	Way      string // the articulation
}

// The times of a test, s.
const (
	clickAt  = 0.5
	begin    = 2.5
	quiet    = 1.2 // silence before a row
	dynamic  = 0.9 // a note of the dynamics
	between  = 1.0
	keyed    = 0.5 // a low or high note
	way      = 0.4
	beside   = 0.3 // between those
	tail     = 2.0 // room for the last, the strong one, to die away
	clickFor = 0.1
)

// Strengths are soft, middle and strong.
var Strengths = [3]int{32, 80, 112}

// Schedule is when which row does what. Rows on different pairs play at once.
type Schedule struct {
	Rows    []Row
	Events  []Event // row by row, each in order
	Seconds float64 // until all have played
	Pairs   int
}

// New makes the schedule of rows, those of each pair one after another. The click of a pair
// is made by the first of its rows whose notes begin at once, else by its first row.
func New(rows []Row) Schedule { return lay(rows, true, begin) }

// Alone is the schedule of one row that needs no click, since its notes are played and heard
// by one clock.
func Alone(row Row) Schedule {
	row.Pair = 0
	return lay([]Row{row}, false, 0)
}

func lay(rows []Row, clicked bool, begin float64) Schedule {
	s := Schedule{Rows: rows}
	next, clicks := map[int]float64{}, map[int]int{}
	for n, r := range rows {
		s.Pairs = max(s.Pairs, r.Pair+1)
		if was, known := clicks[r.Pair]; !known || r.Percussed && !rows[was].Percussed {
			clicks[r.Pair] = n
		}
	}
	for n, r := range rows {
		if clicked && clicks[r.Pair] == n {
			s.Events = append(s.Events, Event{n, Click, clickAt, clickFor, middle(r), 120, plain(r)})
		}
		at, known := next[r.Pair]
		if !known {
			at = begin
		}
		s.Events = append(s.Events, Event{Row: n, Kind: Silence, At: at, Seconds: quiet})
		at += quiet
		for _, strength := range Strengths[:2] {
			s.Events = append(s.Events, Event{n, Dynamics, at, dynamic, middle(r), strength, plain(r)})
			at += dynamic + between
		}
		for _, key := range []int{r.Low + (r.High-r.Low)/6, r.High - (r.High-r.Low)/6} {
			s.Events = append(s.Events, Event{n, Key, at, keyed, key, Strengths[1], plain(r)})
			at += keyed + beside
		}
		if len(r.Ways) > 1 {
			for _, w := range r.Ways {
				s.Events = append(s.Events, Event{n, Way, at, way, middle(r), Strengths[1], w})
				at += way + beside
			}
		}
		at += between - beside
		s.Events = append(s.Events, Event{n, Dynamics, at, dynamic, middle(r), Strengths[2], plain(r)})
		at += dynamic + tail
		next[r.Pair] = at
		s.Seconds = max(s.Seconds, at)
	}
	return s
}

func middle(r Row) int { return (r.Low + r.High) / 2 }

func plain(r Row) string {
	if len(r.Ways) == 0 {
		return ""
	}
	return r.Ways[0]
}

// TicksPerSecond is the clock of a schedule's parts: 480 ticks in a quarter note, at 120 of
// them in a minute.
const TicksPerSecond = 960

// Part is what a row plays, with the articulations that are asked for and the dynamics
// controller (CC 1) beside the velocity, for the compiler.
func (s Schedule) Part(row int) articulation.Part {
	var p articulation.Part
	tick := func(at float64) int64 { return int64(math.Round(at * TicksPerSecond)) }
	for _, e := range s.Events {
		if e.Row != row || e.Kind == Silence {
			continue
		}
		note := articulation.Note{Start: tick(e.At), End: tick(e.At + e.Seconds), Key: e.Key, Velocity: e.Strength}
		if e.Way != "" {
			note.Articulations = []string{e.Way}
		}
		p.Notes = append(p.Notes, note)
		p.Controls = append(p.Controls, articulation.Control{Tick: tick(e.At - .1), Number: 1, Value: e.Strength})
	}
	return p
}
