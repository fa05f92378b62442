package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/template"
)

var colourRules = []Rule{
	{Code: "colour-close", About: "colours are not told apart, not read on, too strong, or a rainbow", reads: rows | sections | machines, find: colourFaults},
}

func colourFaults(s *subject) []Mark {
	var out []Mark
	for _, f := range palette.Check(s.t) {
		m := Mark{Subject: s.t.ID, Name: s.t.ThePalette().Name, Message: f.Message}
		if len(f.Sections) > 0 {
			m.Subject, m.Name = f.Sections[0], s.t.Index().Sections[f.Sections[0]].Name
		}
		if f.Kind == palette.Rainbow {
			m.Remedies = []Remedy{{Label: "Let its rows take the section's colour", Build: always(plainRows(s.t, f.Sections[0]))}}
		} else {
			m.Remedies = []Remedy{{Label: "Fix the palette", Build: func() (change.Change, error) {
				p, err := palette.Mend(s.t)
				if err != nil {
					return nil, &change.Refused{Subject: m.Subject, Reason: err.Error()}
				}
				set := s.t.Settings
				set.Palette = &p
				return change.Batch{Label: "Fix the palette", Changes: []change.Change{change.Configure{Name: s.t.Name, Settings: set}}}, nil
			}}}
		}
		out = append(out, m)
	}
	return out
}

// plainRows takes back the colours that rows of a section were given by hand.
func plainRows(t *template.Template, section template.ID) change.Change {
	none := ""
	var edit change.Edit
	for _, i := range t.Instruments {
		inside := slices.ContainsFunc(t.Ancestry(i.Section), func(x *template.Section) bool { return x.ID == section })
		if i.Colour != "" && inside {
			edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, Colour: &none})
		}
	}
	return change.Batch{Label: fmt.Sprintf("Take back the colours of %d rows", len(edit.Edits)), Changes: []change.Change{edit}}
}
