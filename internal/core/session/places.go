package session

import (
	"slices"

	"fanfold/internal/core/template"
)

// Place is what a folder of a session holds once it is put right, in order; the session itself where
// Folder is empty. What it does not name stays behind what it stood behind.
type Place struct {
	Folder template.ID // of the session, or of what is put into it
	Tracks []template.ID
}

// homeOf is where the children of a thing of the template lie in the session: in a folder that was read,
// in one that is put there, or at the top, nil; false where there is none.
func (w *righter) homeOf(parent *node) (*node, bool) {
	switch {
	case parent == nil:
		return nil, true
	case parent.pair != nil:
		return parent.pair, true
	case w.put[parent.track.ID]:
		return parent, true
	}
	return nil, false
}

// idOf is how a folder of the session is called.
func idOf(home *node) template.ID {
	if home == nil {
		return ""
	}
	return home.track.ID
}

// places moves rows and sections into the folders that the template has them in, where that is wanted,
// and puts each folder in order.
func (w *righter) places() {
	home := map[*node]*node{}
	for _, n := range w.read {
		home[n] = n.parent
	}
	comes := w.moves(home)
	lists := map[*node][]*node{nil: w.stay(nil, home)}
	order := []*node{nil}
	for _, n := range w.read {
		if len(n.inside) > 0 || len(comes[n]) > 0 {
			lists[n] = w.stay(n, home)
			order = append(order, n)
		}
	}
	for _, n := range w.laid { // folders that are put there
		if len(comes[n]) > 0 {
			order = append(order, n)
		}
	}
	for _, at := range order {
		list := lists[at]
		for _, n := range comes[at] {
			list = slices.Insert(list, w.behind(n, list), n)
		}
		if w.order {
			w.inOrder(list)
		}
		if slices.Equal(list, w.inside(at)) {
			continue
		}
		p := Place{Folder: idOf(at)}
		for _, n := range list {
			p.Tracks = append(p.Tracks, n.track.ID)
		}
		w.out.Places = append(w.out.Places, p)
	}
}

// moves finds what goes into another folder or is put into one, by that folder and in the template's
// order, and notes where it lies then. Nothing goes into itself: what holds a folder waits until that has left.
func (w *righter) moves(home map[*node]*node) map[*node][]*node {
	var waiting []*node
	for _, n := range w.laid {
		x := n.pair
		if x == nil || x.track.class() == buses {
			continue
		}
		field := map[class]string{rows: "section", folders: "stands in"}[x.track.class()]
		to, is := w.homeOf(n.parent)
		switch {
		case is && to == x.parent:
		case !w.wants(n.track.ID, field):
		case !is:
			w.left["tracks in another folder"]++
		default:
			waiting = append(waiting, n)
		}
	}
	comes := map[*node][]*node{}
	for progress := true; progress; {
		progress = false
		waiting = slices.DeleteFunc(waiting, func(n *node) bool {
			to, _ := w.homeOf(n.parent)
			for at := to; at != nil; at = home[at] {
				if at == n.pair {
					return false
				}
			}
			home[n.pair], progress = to, true
			comes[to] = append(comes[to], n.pair)
			return true
		})
	}
	w.left["tracks in another folder"] += len(waiting)
	for _, n := range w.laid {
		if w.put[n.track.ID] && n.track.class() != buses {
			to, _ := w.homeOf(n.parent)
			comes[to] = append(comes[to], n)
		}
	}
	for _, list := range comes {
		slices.SortStableFunc(list, func(a, b *node) int { return w.at[as(a)] - w.at[as(b)] })
	}
	return comes
}

// as is what a track is in the template; nil for nothing.
func as(n *node) *node {
	if n.laid {
		return n
	}
	return n.pair
}

// inside is what a folder of the session holds; nil is the top, and one that is put there holds nothing.
func (w *righter) inside(at *node) []*node {
	switch {
	case at == nil:
		return tops(w.read)
	case at.laid:
		return nil
	}
	return at.inside
}

func tops(all []*node) (out []*node) {
	for _, n := range all {
		if n.parent == nil {
			out = append(out, n)
		}
	}
	return out
}

// stay are those that stay in a folder.
func (w *righter) stay(at *node, home map[*node]*node) []*node {
	return slices.DeleteFunc(slices.Clone(w.inside(at)), func(n *node) bool { return home[n] != at })
}

// behind is where a track goes among others: behind the one that the template has before it.
func (w *righter) behind(n *node, list []*node) int {
	is := as(n)
	siblings := tops(w.laid)
	if is.parent != nil {
		siblings = is.parent.inside
	}
	here := func(x *node) int { return slices.IndexFunc(list, func(y *node) bool { return as(y) == x }) }
	at := slices.Index(siblings, is)
	for _, before := range slices.Backward(siblings[:at]) {
		if k := here(before); k >= 0 {
			return k + 1
		}
	}
	for _, after := range siblings[at+1:] {
		if k := here(after); k >= 0 {
			return k
		}
	}
	return len(list)
}

// inOrder puts rows and sections that the template has beside each other in its order; all others keep
// their places.
func (w *righter) inOrder(list []*node) {
	groups := map[*node][]int{} // places in the list, by what holds them in the template
	for n, x := range list {
		if is := as(x); is != nil && x.track.class() != buses {
			groups[is.parent] = append(groups[is.parent], n)
		}
	}
	for _, at := range groups {
		var want []*node
		for _, n := range at {
			want = append(want, list[n])
		}
		slices.SortStableFunc(want, func(a, b *node) int { return w.at[as(a)] - w.at[as(b)] })
		for k, n := range at {
			list[n] = want[k]
		}
	}
}
