package casting

import (
	"fmt"
	"strings"

	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Beginning is a starting point for a template: a line of shorthand.
type Beginning struct {
	Name  string
	About string
	Line  string
}

// Beginnings lists the starting points that come with Fanfold.
func Beginnings() []Beginning {
	return []Beginning{
		{"Pier orchestra", "double winds, four horns, timpani and two players, harp, piano, strings", "2[1.2/pic] 2[1.2/Eh] 2[1.2/bcl] 2 - 4 2 3 1 - tmp+2 - hp - pf - str 12.10.8.6.4"},
		{"Lighthouse orchestra", "triple winds with their relatives, full brass, two harps, celesta, large strings", "3[1.2.pic] 3[1.2.Eh] 3[1.2.bcl] 3[1.2.cbn] - 6 4 3 1 - tmp+4 - 2hp - pf/cel - str 16.14.12.10.8"},
		{"Lamp room", "strings and piano, for small rooms", "pf - str 6.5.4.3.2"},
		{"Tide band", "brass and percussion alone", "0 0 0 0 - 6 4 4 2 - tmp+4"},
	}
}

// Begin makes the rows of a template from a line of shorthand: for every desk the free
// rows that its instrument begins with, such as one for long and one for short
// articulations, in the section where it usually stands, on the way to a stem for that
// section. A patch that is dropped on a row makes it play. What can not be read is left
// out (see Shorthand); the error is for a line that names nobody.
func Begin(t *template.Template, line string, mint template.Mint) (change.Change, error) {
	parts, _, err := Shorthand(line)
	if err != nil {
		return nil, &change.Refused{Reason: "the line can not be read: " + err.Error()}
	}
	var rows []intake.Row
	for _, p := range parts {
		section := "Others"
		if card := sound.ByID(p.Sound); p.Sound != "" && card != nil {
			section = card.Section
		}
		if strings.HasPrefix(section, "Strings") && !strings.Contains(section, "Soloists") {
			section = "Strings" + template.PathSeparator + p.Name
		}
		for _, d := range sound.How(p.Sound).Desks {
			rows = append(rows, intake.Row{
				Line: len(rows) + 1, Section: section, Instrument: strings.TrimSpace(p.Name + " " + d.Suffix), Articulations: d.Articulations,
				Kind: string(template.Spare), Stem: strings.ReplaceAll(section, template.PathSeparator, ", "),
			})
		}
	}
	batch, _, problems := intake.Plan(t, rows, mint, intake.StandardDefaults())
	if len(problems) > 0 {
		return nil, &change.Refused{Reason: problems[0].Reason}
	}
	batch.Label = fmt.Sprintf("Begin with %d parts", len(parts))
	return batch, nil
}
