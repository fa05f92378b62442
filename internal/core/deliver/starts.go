package deliver

import (
	"slices"
	"strings"

	"fanfold/internal/core/template"
)

// Ask is which instruments a stem of a starting point wants, in words that do
// not depend on the sections of a template.
type Ask struct {
	Section  template.ID // exactly this one; otherwise by what follows
	Tint     string      // of the top section: what it holds
	Words    string      // the section's name holds one of them, separated by commas, or begins with it: "^harp"
	Register template.Register
	Family   template.Family
	Role     string
	Name     string
	Rest     bool // only what no other stem wants
}

// Start is a shipped starting point.
type Start struct {
	Name  string
	About string
	Stems []*Wanted
}

func stem(name string, asks ...Ask) *Wanted { return &Wanted{Name: name, Rules: asks} }

func section(name string, children ...*Wanted) *Wanted {
	return &Wanted{Name: name, Children: children}
}

func rest(tint string) Ask { return Ask{Tint: tint, Rest: true} }

// Starts are the starting points, each made again.
func Starts() []Start {
	return []Start{
		{"Film, detailed", "24 fine stems in seven sections", detailed()},
		{"Film, sections", "one stem a section, percussion in two", filmSections()},
		{"Trailer, high and low, long and short", "every choir in four, drums in two", trailer()},
		{"Game layers", "layers that a game mixes by tension", layers()},
		{"Dry and wet pairs", "every section twice: without and with its returns alone", twins()},
	}
}

func detailed() []*Wanted {
	return []*Wanted{
		section("Winds",
			stem("Flutes", Ask{Tint: "moss", Words: "flute,piccolo"}),
			stem("Oboes", Ask{Tint: "moss", Words: "oboe"}),
			stem("Clarinets and other winds", rest("moss")),
			stem("Low winds", Ask{Tint: "moss", Register: template.Low})),
		section("Brass",
			stem("Horns", Ask{Tint: "plum", Words: "horn"}),
			stem("Trumpets", Ask{Tint: "plum", Words: "trumpet"}),
			stem("Low brass", rest("plum"))),
		section("Percussion",
			stem("Timpani", Ask{Tint: "clay", Words: "timp"}),
			stem("Tuned percussion", Ask{Tint: "clay", Words: "tuned,mallet"}),
			stem("High percussion", Ask{Tint: "clay", Register: template.High}),
			stem("Low percussion", rest("clay"))),
		section("Keys and harp",
			stem("Harp", Ask{Tint: "stone", Words: "^harp"}),
			stem("Keys", rest("stone"))),
		section("Voices",
			stem("Solo voices", Ask{Tint: "rose", Words: "solo"}, Ask{Tint: "rose", Role: "solo"}),
			stem("Choir high", Ask{Tint: "rose", Register: template.High}),
			stem("Choir low", rest("rose"))),
		section("Strings",
			stem("Solo strings", Ask{Tint: "petrol", Words: "solo"}, Ask{Tint: "petrol", Role: "solo"}),
			stem("High strings short", Ask{Tint: "petrol", Register: template.High, Family: template.Short}),
			stem("Low strings short", Ask{Tint: "petrol", Family: template.Short}),
			stem("High strings long", Ask{Tint: "petrol", Register: template.High}),
			stem("Low strings long", rest("petrol"))),
		section("Hybrid",
			stem("Pulses", Ask{Tint: "heather", Words: "pulse"}),
			stem("Impacts", Ask{Tint: "heather", Words: "impact,hit"}),
			stem("Textures", rest("heather"))),
	}
}

func filmSections() []*Wanted {
	return []*Wanted{
		stem("Winds", rest("moss")),
		stem("Brass", rest("plum")),
		section("Percussion",
			stem("High percussion", Ask{Tint: "clay", Register: template.High}),
			stem("Low percussion", rest("clay"))),
		stem("Keys and harp", rest("stone")),
		stem("Voices", rest("rose")),
		stem("Strings", rest("petrol")),
		stem("Hybrid", rest("heather")),
	}
}

// quarters are a section's stems by register and family.
func quarters(name, tint string) *Wanted {
	low := strings.ToLower(name)
	return section(name,
		stem("High "+low+" short", Ask{Tint: tint, Register: template.High, Family: template.Short}),
		stem("Low "+low+" short", Ask{Tint: tint, Family: template.Short}),
		stem("High "+low+" long", Ask{Tint: tint, Register: template.High}),
		stem("Low "+low+" long", rest(tint)))
}

func trailer() []*Wanted {
	return []*Wanted{
		quarters("Strings", "petrol"), quarters("Brass", "plum"), quarters("Winds", "moss"), quarters("Voices", "rose"),
		section("Drums",
			stem("High drums", Ask{Tint: "clay", Register: template.High}),
			stem("Low drums", rest("clay"))),
		section("Design",
			stem("Hits", Ask{Tint: "heather", Words: "impact,hit"}),
			stem("Pulses", Ask{Tint: "heather", Words: "pulse"}),
			stem("Beds", rest("heather"))),
		stem("Keys", rest("stone")),
	}
}

func layers() []*Wanted {
	return []*Wanted{
		section("Calm",
			stem("Bed", Ask{Tint: "heather", Words: "texture,pad"}, Ask{Tint: "rose"}),
			stem("Colour", Ask{Tint: "stone"}, Ask{Tint: "moss"})),
		section("Unrest",
			stem("Pulse", Ask{Tint: "heather", Words: "pulse"}, Ask{Tint: "petrol", Family: template.Short}),
			stem("Harmony", Ask{Tint: "petrol"})),
		section("Fight",
			stem("Drums", Ask{Tint: "clay"}),
			stem("Brass", Ask{Tint: "plum"}),
			stem("Accents", rest("heather"))),
	}
}

func twins() []*Wanted {
	var out []*Wanted
	for _, s := range []struct{ name, tint string }{
		{"Winds", "moss"}, {"Brass", "plum"}, {"Percussion", "clay"}, {"Keys and harp", "stone"}, {"Voices", "rose"}, {"Strings", "petrol"}, {"Hybrid", "heather"},
	} {
		out = append(out, section(s.name,
			&Wanted{Name: s.name + " dry", Carries: template.CarriesDry, Rules: []Ask{rest(s.tint)}},
			&Wanted{Name: s.name + " wet", Carries: template.CarriesWet}))
	}
	return out
}

// FromSections is a list of stems from the sections of a template that hold
// instruments: top sections, each with the sections right below it.
func FromSections(t *template.Template) []*Wanted {
	holds := map[template.ID]bool{}
	for _, i := range t.Instruments {
		if !i.FeedsStems() {
			continue
		}
		for _, s := range t.Ancestry(i.Section) {
			holds[s.ID] = true
		}
	}
	tops := map[template.ID]*Wanted{}
	names := map[string]bool{}
	var out []*Wanted
	for _, s := range t.SectionsInOrder() {
		if !holds[s.ID] {
			continue
		}
		if s.Parent == "" {
			tops[s.ID] = &Wanted{Name: s.Name}
			out = append(out, tops[s.ID])
		} else if top := tops[s.Parent]; top != nil {
			name := s.Name
			if names[template.FoldName(name)] {
				name = top.Name + " " + name
			}
			names[template.FoldName(name)] = true
			top.Children = append(top.Children, &Wanted{Name: name, Rules: []Ask{{Section: s.ID}}})
		}
	}
	for id, top := range tops {
		if len(top.Children) == 0 {
			top.Rules = []Ask{{Section: id}}
		}
	}
	return out
}

// rules are those that the stems of a list ask for, before the template's own;
// what takes the rest of a section comes after what asks for a part of it.
func (e *establisher) rules(list []*Wanted) []*template.StemRule {
	var asked, last []*template.StemRule
	walk(list, e.depth, e.depth-1, func(w, _ *Wanted) {
		b := e.stem[[2]string{string(e.fold[e.depth-1]), template.FoldName(w.Name)}]
		for _, a := range w.Rules {
			for _, s := range e.sections(a) {
				r := &template.StemRule{ID: e.mint("rule"), Stem: b.ID, Section: s, Register: a.Register, Family: a.Family, Role: a.Role, Name: a.Name}
				if a.Rest {
					last = append(last, r)
				} else {
					asked = append(asked, r)
				}
			}
		}
	})
	var out []*template.StemRule
	for _, r := range append(asked, last...) {
		if !slices.ContainsFunc(e.t.Rules, func(o *template.StemRule) bool { return same(o, r) }) {
			out = append(out, r)
		}
	}
	if e.report.Rules = len(out); len(out) == 0 {
		return nil
	}
	return append(out, e.t.Rules...)
}

// same tells whether two rules say the same.
func same(a, b *template.StemRule) bool {
	x := *a
	x.ID = b.ID
	return x == *b
}

// sections are those of the template that an ask means.
func (e *establisher) sections(a Ask) []template.ID {
	if a.Section != "" {
		return []template.ID{a.Section}
	}
	var out []template.ID
	for _, s := range e.t.SectionsInOrder() {
		top := e.t.TopSection(s.ID)
		if template.TintFor(top.Name) != a.Tint {
			continue
		}
		if a.Words == "" {
			if s == top {
				out = append(out, s.ID)
			}
			continue
		}
		for word := range strings.SplitSeq(a.Words, ",") {
			name := template.FoldName(s.Name) + " "
			if begins, at := strings.CutPrefix(word, "^"); at && strings.HasPrefix(name, begins) || !at && strings.Contains(name, word) {
				out = append(out, s.ID)
				break
			}
		}
	}
	return out
}
