package order

import (
	"cmp"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

type sorter struct {
	t      *template.Template
	traits *deliver.Sorter
	words  *articulation.Vocabulary
	within template.ID
	by     By
}

// unknown ranks after everything that is known.
const unknown = math.MaxInt32

// class is a part of the orchestra, in score order.
type class int

const (
	winds class = iota
	brass
	percussion
	keys
	soloists
	voices
	stringed
	hybrid
	others
)

// kinds tells a class by the beginning of its sounds; of several the first.
var kinds = []struct {
	prefix string
	class  class
}{
	{"wind.", winds}, {"brass.", brass}, {"drum.", percussion}, {"metal.", percussion}, {"wood.", percussion}, {"rattle.", percussion},
	{"pitched-percussion.", percussion}, {"effect.", percussion}, {"keyboard.", keys}, {"pluck.", keys}, {"voice.", voices}, {"strings.", stringed}, {"synth.", hybrid},
}

// stage is the order of the classes from the front of the stage to its back:
// strings in front, then harp, keyboards and woodwinds, brass and percussion
// behind them, the choir last. Common practice, no source.
var stage = []class{soloists, stringed, keys, winds, brass, percussion, voices, hybrid, others}

// depths are where a class sits when nobody has said so.
var depths = map[class]template.Depth{stringed: template.Near, soloists: template.Near, brass: template.Far, percussion: template.Far, voices: template.Far}

// soundOf is the sound of an instrument: its patch's, or what its name says.
func (s *sorter) soundOf(i *template.Instrument) string {
	for _, p := range s.t.PatchesOf(i) {
		if p.Sound != "" {
			return p.Sound
		}
	}
	if x := sound.ByName(i.Name); x != nil {
		return x.ID
	}
	return ""
}

func classOf(id string) class {
	for _, k := range kinds {
		if strings.HasPrefix(id, k.prefix) {
			return k.class
		}
	}
	return others
}

func rankOf(id string) int {
	if r := sound.Rank(id); id != "" && r >= 0 {
		return r
	}
	return unknown
}

// row is what rows are put in order by.
type row struct {
	i       *template.Instrument
	idle    bool    // plays no patches: stands after those that do
	spare   bool    // and spare ones last
	middle  float64 // of its range, MIDI notes; unknown when not known
	rank    int     // of its sound in the score
	desk    string  // its name without its articulation
	first   int     // where the first of its desk stands, numbers apart
	family  int     // of its articulation
	present int     // where it stands now
}

func (s *sorter) rowOf(i *template.Instrument, at int) row {
	tr := s.traits.Traits(i)
	r := row{i: i, idle: i.Kind != template.Sampled, spare: i.Kind == template.Spare, middle: unknown, rank: rankOf(s.soundOf(i)), present: at}
	if tr.High > 0 {
		r.middle = float64(tr.Low+tr.High) / 2
	}
	r.desk = template.FoldName(articulation.Desk(s.words, i.Name))
	r.family = slices.Index(template.Families, tr.Family)
	return r
}

func (s *sorter) compareRows(a, b row) int {
	truth := func(x, y bool) int {
		if x == y {
			return 0
		} else if x {
			return 1
		}
		return -1
	}
	if c := cmp.Or(truth(a.spare, b.spare), truth(a.idle, b.idle)); c != 0 || a.idle {
		return cmp.Or(c, a.present-b.present)
	}
	if s.by == LowToHigh {
		return cmp.Or(cmp.Compare(a.middle, b.middle), s.byDesk(a, b))
	}
	if a.rank == unknown || b.rank == unknown {
		return cmp.Or(cmp.Compare(a.rank, b.rank), a.present-b.present)
	}
	return cmp.Or(cmp.Compare(a.rank, b.rank), s.byDesk(a, b))
}

// byDesk keeps the desks of one instrument together and in their order, those
// that differ in a number by that, and long before short articulations.
func (s *sorter) byDesk(a, b row) int {
	return cmp.Or(a.first-b.first, natural(a.desk, b.desk), cmp.Compare(a.family, b.family), a.present-b.present)
}

// unnumbered is a name without the number it ends in.
func unnumbered(name string) string { return strings.TrimRight(name, "0123456789 ") }

var numbers = regexp.MustCompile(`\d+|\D+`)

// natural compares texts with the numbers in them taken as numbers.
func natural(a, b string) int {
	x, y := numbers.FindAllString(a, -1), numbers.FindAllString(b, -1)
	for n := 0; n < len(x) && n < len(y); n++ {
		p, errA := strconv.Atoi(x[n])
		q, errB := strconv.Atoi(y[n])
		c := cmp.Compare(x[n], y[n])
		if errA == nil && errB == nil {
			c = cmp.Compare(p, q)
		}
		if c != 0 {
			return c
		}
	}
	return cmp.Compare(len(x), len(y))
}

// block is what sections are put in order by.
type block struct {
	section *template.Section
	class   class
	depth   int
	solo    bool
	rank    int // the middle one of those of its rows
	middle  float64
	present int
}

// blocks looks at every section and all that stands in it.
func (s *sorter) blocks(rows map[template.ID][]row) map[template.ID]*block {
	out := make(map[template.ID]*block, len(s.t.Sections))
	ranks, middles := map[template.ID][]int{}, map[template.ID][]float64{}
	for section, list := range rows {
		for _, above := range s.t.Ancestry(section) {
			for _, r := range list {
				if r.rank != unknown && !r.idle {
					ranks[above.ID] = append(ranks[above.ID], r.rank)
				}
				if r.middle != unknown && !r.idle {
					middles[above.ID] = append(middles[above.ID], r.middle)
				}
			}
		}
	}
	for n, section := range s.t.Sections {
		b := &block{section: section, rank: unknown, middle: unknown, class: others, present: n}
		name := template.FoldName(section.Name)
		b.solo = strings.HasPrefix(name, "solo")
		if list := ranks[section.ID]; len(list) > 0 {
			slices.Sort(list)
			b.rank = list[(len(list)-1)/2]
		} else if x := sound.ByName(section.Name); x != nil {
			b.rank = sound.Rank(x.ID)
		}
		if b.rank != unknown {
			b.class = classOf(sound.All()[b.rank].ID)
		}
		if b.solo && section.Parent == "" {
			b.class = soloists
		}
		if list := middles[section.ID]; len(list) > 0 {
			sum := 0.0
			for _, m := range list {
				sum += m
			}
			b.middle = sum / float64(len(list))
		}
		b.depth = slices.Index(template.Depths, s.depthOf(section, b.class))
		out[section.ID] = b
	}
	return out
}

// depthOf is how far back a section sits: as somebody said, else as its class
// usually does.
func (s *sorter) depthOf(section *template.Section, c class) template.Depth {
	for _, above := range s.t.Ancestry(section.ID) {
		if above.Depth != "" {
			return above.Depth
		}
	}
	if d, ok := depths[c]; ok {
		return d
	}
	return template.Middle
}

func (s *sorter) compareBlocks(a, b *block) int {
	last := func(solo bool) int {
		if solo && s.by == Score {
			return 1
		}
		return 0
	}
	byScore := func() int {
		nested := a.section.Parent != ""
		if nested && last(a.solo) != last(b.solo) {
			return last(a.solo) - last(b.solo)
		}
		return cmp.Or(cmp.Compare(a.class, b.class), cmp.Compare(a.rank, b.rank), s.byNumber(a, b), a.present-b.present)
	}
	switch s.by {
	case LowToHigh:
		return cmp.Or(cmp.Compare(a.middle, b.middle), a.present-b.present)
	case Stage:
		if a.class == others || b.class == others {
			return cmp.Or(cmp.Compare(a.class, b.class), a.present-b.present)
		}
		return cmp.Or(cmp.Compare(a.depth, b.depth), cmp.Compare(slices.Index(stage, a.class), slices.Index(stage, b.class)), byScore())
	}
	return byScore()
}

// byNumber puts "Violins 1" before "Violins 2", and leaves others as they are.
func (s *sorter) byNumber(a, b *block) int {
	word := func(x *block) string { return unnumbered(template.FoldName(x.section.Name)) }
	if a.rank == unknown || word(a) != word(b) {
		return 0
	}
	return natural(template.FoldName(a.section.Name), template.FoldName(b.section.Name))
}

// sort puts sections and rows in order where they are.
func (s *sorter) sort() change.Batch {
	type desk struct {
		section template.ID
		name    string
	}
	rows, first := map[template.ID][]row{}, map[desk]int{}
	for at, i := range s.t.Instruments {
		r := s.rowOf(i, at)
		d := desk{i.Section, unnumbered(r.desk)}
		if _, met := first[d]; !met {
			first[d] = at
		}
		r.first = first[d]
		rows[i.Section] = append(rows[i.Section], r)
	}
	blocks := s.blocks(rows)
	children := map[template.ID][]*template.Section{}
	for _, x := range s.t.Sections {
		children[x.Parent] = append(children[x.Parent], x)
	}
	for parent, list := range children {
		if s.within == "" || parent != "" && s.inside(parent) {
			slices.SortStableFunc(list, func(a, b *template.Section) int { return s.compareBlocks(blocks[a.ID], blocks[b.ID]) })
		}
	}
	var sections []*template.Section
	var walk func(template.ID)
	walk = func(parent template.ID) {
		for _, x := range children[parent] {
			sections = append(sections, x)
			walk(x.ID)
		}
	}
	walk("")
	var arrange change.Arrange
	for _, x := range s.t.Sections {
		list := rows[x.ID]
		if !s.inside(x.ID) {
			continue
		}
		for _, run := range between(list) {
			slices.SortStableFunc(run, s.compareRows)
		}
		sorted := make([]*template.Instrument, len(list))
		for n, r := range list {
			sorted[n] = r.i
		}
		arrange.Places = append(arrange.Places, places(s.t, sorted, func(i *template.Instrument) template.ID { return i.Section })...)
	}
	return change.Batch{Label: "Put in " + label[s.by], Changes: []change.Change{change.SetSections{Sections: sections}, arrange}}
}

// between are the runs of rows between dividers, which stay where they are.
func between(list []row) [][]row {
	var out [][]row
	for len(list) > 0 {
		n := slices.IndexFunc(list, func(r row) bool { return r.i.Kind == template.Divider })
		if n < 0 {
			return append(out, list)
		}
		out, list = append(out, list[:n]), list[n+1:]
	}
	return out
}

var label = map[By]string{Score: "score order", Stage: "stage order", LowToHigh: "order, low to high", Role: "by role", RoleOfAll: "by role, all together", Library: "by library", Instrument: "by instrument"}
