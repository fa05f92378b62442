package session

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/colour"
	"fanfold/internal/core/dsp"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/palette"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// Options are those of reading a session.
type Options struct {
	// Mint makes the ID of something new that a track becomes; the same each time, where it is asked
	// again about the same session.
	Mint func(kind string, track template.ID) template.ID
	// Answers are what people said to questions, by their keys; the rest is taken as proposed.
	Answers map[template.ID]string
}

// Reading is a session read against a template.
type Reading struct {
	There *template.Template // the template as the session has it
	Ask   []Question         // what is unsure, with what was taken
	Found map[How]int        // how many rows were found, and how
	Left  []string           // what a template leaves out of the session, in words
}

// Question is something that a session does not say.
type Question struct {
	Key     template.ID `json:"key"`
	Text    string      `json:"text"`
	About   []string    `json:"about"` // the tracks
	Options []Option    `json:"options"`
	Chosen  string      `json:"chosen"`
}

// Option is an answer to a question.
type Option struct {
	Value string `json:"value"`
	Words string `json:"words"`
}

// The answers.
const (
	Same     = "same" // it is what stood in its place
	New      = "new"
	AsStem   = "stem"
	AsGroup  = "group"
	AsGuide  = "guide"
	AsInput  = "input"
	LeaveOut = "leave"
)

// The keys of questions that are about several tracks.
const (
	askSubmixes = "feeds-mix"
	askFiner    = "feeds-stems"
	askRecorded = "recorded"
	askEmpty    = "empty-audio"
)

// Fresh gives every new thing an ID of its own, whichever track it is of.
func Fresh(mint template.Mint) func(kind string, track template.ID) template.ID {
	return func(kind string, _ template.ID) template.ID { return mint(kind) }
}

// Begin makes a template of a session.
func Begin(s *Session, o Options) (*Reading, error) {
	return Read(template.New(o.Mint("template", ""), clean(s.Name)), s, o)
}

// The tempi that a template's settings can have.
const leastBPM, mostBPM = 4, 999

// Read reads a session against a template: every track that is a row, bus or section of it is found,
// and the template is changed to what the session says of it. What a session cannot say stays as it
// is. Reading one against an empty template makes a template of it. The error says what a template
// cannot be.
func Read(t *template.Template, s *Session, o Options) (*Reading, error) {
	r, err := found(t, s, o)
	if err != nil {
		return nil, err
	}
	if err := r.remove(); err != nil {
		return nil, err
	}
	r.decide()
	for _, step := range []func(){r.sections, r.buses, r.rows, r.routes, r.tints} {
		step()
		r.next = r.next.Clone() // an index of what it was is of no use
	}
	if len(t.Instruments) == 0 && len(s.Tempi) > 0 { // of a template with rows its cues say the tempo
		r.next.Settings.TempoBPM = min(mostBPM, max(leastBPM, math.Round(1000*s.Tempi[0].BPM)/1000))
	}
	if err := r.next.Validate(); err != nil {
		return nil, fmt.Errorf("this session does not make a valid template: %w", err)
	}
	r.out.There = r.next
	r.tell()
	return r.out, nil
}

// found is a session of which is known which track is which row, bus and section.
func found(t *template.Template, s *Session, o Options) (*reader, error) {
	r := &reader{t: t, s: s, o: o, out: &Reading{Found: map[How]int{}}, left: map[string]int{}, of: map[template.ID]*node{}}
	r.laid, r.laidTop = tree(laidOut(t, s.Flat), true)
	r.read, r.readTop = tree(s.Tracks, false)
	tracks := len(ofClass(r.read, rows))
	if tracks > template.MaxInstruments {
		return nil, fmt.Errorf("the session has %d tracks; a template holds %d rows at most", tracks, template.MaxInstruments)
	}
	for _, n := range r.read {
		r.of[n.track.ID] = n
	}
	m := &matcher{laid: r.laid, read: r.read, laidTop: r.laidTop, readTop: r.readTop, flat: s.Flat, answers: o.Answers}
	m.match()
	for _, n := range r.laidTop {
		if n.track.ID == guidesFolder {
			r.guides = n.pair
		}
	}
	return r, nil
}

// laidOut are the tracks of a template; flat are its rows alone, with those that are spare.
func laidOut(t *template.Template, flat bool) []*Track {
	if !flat {
		return Of(t, nil).Tracks
	}
	var out []*Track
	for _, i := range t.ScoreOrder() {
		if i.Kind == template.Sampled || i.Kind == template.Spare {
			out = append(out, &Track{ID: i.ID, Name: i.Name, Kind: Notes, Role: Regular})
		}
	}
	return out
}

type reader struct {
	t                *template.Template
	s                *Session
	o                Options
	laid, read       []*node
	laidTop, readTop []*node
	of               map[template.ID]*node // read, by ID
	guides           *node                 // read: the folder of guides
	next             *template.Template    // what becomes; its lists are its own
	ids              map[*node]template.ID // read: what they are there
	skip             map[*node]bool        // read: they are left out
	kinds            map[*node]string      // read, new: what they become
	missing          []string              // rows of which a MIDI file has no track
	left             map[string]int
	out              *Reading
}

// remove makes what becomes: the template without what the session has no more.
func (r *reader) remove() error {
	var gone []template.ID
	var steps []change.Change
	var dropped []*node
	for _, n := range r.laid {
		if n.pair != nil {
			continue
		}
		switch n.track.class() {
		case rows:
			if r.s.Flat { // which often leaves out tracks without notes
				r.missing = append(r.missing, n.track.Name)
				continue
			}
			gone = append(gone, n.track.ID)
		case buses:
			if n.track.Role != Master {
				steps = append(steps, change.RemoveBus{ID: n.track.ID})
			}
		case folders:
			dropped = append(dropped, n)
		}
	}
	if len(gone) > 0 {
		steps = slices.Insert(steps, 0, change.Change(change.Delete{IDs: gone}))
	}
	// A section stays while it holds something that the session does not know, such as spare rows.
	holds := map[template.ID]bool{}
	hold := func(section template.ID) {
		for _, s := range r.t.Ancestry(section) {
			holds[s.ID] = true
		}
	}
	known := map[template.ID]bool{}
	for _, n := range r.laid {
		known[n.track.ID] = true
		if n.track.class() == rows && n.pair != nil && (n.pair.parent == nil || n.pair.parent == r.guides) {
			hold(r.t.Instrument(n.track.ID).Section) // in no folder, so that it stays where it was
		}
	}
	for _, i := range r.t.Instruments {
		if !known[i.ID] || r.s.Flat {
			hold(i.Section)
		}
	}
	inSession := map[template.ID]bool{}
	for _, n := range r.laid {
		if n.track.Kind == Folder {
			inSession[n.track.ID] = true
		}
	}
	for _, s := range r.t.Sections {
		if !inSession[s.ID] {
			hold(s.ID)
		}
	}
	r.next = r.t
	if len(steps) > 0 {
		after, _, err := change.Apply(r.t, change.Batch{Changes: steps})
		if err != nil {
			return err
		}
		r.next = after
	}
	r.next = r.next.Clone()
	r.next.Sections = slices.Clone(r.next.Sections)
	r.next.Buses = slices.Clone(r.next.Buses)
	r.next.Instruments = slices.Clone(r.next.Instruments)
	for _, b := range r.next.Buses { // nor one whose tint a bus has, or that a rule speaks of
		hold(b.Section)
	}
	for _, x := range r.next.Rules {
		hold(x.Section)
	}
	going := map[template.ID]bool{}
	for _, n := range dropped {
		if n.track.ID != guidesFolder && !holds[n.track.ID] {
			going[n.track.ID] = true
		}
	}
	r.next.Sections = slices.DeleteFunc(r.next.Sections, func(s *template.Section) bool { return going[s.ID] })
	return nil
}

var guideName = regexp.MustCompile(`(?i)\b(dialog(ue)?|dx|sfx|fx|effects|picture|temp|reference|guide|film|video|production sound)\b`)

// decide says what is new becomes, and asks where that is unsure.
func (r *reader) decide() {
	r.ids, r.skip, r.kinds = map[*node]template.ID{}, map[*node]bool{}, map[*node]string{}
	fed := map[template.ID]bool{} // tracks that others go to
	for _, n := range r.read {
		fed[n.track.To] = true
		for _, s := range n.track.Sends {
			fed[s.To] = true
		}
	}
	var submixes, finer, recorded, empty []*node
	masters := 0
	for _, n := range r.read {
		if n.maybe != nil && (n.pair == nil || n.how == ByPlace) {
			chosen := New
			if n.pair != nil {
				chosen = Same
			}
			r.out.Ask = append(r.out.Ask, Question{
				Key: n.track.ID, About: []string{n.track.Name}, Text: fmt.Sprintf("Is %s the row %s, renamed?", n.track.Name, n.maybe.track.Name),
				Options: []Option{{Same, "the same row, renamed"}, {New, "a new row; the other is gone"}}, Chosen: chosen,
			})
		}
		if n.track.Role == Master && n.pair == nil {
			masters++
		}
		if n.pair != nil || n == r.guides {
			continue
		}
		to := r.of[n.track.To]
		switch {
		case n.track.Kind == Audio && (n.parent != nil && template.FoldName(n.parent.track.Name) == template.FoldName(guidesName) || guideName.MatchString(n.track.Name)):
			r.kinds[n] = AsGuide
		case n.track.Kind == Audio && n.track.Recorded:
			recorded = append(recorded, n)
		case n.track.Kind == Audio:
			empty = append(empty, n)
		case n.track.Kind == Sums && n.track.Role == Submix && fed[n.track.ID] && r.feedsMix(n):
			submixes = append(submixes, n)
		case n.track.Kind == Sums && n.track.Role == Submix && fed[n.track.ID] && to != nil && r.feedsMix(to):
			finer = append(finer, n)
		case n.track.Kind == Sums && n.track.Role == Submix:
			r.kinds[n] = AsGroup
		case n.track.Kind == Sums && n.track.Role == Master:
			r.skip[n] = true
		}
	}
	if masters > 0 {
		r.left["further master tracks"] += masters
	}
	r.ask(askSubmixes, submixes, "Tracks that feed the mix (%d): are they stems?", AsStem, Option{AsStem, "stems, which are delivered"}, Option{AsGroup, "groups, which only sum"})
	r.ask(askFiner, finer, "Tracks that feed those (%d): are they stems of a finer fold?", AsGroup, Option{AsGroup, "groups, which only sum"}, Option{AsStem, "stems of a finer fold"})
	r.ask(askRecorded, recorded, "Tracks that hold recordings (%d): what are they?", LeaveOut, Option{LeaveOut, "recorded music; leave them out"}, Option{AsInput, "live inputs"}, Option{AsGuide, "guides: dialogue, effects, picture sound"})
	r.ask(askEmpty, empty, "Empty audio tracks (%d): what are they?", AsInput, Option{AsInput, "live inputs"}, Option{AsGuide, "guides: dialogue, effects, picture sound"}, Option{LeaveOut, "leave them out"})
	for _, n := range r.read {
		if r.kinds[n] == LeaveOut {
			r.skip[n] = true
			r.left["audio tracks"]++
		}
	}
}

// feedsMix tells whether a track is a submix that goes to the mix.
func (r *reader) feedsMix(n *node) bool {
	to := r.of[n.track.To]
	return n.track.Kind == Sums && n.track.Role == Submix && to != nil && to.track.Role == Master
}

// ask asks of several tracks at once.
func (r *reader) ask(key template.ID, list []*node, text, proposed string, options ...Option) {
	if len(list) == 0 {
		return
	}
	q := Question{Key: key, Options: options, Chosen: proposed}
	if said := r.o.Answers[key]; slices.ContainsFunc(options, func(o Option) bool { return o.Value == said }) {
		q.Chosen = said
	}
	for _, n := range list {
		q.About = append(q.About, n.track.Name)
		r.kinds[n] = q.Chosen
	}
	q.Text = fmt.Sprintf(text, len(list))
	r.out.Ask = append(r.out.Ask, q)
}

// clean is a name as a template may have it.
func clean(name string) string {
	name = strings.Map(func(c rune) rune {
		if unicode.IsControl(c) {
			return ' '
		}
		return c
	}, strings.ToValidUTF8(name, "?"))
	letters := []rune(strings.TrimSpace(name))
	if len(letters) > template.MaxName {
		letters = letters[:template.MaxName]
	}
	return cmp.Or(strings.TrimSpace(string(letters)), "Unnamed")
}

// renamed is what something is called now.
func renamed(n *node, was string) string {
	if n.pair != nil && strings.TrimSpace(n.track.Name) == strings.TrimSpace(n.pair.track.Name) {
		return was
	}
	return clean(n.track.Name)
}

// sections puts the folders in place of those sections that a session has.
func (r *reader) sections() {
	if r.s.Flat {
		return
	}
	by := map[template.ID]*template.Section{}
	var was, now []template.ID
	for _, s := range r.next.Sections {
		by[s.ID] = s
		was = append(was, s.ID)
	}
	for _, n := range r.read {
		if n.track.Kind != Folder || n == r.guides {
			continue
		}
		s := &template.Section{}
		if n.pair != nil && by[n.pair.track.ID] != nil {
			c := *by[n.pair.track.ID]
			s = &c
		} else {
			s.ID = r.o.Mint("section", n.track.ID)
		}
		s.Name, s.Parent = renamed(n, s.Name), ""
		if n.parent != nil {
			s.Parent = r.ids[n.parent]
		}
		r.ids[n] = s.ID
		by[s.ID] = s
		now = append(now, s.ID)
	}
	r.next.Sections = r.next.Sections[:0:0]
	for _, id := range merged(was, now) {
		r.next.Sections = append(r.next.Sections, by[id])
	}
	r.next = r.next.Clone()
	for _, n := range r.read {
		if n.track.Kind != Folder || n == r.guides {
			continue
		}
		s := by[r.ids[n]]
		above := "grey"
		if s.Parent != "" {
			above = r.next.TintOf(s.Parent)
		}
		now := s.Tint
		if n.pair == nil && now == "" && s.Parent == "" {
			now = template.TintFor(s.Name)
		}
		if x := r.recoloured(n, cmp.Or(now, above)); x != cmp.Or(now, above) {
			now = x
			if x == above && s.Parent != "" {
				now = ""
			}
		}
		s.Tint = now
	}
}

// merged is the order of now, with what only was in it after what it stood behind.
func merged[T comparable](was, now []T) []T {
	known := make(map[T]bool, len(now))
	for _, x := range now {
		known[x] = true
	}
	var first []T
	after, last, met := map[T][]T{}, *new(T), false
	for _, x := range was {
		switch {
		case known[x]:
			last, met = x, true
		case met:
			after[last] = append(after[last], x)
		default:
			first = append(first, x)
		}
	}
	out := first
	for _, x := range now {
		out = append(append(out, x), after[x]...)
	}
	return out
}

// recoloured is the tint of a track that has another colour than it was given; the nearest that the
// palette has.
func (r *reader) recoloured(n *node, now string) string {
	if n.track.Colour == "" || n.pair != nil && strings.EqualFold(n.track.Colour, n.pair.track.Colour) {
		return now
	}
	rgb, err := colour.FromHex(n.track.Colour)
	if err != nil {
		return now
	}
	p := r.t.ThePalette()
	best, least := now, math.Inf(1)
	for _, x := range p.Tints {
		d := colour.Difference(palette.On(p, x, false).Screen().Lab(), rgb.Lab())
		if d < least || d == least && x.Tint == now {
			best, least = x.Tint, d
		}
	}
	return best
}

// near tells whether two faders stand alike: within a hundredth of a dB.
func near(a, b float64) bool {
	if a == b || a < silent && b < silent {
		return true
	}
	return math.Abs(dsp.DB(a)-dsp.DB(b)) < .01
}

// silent is a gain that is nothing, -100 dB.
const silent = 1e-5

// level is a fader in dB, to the hundredth, within what one goes to.
func level(gain, trimDB float64) float64 {
	db := template.MinGainDB
	if gain > 0 {
		db = math.Round(100*(20*math.Log10(gain)-trimDB)) / 100
	}
	if db == 0 {
		db = 0 // not below nothing
	}
	return min(template.MaxGainDB, max(template.MinGainDB, db))
}

// buses puts the buses of the session in place.
func (r *reader) buses() {
	if r.s.Flat {
		return
	}
	by := map[template.ID]*template.Bus{}
	var was, now []template.ID
	for _, b := range r.next.Buses {
		by[b.ID] = b
		was = append(was, b.ID)
	}
	for _, n := range r.read {
		if n.track.Kind != Sums || r.skip[n] {
			continue
		}
		if n.pair != nil {
			b := by[n.pair.track.ID].Clone()
			b.Name = renamed(n, b.Name)
			if !near(n.track.Gain, n.pair.track.Gain) {
				b.GainDB = level(n.track.Gain, 0)
			}
			if n.track.Mono != n.pair.track.Mono {
				b.Mono = n.track.Mono
			}
			by[b.ID], r.ids[n] = b, b.ID
			continue
		}
		b := &template.Bus{ID: r.o.Mint("bus", n.track.ID), Kind: template.Return, Name: clean(n.track.Name), GainDB: level(n.track.Gain, 0), Mono: n.track.Mono, Routes: []template.Route{}}
		switch r.kinds[n] {
		case AsStem:
			b.Kind, b.Fold = template.Stem, r.foldOf(n)
		case AsGroup:
			b.Kind = template.Group
		}
		by[b.ID], r.ids[n] = b, b.ID
		now = append(now, b.ID)
	}
	r.next.Buses = r.next.Buses[:0:0]
	for _, id := range append(was, now...) {
		r.next.Buses = append(r.next.Buses, by[id])
	}
}

// foldOf is the fold of a new stem: the finest, unless others that feed it are stems as well.
func (r *reader) foldOf(n *node) template.ID {
	for _, x := range r.read {
		if x.track.To == n.track.ID && r.kinds[x] == AsStem {
			return r.next.Folds[len(r.next.Folds)-1].ID
		}
	}
	return r.next.Folds[0].ID
}

// rows puts the rows of the session in place and in order.
func (r *reader) rows() {
	by := make(map[template.ID]*template.Instrument, len(r.next.Instruments))
	var was, now []template.ID
	for _, i := range r.next.ScoreOrder() {
		by[i.ID] = i
		was = append(was, i.ID)
	}
	terms := articulation.NewVocabulary(r.next.Vocabulary)
	for _, n := range r.read {
		if n.track.class() != rows || r.skip[n] {
			continue
		}
		var i *template.Instrument
		if n.pair != nil {
			i = r.row(n, by[n.pair.track.ID].Clone())
			r.out.Found[n.how]++
		} else {
			i = r.newRow(n, terms)
		}
		by[i.ID], r.ids[n] = i, i.ID
		now = append(now, i.ID)
	}
	r.next.Instruments = r.next.Instruments[:0:0]
	for _, id := range merged(was, now) {
		r.next.Instruments = append(r.next.Instruments, by[id])
	}
}

// row is a row as its track has it.
func (r *reader) row(n *node, i *template.Instrument) *template.Instrument {
	i.Name = renamed(n, i.Name)
	if r.s.Flat {
		return i
	}
	if n.parent != nil && n.parent != r.guides {
		i.Section = r.ids[n.parent]
	}
	above := r.next.TintOf(i.Section)
	if x := r.recoloured(n, cmp.Or(i.Colour, above)); x != cmp.Or(i.Colour, above) {
		if i.Colour = x; x == above {
			i.Colour = ""
		}
	}
	if !near(n.track.Gain, n.pair.track.Gain) {
		i.GainDB = level(n.track.Gain, i.LevelTrimDB)
	}
	if !nearPan(n.track.Pan, n.pair.track.Pan) {
		i.Pan = pan(n.track.Pan)
	}
	return i
}

func nearPan(a, b float64) bool { return math.Abs(a-b) < .0005 }

func pan(x float64) float64 { return math.Round(1000*min(1, max(-1, x))) / 1000 }

// newRow is a row that the template does not have.
func (r *reader) newRow(n *node, terms *articulation.Vocabulary) *template.Instrument {
	i := &template.Instrument{
		ID: r.o.Mint("row", n.track.ID), Name: clean(n.track.Name), Kind: template.Sampled, Articulations: []string{}, Patches: []template.ID{}, Routes: []template.Route{},
	}
	switch r.kinds[n] {
	case AsGuide:
		i.Kind = template.Guide
	case AsInput:
		i.Kind = template.Input
	}
	for _, x := range articulation.Phrases(terms, i.Name) {
		if i.Kind == template.Sampled && !slices.Contains(i.Articulations, x.Name) {
			i.Articulations = append(i.Articulations, x.Name)
		}
	}
	if n.parent != nil && n.parent != r.guides && !r.s.Flat {
		i.Section = r.ids[n.parent]
	} else {
		path := "Others"
		if card := sound.ByName(i.Name); i.Kind == template.Guide {
			path = guidesName
		} else if card != nil {
			path = card.Section
		}
		i.Section = r.sectionAt(path)
	}
	if r.s.Flat {
		if mix := r.next.TheMix(); mix != nil && i.Kind != template.Guide {
			i.Routes = []template.Route{{To: mix.ID, Tap: template.Post}}
		}
		return i
	}
	i.GainDB, i.Pan = level(n.track.Gain, 0), pan(n.track.Pan)
	if above := r.next.TintOf(i.Section); n.track.Colour != "" {
		if x := r.recoloured(n, above); x != above {
			i.Colour = x
		}
	}
	return i
}

// sectionAt finds or makes the section of a path.
func (r *reader) sectionAt(path string) template.ID {
	parent := template.ID("")
	for _, name := range strings.Split(path, template.PathSeparator) {
		at := slices.IndexFunc(r.next.Sections, func(s *template.Section) bool {
			return s.Parent == parent && template.FoldName(s.Name) == template.FoldName(name)
		})
		if at >= 0 {
			parent = r.next.Sections[at].ID
			continue
		}
		s := &template.Section{ID: r.o.Mint("section", parent+"/"+template.ID(name)), Parent: parent, Name: name}
		if parent == "" {
			s.Tint = template.TintFor(name)
		}
		r.next.Sections = append(r.next.Sections, s)
		parent = s.ID
	}
	r.next = r.next.Clone()
	return parent
}

// routes takes over where tracks go, once all of them have a place.
func (r *reader) routes() {
	if r.s.Flat {
		return
	}
	rowsAt := make(map[template.ID]int, len(r.next.Instruments))
	for k, i := range r.next.Instruments {
		rowsAt[i.ID] = k
	}
	busesAt := map[template.ID]int{}
	for k, b := range r.next.Buses {
		busesAt[b.ID] = k
	}
	was, trims := r.t.Index().Buses, 0.0
	for _, n := range r.read {
		id, ok := r.ids[n]
		if !ok {
			continue
		}
		switch n.track.class() {
		case rows:
			i := r.next.Instruments[rowsAt[id]]
			var before []template.Route
			if old := r.t.Instrument(id); old != nil {
				before, trims = old.Routes, old.LevelTrimDB
			}
			i.Routes = r.waysOf(n, before, trims)
		case buses:
			b := r.next.Buses[busesAt[id]]
			if b.Kind.Is().Only {
				continue
			}
			var before []template.Route
			if old := was[id]; old != nil {
				before = old.Routes
			}
			b.Routes = r.waysOf(n, before, 0)
		case folders:
		}
		trims = 0
	}
}

// waysOf are the routes of a track: as they were where the session says the same.
func (r *reader) waysOf(n *node, before []template.Route, trimDB float64) []template.Route {
	own := r.ids[n]
	to := r.busOf(n.track.To)
	if to == own && own != "" {
		to = ""
		r.left["buses routed to themselves"]++
	}
	var sends []Send
	for _, s := range n.track.Sends {
		switch s.To = r.busOf(s.To); s.To {
		case "":
			r.left["routes to tracks that are not buses"]++
		case own:
			r.left["buses routed to themselves"]++
		default:
			sends = append(sends, s)
		}
	}
	if n.pair != nil && sameWays(to, sends, n.pair.track) {
		return before
	}
	out := []template.Route{}
	known := r.t.Index().Buses
	has := func(id template.ID) bool {
		return slices.ContainsFunc(out, func(x template.Route) bool { return x.To == id })
	}
	for _, x := range before { // print and speakers lie outside of a session
		if b := known[x.To]; b != nil && roles[b.Kind] == NoRole {
			out = append(out, x)
		}
	}
	earlier := func(to template.ID) *template.Route {
		at := slices.IndexFunc(before, func(x template.Route) bool { return x.To == to })
		if at < 0 {
			return nil
		}
		return &before[at]
	}
	if to != "" {
		x := template.Route{To: to, Tap: template.Post}
		if old := earlier(to); old != nil && n.pair != nil && n.pair.track.To == to {
			x = *old
		}
		out = append(out, x)
	}
	for _, s := range sends {
		if has(s.To) {
			r.left["duplicate routes to one bus"]++
			continue
		}
		x := template.Route{To: s.To, Tap: template.Post, GainDB: level(s.Gain, 0)}
		if s.Pre {
			x.Tap, x.GainDB = template.Pre, level(s.Gain, trimDB)
		}
		if old := earlier(s.To); old != nil && n.pair != nil && slices.ContainsFunc(n.pair.track.Sends, func(o Send) bool { return sameSend(o, s) }) {
			x = *old
		}
		out = append(out, x)
	}
	return template.SortRoutes(out)
}

// tints gives new buses the tint of the section that all which feeds them lies in.
func (r *reader) tints() {
	fresh := map[template.ID]*template.Bus{}
	for _, n := range r.read {
		if n.track.Kind == Sums && n.pair == nil && r.ids[n] != "" {
			fresh[r.ids[n]] = r.next.Index().Buses[r.ids[n]]
		}
	}
	type home struct{ path []template.ID } // what all of it has in common, from the top
	homes := map[template.ID]*home{}
	enters := func(bus template.ID, path []template.ID) {
		h := homes[bus]
		if h == nil {
			homes[bus] = &home{path: path}
			return
		}
		n := 0
		for n < min(len(h.path), len(path)) && h.path[n] == path[n] {
			n++
		}
		h.path = h.path[:n]
	}
	pathOf := func(section template.ID) (out []template.ID) {
		for _, s := range r.next.Ancestry(section) {
			out = slices.Insert(out, 0, s.ID)
		}
		return out
	}
	for _, i := range r.next.Instruments {
		for _, x := range i.Routes {
			enters(x.To, pathOf(i.Section))
		}
	}
	for _, x := range fan.New(r.next).Flow() {
		if h := homes[r.next.Buses[x.Bus].ID]; h != nil {
			for _, o := range x.To {
				enters(r.next.Buses[o.Bus].ID, h.path)
			}
		}
	}
	for id, b := range fresh {
		if h := homes[id]; h != nil && len(h.path) > 0 && b.Kind != template.Return {
			b.Section = h.path[len(h.path)-1]
		}
	}
}

// busOf is the bus that a track of the session is.
func (r *reader) busOf(track template.ID) template.ID {
	if n := r.of[track]; n != nil && n.track.Kind == Sums {
		return r.ids[n]
	}
	return ""
}

func sameSend(a, b Send) bool { return a.To == b.To && a.Pre == b.Pre && near(a.Gain, b.Gain) }

// sameWays tells whether a track goes where it was laid to go. Where it goes after its fader, as loud
// as it is, is the same by whichever name a session has it: as its output or as a send.
func sameWays(to template.ID, sends []Send, laid *Track) bool {
	ways := func(to template.ID, sends []Send) []Send {
		sends = slices.Clone(sends)
		if to != "" {
			sends = append(sends, Send{To: to, Gain: 1})
		}
		slices.SortStableFunc(sends, func(x, y Send) int { return cmp.Compare(x.To, y.To) })
		return sends
	}
	return slices.EqualFunc(ways(to, sends), ways(laid.To, laid.Sends), sameSend)
}

// mostNamed is how many rows are named in one line.
const mostNamed = 5

// tell says what is not taken over.
func (r *reader) tell() {
	r.out.Left = slices.Clone(r.s.WithoutNotes().Left)
	var own []string
	for what, n := range r.left {
		own = append(own, fmt.Sprintf("%s (%d)", what, n))
	}
	slices.Sort(own)
	r.out.Left = append(r.out.Left, own...)
	if n := len(r.missing); n > 0 {
		some := r.missing[:min(n, mostNamed)]
		text := fmt.Sprintf("rows with no track in the file, since MIDI files often leave out empty tracks (%d): %s", n, strings.Join(some, ", "))
		if n > len(some) {
			text += fmt.Sprintf(", and %d more", n-len(some))
		}
		r.out.Left = append(r.out.Left, text)
	}
}
