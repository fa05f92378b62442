package catalogue

import (
	"cmp"
	"fmt"
	"slices"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// Strange lists the machines of a template from elsewhere that the studio does not
// know by name.
func Strange(t, cat *template.Template) []*template.Machine {
	known := machinesByName(cat)
	return slices.DeleteFunc(slices.Clone(t.Machines), func(m *template.Machine) bool { return known[template.FoldName(m.Name)] != nil })
}

// Propose says which machine of the studio may stand for each of a template from
// elsewhere, in order: those known by name for themselves (empty), the largest
// strange one with the largest that is free, and so on; empty where none is left.
func Propose(t, cat *template.Template) []template.ID {
	own := machinesByName(t)
	free := slices.DeleteFunc(slices.Clone(cat.Machines), func(m *template.Machine) bool { return own[template.FoldName(m.Name)] != nil })
	bySize := func(a, b *template.Machine) int { return cmp.Compare(b.MemoryMiB, a.MemoryMiB) }
	strange := Strange(t, cat)
	slices.SortStableFunc(free, bySize)
	slices.SortStableFunc(strange, bySize)
	stands := make([]template.ID, len(t.Machines))
	for n, m := range strange[:min(len(strange), len(free))] {
		stands[slices.Index(t.Machines, m)] = free[n].ID
	}
	return stands
}

// SitOnStudios is the change that lets a template sit on the studio's machines where
// its own have their names but are not known to the studio; nil when there are none.
func SitOnStudios(t, cat *template.Template) change.Change {
	ids, known := map[template.ID]template.ID{}, machinesByName(cat)
	for _, m := range t.Machines {
		key := template.FoldName(m.Name)
		there := known[key]
		if there == nil || cat.Index().Machines[m.ID] != nil || t.Index().Machines[there.ID] != nil {
			continue
		}
		ids[m.ID] = there.ID
		delete(known, key) // two of one name stay two
	}
	if len(ids) == 0 {
		return nil
	}
	return change.Between(t, renamed(t, ids))
}

// Stand lets machines of the studio stand for those of a template from elsewhere,
// with the seats there: stands has the studio's ID for each machine in order, empty
// for one that stays itself. It is refused when there are not as many, when the
// studio has no such machine, and when two machines would be one. t is not altered.
func Stand(t, cat *template.Template, stands []template.ID) (*template.Template, error) {
	if len(stands) == 0 {
		return t, nil
	}
	if len(stands) != len(t.Machines) {
		return nil, &change.Refused{Reason: fmt.Sprintf("the file has %d machines, but it is said of %d what stands for them", len(t.Machines), len(stands))}
	}
	out := t.Clone()
	out.Machines = slices.Clone(t.Machines)
	was := map[string]string{} // the machine of the file that has a name now
	for n, id := range stands {
		m := *t.Machines[n]
		if id != "" {
			there := cat.Index().Machines[id]
			if there == nil {
				return nil, &change.Refused{Subject: m.ID, Reason: fmt.Sprintf("the studio no longer has the machine that should stand for %s; choose another", m.Name)}
			}
			m.Name = there.Name
		}
		if first, twice := was[template.FoldName(m.Name)]; twice {
			return nil, &change.Refused{Subject: m.ID, Reason: fmt.Sprintf("%s cannot stand for both %s and %s; their seats would meet", m.Name, first, t.Machines[n].Name)}
		}
		was[template.FoldName(m.Name)] = t.Machines[n].Name
		out.Machines[n] = &m
	}
	return out, nil
}
