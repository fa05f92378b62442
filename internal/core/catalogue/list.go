package catalogue

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/note"
	"fanfold/internal/core/template"
)

// entry is one row of a patch list: a patch and the library and player it
// names.
type entry struct {
	library template.Library
	player  template.Player
	patch   template.Patch
	middleC int
	decimal intake.Decimal
	unit    string // of the column that is read
}

// column is one column of a patch list, written and read by the same value.
type column struct {
	name string
	get  func(e *entry) string
	set  func(e *entry, cell string) error
}

// size tells whether the column holds sizes.
func (c *column) size() bool { return strings.HasSuffix(c.name, "_mib") }

func textColumn(name string, field func(*entry) *string) column {
	return column{name,
		func(e *entry) string { return *field(e) },
		func(e *entry, cell string) error { *field(e) = cell; return nil }}
}

func wholeColumn(name string, high int, field func(*entry) *int) column {
	return column{name,
		func(e *entry) string { return strconv.Itoa(*field(e)) },
		func(e *entry, cell string) error {
			n, err := strconv.Atoi(cell)
			if err != nil || n < 0 || n > high {
				return fmt.Errorf("%q is not a whole number from 0 to %d", cell, high)
			}
			*field(e) = n
			return nil
		}}
}

// source is that of the patch, or an empty one.
func (e *entry) source() template.Source {
	if e.patch.Source == nil {
		return template.Source{}
	}
	return *e.patch.Source
}

func presetColumn(name string, field func(*template.Source) *int) column {
	number := wholeColumn(name, math.MaxUint16, func(e *entry) *int { return field(e.patch.Source) })
	return column{name,
		func(e *entry) string {
			if e.patch.Source == nil {
				return ""
			}
			return number.get(e)
		}, number.set}
}

func mibColumn(name string, field func(*entry) *float64) column {
	return column{name,
		func(e *entry) string { return strconv.FormatFloat(*field(e), 'f', -1, 64) },
		func(e *entry, cell string) error {
			x, err := intake.MiB(cell, e.decimal, e.unit, 1<<24)
			if err == nil {
				*field(e) = x
			}
			return err
		}}
}

func keyColumn(name string, field func(*entry) *int) column {
	return column{name,
		func(e *entry) string { return strconv.Itoa(*field(e)) },
		func(e *entry, cell string) error {
			n, err := note.Parse(cell, e.middleC)
			if err != nil || n < 0 || n > 127 {
				return fmt.Errorf("%q is not a key; write a MIDI note 0 to 127 or a name such as C%d", cell, e.middleC)
			}
			*field(e) = n
			return nil
		}}
}

func listColumn(name string, field func(*entry) *[]string) column {
	return column{name,
		func(e *entry) string { return strings.Join(*field(e), "; ") },
		func(e *entry, cell string) error { *field(e) = intake.Split(cell); return nil }}
}

func yesColumn(name string, field func(*entry) *bool) column {
	return column{name,
		func(e *entry) string { return map[bool]string{true: "yes", false: "no"}[*field(e)] },
		func(e *entry, cell string) error {
			switch strings.ToLower(cell) {
			case "yes", "y", "true", "1", "x":
				*field(e) = true
			case "no", "n", "false", "0":
				*field(e) = false
			default:
				return fmt.Errorf("%q is neither yes nor no", cell)
			}
			return nil
		}}
}

// columns of a patch list, in the order they are written.
var columns = []column{
	textColumn("library", func(e *entry) *string { return &e.library.Name }),
	textColumn("code", func(e *entry) *string { return &e.library.Code }),
	textColumn("family", func(e *entry) *string { return &e.library.Family }),
	{"room",
		func(e *entry) string { return string(e.library.Room) },
		func(e *entry, cell string) error {
			room := template.Room(strings.ToLower(cell))
			if !slices.Contains(template.Rooms, room) {
				return fmt.Errorf("%q is not a room; use dry, stage or hall", cell)
			}
			e.library.Room = room
			return nil
		}},
	listColumn("machines", func(e *entry) *[]string { return &e.library.Machines }),
	textColumn("player", func(e *entry) *string { return &e.player.Name }),
	wholeColumn("player_sounds", template.PortChannels, func(e *entry) *int { return &e.player.Sounds }),
	wholeColumn("player_outputs", 64, func(e *entry) *int { return &e.player.Outputs }),
	mibColumn("player_own_mib", func(e *entry) *float64 { return &e.player.OwnMiB }),
	wholeColumn("player_wake_ms", 3_600_000, func(e *entry) *int { return &e.player.WakeMs }),
	wholeColumn("player_wake_again_ms", 3_600_000, func(e *entry) *int { return &e.player.WakeAgainMs }),
	wholeColumn("player_order", 1_000_000, func(e *entry) *int { return &e.player.Order }),
	wholeColumn("player_banks", 128, func(e *entry) *int { return &e.player.Banks }),
	textColumn("patch", func(e *entry) *string { return &e.patch.Name }),
	textColumn("sound", func(e *entry) *string { return &e.patch.Sound }),
	listColumn("roles", func(e *entry) *[]string { return &e.patch.Roles }),
	keyColumn("key_low", func(e *entry) *int { return &e.patch.KeyLow }),
	keyColumn("key_high", func(e *entry) *int { return &e.patch.KeyHigh }),
	{"switch_zone",
		func(e *entry) string {
			if e.patch.SwitchZone == nil {
				return ""
			}
			return fmt.Sprintf("%d to %d", e.patch.SwitchZone.Low, e.patch.SwitchZone.High)
		},
		func(e *entry, cell string) error {
			low, high, _ := strings.Cut(cell, " to ")
			a, errA := note.Parse(strings.TrimSpace(low), e.middleC)
			b, errB := note.Parse(strings.TrimSpace(high), e.middleC)
			if errA != nil || errB != nil {
				return fmt.Errorf("%q is not a run of keys; write as in 24 to 35", cell)
			}
			e.patch.SwitchZone = &template.KeyZone{Low: a, High: b}
			return nil
		}},
	{"file",
		func(e *entry) string { return e.source().File },
		func(e *entry, cell string) error { e.patch.Source.File = cell; return nil }},
	presetColumn("bank", func(s *template.Source) *int { return &s.Bank }),
	presetColumn("programme", func(s *template.Source) *int { return &s.Programme }),
	mibColumn("preload_mib", func(e *entry) *float64 { return &e.patch.PreloadMiB }),
	mibColumn("full_mib", func(e *entry) *float64 { return &e.patch.FullMiB }),
	wholeColumn("voices", 4096, func(e *entry) *int { return &e.patch.Voices }),
	wholeColumn("voices_per_note", 1024, func(e *entry) *int { return &e.patch.PerNote }),
	wholeColumn("round_robins", 1024, func(e *entry) *int { return &e.patch.RoundRobins }),
	yesColumn("heavy", func(e *entry) *bool { return &e.patch.Heavy }),
	yesColumn("measured", func(e *entry) *bool { return &e.patch.Measured }),
	{"dynamics",
		func(e *entry) string { return string(e.patch.Dynamics) },
		func(e *entry, cell string) error {
			d := template.Dynamics(strings.ToLower(cell))
			if !slices.Contains(template.AllDynamics, d) {
				return fmt.Errorf("%q is not a kind of dynamics; use none, velocity, controller, velocity+controller, controller+velocity, expression or volume", cell)
			}
			e.patch.Dynamics = d
			return nil
		}},
	{"microphones",
		func(e *entry) string {
			out := make([]string, len(e.patch.Mics))
			for n, m := range e.patch.Mics {
				out[n] = fmt.Sprintf("%s %g/%g", m.Name, m.PreloadMiB, m.FullMiB)
				if m.Off {
					out[n] += " off"
				}
			}
			return strings.Join(out, "; ")
		},
		func(e *entry, cell string) error {
			e.patch.Mics = nil
			for _, text := range intake.Split(cell) {
				m := template.Mic{}
				rest, off := strings.CutSuffix(text, " off")
				n := strings.LastIndex(rest, " ")
				if n < 0 {
					return fmt.Errorf("%q is not a microphone; write as in close 120/900", text)
				}
				m.Name, m.Off = rest[:n], off
				if _, err := fmt.Sscanf(rest[n+1:], "%g/%g", &m.PreloadMiB, &m.FullMiB); err != nil {
					return fmt.Errorf("%q is not a microphone; write as in close 120/900", text)
				}
				e.patch.Mics = append(e.patch.Mics, m)
			}
			return nil
		}},
	{"articulations",
		func(e *entry) string { return articulation.WriteMap(e.patch.Map) },
		func(e *entry, cell string) (err error) {
			e.patch.Map, err = articulation.ReadMap(cell, e.middleC)
			return err
		}},
}

// Columns names the columns of a patch list.
func Columns() []string {
	out := make([]string, len(columns))
	for n, c := range columns {
		out[n] = c.name
	}
	return out
}

// Rows writes the catalogue as a patch list: a row for each patch.
func Rows(cat *template.Template) [][]string {
	x := cat.Index()
	out := make([][]string, len(cat.Patches))
	for n, p := range cat.Patches {
		e := &entry{library: *x.Libraries[p.Library], player: *x.Players[p.Player], patch: *p}
		for _, c := range columns {
			out[n] = append(out[n], c.get(e))
		}
	}
	return out
}

// Line is a line of a patch list.
type Line struct {
	Number int // in the file
	Cells  []string
}

// Listed is the change that takes a patch list into the catalogue: patches
// known by library and name get what the list says, others are made. A line
// with a problem is left out whole; a cell left empty says nothing.
//
// Sizes that may be read in two ways are Taken.Unsure: nothing is taken until somebody
// has said which.
func Listed(cat *template.Template, headings []string, lines []Line, how intake.Reading, mint Mint) (change.Change, Taken, []intake.Problem) {
	l := &lister{k: newKnown(cat), named: intake.NewNamed(cat, mint), put: map[template.ID]*listed{}, libraries: map[template.ID]*template.Library{}, players: map[template.ID]*template.Player{}, mint: mint, how: how}
	l.how.MiddleC = cmp.Or(how.MiddleC, note.Scientific)
	problems := l.match(headings)
	if how.Decimal == intake.Unsaid {
		mark, unsure := intake.Amounts(l.sizes(lines))
		if l.sum.Unsure = intake.NewDoubt(unsure); l.sum.Unsure != nil {
			return change.Batch{}, l.sum, problems
		}
		l.how.Decimal = mark
	}
	for _, line := range lines {
		if found := l.line(line); len(found) > 0 {
			problems = append(problems, found...)
		}
	}
	put := l.named.Put()
	put.Players = slices.DeleteFunc(put.Players, func(e change.Entry[template.Player]) bool { return l.players[e.Value.ID] != nil })
	put.Libraries = slices.DeleteFunc(put.Libraries, func(e change.Entry[template.Library]) bool { return l.libraries[e.Value.ID] != nil })
	for _, id := range l.order {
		if lib := l.libraries[id]; lib != nil {
			put.Libraries = append(put.Libraries, change.Append(lib))
		} else if player := l.players[id]; player != nil {
			put.Players = append(put.Players, change.Append(player))
		}
	}
	put.Patches = append(put.Patches, l.patches()...)
	return change.Batch{Label: fmt.Sprintf("Bring in %d patches", l.sum.Added+l.sum.Updated), Changes: []change.Change{put}}, l.sum, problems
}

type lister struct {
	k         *known
	named     *intake.Named
	columns   []*column // of each heading; nil when nobody reads it
	put       map[template.ID]*listed
	libraries map[template.ID]*template.Library
	players   map[template.ID]*template.Player
	order     []template.ID
	sum       Taken
	mint      Mint
	how       intake.Reading
	units     []string // of each heading
}

// sizes are the cells of the columns of sizes.
func (l *lister) sizes(lines []Line) []string {
	var out []string
	for n, c := range l.columns {
		if c == nil || !c.size() {
			continue
		}
		for _, line := range lines {
			if n < len(line.Cells) {
				out = append(out, line.Cells[n])
			}
		}
	}
	return out
}

// columnOf is the column that a heading means, and the unit it names; nil for none.
func columnOf(heading string) (*column, string) {
	name, unit := intake.Unit(heading)
	key, sized := strings.ReplaceAll(template.FoldName(heading), " ", "_"), strings.ReplaceAll(template.FoldName(name), " ", "_")+"_mib"
	n := slices.IndexFunc(columns, func(c column) bool { return c.name == key || c.size() && unit != "" && c.name == sized })
	if n < 0 {
		return nil, unit
	}
	return &columns[n], unit
}

// IsColumn tells whether a heading means a column of a patch list.
func IsColumn(heading string) bool {
	c, _ := columnOf(heading)
	return c != nil
}

func (l *lister) match(headings []string) []intake.Problem {
	has := map[string]bool{}
	for _, h := range headings {
		c, unit := columnOf(h)
		l.units = append(l.units, unit)
		if c == nil || has[c.name] {
			l.columns = append(l.columns, nil)
			continue
		}
		has[c.name] = true
		l.columns = append(l.columns, c)
	}
	var out []intake.Problem
	for _, needed := range []string{"library", "patch"} {
		if !has[needed] {
			out = append(out, intake.Problem{Line: 1, Column: needed, Reason: "no column is headed " + needed})
		}
	}
	return out
}

func (l *lister) line(line Line) []intake.Problem {
	e := &entry{middleC: l.how.MiddleC, decimal: l.how.Decimal, patch: template.Patch{PreloadMiB: intake.StandardDefaults().PreloadMiB, KeyHigh: 127}}
	cell := func(name string) string {
		for n, c := range l.columns {
			if c != nil && c.name == name && n < len(line.Cells) {
				return strings.TrimSpace(line.Cells[n])
			}
		}
		return ""
	}
	problem := func(column, reason string) []intake.Problem {
		return []intake.Problem{{Line: line.Number, Column: column, Reason: reason}}
	}
	for _, column := range []string{"library", "patch"} {
		if err := template.CheckName(cell(column)); err != nil {
			return problem(column, err.Error())
		}
	}
	library, err := l.named.Library(cell("library"))
	if err != nil {
		return problem("library", err.Error())
	}
	e.library = *library
	if known := l.libraries[library.ID]; known != nil {
		e.library = *known
	}
	source, reason := sourceOf(cell)
	if reason != "" {
		return problem("file", reason)
	}
	there := l.k.patches.Find(library.ID, cell("patch"), source)
	if there != nil {
		e.patch = *there
	}
	if source == nil {
		source = e.patch.Source
	}
	e.patch.Source = &template.Source{} // the columns write into one of its own
	if source != nil {
		*e.patch.Source = *source
	}
	player, err := l.player(cell("player"), there)
	if err != nil {
		return problem("player", err.Error())
	}
	e.player = *player
	if known := l.players[player.ID]; known != nil {
		e.player = *known
	}
	said := map[string]bool{}
	name, playerName := e.library.Name, e.player.Name
	for n, c := range l.columns {
		if c == nil || n >= len(line.Cells) || strings.TrimSpace(line.Cells[n]) == "" {
			continue
		}
		said[c.name] = true
		e.unit = l.units[n]
		if err := c.set(e, strings.TrimSpace(line.Cells[n])); err != nil {
			return problem(c.name, err.Error())
		}
	}
	e.library.Name, e.player.Name = name, playerName
	e.patch.Library, e.patch.Player = library.ID, player.ID
	if e.patch.Source.File == "" {
		e.patch.Source = nil
	}
	e.patch.Guessed = (there == nil || there.Guessed) && !said["preload_mib"]
	if there == nil {
		e.patch.Name = l.k.patches.Free(library.ID, e.patch.Name, e.patch.Source)
	}
	if before := l.put[e.patch.ID]; before != nil && there != nil {
		if l.again(line.Number, e, before, said) {
			player = before.player
			e.player, e.patch.Player = *player, player.ID
		}
	}
	if err := template.CheckPatch(&e.patch); err != nil {
		return problem("", err.Error())
	}
	if e.player.Sounds < 1 || e.player.Outputs < 1 {
		return problem("player_sounds", "a player holds one sound and feeds one output pair at least")
	}
	l.keep(e, library, player, there, said)
	return nil
}

// player finds the player a line names; without one, what the patch had.
func (l *lister) player(name string, there *template.Patch) (*template.Player, error) {
	if name == "" {
		if there != nil && l.k.index.Players[there.Player] != nil {
			return l.k.index.Players[there.Player], nil
		}
		return l.named.Player(), nil
	}
	if err := template.CheckName(name); err != nil {
		return nil, err
	}
	return l.named.PlayerNamed(name), nil
}

// keep notes a good line.
func (l *lister) keep(e *entry, library *template.Library, player *template.Player, there *template.Patch, said map[string]bool) {
	if differs(&e.player, player) || l.players[player.ID] != nil {
		if l.players[player.ID] == nil {
			l.order = append(l.order, player.ID)
		}
		p := e.player
		l.players[player.ID] = &p
	}
	if differs(&e.library, library) || l.libraries[library.ID] != nil {
		if l.libraries[library.ID] == nil {
			l.order = append(l.order, library.ID)
		}
		lib := e.library
		l.libraries[library.ID] = &lib
	}
	p := e.patch
	if there == nil {
		p.ID = l.mint("patch")
	}
	m := l.put[p.ID]
	if m == nil {
		m = &listed{was: there, said: map[string]bool{}}
		l.put[p.ID] = m
		l.order = append(l.order, p.ID)
	}
	m.now, m.player = &p, player
	for name := range said {
		m.said[name] = true
	}
	l.k.patches.Know(&p)
}

// listed is a patch that lines of the list name.
type listed struct {
	was    *template.Patch // in the catalogue; nil for a new one
	now    *template.Patch
	player *template.Player
	said   map[string]bool // the columns that lines have said
}

// patches are those that come of the list; it counts them.
func (l *lister) patches() (out []change.Entry[template.Patch]) {
	for _, id := range l.order {
		m := l.put[id]
		switch {
		case m == nil:
			continue
		case m.was == nil:
			l.sum.Added++
		case differs(m.now, m.was):
			l.sum.Updated++
		default:
			l.sum.Same++
			continue
		}
		out = append(out, change.Append(m.now))
	}
	return out
}

// sourceOf is the file a line names, nil for none.
func sourceOf(cell func(string) string) (*template.Source, string) {
	s := &template.Source{File: cell("file")}
	for _, c := range []struct {
		name string
		to   *int
	}{{"bank", &s.Bank}, {"programme", &s.Programme}} {
		text := cell(c.name)
		n, err := strconv.Atoi(text)
		switch {
		case text == "":
		case s.File == "":
			return nil, "a bank or programme belongs to a file; name the file"
		case err != nil || n < 0 || n > math.MaxUint16:
			return nil, fmt.Sprintf("%q is not a %s, 0 to %d", text, c.name, math.MaxUint16)
		default:
			*c.to = n
		}
	}
	if s.File == "" {
		return nil, ""
	}
	return s, ""
}

// again settles a patch that a line before has named: of two sizes and numbers of
// voices the larger is taken, of two ranges the wider; of the rest the first stays.
// What differs is told. samePlayer tells that another player was named, and is not taken.
func (l *lister) again(line int, e *entry, before *listed, said map[string]bool) (samePlayer bool) {
	first := &entry{library: e.library, player: *before.player, patch: *before.now}
	var told []string
	for _, c := range columns {
		a, b := c.get(first), c.get(e)
		if a == b || !said[c.name] || !before.said[c.name] || !ofPatch(c.name) {
			continue
		}
		told = append(told, fmt.Sprintf("%s %s and %s", c.name, a, b))
		if !wider(c.name, first, e) {
			_ = c.set(e, a) // what it wrote itself, it reads
			samePlayer = samePlayer || c.name == "player"
		}
	}
	if len(told) > 0 {
		l.sum.Told = append(l.sum.Told, intake.Problem{Line: line, Column: "patch", Reason: fmt.Sprintf(
			"%s: an earlier line disagrees (%s); the larger size and the wider range are taken, and otherwise the earlier line", before.now.Name, strings.Join(told, "; "))})
	}
	return samePlayer
}

// ofPatch tells whether a column says something of a patch, and not of its library or player.
func ofPatch(name string) bool {
	at := func(name string) int {
		return slices.IndexFunc(columns, func(c column) bool { return c.name == name })
	}
	return name == "player" || at(name) > at("patch")
}

// wider tells whether the later entry takes more room than the first, or reaches further.
func wider(name string, first, later *entry) bool {
	a, b := &first.patch, &later.patch
	switch name {
	case "preload_mib":
		return b.PreloadMiB > a.PreloadMiB
	case "full_mib":
		return b.FullMiB > a.FullMiB
	case "voices":
		return b.Voices > a.Voices
	case "voices_per_note":
		return b.PerNote > a.PerNote
	case "key_low":
		return b.KeyLow < a.KeyLow
	case "key_high":
		return b.KeyHigh > a.KeyHigh
	}
	return false
}
