package musicxml

import (
	"encoding/xml"
	"errors"
	"io"
	"strconv"
	"strings"

	"fanfold/internal/core/tempo"
)

// reader walks through the file, one element after the other.
type reader struct {
	d     *xml.Decoder
	score *Score
	parts map[string]*state
	notes int
	depth int
}

// element is a start tag with its attributes.
type element struct {
	name  string
	attrs []xml.Attr
}

func (e element) attr(name string) string {
	for _, a := range e.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// document reads the whole file.
func (r *reader) document() error {
	for {
		t, err := r.d.Token()
		if errors.Is(err, io.EOF) {
			return &Bad{Reason: "it holds no score"}
		}
		if err != nil {
			return err
		}
		start, ok := t.(xml.StartElement)
		if !ok {
			continue
		}
		switch start.Name.Local {
		case "score-partwise":
			err = r.each(r.partwise)
		case "score-timewise":
			err = r.each(r.timewise)
		default:
			return &Bad{Reason: "it begins with <" + start.Name.Local + ">, not as a MusicXML score"}
		}
		if err != nil {
			return err
		}
		for _, p := range r.score.Parts {
			r.parts[p.ID].end()
			if p.Measures > r.score.Measures {
				r.score.Measures, r.score.metres = p.Measures, r.parts[p.ID].metres
			}
		}
		return nil
	}
}

// each calls f for every child of the present element; f must read the child
// to its end.
func (r *reader) each(f func(element) error) error {
	if r.depth++; r.depth > maxDepth {
		return &Bad{Reason: "elements are nested too deep"}
	}
	defer func() { r.depth-- }()
	for {
		t, err := r.d.Token()
		if err != nil {
			return err
		}
		switch t := t.(type) {
		case xml.StartElement:
			if err := f(element{t.Name.Local, t.Attr}); err != nil {
				return err
			}
		case xml.EndElement:
			return nil
		}
	}
}

// text reads the present element as text.
func (r *reader) text() (string, error) {
	var b strings.Builder
	for depth := 0; ; {
		t, err := r.d.Token()
		if err != nil {
			return "", err
		}
		switch t := t.(type) {
		case xml.CharData:
			if b.Len() < 1<<16 {
				b.Write(t)
			}
		case xml.StartElement:
			depth++
		case xml.EndElement:
			if depth == 0 {
				return strings.TrimSpace(b.String()), nil
			}
			depth--
		}
	}
}

// number reads the present element as a number.
func (r *reader) number(e element) (float64, error) {
	s, err := r.text()
	if err != nil {
		return 0, err
	}
	x, err := strconv.ParseFloat(s, 64)
	if err != nil || x != x || x > 1e9 || x < -1e9 {
		return 0, &Bad{Reason: "<" + e.name + "> says " + strconv.Quote(s) + ", which is not a number"}
	}
	return x, nil
}

func (r *reader) skip(element) error { return r.d.Skip() }

func (r *reader) partwise(e element) error {
	switch e.name {
	case "part":
		s, err := r.part(e.attr("id"))
		if err != nil {
			return err
		}
		return r.each(func(e element) error {
			if e.name != "measure" {
				return r.skip(e)
			}
			return r.measure(s)
		})
	case "measure":
		return &Bad{Reason: "a measure stands outside a part"}
	}
	return r.head(e)
}

func (r *reader) timewise(e element) error {
	if e.name != "measure" {
		return r.head(e)
	}
	return r.each(func(e element) error {
		if e.name != "part" {
			return r.skip(e)
		}
		s, err := r.part(e.attr("id"))
		if err != nil {
			return err
		}
		return r.measure(s)
	})
}

// head reads what stands before the music.
func (r *reader) head(e element) error {
	switch e.name {
	case "work", "part-list":
		return r.each(r.head)
	case "work-title", "movement-title":
		s, err := r.text()
		if r.score.Title == "" || e.name == "work-title" {
			r.score.Title = s
		}
		return err
	case "score-part":
		if len(r.score.Parts) == MaxParts {
			return &Bad{Reason: "it has more than " + strconv.Itoa(MaxParts) + " parts"}
		}
		p := &Part{ID: e.attr("id"), Sounds: []string{}, Notes: []Note{}}
		if r.parts[p.ID] != nil {
			return &Bad{Reason: "two parts have the id " + strconv.Quote(p.ID)}
		}
		r.score.Parts = append(r.score.Parts, p)
		r.parts[p.ID] = newState(p)
		return r.each(func(e element) error { return r.scorePart(e, p) })
	}
	return r.skip(e)
}

func (r *reader) scorePart(e element, p *Part) (err error) {
	switch e.name {
	case "part-name":
		p.Name, err = r.text()
	case "part-abbreviation":
		p.Abbreviation, err = r.text()
	case "score-instrument":
		return r.each(func(e element) error {
			if e.name != "instrument-sound" {
				return r.skip(e)
			}
			s, err := r.text()
			if s != "" {
				p.Sounds = append(p.Sounds, s)
			}
			return err
		})
	default:
		return r.skip(e)
	}
	return err
}

func (r *reader) part(id string) (*state, error) {
	s := r.parts[id]
	if s == nil {
		return nil, &Bad{Reason: "the part " + strconv.Quote(id) + " is not in the part list"}
	}
	return s, nil
}

// measure reads one measure of a part.
func (r *reader) measure(s *state) error {
	s.part.Measures++
	if s.now > maxTicks {
		return &Bad{Reason: "the score is too long"}
	}
	began := s.now
	s.furthest = began
	err := r.each(func(e element) error {
		switch e.name {
		case "attributes":
			return r.each(func(e element) error { return r.attribute(e, s) })
		case "note":
			return r.note(e, s)
		case "backup", "forward":
			return r.move(e, s)
		case "direction":
			return r.each(func(e element) error { return r.direction(e, s) })
		case "sound":
			return r.sound(e, s)
		}
		return r.skip(e)
	})
	s.now = max(s.now, s.furthest)
	if s.now == began { // nothing says how long it lasts
		s.now += s.bar()
	}
	s.metres = append(s.metres, s.metre(began))
	return err
}

// bar is how long a measure lasts by the metre in force, ticks.
func (s *state) bar() int64 { return 4 * TicksPerQuarter * int64(s.beats) / int64(s.unit) }

// metre is that of the measure that has just been read: the one in force, or, in a
// measure that lasts longer, one of so many beats more.
func (s *state) metre(began int64) tempo.Metre {
	m := tempo.Metre{Tick: began, Beats: s.beats, Unit: s.unit}
	beat := int64(4 * TicksPerQuarter / s.unit)
	if long := s.now - began; long > s.bar() {
		m.Beats = int(min(255, (long+beat-1)/beat))
	}
	return m
}

// time reads a time signature: the beats of "3+2" are 5. One that cannot be, or is
// none (senza misura), changes nothing.
func (r *reader) time(s *state) error {
	beats, unit := 0, 0
	err := r.each(func(e element) error {
		if e.name != "beats" && e.name != "beat-type" {
			return r.skip(e)
		}
		text, err := r.text()
		if e.name == "beats" {
			for part := range strings.SplitSeq(text, "+") {
				n, _ := strconv.Atoi(strings.TrimSpace(part))
				beats += max(0, min(n, 255))
			}
		} else if n, wrong := strconv.Atoi(text); wrong == nil {
			unit = n
		}
		return err
	})
	if beats >= 1 && beats <= 255 && unit >= 1 && unit <= 128 && unit&(unit-1) == 0 {
		s.beats, s.unit = beats, unit
	}
	return err
}

func (r *reader) attribute(e element, s *state) error {
	switch e.name {
	case "time":
		return r.time(s)
	case "divisions":
		x, err := r.number(e)
		if err == nil && (x < 1 || x > 1e6) {
			return &Bad{Reason: "divisions are 1 to 1,000,000"}
		}
		s.divisions = x
		return err
	case "transpose":
		s.transpose = 0
		return r.each(func(e element) error {
			if e.name != "chromatic" && e.name != "octave-change" {
				return r.skip(e)
			}
			x, err := r.number(e)
			if e.name == "octave-change" {
				x *= 12
			}
			s.transpose += int(x)
			return err
		})
	}
	return r.skip(e)
}

// longest bounds one duration, so that no sum of them is out of bounds.
const longest = 1e6

func (r *reader) move(e element, s *state) error {
	back := e.name == "backup"
	return r.each(func(e element) error {
		if e.name != "duration" {
			return r.skip(e)
		}
		x, err := r.number(e)
		if err == nil && (x < 0 || x > longest) {
			return &Bad{Reason: "a duration is out of bounds"}
		}
		if back {
			x = -x
		}
		s.advance(x)
		return err
	})
}

func (r *reader) direction(e element, s *state) error {
	switch e.name {
	case "direction-type":
		return r.each(func(e element) error {
			switch e.name {
			case "words":
				text, err := r.text()
				s.standing.Read(text)
				return err
			case "dynamics":
				return r.each(func(e element) error { s.dynamic(e.name); return r.skip(e) })
			}
			return r.skip(e)
		})
	case "sound":
		return r.sound(e, s)
	}
	return r.skip(e)
}

func (r *reader) sound(e element, s *state) error {
	if bpm, err := strconv.ParseFloat(e.attr("tempo"), 64); err == nil && bpm >= 4 && bpm <= 999 {
		r.score.Tempi = append(r.score.Tempi, Tempo{s.now, bpm})
	}
	switch e.attr("pizzicato") {
	case "yes":
		s.standing.Read("pizz.")
	case "no":
		s.standing.Read("arco")
	}
	if x, err := strconv.ParseFloat(e.attr("dynamics"), 64); err == nil && x >= 0 && x <= 200 {
		s.velocity = min(127, max(1, int(x*90/100))) // a percentage of velocity 90, by the standard
	}
	return r.skip(e)
}
