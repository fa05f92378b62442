package proof

import (
	"fmt"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

var catalogueRules = []Rule{
	{Code: "library-missing", About: "a library is not installed on the machine", reads: seats | patches | machines, find: librariesMissing},
	{Code: "switch-clash", About: "one message selects two articulations", reads: patches, find: switchClashes},
	{Code: "switch-in-range", About: "a key switch lies among the playable keys", reads: patches, find: switchesInRange},
	{Code: "no-dynamics", About: "a sustained patch answers no dynamics controller", reads: patches, find: noDynamics},
	{Code: "out-of-range", About: "a patch plays where its instrument does not", reads: patches, find: outOfRange},
}

// librariesMissing makes one mark of a library on a machine.
func librariesMissing(s *subject) []Mark {
	type spot struct {
		library *template.Library
		machine *template.Machine
	}
	who := map[spot][]*template.Instrument{}
	var order []spot
	for _, i := range s.t.Instruments {
		if i.Seat == nil {
			continue
		}
		at := spot{machine: s.t.Index().Machines[i.Seat.Machine]}
		if at.library = s.t.MissingOn(i, at.machine); at.library == nil {
			continue
		}
		if who[at] == nil {
			order = append(order, at)
		}
		who[at] = append(who[at], i)
	}
	var out []Mark
	for _, at := range order {
		l, m, first := at.library, at.machine, who[at][0]
		ids, name := []template.ID{}, first.Name+" sits"
		for _, i := range who[at] {
			ids = append(ids, i.ID)
		}
		if len(ids) > 1 {
			name = fmt.Sprintf("%s and %d more sit", first.Name, len(ids)-1)
		}
		there := *l
		there.Machines = append(slices.Clone(l.Machines), m.Name)
		out = append(out, Mark{
			Subject: first.ID, Name: first.Name,
			Message: fmt.Sprintf("%s on %s, where %s is not installed", name, m.Name, l.Name),
			Remedies: []Remedy{
				s.reseat("Seat them where the library is", ids...),
				{Label: fmt.Sprintf("Say that %s is installed on %s", l.Name, m.Name), Build: always(change.Put{Libraries: []change.Entry[template.Library]{change.Append(&there)}})},
			},
		})
	}
	return out
}

// mapped is an articulation map that is looked at once: a patch's, or an
// instrument's own.
type mapped struct {
	id    template.ID
	name  string
	patch *template.Patch // whose keys it plays
	list  []template.Mapping
	with  func([]template.Mapping) change.Change // sets another map in its place
}

// findMaps lists the articulation maps in use, each once.
func (s *subject) findMaps() []mapped {
	var out []mapped
	seen := map[*template.Patch]bool{}
	for _, i := range s.t.Instruments {
		for _, p := range s.t.PatchesOf(i) {
			if len(i.Map) > 0 {
				out = append(out, mapped{i.ID, i.Name, p, i.Map, func(m []template.Mapping) change.Change {
					return change.Edit{Edits: []change.Fields{{ID: i.ID, Map: &m}}}
				}})
				break
			}
			if len(p.Map) > 0 && !seen[p] {
				seen[p] = true
				out = append(out, mapped{p.ID, p.Name, p, p.Map, func(m []template.Mapping) change.Change {
					c := *p
					c.Map = m
					return change.Put{Patches: []change.Entry[template.Patch]{change.Append(&c)}}
				}})
			}
		}
	}
	return out
}

func switchClashes(s *subject) []Mark {
	var out []Mark
	for _, m := range s.maps() {
		for _, c := range articulation.Clashes(m.list) {
			a, b := m.list[c.A].Articulation, m.list[c.B].Articulation
			out = append(out, Mark{
				Subject: m.id, Name: m.name,
				Message:  fmt.Sprintf("In the map of %s, %s selects both %s and %s", m.name, c.Message, a, b),
				Remedies: []Remedy{m.toFreeKey(c.B), {Label: "Set one of them to another switch in Library"}},
			})
		}
	}
	return append(out, layerClashes(s)...)
}

// layerClashes makes one mark of a row whose patches hear each other's switches.
func layerClashes(s *subject) []Mark {
	var out []Mark
	var words *articulation.Vocabulary
	for _, i := range s.t.Instruments {
		if len(i.Patches) < 2 || len(i.Map) > 0 {
			continue
		}
		if words == nil {
			words = articulation.NewVocabulary(s.t.Vocabulary)
		}
		is := articulation.Together(words, articulation.LayersOf(s.t, i))
		if len(is.Faults) == 0 {
			continue
		}
		more := ""
		if n := len(is.Faults) - 1; n > 0 {
			more = fmt.Sprintf(", and %d more", n)
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name,
			Message: fmt.Sprintf("The patches of %s hear each other's switches: for %s, %s%s", i.Name, is.Faults[0].Articulation, is.Faults[0].Message, more),
			Remedies: []Remedy{
				{Label: "Give the row a map that serves them all, with free keys to be set in the players", Build: always(change.Edit{Edits: []change.Fields{{ID: i.ID, Map: &is.Serving}}})},
			},
		})
	}
	return out
}

// toFreeKey moves a mapping to a key of its own.
func (m mapped) toFreeKey(n int) Remedy {
	free := articulation.FreeKeys(m.list, m.patch.SwitchZone, m.patch.KeyLow, m.patch.KeyHigh)
	name := m.list[n].Articulation
	byKey := slices.ContainsFunc(m.list[n].Switches, func(s template.Switch) bool { return s.Kind == template.ByKey })
	if len(free) == 0 || !byKey {
		return Remedy{Label: fmt.Sprintf("Give %s another switch in Library", name)}
	}
	label := fmt.Sprintf("Move %s to the free key %d", name, free[0])
	return Remedy{Label: label, Build: always(m.with(articulation.WithKeys(m.list, n, free[0])))}
}

func switchesInRange(s *subject) []Mark {
	var out []Mark
	for _, m := range s.maps() {
		within := articulation.InRange(m.list, m.patch.KeyLow, m.patch.KeyHigh)
		if len(within) == 0 {
			continue
		}
		who := m.list[within[0]].Articulation
		if len(within) > 1 {
			who = fmt.Sprintf("%s and %d more", who, len(within)-1)
		}
		out = append(out, Mark{
			Subject: m.id, Name: m.name,
			Message:  fmt.Sprintf("In the map of %s, %s switch on keys that also play (%d to %d)", m.name, who, m.patch.KeyLow, m.patch.KeyHigh),
			Remedies: []Remedy{m.outOfTheWay(within), {Label: "Narrow the playable keys in Library"}},
		})
	}
	return out
}

// outOfTheWay moves key switches to keys that play nothing.
func (m mapped) outOfTheWay(within []int) Remedy {
	return Remedy{Label: "Move them to keys that play nothing", Build: func() (change.Change, error) {
		list := m.list
		for _, n := range within {
			free := articulation.FreeKeys(list, m.patch.SwitchZone, m.patch.KeyLow, m.patch.KeyHigh)
			if len(free) == 0 {
				return nil, &change.Refused{Subject: m.id, Reason: "every key plays or switches already; use a controller instead"}
			}
			list = articulation.WithKeys(list, n, free[0])
		}
		return m.with(list), nil
	}}
}

// findUsed lists the patches some instrument plays, each once.
func (s *subject) findUsed() []*template.Patch {
	var out []*template.Patch
	seen, patches := map[*template.Patch]bool{}, s.t.Index().Patches
	for _, i := range s.t.Instruments {
		for _, id := range i.Patches {
			if p := patches[id]; p != nil && !seen[p] {
				seen[p] = true
				out = append(out, p)
			}
		}
	}
	return out
}

func noDynamics(s *subject) []Mark {
	var out []Mark
	words := articulation.NewVocabulary(s.t.Vocabulary)
	said := map[template.ID][]string{} // of patches: the articulations of the rows that play them
	for _, i := range s.t.Instruments {
		for _, id := range i.Patches {
			said[id] = append(said[id], i.Articulations...)
		}
	}
	for _, p := range s.used() {
		if p.Dynamics != template.DynamicsNone && p.Dynamics != template.DynamicsVelocity {
			continue
		}
		held, sustains := held(p, said[p.ID], words)
		if !sustains {
			continue
		}
		if held != "" {
			held = fmt.Sprintf(" (%s)", held)
		}
		asVolume := *p
		asVolume.Dynamics = template.DynamicsVolume
		out = append(out, Mark{
			Subject: p.ID, Name: p.Name,
			Message: fmt.Sprintf("%s holds notes%s and answers no dynamics controller", p.Name, held),
			Remedies: []Remedy{
				{Label: "Send CC 1 on as volume", Build: always(change.Put{Patches: []change.Entry[template.Patch]{change.Append(&asVolume)}})},
				{Label: "Say what it answers to in Library"},
			},
		})
	}
	return out
}

// held is the articulation by which a patch holds notes: of its map, else of a row that
// plays it. Without either, one that is known to answer nothing holds notes if its
// instrument does.
func held(p *template.Patch, rows []string, words *articulation.Vocabulary) (string, bool) {
	names := articulation.Names(p.Map)
	if len(names) == 0 {
		names = rows
	}
	for _, name := range names {
		if f := words.FamilyOf(name); f == template.Long || f == template.Legato {
			return name, true
		}
	}
	return "", len(names) == 0 && p.Dynamics == template.DynamicsNone && sound.Sustains(p.Sound)
}

// octave is how far a patch may lie beyond its instrument's range before it
// seems to be named an octave off: makers differ on middle C.
const octave = 12

func outOfRange(s *subject) []Mark {
	var out []Mark
	for _, p := range s.used() {
		is := sound.ByID(p.Sound)
		if p.Sound == "" || is == nil || p.KeyLow > is.Low-octave && p.KeyHigh < is.High+octave {
			continue
		}
		shift, where := octave, "below"
		if p.KeyHigh >= is.High+octave {
			shift, where = -octave, "above"
		}
		mark := Mark{
			Subject: p.ID, Name: p.Name,
			Message:  fmt.Sprintf("%s plays keys %d to %d, an octave or more %s %s (%d to %d)", p.Name, p.KeyLow, p.KeyHigh, where, is.Name, is.Low, is.High),
			Remedies: []Remedy{{Label: "Say what instrument it is in Library"}},
		}
		if low, high := p.KeyLow+shift, p.KeyHigh+shift; low >= 0 && high <= 127 && low > is.Low-octave && high < is.High+octave {
			moved := *p
			moved.KeyLow, moved.KeyHigh = low, high
			mark.Remedies = append([]Remedy{{
				Label: fmt.Sprintf("Its middle C was read an octave off: keys %d to %d", low, high),
				Build: always(change.Put{Patches: []change.Entry[template.Patch]{change.Append(&moved)}}),
			}}, mark.Remedies...)
		}
		out = append(out, mark)
	}
	return out
}
