package catalogue

import (
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Place is where new instruments go.
type Place struct {
	Section template.ID // empty for where the instrument usually stands
	Before  template.ID // a row; empty for the section's end
	Onto    template.ID // a spare row to be filled; empty makes a new one
}

// Use makes an instrument of each patch of the catalogue: in its section, with
// the routes, fader, colour and seat style of the instrument most like it
// there, and the patch's articulations. Where the section has none yet, a stem
// of the section's name is used or made.
func Use(t, cat *template.Template, ids []template.ID, where Place, mint Mint) (change.Change, error) {
	patches, err := find(cat, ids)
	if err != nil {
		return nil, err
	}
	if where.Onto != "" {
		return fill(t, cat, patches[0], where.Onto)
	}
	named := intake.NewNamed(t, mint)
	u := &user{t: t, named: named, words: articulation.NewVocabulary(cat.Vocabulary), mint: mint}
	at := -1
	if i := t.Instrument(where.Before); i != nil {
		at, where.Section = t.Index().Place[i.ID], i.Section
	}
	var add change.Add
	for n, p := range patches {
		i, err := u.instrument(p, where.Section)
		if err != nil {
			return nil, err
		}
		placed := change.Placed{At: at, Instrument: i}
		if at >= 0 {
			placed.At = at + n
		}
		add.Instruments = append(add.Instruments, placed)
	}
	label := "Use " + patches[0].Name
	if len(patches) > 1 {
		label = fmt.Sprintf("Use %d patches", len(patches))
	}
	return change.Batch{Label: label, Changes: []change.Change{Copies(t, cat, patches), named.Put(), add}}, nil
}

func find(cat *template.Template, ids []template.ID) ([]*template.Patch, error) {
	var out []*template.Patch
	for _, id := range ids {
		p := cat.Index().Patches[id]
		if p == nil {
			return nil, &change.Refused{Subject: id, Reason: "the patch is no longer in the catalogue"}
		}
		out = append(out, p)
	}
	if len(out) == 0 {
		return nil, &change.Refused{Reason: "choose at least one patch"}
	}
	return out, nil
}

// fill turns a spare row into the instrument of a patch; what the row has
// already, it keeps.
func fill(t, cat *template.Template, p *template.Patch, row template.ID) (change.Change, error) {
	i := t.Instrument(row)
	if i == nil || i.Kind != template.Spare {
		return nil, &change.Refused{Subject: row, Reason: "only a spare row can be filled; swap the patch of another"}
	}
	kind, name, patches, list := template.Sampled, p.Name, []template.ID{p.ID}, articulation.Names(p.Map)
	edit := change.Fields{ID: row, Kind: &kind, Patches: &patches, Articulations: &list, Name: &name}
	if i.Name != "Spare" {
		edit.Name = nil
	}
	return change.Batch{Label: "Use " + p.Name, Changes: []change.Change{
		Copies(t, cat, []*template.Patch{p}), change.Edit{Edits: []change.Fields{edit}},
	}}, nil
}

type user struct {
	t     *template.Template
	named *intake.Named
	words *articulation.Vocabulary
	mint  Mint
}

func (u *user) instrument(p *template.Patch, section template.ID) (*template.Instrument, error) {
	if section == "" {
		s, err := u.named.Section(u.path(p))
		if err != nil {
			return nil, err
		}
		section = s.ID
	}
	i := &template.Instrument{
		ID: u.mint("instrument"), Section: section, Name: p.Name, Kind: template.Sampled,
		Articulations: articulation.Names(p.Map), Patches: []template.ID{p.ID}, Routes: []template.Route{},
	}
	if like := u.nearest(p, section); like != nil {
		i.Routes, i.GainDB, i.Colour, i.Style = slices.Clone(like.Routes), like.GainDB, like.Colour, like.Style
		i.Style.Machine = u.allowed(p, like.Style.Machine)
		return i, nil
	}
	path := u.path(p)
	if u.t.Index().Sections[section] != nil {
		path = u.t.SectionPath(section)
	}
	parts := strings.Split(path, template.PathSeparator)
	stem, err := u.named.StemOf(parts[len(parts)-1], path, section)
	if err != nil {
		return nil, err
	}
	i.Routes = []template.Route{{To: stem.ID, Tap: template.Post}}
	return i, nil
}

// path is where a patch usually stands.
func (u *user) path(p *template.Patch) string {
	if s := sound.ByID(p.Sound); p.Sound != "" && s != nil {
		return s.Section
	}
	return "Other"
}

// allowed keeps a wish for a machine only where the library is installed.
func (u *user) allowed(p *template.Patch, machine template.ID) template.ID {
	m, l := u.t.Index().Machines[machine], u.t.Index().Libraries[p.Library]
	if m != nil && l != nil && !l.InstalledOn(m.Name) {
		return ""
	}
	return machine
}

// nearest is the instrument of the section most like a new one: of the same
// sound, and playing in the same way.
func (u *user) nearest(p *template.Patch, section template.ID) *template.Instrument {
	var best *template.Instrument
	most := -1
	family := u.mainFamily(articulation.Names(p.Map))
	for _, i := range u.t.Instruments {
		if i.Section != section || i.Kind != template.Sampled || len(i.Routes) == 0 {
			continue
		}
		score := 0
		for _, q := range u.t.PatchesOf(i) {
			if sound.Akin(p.Sound, q.Sound) {
				score = 2
			}
		}
		if family == u.mainFamily(i.Articulations) {
			score++
		}
		if score > most {
			best, most = i, score
		}
	}
	return best
}

// mainFamily is the family of the first articulation.
func (u *user) mainFamily(list []string) template.Family {
	if len(list) == 0 {
		return ""
	}
	if f := u.words.FamilyOf(list[0]); f != template.Legato {
		return f
	}
	return template.Long
}

// Swapped tells what became of the articulations.
type Swapped struct {
	Lost   []string
	Gained []string
}

// Swap gives instruments another patch of the catalogue. Names, routes,
// levels, notes and seats stay; the articulation map and the microphones are
// the new patch's. With layer, the patch is played beside those there are.
func Swap(t, cat *template.Template, ids []template.ID, patch template.ID, layer bool) (change.Change, Swapped, error) {
	found, err := find(cat, []template.ID{patch})
	if err != nil {
		return nil, Swapped{}, err
	}
	p := found[0]
	words := articulation.NewVocabulary(cat.Vocabulary)
	var edit change.Edit
	var sum Swapped
	for _, id := range ids {
		i := t.Instrument(id)
		switch {
		case i == nil:
			return nil, Swapped{}, &change.Refused{Subject: id, Reason: "the instrument is no longer in the template"}
		case i.Kind != template.Sampled:
			return nil, Swapped{}, &change.Refused{Subject: id, Reason: fmt.Sprintf("%s is %s and plays no patch", i.Name, i.Kind)}
		case layer && slices.Contains(i.Patches, p.ID):
			return nil, Swapped{}, &change.Refused{Subject: id, Reason: fmt.Sprintf("%s plays %s already", i.Name, p.Name)}
		}
		patches, list := []template.ID{p.ID}, articulation.Names(p.Map)
		f := change.Fields{ID: id, Map: &[]template.Mapping{}, Mics: &[]string{}}
		lost, gained := words.Difference(i.Articulations, list)
		if layer {
			patches, lost = append(slices.Clone(i.Patches), p.ID), nil
			list, f.Map, f.Mics = append(slices.Clone(i.Articulations), gained...), nil, nil
		}
		if len(p.Map) == 0 && !layer { // nothing is known of it: what the row says stands
			list, lost, gained = i.Articulations, nil, nil
		}
		f.Patches, f.Articulations = &patches, &list
		edit.Edits = append(edit.Edits, f)
		sum.Lost, sum.Gained = join(sum.Lost, lost), join(sum.Gained, gained)
	}
	label := "Swap the patch for " + p.Name
	if layer {
		label = "Layer " + p.Name
	}
	return change.Batch{Label: label, Changes: []change.Change{Copies(t, cat, found), edit}}, sum, nil
}

// join adds what is not in the list yet.
func join(list, more []string) []string {
	for _, m := range more {
		if !slices.Contains(list, m) {
			list = append(list, m)
		}
	}
	return list
}
