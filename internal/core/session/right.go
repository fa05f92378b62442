package session

import (
	"fmt"
	"slices"

	"fanfold/internal/core/compare"
	"fanfold/internal/core/template"
)

// Fix is what a track of a session becomes, so that it is as its row, bus or section; what is nil
// stays.
type Fix struct {
	Track  template.ID // of the session
	Name   *string
	Colour *string
	Gain   *float64 // of its fader, linear
	Pan    *float64 // -1..1
	Mono   *bool
	Ways   *Ways
}

// Ways are where a track goes: to tracks of the session, or to those that are put into it.
type Ways struct {
	To    template.ID
	Sends []Send
}

// Missing is a track that is put into a session.
type Missing struct {
	Folder template.ID // of the session, or of what is put into it; empty for the top
	After  template.ID // a track in that folder; empty for the folder's end
	Track  *Track
}

// Righting is what puts a session right.
type Righting struct {
	Fixes   []Fix
	Missing []Missing
	Places  []Place
	Left    []string // what stays as the session has it, in words
}

// Right says what puts a session right: of the differences that are picked, and with order of its order,
// or of all without either, what the template has takes the place of what the session has. Tracks that
// the template does not have stay, since music may be on them.
func Right(t *template.Template, s *Session, o Options, picks []compare.Pick, order bool) (*Righting, error) {
	r, err := found(t, s, o)
	if err != nil {
		return nil, err
	}
	w := &righter{reader: r, out: &Righting{}, whole: map[template.ID]bool{}, fields: map[template.ID]map[string]bool{}, all: len(picks) == 0 && !order, put: map[template.ID]bool{}, buses: map[template.ID]*node{}}
	w.order = order || w.all
	w.at = map[*node]int{}
	for k, n := range r.laid {
		w.at[n] = k
	}
	for _, n := range ofClass(r.laid, buses) {
		if n.pair != nil {
			w.buses[n.track.ID] = n.pair
		}
	}
	for _, p := range picks {
		if p.Field == "" {
			w.whole[p.ID] = true
			continue
		}
		if w.fields[p.ID] == nil {
			w.fields[p.ID] = map[string]bool{}
		}
		w.fields[p.ID][p.Field] = true
	}
	r.next = t // whose tints are asked for
	w.missing()
	for _, n := range r.read {
		if n.pair != nil {
			w.fix(n)
		} else if n.track.Kind != Folder {
			w.left["tracks only in the session"]++
		}
	}
	if !s.Flat {
		w.places()
	}
	for what, n := range w.left {
		if n == 0 {
			continue
		}
		w.out.Left = append(w.out.Left, fmt.Sprintf("%s (%d)", what, n))
	}
	slices.Sort(w.out.Left)
	return w.out, nil
}

type righter struct {
	*reader
	out    *Righting
	all    bool
	order  bool
	at     map[*node]int                   // where what the template lays out stands
	whole  map[template.ID]bool            // things that are picked
	fields map[template.ID]map[string]bool // fields of them
	put    map[template.ID]bool            // things that are put into the session
	buses  map[template.ID]*node           // read, by the buses they are
}

func (w *righter) wants(id template.ID, field string) bool {
	return w.all || w.whole[id] || w.fields[id][field]
}

// missing finds what the session lacks. Buses come first, since rows go to them, then folders, which
// hold rows.
func (w *righter) missing() {
	if w.s.Flat {
		return
	}
	for _, c := range []class{buses, folders, rows} {
		for _, n := range w.laid {
			if n.track.class() != c || n.pair != nil || !w.wants(n.track.ID, "") {
				continue
			}
			home, is := w.homeOf(n.parent)
			if !is {
				w.left["tracks whose folder is missing from the session"]++
				continue
			}
			w.put[n.track.ID] = true
			m := Missing{Track: n.track, Folder: idOf(home)}
			if c != buses && (n.parent == nil || n.parent.pair != nil) {
				m.After = w.beforeIt(n)
			}
			w.out.Missing = append(w.out.Missing, m)
		}
	}
	for k := range w.out.Missing {
		x := *w.out.Missing[k].Track
		ways := w.waysNow(&x)
		x.To, x.Sends, x.Children = ways.To, ways.Sends, nil
		w.out.Missing[k].Track = &x
	}
}

// beforeIt is the track of the session that stands before one that is missing, in its folder.
func (w *righter) beforeIt(n *node) template.ID {
	siblings, in := tops(w.laid), (*node)(nil)
	if n.parent != nil {
		siblings, in = n.parent.inside, n.parent.pair
	}
	at := slices.Index(siblings, n)
	for _, x := range slices.Backward(siblings[:at]) {
		if x.pair != nil && x.pair.parent == in {
			return x.pair.track.ID
		}
	}
	return ""
}

// waysNow are the ways of a track as the template has them, to tracks of the session.
func (w *righter) waysNow(x *Track) Ways {
	at := func(bus template.ID) template.ID {
		if n := w.buses[bus]; n != nil {
			return n.track.ID
		}
		if w.put[bus] {
			return bus
		}
		if bus != "" {
			w.left["routes to buses missing from the session"]++
		}
		return ""
	}
	out := Ways{To: at(x.To)}
	for _, s := range x.Sends {
		if s.To = at(s.To); s.To != "" {
			out.Sends = append(out.Sends, s)
		}
	}
	return out
}

// fix finds what of a track differs from the template.
func (w *righter) fix(n *node) {
	is, was := n.track, n.pair.track
	f := Fix{Track: is.ID}
	if clean(is.Name) != clean(was.Name) && w.wants(was.ID, "name") {
		f.Name = &was.Name
	}
	tint := map[class]string{rows: "colour", folders: "tint"}[is.class()]
	if tint != "" && w.tintChanged(n) && w.wants(was.ID, tint) {
		f.Colour = &was.Colour
	}
	if is.class() != folders {
		if !near(is.Gain, was.Gain) && w.wants(was.ID, "level") {
			f.Gain = &was.Gain
		}
		if is.class() == rows && !nearPan(is.Pan, was.Pan) && w.wants(was.ID, "pan") {
			f.Pan = &was.Pan
		}
		if is.class() == buses && is.Mono != was.Mono && w.wants(was.ID, "mono") {
			f.Mono = &was.Mono
		}
		if is.Role != Master && w.wants(was.ID, "routes") && !w.goesRight(n) {
			ways := w.waysNow(was)
			f.Ways = &ways
		}
	}
	if f != (Fix{Track: is.ID}) {
		w.out.Fixes = append(w.out.Fixes, f)
	}
}

// tintChanged tells whether a track was given another colour of the palette.
func (w *righter) tintChanged(n *node) bool {
	var now string
	switch i := w.t.Instrument(n.pair.track.ID); {
	case i != nil && i.Colour != "":
		now = i.Colour
	case i != nil:
		now = w.t.TintOf(i.Section)
	default:
		now = w.t.TintOf(n.pair.track.ID)
	}
	return w.recoloured(n, now) != now
}

// goesRight tells whether a track goes where its row goes.
func (w *righter) goesRight(n *node) bool {
	bus := func(track template.ID) template.ID {
		if x := w.of[track]; x != nil && x.pair != nil {
			return x.pair.track.ID
		}
		return track
	}
	sends := slices.Clone(n.track.Sends)
	for k := range sends {
		sends[k].To = bus(sends[k].To)
	}
	to := n.track.To
	if to != "" {
		to = bus(to)
	}
	return sameWays(to, sends, n.pair.track)
}
