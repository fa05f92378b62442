package casting

import (
	"fmt"
	"slices"
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

// Beginnings lists the starting points that come with Fanfold: the sizes that orchestras
// and scoring sessions are booked in. Common practice, no source.
func Beginnings() []Beginning {
	return []Beginning{
		{"Chamber orchestra", "one of each wind, two horns, piano, small strings", "1.1.1.1 - 2.1.0.0 - timp - pf - str 6.5.4.3.2"},
		{"Double winds", "two of each wind with their relatives beside, four horns, harp, piano, strings", "2[1.2/pic] 2[1.2/Eh] 2[1.2/bcl] 2[1.2/cbn] - 4 2 3 1 - timp+2 - hp - pf - str 12.10.8.6.4"},
		{"Triple winds", "three of each wind, full brass, harp, celesta, full strings", "3[1.2.pic] 3[1.2.Eh] 3[1.2.bcl] 3[1.2.cbn] - 4 3 3 1 - timp+3 - hp - pf/cel - str 14.12.10.8.6"},
		{"Large orchestra", "four of each wind, eight horns, two harps, organ, large strings", "4[1.2.3.pic] 4[1.2.3.Eh] 4[1.2.ebcl.bcl] 4[1.2.3.cbn] - 8 4 4[1.2.3.btbn] 2 - timp+5 - 2hp - pf/cel/org - str 16.14.12.10.8"},
		{"Scoring session, 60 players", "two of each wind, six horns, three percussionists, harp, strings", "2[1.2/pic] 2[1.2/Eh] 2[1.2/bcl] 2[1.2/cbn] - 6 3 3[1.2.btbn] 1 - timp+2 - hp - pf/cel - str 10.8.6.6.4"},
		{"Scoring session, 90 players", "three of each wind, eight horns, low brass by twos, four percussionists, two harps, large strings", "3[1.2.pic] 3[1.2.Eh] 3[1.2.bcl] 3[1.2.cbn] - 8 4 5[1.2.3.btbn.btbn] 2 - timp+4 - 2hp - pf/cel - str 16.14.10.10.7"},
		{"Strings only", "strings, with piano and harp", "hp - pf - str 14.12.10.8.6"},
		{"Brass and percussion", "orchestral brass by itself", "0 0 0 0 - 6 4 4[1.2.3.btbn] 2 - timp+4"},
		{"Brass band", "cornets to tubas, with percussion", "9 cornets, flugelhorn, 3 tenor horns, 2 baritone horns, 2 euphonium, 2 trombones, bass trombone, 4 tubas - timp+2"},
		{"Choir and orchestra", "four soloists, mixed choir, double winds, organ, strings", "soli SATB - SATB choir - 2 2 2 2 - 4 2 3 1 - timp+1 - hp - org - str 12.10.8.6.4"},
		{"Hybrid", "strings, low brass and large drums beside made sounds", "0 0 0 0 - 6 0 4[1.2.3.btbn] 2 - taiko, 2 perc - pf - 4 pads, 2 synth effects - str 14.12.10.8.6"},
		{"Sketch", "one of each kind, to write with before the rows are known", "1 1 1 1 - 1 1 1 1 - timp, perc - hp - pf - choir - str"},
	}
}

// Begin makes the rows of a template from a line of shorthand: for every desk the free
// rows that its instrument begins with, such as one for long and one for short
// articulations, in the section where it usually stands, on the way to a stem for that
// section. A patch that is dropped on a row makes it play. What cannot be read is left
// out (see Shorthand); the error is for a line that names nobody.
func Begin(t *template.Template, line string, mint template.Mint) (change.Change, error) {
	parts, _, err := Shorthand(line)
	if err != nil {
		return nil, &change.Refused{Reason: "the line cannot be read: " + err.Error()}
	}
	slices.SortStableFunc(parts, func(a, b Part) int { return sound.Rank(a.Sound) - sound.Rank(b.Sound) })
	var rows []intake.Row
	for _, p := range parts {
		section := "Others"
		if card := sound.ByID(p.Sound); p.Sound != "" && card != nil {
			section = card.Section
		}
		if sound.Within(p.Sound, "voice") && sound.Soloist(p.Name) {
			section = "Voices / Soloists"
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
