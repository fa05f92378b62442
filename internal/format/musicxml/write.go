package musicxml

import (
	"encoding/xml"
	"fmt"
	"io"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/sound"
)

// emptyBars is how many bars of 4/4 an empty score has.
const emptyBars = 32

// divisions are those of a quarter note.
const divisions = 1

// WriteEmpty writes a score without notes, MusicXML 4.0 score-partwise: parts with their names, sounds,
// clefs and transpositions, bracketed by section, at a tempo in quarter notes a minute. A program that
// is to write music begins with it.
func WriteEmpty(w io.Writer, title string, bpm float64, parts []handover.ScorePart) error {
	s := scoreOut{Version: "4.0", Work: workOut{title}, Identification: identificationOut{encodingOut{"Fanfold"}}}
	for n, p := range parts {
		id := fmt.Sprintf("P%d", n+1)
		first, last := n == 0 || parts[n-1].Group != p.Group, n+1 == len(parts) || parts[n+1].Group != p.Group
		if first {
			s.List.Items = append(s.List.Items, groupOut{Type: "start", Number: 1, Name: p.Group, Symbol: "bracket", Barline: "yes"})
		}
		part := partOut{ID: id, Name: p.Name, Short: p.Short, Instrument: instrumentOut{id + "-I1", p.Name, p.Sound}}
		s.List.Items = append(s.List.Items, part)
		if last {
			s.List.Items = append(s.List.Items, groupOut{Type: "stop", Number: 1})
		}
		s.Parts = append(s.Parts, bars(id, p, bpm, n == 0))
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return fmt.Errorf("write score: %w", err)
	}
	out := xml.NewEncoder(w)
	out.Indent("", " ")
	if err := out.Encode(s); err != nil {
		return fmt.Errorf("write score: %w", err)
	}
	return nil
}

func bars(id string, p handover.ScorePart, bpm float64, tempo bool) (out barsOut) {
	out.ID = id
	staves := 1
	if p.Clef == sound.Grand {
		staves = 2
	}
	for n := 1; n <= emptyBars; n++ {
		m := barOut{Number: n}
		if n == 1 {
			m.Attributes = &attributesOut{Divisions: divisions, Beats: 4, BeatType: 4}
			if staves > 1 {
				m.Attributes.Staves = staves
			}
			m.Attributes.Clefs = clefs[p.Clef]
			if p.Chromatic != 0 || p.Octaves != 0 {
				m.Attributes.Transpose = &transposeOut{p.Diatonic, p.Chromatic, p.Octaves}
			}
			if tempo && bpm > 0 {
				m.Direction = &directionOut{Placement: "above", Beat: "quarter", PerMinute: bpm, Sound: tempoOut{bpm}}
			}
		}
		for staff := 1; staff <= staves; staff++ {
			x := restOut{Duration: 4 * divisions, Voice: 4*(staff-1) + 1}
			x.Rest.Measure = "yes"
			if staves > 1 {
				x.Staff = staff
			}
			if staff > 1 {
				m.Rests = append(m.Rests, backupOut{Duration: 4 * divisions})
			}
			m.Rests = append(m.Rests, x)
		}
		out.Bars = append(out.Bars, m)
	}
	return out
}

// clefs are signs and lines; those of two staves are numbered.
var clefs = map[sound.Clef][]clefOut{
	sound.Treble: {{Sign: "G", Line: 2}}, sound.TrebleLow: {{Sign: "G", Line: 2, Octave: -1}}, sound.Alto: {{Sign: "C", Line: 3}}, sound.Bass: {{Sign: "F", Line: 4}},
	sound.Percussion: {{Sign: "percussion", Line: 2}}, sound.Grand: {{Number: 1, Sign: "G", Line: 2}, {Number: 2, Sign: "F", Line: 4}},
}

type scoreOut struct {
	XMLName        xml.Name          `xml:"score-partwise"`
	Version        string            `xml:"version,attr"`
	Work           workOut           `xml:"work"`
	Identification identificationOut `xml:"identification"`
	List           listOut           `xml:"part-list"`
	Parts          []barsOut         `xml:"part"`
}

type workOut struct {
	Title string `xml:"work-title"`
}

type identificationOut struct {
	Encoding encodingOut `xml:"encoding"`
}

type encodingOut struct {
	Software string `xml:"software"`
}

type listOut struct{ Items []any }

type groupOut struct {
	XMLName xml.Name `xml:"part-group"`
	Type    string   `xml:"type,attr"`
	Number  int      `xml:"number,attr"`
	Name    string   `xml:"group-name,omitempty"`
	Symbol  string   `xml:"group-symbol,omitempty"`
	Barline string   `xml:"group-barline,omitempty"`
}

type partOut struct {
	XMLName    xml.Name      `xml:"score-part"`
	ID         string        `xml:"id,attr"`
	Name       string        `xml:"part-name"`
	Short      string        `xml:"part-abbreviation,omitempty"`
	Instrument instrumentOut `xml:"score-instrument"`
}

type instrumentOut struct {
	ID    string `xml:"id,attr"`
	Name  string `xml:"instrument-name"`
	Sound string `xml:"instrument-sound,omitempty"`
}

type barsOut struct {
	ID   string   `xml:"id,attr"`
	Bars []barOut `xml:"measure"`
}

type barOut struct {
	Number     int            `xml:"number,attr"`
	Attributes *attributesOut `xml:"attributes"`
	Direction  *directionOut  `xml:"direction"`
	Rests      []any
}

type attributesOut struct {
	Divisions int           `xml:"divisions"`
	Fifths    int           `xml:"key>fifths"`
	Beats     int           `xml:"time>beats"`
	BeatType  int           `xml:"time>beat-type"`
	Staves    int           `xml:"staves,omitempty"`
	Clefs     []clefOut     `xml:"clef"`
	Transpose *transposeOut `xml:"transpose"`
}

type clefOut struct {
	Number int    `xml:"number,attr,omitempty"`
	Sign   string `xml:"sign"`
	Line   int    `xml:"line"`
	Octave int    `xml:"clef-octave-change,omitempty"`
}

type transposeOut struct {
	Diatonic  int `xml:"diatonic"`
	Chromatic int `xml:"chromatic"`
	Octaves   int `xml:"octave-change,omitempty"`
}

type directionOut struct {
	Placement string   `xml:"placement,attr"`
	Beat      string   `xml:"direction-type>metronome>beat-unit"`
	PerMinute float64  `xml:"direction-type>metronome>per-minute"`
	Sound     tempoOut `xml:"sound"`
}

type tempoOut struct {
	BPM float64 `xml:"tempo,attr"`
}

type restOut struct {
	XMLName xml.Name `xml:"note"`
	Rest    struct {
		Measure string `xml:"measure,attr"`
	} `xml:"rest"`
	Duration int `xml:"duration"`
	Voice    int `xml:"voice"`
	Staff    int `xml:"staff,omitempty"`
}

type backupOut struct {
	XMLName  xml.Name `xml:"backup"`
	Duration int      `xml:"duration"`
}
