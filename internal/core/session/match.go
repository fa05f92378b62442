package session

import (
	"slices"
	"strings"

	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// How says by what a track was found in the template.
type How string

// The ways, the surest first.
const (
	ByMark  How = "mark"  // the mark that Fanfold wrote into it
	ByName  How = "name"  // its name, in its folder
	Moved   How = "moved" // its name, in another folder
	ByPlace How = "place" // it stands between the same neighbours
)

// class is what a track can be in a template.
type class int

const (
	folders class = iota
	buses
	rows
)

func (x *Track) class() class {
	switch x.Kind {
	case Folder:
		return folders
	case Sums:
		return buses
	case Notes, Audio:
	}
	return rows
}

// node is a track where it stands.
type node struct {
	track  *Track
	parent *node // its folder; nil at the top
	inside []*node
	laid   bool  // by the template; otherwise it was read
	pair   *node // the same thing on the other side; nil for none
	how    How   // that was found
	maybe  *node // what stands in its place in the template, and may be the same
}

// tree lays tracks out as nodes: all of them in order, and those at the top.
func tree(list []*Track, laid bool) (all, top []*node) {
	var walk func(list []*Track, parent *node) []*node
	walk = func(list []*Track, parent *node) (inside []*node) {
		for _, x := range list {
			n := &node{track: x, parent: parent, laid: laid}
			all, inside = append(all, n), append(inside, n)
			n.inside = walk(x.Children, n)
		}
		return inside
	}
	top = walk(list, nil)
	return all, top
}

// matcher finds which track of a session read is which of the session as the template lays it out.
type matcher struct {
	laid, read       []*node
	laidTop, readTop []*node
	flat             bool
	answers          map[template.ID]string // whether a track is what stands in its place
}

func join(laid, read *node, how How) {
	laid.pair, read.pair, read.how = read, laid, how
}

func (m *matcher) match() {
	m.byMark()
	m.level(m.laidTop, m.readTop)
	m.byName(buses, func(n *node) string { return string(n.track.Role) })
	m.master()
	if m.flat {
		m.byName(rows, func(*node) string { return "" })
	} else {
		m.byName(rows, (*node).folder)
	}
	m.elsewhere()
	m.byContents()
	if m.flat {
		m.places(ofClass(m.laid, rows), ofClass(m.read, rows))
		return
	}
	for _, n := range m.laid {
		if n.track.Kind == Folder && n.pair != nil {
			m.places(ofClass(n.inside, rows), ofClass(n.pair.inside, rows))
		}
	}
	for _, role := range []Role{Effect, Submix} {
		m.places(ofRole(m.laid, role), ofRole(m.read, role))
	}
}

func ofClass(list []*node, c class) []*node {
	return slices.DeleteFunc(slices.Clone(list), func(n *node) bool { return n.track.class() != c })
}

func ofRole(list []*node, r Role) []*node {
	return slices.DeleteFunc(ofClass(list, buses), func(n *node) bool { return n.track.Role != r })
}

// byMark joins what has the mark of a thing of its class; of copies the one that has its name, or
// the first.
func (m *matcher) byMark() {
	laid := make(map[template.ID]*node, len(m.laid))
	for _, n := range m.laid {
		laid[n.track.ID] = n
	}
	for _, same := range []bool{true, false} {
		for _, n := range m.read {
			x := laid[n.track.Mark]
			if n.track.Mark == "" || x == nil || x.pair != nil || n.pair != nil || x.track.class() != n.track.class() {
				continue
			}
			if !same || template.FoldName(x.track.Name) == template.FoldName(n.track.Name) {
				join(x, n, ByMark)
			}
		}
	}
}

// folder is the section in which something lies; one that was not found is like no other.
func (n *node) folder() string {
	switch {
	case n.parent == nil:
		return ""
	case n.laid:
		return string(n.parent.track.ID)
	case n.parent.pair != nil:
		return string(n.parent.pair.track.ID)
	}
	return "\x00"
}

// byName joins what has one name in one place; several of them in their order.
func (m *matcher) byName(c class, place func(*node) string) {
	key := func(n *node) string { return place(n) + "\x01" + template.FoldName(n.track.Name) }
	free := map[string][]*node{}
	for _, n := range m.laid {
		if n.track.class() == c && n.pair == nil {
			free[key(n)] = append(free[key(n)], n)
		}
	}
	for _, n := range m.read {
		if n.track.class() != c || n.pair != nil {
			continue
		}
		if list := free[key(n)]; len(list) > 0 {
			join(list[0], n, ByName)
			free[key(n)] = list[1:]
		}
	}
}

// level joins folders of one name among siblings, and goes into those that were found.
func (m *matcher) level(laid, read []*node) {
	free := map[string]*node{}
	for _, n := range ofClass(laid, folders) {
		if k := template.FoldName(n.track.Name); n.pair == nil && free[k] == nil {
			free[k] = n
		}
	}
	for _, n := range ofClass(read, folders) {
		if k := template.FoldName(n.track.Name); n.pair == nil && free[k] != nil {
			join(free[k], n, ByName)
			delete(free, k)
		}
		if n.pair != nil {
			m.level(n.pair.inside, n.inside)
		}
	}
}

// master joins the mixes, whatever they are called.
func (m *matcher) master() {
	laid, read := ofRole(m.laid, Master), ofRole(m.read, Master)
	if len(laid) > 0 && len(read) > 0 && laid[0].pair == nil && read[0].pair == nil {
		join(laid[0], read[0], ByName)
	}
}

// elsewhere joins rows and folders of a name that is left once on each side.
func (m *matcher) elsewhere() {
	for _, c := range []class{rows, folders} {
		laid, read := map[string][]*node{}, map[string][]*node{}
		for _, side := range []struct {
			list []*node
			to   map[string][]*node
		}{{m.laid, laid}, {m.read, read}} {
			for _, n := range side.list {
				if n.track.class() == c && n.pair == nil {
					k := template.FoldName(n.track.Name)
					side.to[k] = append(side.to[k], n)
				}
			}
		}
		for k, list := range read {
			if len(list) == 1 && len(laid[k]) == 1 {
				join(laid[k][0], list[0], Moved)
			}
		}
	}
}

// byContents joins a folder with the section that most of its rows are of.
func (m *matcher) byContents() {
	for _, n := range m.read {
		if n.track.Kind != Folder || n.pair != nil {
			continue
		}
		held := map[*node]int{}
		for _, x := range n.inside {
			if x.pair != nil && x.pair.parent != nil && x.pair.parent.pair == nil {
				held[x.pair.parent]++
			}
		}
		var best *node
		for _, x := range m.laid { // in order, so that it is always the same one
			if held[x] > 0 && (best == nil || held[x] > held[best]) {
				best = x
			}
		}
		if best != nil && 2*held[best] > len(best.inside) {
			join(best, n, ByPlace)
		}
	}
}

// places joins what stands between the same neighbours, as many here as there: rows that were
// renamed. What does not look like it is not joined unless somebody says so.
func (m *matcher) places(laid, read []*node) {
	at := make(map[*node]int, len(laid))
	for k, n := range laid {
		at[n] = k
	}
	last, run := -1, []*node(nil)
	end := func(until int) {
		var free []*node
		for k := last + 1; k < until; k++ {
			if laid[k].pair == nil {
				free = append(free, laid[k])
			}
		}
		if len(free) == len(run) {
			for k, n := range run {
				if free[k].track.Kind != n.track.Kind {
					continue
				}
				n.maybe = free[k]
				said := m.answers[n.track.ID]
				if said == Same || said == "" && alike(free[k].track.Name, n.track.Name) {
					join(free[k], n, ByPlace)
				}
			}
		}
		run = nil
	}
	for _, n := range read {
		if n.pair == nil {
			run = append(run, n)
		} else if k, here := at[n.pair]; here && k > last { // not from elsewhere, nor in another order
			end(k)
			last = k
		}
	}
	end(len(laid))
}

// alike tells whether two names may be of one thing: a word in common, or the same instrument.
func alike(a, b string) bool {
	if x, y := sound.ByName(a), sound.ByName(b); x != nil && y != nil && x.ID == y.ID {
		return true
	}
	words := strings.Fields(template.FoldName(b))
	return slices.ContainsFunc(strings.Fields(template.FoldName(a)), func(w string) bool { return len(w) > 2 && slices.Contains(words, w) })
}
