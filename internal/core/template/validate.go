package template

import (
	"fmt"
	"math"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// MaxInstruments bounds a template.
const MaxInstruments = 50_000

// MaxName is the longest name, in characters; MaxNotes the longest note; MaxFile the longest path.
const (
	MaxName  = 200
	MaxFile  = 4096 // of a path, bytes
	MaxNotes = 4000
)

// Invalid is the error of a template that breaks an invariant: which part,
// and what is wrong with it.
type Invalid struct {
	Path   string // where, as a JSON path: "instruments[3].routes[0].to"
	Reason string
}

func (e *Invalid) Error() string { return e.Path + ": " + e.Reason }

// Validate checks every invariant of the template: IDs are there and unique,
// every reference points at something, the section tree has no cycle, there
// is exactly one mix, and figures lie in their ranges. What merely is unwise
// (an unseated instrument, a cycle of buses) is for the proof, not for here.
// The error is an *Invalid.
func (t *Template) Validate() error {
	v := &validator{t: t, x: t.Index(), seen: make(map[ID]struct{}, len(t.Instruments)+len(t.Patches)+256)}
	for _, p := range parts {
		p.check(v)
	}
	if v.err != nil {
		return v.err
	}
	return nil
}

// parts are what is checked, in this order, and the lists whose changes may break
// it.
var parts = []struct {
	check func(*validator)
	lists []List
}{
	{(*validator).settings, []List{TheSettings}},
	{(*validator).sections, []List{Sections}},
	{(*validator).tints, []List{TheSettings, Sections}},
	{(*validator).buses, []List{Folds, Buses}},
	{(*validator).catalogue, []List{Libraries, Players, Patches}},
	{(*validator).machines, []List{Machines}},
	{(*validator).instruments, nil}, // an edit checks its rows one by one
	{(*validator).calls, []List{Calls}},
	{(*validator).vocabulary, []List{Vocabulary}},
	{(*validator).castings, []List{Castings, Libraries, Patches}},
	{(*validator).sightlines, []List{Sightlines}},
	{(*validator).rules, []List{Rules, Buses, Sections, Libraries}},
	{(*validator).returnSets, []List{ReturnSets, Buses, Sections}},
}

// Parts says which parts of an edited template may be different from before.
type Parts struct {
	Rows  []int         // positions of instruments that are changed
	New   []int         // positions of instruments that are new
	Lists map[List]bool // lists in which something was added or replaced
}

// ValidateParts checks only the given parts, for an edit of a valid template
// that took nothing away but instruments. The error is an *Invalid.
func (t *Template) ValidateParts(p Parts) error {
	v := &validator{t: t, x: t.Index(), seen: map[ID]struct{}{}}
	for _, part := range parts {
		if slices.ContainsFunc(part.lists, func(l List) bool { return p.Lists[l] }) {
			part.check(v)
		}
	}
	for id := range v.seen {
		if v.x.uses(id) > 1 {
			v.fail("id", "id %q is used twice", id)
		}
	}
	for _, n := range p.New {
		v.idOnce(n)
		v.instrument(n, t.Instruments[n])
	}
	for _, n := range p.Rows {
		v.instrument(n, t.Instruments[n])
	}
	if len(t.Instruments) > MaxInstruments {
		v.tooMany()
	}
	if v.err != nil {
		return v.err
	}
	return nil
}

// idOnce checks that no other thing has the ID of a row.
func (v *validator) idOnce(n int) {
	id := v.t.Instruments[n].ID
	if id == "" || len(id) > 64 {
		v.fail(at("instruments", n, "id"), "an id has 1 to 64 characters")
	} else if v.x.Place[id] != n || v.x.uses(id) > 1 {
		v.fail(at("instruments", n, "id"), "id %q is used twice", id)
	}
}

// uses counts the nouns that have an ID.
func (x *Index) uses(id ID) int {
	n := 0
	if _, ok := x.Place[id]; ok {
		n++
	}
	for _, there := range []bool{
		x.Sections[id] != nil, x.Buses[id] != nil, x.Folds[id] != nil, x.Libraries[id] != nil,
		x.Players[id] != nil, x.Patches[id] != nil, x.Machines[id] != nil, x.Calls[id] != nil, x.Terms[id] != nil, x.Castings[id] != nil,
	} {
		if there {
			n++
		}
	}
	return n
}

type validator struct {
	t    *Template
	x    *Index
	seen map[ID]struct{}
	err  *Invalid // the first one found
}

func (v *validator) fail(path, reason string, args ...any) {
	if v.err == nil {
		v.err = &Invalid{Path: path, Reason: fmt.Sprintf(reason, args...)}
	}
}

func at(list string, i int, field string) string { return fmt.Sprintf("%s[%d].%s", list, i, field) }

// atIn is the path of an entry of a list within an entry.
func atIn(list string, i int, inner string, n int) string {
	return at(list, i, fmt.Sprintf("%s[%d]", inner, n))
}

func (v *validator) id(list string, i int, id ID) {
	if id == "" || len(id) > 64 {
		v.fail(at(list, i, "id"), "an id has 1 to 64 characters")
		return
	}
	if _, ok := v.seen[id]; ok {
		v.fail(at(list, i, "id"), "id %q is used twice", id)
	}
	v.seen[id] = struct{}{}
}

func (v *validator) name(list string, i int, name string) {
	if err := CheckName(name); err != nil {
		v.fail(at(list, i, "name"), "%s", err.Error())
	}
}

// CheckName tells what is wrong with a name: it must have 1 to MaxName
// characters, be valid UTF-8, and hold no control characters.
func CheckName(name string) error {
	switch {
	case strings.TrimSpace(name) == "":
		return fmt.Errorf("the name is empty")
	case !utf8.ValidString(name):
		return fmt.Errorf("the name is not UTF-8")
	case len(name) > MaxName && utf8.RuneCountInString(name) > MaxName:
		return fmt.Errorf("the name is longer than %d characters", MaxName)
	case strings.ContainsFunc(name, func(r rune) bool { return r < ' ' || r == 0x7f }):
		return fmt.Errorf("the name holds a control character")
	}
	return nil
}

func (v *validator) ranged(list string, i int, field string, x, low, high float64, unit string) {
	if math.IsNaN(x) || x < low || x > high {
		v.fail(at(list, i, field), "%s%s is outside %s to %s%s", figure(x), unit, figure(low), figure(high), unit)
	}
}

// figure writes a number without an exponent.
func figure(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

func (v *validator) setting(field string, x, low, high float64) {
	if math.IsNaN(x) || x < low || x > high {
		v.fail("settings."+field, "%g is outside %g to %g", x, low, high)
	}
}

func (v *validator) settings() {
	s := v.t.Settings
	for _, r := range []struct {
		field     string
		x         float64
		low, high float64
	}{
		{"about", float64(utf8.RuneCountInString(s.About)), 0, MaxAbout}, // letters
		{"riserPorts", float64(s.RiserPorts), 1, MaxPorts},
		{"riserPairs", float64(s.RiserPairs), 1, MaxPairs},
		{"firstPair", float64(s.FirstPair), 1, float64(s.RiserPairs)},
		{"coreShare", s.CoreShare, 0.01, 1},
		{"minRiserCores", float64(s.MinRiserCores), 1, 1024},
		{"tempoBpm", s.TempoBPM, 4, 999},
		{"cueBar", float64(s.CueBar), 1, 64},
		{"spareRows", float64(s.SpareRows), 0, MaxSpareRows},
		{"spareShare", s.SpareShare, 0, 1},
		{"latestMs", s.LatestMs, 0, MaxLatestMs},
	} {
		v.setting(r.field, r.x, r.low, r.high)
	}
	if s.RemotePort != 0 {
		v.setting("remotePort", float64(s.RemotePort), 1024, 65535)
	}
	if s.Stage != nil {
		v.stage(s.Stage)
	}
	v.deliver()
	v.seating()
	v.names()
	v.palettes()
	v.setting("quiet", float64(len(s.Quiet)), 0, MaxQuiet)
	for _, q := range s.Quiet {
		if len(q) > MaxNotes {
			v.fail("settings.quiet", "a finding's key is longer than %d bytes", MaxNotes)
		}
	}
	if len(s.Orchestra) > MaxNotes {
		v.fail("settings.orchestra", "the orchestra is longer than %d bytes", MaxNotes)
	}
	if err := CheckMap(s.Hand); err != nil {
		v.fail("settings.hand", "%s", err)
	}
	if s.MemoryRule != FitEverything && s.MemoryRule != FitCalls {
		v.fail("settings.memoryRule", "%q is neither %q nor %q", s.MemoryRule, FitEverything, FitCalls)
	}
	if s.MiddleC != 0 && (s.MiddleC < 3 || s.MiddleC > 5) {
		v.fail("settings.middleC", "middle C is named C3, C4 or C5, not C%d", s.MiddleC)
	}
	v.upbeat("settings", s.Upbeat)
	if err := CheckName(v.t.Name); err != nil {
		v.fail("name", "%s", err.Error())
	}
}

func (v *validator) sections() {
	for i, s := range v.t.Sections {
		v.id("sections", i, s.ID)
		v.name("sections", i, s.Name)
		if s.Parent != "" && v.x.Sections[s.Parent] == nil {
			v.fail(at("sections", i, "parent"), "no section has the id %q", s.Parent)
		}
		depth := 0
		for p := s; p != nil && p.Parent != ""; p = v.x.Sections[p.Parent] {
			if depth++; depth >= MaxSectionDepth {
				v.fail(at("sections", i, "parent"), "section %q lies in itself or deeper than %d levels", s.Name, MaxSectionDepth)
				return
			}
		}
	}
}

func (v *validator) buses() {
	count, numbers := map[BusKind]int{}, map[int]string{}
	for i, f := range v.t.Folds {
		v.id("folds", i, f.ID)
		v.name("folds", i, f.Name)
	}
	for i, b := range v.t.Buses {
		v.id("buses", i, b.ID)
		v.name("buses", i, b.Name)
		if b.Kind.Is() == noType {
			v.fail(at("buses", i, "kind"), "%q is not a kind of bus", b.Kind)
		}
		count[b.Kind]++
		if b.Kind.Is().Stem && v.x.Folds[b.Fold] == nil {
			v.fail(at("buses", i, "fold"), "stem %q belongs to no fold", b.Name)
		}
		if !b.Kind.Is().Stem && b.Fold != "" {
			v.fail(at("buses", i, "fold"), "only stems belong to a fold")
		}
		if b.Section != "" && v.x.Sections[b.Section] == nil {
			v.fail(at("buses", i, "section"), "no section has the id %q", b.Section)
		}
		v.ranged("buses", i, "gainDb", b.GainDB, MinGainDB, MaxGainDB, " dB")
		v.delivered(i, b, numbers)
		v.effects(at("buses", i, "runs"), b.Runs, b.Kind.Is().Only)
		if is := b.Kind.Is(); len(b.Runs) > 0 && is.Beyond && !is.Only {
			v.fail(at("buses", i, "runs"), "nothing runs on %s", is.Many)
		}
		v.routes("buses", i, b.ID, b.Routes)
	}
	for _, is := range BusTypes {
		if is.Only && count[is.Kind] != 1 {
			v.fail("buses", "a template has exactly one %s, this one has %d", is.Words, count[is.Kind])
		}
	}
}

func (v *validator) routes(list string, i int, from ID, routes []Route) {
	for n, r := range routes {
		switch {
		case v.x.Buses[r.To] == nil:
			v.fail(at(list, i, fmt.Sprintf("routes[%d].to", n)), "no bus has the id %q", r.To)
		case r.To == from:
			v.fail(at(list, i, fmt.Sprintf("routes[%d].to", n)), "a bus cannot feed itself")
		case r.Tap != Post && r.Tap != Pre:
			v.fail(at(list, i, fmt.Sprintf("routes[%d].tap", n)), "%q is neither %q nor %q", r.Tap, Post, Pre)
		case math.IsNaN(r.GainDB) || r.GainDB < MinGainDB || r.GainDB > MaxGainDB:
			v.fail(at(list, i, fmt.Sprintf("routes[%d].gainDb", n)), "%g dB is outside %g to %g dB", r.GainDB, MinGainDB, MaxGainDB)
		case r.At != "" && (list != "buses" || !v.x.Buses[r.To].Kind.Is().Last || r.At != AtListen && r.At != AtPrint):
			v.fail(at(list, i, fmt.Sprintf("routes[%d].at", n)), "only a bus's way to the speakers can be open in listen or print alone")
		case n > 0 && routes[n-1].To >= r.To:
			v.fail(at(list, i, fmt.Sprintf("routes[%d].to", n)), "routes are sorted by destination, each one once")
		}
	}
}

func (v *validator) machines() {
	for i, m := range v.t.Machines {
		v.id("machines", i, m.ID)
		v.name("machines", i, m.Name)
		v.ranged("machines", i, "memoryMib", m.MemoryMiB, 1, 1<<26, " MiB")
		v.ranged("machines", i, "reserveMib", m.ReserveMiB, 0, m.MemoryMiB, " MiB")
		v.ranged("machines", i, "cores", float64(m.Cores), 1, 1024, "")
		v.ranged("machines", i, "diskMibs", m.DiskMiBs, 1, 1<<20, " MiB/s")
		v.ranged("machines", i, "networkMbits", m.NetworkMbits, 0, MaxMbits, " Mbit/s")
		v.ranged("machines", i, "bufferSamples", float64(m.BufferSamples), 0, MaxBuffer, " samples")
		v.ranged("machines", i, "bufferTimes", m.BufferTimes, 0, MaxBufferTimes, "")
		if m.Address == "" {
			continue
		}
		if _, err := netip.ParseAddr(m.Address); err != nil {
			v.fail(at("machines", i, "address"), "%q is not an IP address, such as 192.168.10.21", m.Address)
		}
	}
}

func (v *validator) instruments() {
	if len(v.t.Instruments) > MaxInstruments {
		v.tooMany()
	}
	for n, i := range v.t.Instruments {
		v.id("instruments", n, i.ID)
		v.instrument(n, i)
		if v.err != nil {
			return
		}
	}
}

func (v *validator) tooMany() {
	v.fail("instruments", "%d instruments; a template holds %d at most", len(v.t.Instruments), MaxInstruments)
}

func (v *validator) instrument(n int, i *Instrument) {
	if i.Kind == Divider {
		v.divider(n, i)
	}
	if i.Kind != Divider || i.Name != "" {
		v.name("instruments", n, i.Name)
	}
	if len([]rune(i.Short)) > MaxShort {
		v.fail(at("instruments", n, "short"), "a short name has at most %d letters", MaxShort)
	}
	v.routes("instruments", n, i.ID, i.Routes)
	v.ranged("instruments", n, "gainDb", i.GainDB, MinGainDB, MaxGainDB, " dB")
	v.ranged("instruments", n, "levelTrimDb", i.LevelTrimDB, MinTrimDB, MaxTrimDB, " dB")
	v.ranged("instruments", n, "pan", i.Pan, -1, 1, "")
	if len(i.Upbeat) > 0 {
		v.upbeat(fmt.Sprintf("instruments[%d]", n), i.Upbeat)
	}
	v.layerTrims(n, i.LayerTrims)
	if i.Heard != nil {
		v.heard(n, i.Heard)
	}
	v.references(n, i)
	if i.Seat != nil {
		v.seat(n, i)
	}
	if i.With != "" {
		v.with(n, i)
	}
	if i.Trim != nil {
		for k, x := range i.Trim.Patches {
			v.ranged("instruments", n, fmt.Sprintf("trim.patches[%d].mib", k), x.MiB, 0, 1<<20, " MiB")
		}
	}
	if p := i.Printed; p != nil {
		if err := CheckName(p.File); err != nil {
			v.fail(at("instruments", n, "printed.file"), "%s", err)
		}
		v.ranged("instruments", n, "printed.seconds", p.Seconds, 0, MaxPrintedSeconds, " s")
		v.ranged("instruments", n, "printed.at", p.At, 0, MaxPrintedSeconds, " s")
		if len(p.Cue) > mostCueText {
			v.fail(at("instruments", n, "printed.cue"), "a cue has %d letters at most", mostCueText)
		}
		if p.Audio != "" && !IsDigest(p.Audio) {
			v.fail(at("instruments", n, "printed.audio"), "%q is not a SHA-256 in lower-case hexadecimal", p.Audio)
		}
	}
}

// divider checks that a line between rows is nothing but that.
func (v *validator) divider(n int, i *Instrument) {
	if len(i.Patches) > 0 || len(i.Articulations) > 0 || len(i.Routes) > 0 || i.With != "" || i.Printed != nil {
		v.fail(at("instruments", n, "kind"), "a divider plays nothing: it has no patches, articulations, routes, recording, nor the seat of another row")
	}
}

// mostCueText bounds what says which cue a recording is of.
const mostCueText = 200

// layerTrims checks the trims of single patches; those of patches that the row no longer
// plays do nothing.
func (v *validator) layerTrims(n int, list []LayerTrim) {
	if len(list) > mostLayers {
		v.fail(at("instruments", n, "layerTrims"), "%d patches have a trim; %d may", len(list), mostLayers)
	}
	seen := map[ID]bool{}
	for k, x := range list {
		if seen[x.Patch] {
			v.fail(at("instruments", n, fmt.Sprintf("layerTrims[%d].patch", k)), "%q has two trims", x.Patch)
		}
		seen[x.Patch] = true
		v.ranged("instruments", n, fmt.Sprintf("layerTrims[%d].db", k), x.DB, MinTrimDB, MaxTrimDB, " dB")
	}
}

// upbeat checks controller values.
func (v *validator) upbeat(of string, list []Controller) {
	for n, c := range list {
		if c.Number < 0 || c.Number > 119 || c.Value < 0 || c.Value > 127 {
			v.fail(fmt.Sprintf("%s.upbeat[%d]", of, n), "controller %d = %d: controllers are 0 to 119, values 0 to 127", c.Number, c.Value)
		}
	}
}

func (v *validator) references(n int, i *Instrument) {
	if v.x.Sections[i.Section] == nil {
		v.fail(at("instruments", n, "section"), "no section has the id %q", i.Section)
	}
	v.emblem("instruments", n, i.Emblem)
	if !slices.Contains(Kinds, i.Kind) {
		v.fail(at("instruments", n, "kind"), "%q is not a kind of instrument", i.Kind)
	}
	for p, id := range i.Patches {
		if v.x.Patches[id] == nil {
			v.fail(at("instruments", n, fmt.Sprintf("patches[%d]", p)), "no patch has the id %q", id)
		}
	}
	for _, a := range i.Articulations {
		if CheckName(a) != nil || strings.Contains(a, ";") {
			v.fail(at("instruments", n, "articulations"), "%q is not an articulation's name; it must not be empty nor hold ';'", a)
		}
	}
	if i.Colour != "" {
		v.tint(at("instruments", n, "colour"), i.Colour)
	}
	if len(i.Notes) > MaxNotes || !utf8.ValidString(i.Notes) {
		v.fail(at("instruments", n, "notes"), "notes hold at most %d bytes of UTF-8", MaxNotes)
	}
	v.words("instruments", n, "mics", i.Mics)
	v.mappings("instruments", n, i.Map)
	if !slices.Contains(Layouts, i.Layout) {
		v.fail(at("instruments", n, "layout"), "%q is not a layout", i.Layout)
	}
	if (i.Layout == SpreadOut) != (i.Spread != "") || len(i.Spread) > 64 {
		v.fail(at("instruments", n, "spread"), "a spread row, and only one, says with whom it shares its player")
	}
	if i.Style.Machine != "" && v.x.Machines[i.Style.Machine] == nil {
		v.fail(at("instruments", n, "style.machine"), "no machine has the id %q", i.Style.Machine)
	}
}

func (v *validator) seat(n int, i *Instrument) {
	s := *i.Seat
	if v.x.Machines[s.Machine] == nil {
		v.fail(at("instruments", n, "seat.machine"), "no machine has the id %q", s.Machine)
	}
	if !i.TakesSeat() && i.With == "" {
		v.fail(at("instruments", n, "seat"), "%q is %s and takes no seat", i.Name, i.Kind)
	}
	v.ranged("instruments", n, "seat.riser", float64(s.Riser), 1, MaxRisers, "")
	v.ranged("instruments", n, "seat.port", float64(s.Port), 1, MaxPorts, "")
	v.ranged("instruments", n, "seat.channel", float64(s.Channel), 1, PortChannels, "")
	v.ranged("instruments", n, "seat.pair", float64(s.Pair), 1, MaxPairs, "")
}
