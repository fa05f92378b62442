package template

// List names one list of a template, or its settings.
type List int

// The lists of a template.
const (
	TheSettings List = iota
	Folds
	Sections
	Instruments
	Buses
	Libraries
	Players
	Patches
	Machines
	Calls
	Vocabulary
	Castings
	Rules
	ReturnSets
	Sightlines
)

// Index finds the things of one template by ID.
type Index struct {
	Place     map[ID]int // position in Template.Instruments
	Sections  map[ID]*Section
	Buses     map[ID]*Bus
	Folds     map[ID]*Fold
	Libraries map[ID]*Library
	Players   map[ID]*Player
	Patches   map[ID]*Patch
	Machines  map[ID]*Machine
	Calls     map[ID]*Call
	Terms     map[ID]*Term
	Castings  map[ID]*CastingList
}

// Index returns the template's index, building it at the first call. It is
// safe for concurrent use once the template is published.
func (t *Template) Index() *Index {
	if x := t.index.Load(); x != nil {
		return x
	}
	x := t.indexBeside(&Index{}, func(List) bool { return false })
	t.index.Store(x)
	return x
}

// IndexBeside gives t its index, sharing what can be shared with the index of
// the template it was made from. same tells whether a list of t holds the
// same things in the same order; for instruments, the same rows.
func (t *Template) IndexBeside(of *Template, same func(List) bool) {
	t.index.Store(t.indexBeside(of.Index(), same))
}

func (t *Template) indexBeside(old *Index, same func(List) bool) *Index {
	x := &Index{
		Sections:  byID(same(Sections), old.Sections, t.Sections, func(s *Section) ID { return s.ID }),
		Buses:     byID(same(Buses), old.Buses, t.Buses, func(b *Bus) ID { return b.ID }),
		Folds:     byID(same(Folds), old.Folds, t.Folds, func(f *Fold) ID { return f.ID }),
		Libraries: byID(same(Libraries), old.Libraries, t.Libraries, func(l *Library) ID { return l.ID }),
		Players:   byID(same(Players), old.Players, t.Players, func(p *Player) ID { return p.ID }),
		Patches:   byID(same(Patches), old.Patches, t.Patches, func(p *Patch) ID { return p.ID }),
		Machines:  byID(same(Machines), old.Machines, t.Machines, func(m *Machine) ID { return m.ID }),
		Calls:     byID(same(Calls), old.Calls, t.Calls, func(c *Call) ID { return c.ID }),
		Terms:     byID(same(Vocabulary), old.Terms, t.Vocabulary, func(x *Term) ID { return x.ID }),
		Castings:  byID(same(Castings), old.Castings, t.Castings, func(x *CastingList) ID { return x.ID }),
	}
	if same(Instruments) {
		x.Place = old.Place
		return x
	}
	x.Place = make(map[ID]int, len(t.Instruments))
	for n, i := range t.Instruments {
		x.Place[i.ID] = n
	}
	return x
}

func byID[T any](same bool, old map[ID]*T, list []*T, id func(*T) ID) map[ID]*T {
	if same {
		return old
	}
	m := make(map[ID]*T, len(list))
	for _, v := range list {
		m[id(v)] = v
	}
	return m
}
