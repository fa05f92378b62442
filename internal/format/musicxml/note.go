package musicxml

import (
	"cmp"
	"slices"
	"strconv"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
)

// state is how a part stands while it is read.
type state struct {
	part      *Part
	divisions float64
	transpose int // semitones
	now       int64
	furthest  int64 // of the measure
	last      int64 // where the last note of no chord began
	velocity  int
	standing  *articulation.Standing
	tied      map[int][]tie // notes that go on, by key
	slurs     int
	beats     int // of the metre in force
	unit      int
	metres    []tempo.Metre // one for each measure
}

// tie is a note that goes on: where it is, and among which notes.
type tie struct {
	voice, staff string
	at           int // its position in the part's notes
}

// words known to scores; a studio's own words are not the file's.
var vocabulary = articulation.NewVocabulary(nil)

func newState(p *Part) *state {
	return &state{part: p, divisions: 1, velocity: 80, standing: articulation.NewStanding(vocabulary), tied: map[int][]tie{}, beats: 4, unit: 4}
}

func (s *state) ticks(durations float64) int64 {
	return int64(durations*TicksPerQuarter/s.divisions + 0.5)
}

func (s *state) advance(durations float64) {
	if durations < 0 {
		s.now = max(0, s.now-s.ticks(-durations))
		return
	}
	s.now += s.ticks(durations)
	s.furthest = max(s.furthest, s.now)
}

// levels are velocities of the dynamics; common practice, no source.
var levels = map[string]int{"pppp": 12, "ppp": 20, "pp": 33, "p": 49, "mp": 64, "mf": 80, "f": 96, "ff": 112, "fff": 122, "ffff": 127, "sf": 112, "sfz": 112, "fp": 96, "fz": 112}

func (s *state) dynamic(name string) {
	if v, ok := levels[name]; ok {
		s.velocity = v
	}
}

// end closes notes that are tied into nothing.
func (s *state) end() {
	slices.SortStableFunc(s.part.Notes, func(a, b Note) int {
		if a.Start != b.Start {
			return cmp.Compare(a.Start, b.Start)
		}
		return a.Key - b.Key
	})
}

// draft is a note being read.
type draft struct {
	duration           float64
	step               string
	alter, octave      float64
	chord, rest, grace bool
	unpitched          bool
	start, stop        bool // ties
	voice, staff       string
	ways               []string
}

var steps = map[string]int{"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}

func (r *reader) note(_ element, s *state) error {
	n := draft{}
	slurred := s.slurs > 0
	if err := r.each(func(e element) error { return r.noteChild(e, s, &n) }); err != nil {
		return err
	}
	if n.grace {
		return nil
	}
	began := s.now
	if n.chord {
		began = s.last
	}
	end := began + s.ticks(n.duration)
	if !n.chord {
		s.last = s.now
		s.advance(n.duration)
	}
	if n.rest || n.duration == 0 {
		return nil
	}
	key := 60
	if !n.unpitched {
		step, ok := steps[n.step]
		if !ok {
			return &Bad{Reason: "a note has the step " + strconv.Quote(n.step)}
		}
		key = 12*(int(n.octave)+1) + step + int(n.alter) + s.transpose
	}
	if key < 0 || key > 127 {
		return &Bad{Reason: "a note lies outside the keys of MIDI"}
	}
	here := tie{voice: n.voice, staff: n.staff, at: len(s.part.Notes)}
	if from := s.goesOn(key, here, began); n.stop && from >= 0 {
		here.at = s.tied[key][from].at
		s.part.Notes[here.at].End = max(s.part.Notes[here.at].End, end)
		s.tied[key] = slices.Delete(s.tied[key], from, from+1)
		if n.start {
			s.tied[key] = append(s.tied[key], here)
		}
		return nil
	}
	if r.notes++; r.notes > MaxNotes {
		return &Bad{Reason: "it has more than " + strconv.Itoa(MaxNotes) + " notes"}
	}
	if n.start {
		if len(s.tied[key]) == mostTied {
			s.tied[key] = slices.Delete(s.tied[key], 0, 1)
		}
		s.tied[key] = append(s.tied[key], here)
	}
	s.part.Notes = append(s.part.Notes, Note{
		Start: began, End: end, Key: key, Velocity: s.velocity, Ways: s.ways(n.ways, slurred || s.slurs > 0), Measure: s.part.Measures,
	})
	return nil
}

// mostTied bounds the notes of one key that are tied at once.
const mostTied = 64

// goesOn finds the tied note that goes on in one of its key that begins at a tick: of
// its own voice and staff where it ends there, else of another that ends there, since
// music crosses from voice to voice; else of its own with a gap or an overlap, as
// exporters leave them. It is -1 when there is none.
func (s *state) goesOn(key int, here tie, began int64) int {
	own, other := -1, -1
	for n, t := range s.tied[key] {
		same, joins := t.voice == here.voice && t.staff == here.staff, s.part.Notes[t.at].End == began
		switch {
		case same && joins:
			return n
		case same:
			own = n
		case joins && other < 0:
			other = n
		}
	}
	if other >= 0 {
		return other
	}
	return own
}

// ways joins what is written at a note with the words in force, and a slur.
func (s *state) ways(at []string, slurred bool) []string {
	if slurred {
		at = append(at, "legato")
	}
	return s.standing.With(at)
}

func (r *reader) noteChild(e element, s *state, n *draft) (err error) {
	switch e.name {
	case "chord":
		n.chord = true
	case "voice":
		n.voice, err = r.text()
		return err
	case "staff":
		n.staff, err = r.text()
		return err
	case "rest":
		n.rest = true
	case "grace", "cue":
		n.grace = true
	case "unpitched":
		n.unpitched = true
	case "duration":
		n.duration, err = r.number(e)
		if err == nil && (n.duration < 0 || n.duration > longest) {
			err = &Bad{Reason: "a duration is out of bounds"}
		}
		return err
	case "tie":
		n.start = n.start || e.attr("type") == "start"
		n.stop = n.stop || e.attr("type") == "stop"
	case "pitch":
		return r.each(func(e element) error {
			switch e.name {
			case "step":
				n.step, err = r.text()
			case "alter":
				n.alter, err = r.number(e)
			case "octave":
				n.octave, err = r.number(e)
			default:
				return r.skip(e)
			}
			return err
		})
	case "notations":
		return r.each(func(e element) error { return r.notation(e, s, n) })
	}
	return r.skip(e)
}

// marks are the elements of articulations, technical and ornaments that ask
// for a way of playing, and its name.
var marks = map[string]string{
	"staccato": "staccato", "staccatissimo": "staccatissimo", "tenuto": "tenuto", "accent": "accent", "strong-accent": "marcato",
	"spiccato": "spiccato", "detached-legato": "detache", "scoop": "bend", "doit": "doit", "falloff": "fall", "plop": "bend",
	"harmonic": "harmonics", "snap-pizzicato": "snap pizzicato", "stopped": "stopped", "double-tongue": "double tongue",
	"triple-tongue": "triple tongue", "brass-bend": "bend", "flip": "rip", "harmon-mute": "harmon mute", "smear": "bend",
	"trill-mark": "trill major second",
}

func (r *reader) notation(e element, s *state, n *draft) error {
	switch e.name {
	case "articulations", "technical", "ornaments":
		return r.each(func(e element) error {
			if e.name == "tremolo" {
				return r.tremolo(n)
			}
			if name, ok := marks[e.name]; ok {
				n.ways = append(n.ways, name)
			}
			return r.skip(e)
		})
	case "slur":
		switch e.attr("type") {
		case "start":
			s.slurs++
		case "stop":
			s.slurs = max(0, s.slurs-1)
		}
	case "glissando", "slide":
		if e.attr("type") == "start" {
			n.ways = append(n.ways, "glissando")
		}
	}
	return r.skip(e)
}

// tremolo reads the number of beams: three and more are unmeasured.
func (r *reader) tremolo(n *draft) error {
	text, err := r.text()
	if beams, wrong := strconv.Atoi(text); wrong == nil && beams < 3 {
		n.ways = append(n.ways, "measured tremolo")
	} else {
		n.ways = append(n.ways, "tremolo")
	}
	return err
}

// Technique is a way of playing that a part asks for.
type Technique struct {
	Name   string
	Notes  int
	First  int // the measure where it is first asked for
	Family template.Family
}

// Techniques counts the ways of playing a part asks for, by the number of
// notes; plain notes count as long.
func (p *Part) Techniques() []Technique {
	place := map[string]int{}
	out := []Technique{}
	count := func(name string, measure int) {
		at, ok := place[name]
		if !ok {
			at = len(out)
			place[name] = at
			out = append(out, Technique{Name: name, First: measure, Family: vocabulary.FamilyOf(name)})
		}
		out[at].Notes++
	}
	for _, n := range p.Notes {
		if !slices.ContainsFunc(n.Ways, func(w string) bool { t := vocabulary.Find(w); return t != nil && t.Group == "" }) {
			count("long", n.Measure)
		}
		for _, w := range n.Ways {
			count(w, n.Measure)
		}
	}
	slices.SortStableFunc(out, func(a, b Technique) int { return b.Notes - a.Notes })
	return out
}

// Range is the lowest and highest sounding key of a part, and false when it
// has no note.
func (p *Part) Range() (low, high int, ok bool) {
	low, high = 127, 0
	for _, n := range p.Notes {
		low, high = min(low, n.Key), max(high, n.Key)
	}
	return low, high, len(p.Notes) > 0
}
