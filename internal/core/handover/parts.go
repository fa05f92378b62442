package handover

import (
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// ScorePart is a part of an empty score.
type ScorePart struct {
	Name  string
	Short string // on later systems; empty when the template has none
	Group string // the section at the top that it stands in
	Sound string // MusicXML's standard sound ID; empty when it is not known
	sound.Written
}

// ScoreParts lays a template out as the parts of a score: one for each desk, whichever of its rows
// plays which articulation, in score order. Guides, live inputs and spare rows that are for nobody have
// none.
func ScoreParts(t *template.Template) []ScorePart {
	words := articulation.NewVocabulary(t.Vocabulary)
	seen := map[string]bool{}
	var out []ScorePart
	for _, i := range t.ScoreOrder() {
		name := articulation.Desk(words, i.Name)
		is := sound.ByName(name)
		if i.Kind != template.Sampled && (i.Kind != template.Spare || is == nil) {
			continue
		}
		key := string(i.Section) + "\x00" + template.FoldName(name)
		if seen[key] {
			continue
		}
		seen[key] = true
		p := ScorePart{Name: name, Written: sound.WrittenAs("")}
		if name == i.Name {
			p.Short = i.Short
		}
		if top := t.TopSection(i.Section); top != nil {
			p.Group = top.Name
		}
		if is != nil {
			around := ""
			if s := sound.ByName(t.SectionPath(i.Section)); s != nil {
				around = sound.Family(s.ID)
			}
			p.Sound = sound.Among(name, is.ID, around)
			p.Written = sound.WrittenAs(p.Sound)
		}
		out = append(out, p)
	}
	return out
}
