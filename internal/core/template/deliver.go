package template

import (
	"fmt"
	"slices"
)

// GroupRule says which groups stand between instruments and stems.
type GroupRule string

// The group rules.
const (
	GroupsAsTheyAre GroupRule = ""         // those there are; none is made
	GroupsFewest    GroupRule = "fewest"   // one for each stem
	GroupsSections  GroupRule = "sections" // one for each section within a stem
	GroupsNone      GroupRule = "none"     // instruments feed their stems
)

// GroupRules lists every rule.
var GroupRules = []GroupRule{GroupsAsTheyAre, GroupsFewest, GroupsSections, GroupsNone}

// Deliver is how the stems of a template are wired and delivered.
type Deliver struct {
	Groups      GroupRule `json:"groups,omitempty"`
	SplitKey    int       `json:"splitKey,omitempty"`    // ranges whose middle lies below it are low, MIDI note; 0 takes what is usual for the instrument, else 64
	FirstNumber int       `json:"firstNumber,omitempty"` // of buses, 1..MaxNumber; 0 takes 1
	NumberGap   int       `json:"numberGap,omitempty"`   // numbers kept free after each section, 0..1000
	Minutes     float64   `json:"minutes,omitempty"`     // of music to deliver, 0..6000
	Position    At        `json:"position,omitempty"`    // what is heard; empty is AtListen
}

// Position is what is heard: AtListen unless the settings say otherwise.
func (t *Template) Position() At {
	if t.Settings.Deliver.Position == "" {
		return AtListen
	}
	return t.Settings.Deliver.Position
}

// SplitKey is the key from which on the middle of a range counts as high: 64
// unless the settings say otherwise, between cellos (middle 60) and altos (65).
func (t *Template) SplitKey() int {
	if t.Settings.Deliver.SplitKey == 0 {
		return 64
	}
	return t.Settings.Deliver.SplitKey
}

// Register is the half of the keyboard an instrument's range lies in.
type Register string

// The registers.
const (
	Low  Register = "low"
	High Register = "high"
)

// StemRule sends the instruments that meet all of its conditions to a stem.
// A condition that is empty is met by every instrument.
type StemRule struct {
	ID       ID       `json:"id"`
	Stem     ID       `json:"stem"`
	Section  ID       `json:"section,omitempty"`  // stands in it, or deeper
	Family   Family   `json:"family,omitempty"`   // of its first articulation
	Register Register `json:"register,omitempty"` // of its range
	Library  ID       `json:"library,omitempty"`
	Kind     Kind     `json:"kind,omitempty"`
	Role     string   `json:"role,omitempty"` // a role tag of its patches
	Name     string   `json:"name,omitempty"` // a pattern: * stands for any letters, ? for one
}

// Depth is how far back a section sits on the stage.
type Depth string

// The depths.
const (
	Near   Depth = "near"
	Middle Depth = "middle"
	Far    Depth = "far"
)

// Depths lists every depth, nearest first.
var Depths = []Depth{Near, Middle, Far}

// DepthOf is the depth of a section: its own, its nearest parent's, or Middle.
func (t *Template) DepthOf(section ID) Depth {
	for _, s := range t.Ancestry(section) {
		if s.Depth != "" {
			return s.Depth
		}
	}
	return Middle
}

// ReturnSet is a set of effects that stems share the settings of.
type ReturnSet struct {
	ID      ID             `json:"id"`
	Name    string         `json:"name"`
	Effects []ReturnEffect `json:"effects"`
}

// ReturnEffect is one effect of a return set. Its amounts are the sends' levels, dB,
// by the depth of the section; nil sends nothing.
type ReturnEffect struct {
	ID      ID          `json:"id"`
	Name    string      `json:"name"`
	Process string      `json:"process"`        // in words: "Stone hall 2.8 s"
	Runs    []BusEffect `json:"runs,omitempty"` // what runs on its returns when Fanfold plays
	Delay   bool        `json:"delay,omitempty"`
	NearDB  *float64    `json:"nearDb,omitempty"`
	MidDB   *float64    `json:"middleDb,omitempty"`
	FarDB   *float64    `json:"farDb,omitempty"`
}

// Tap is where sends to the effect are taken unless a person says otherwise: a
// hall before the fader, so that the fader sets distance, a delay after it
// (common practice, no source).
func (e *ReturnEffect) Tap() Tap {
	if e.Delay {
		return Post
	}
	return Pre
}

// Amount is the level of sends from a depth, dB; nil for none.
func (e *ReturnEffect) Amount(d Depth) *float64 {
	switch d {
	case Near:
		return e.NearDB
	case Far:
		return e.FarDB
	}
	return e.MidDB
}

// Send is a section's own amount for one effect.
type Send struct {
	Effect ID      `json:"effect"`
	Off    bool    `json:"off,omitempty"` // sends nothing
	GainDB float64 `json:"gainDb"`        // dB, MinGainDB..MaxGainDB
	Tap    Tap     `json:"tap"`
}

// SendOf is what an instrument of a section sends to an effect unless a person
// set it by hand: the section's own amount, its nearest parent's, or that of
// its depth. False when it sends nothing.
func (t *Template) SendOf(section ID, e *ReturnEffect) (Send, bool) {
	for _, s := range t.Ancestry(section) {
		for _, own := range s.Sends {
			if own.Effect == e.ID {
				return own, !own.Off
			}
		}
	}
	if amount := e.Amount(t.DepthOf(section)); amount != nil {
		return Send{Effect: e.ID, GainDB: *amount, Tap: e.Tap()}, true
	}
	return Send{}, false
}

// ReturnSet returns the return set with that ID, or nil.
func (t *Template) ReturnSet(id ID) *ReturnSet {
	for _, s := range t.ReturnSets {
		if s.ID == id {
			return s
		}
	}
	return nil
}

// FoldPlace is the position of a fold, 0 for the finest; -1 when it is none.
func (t *Template) FoldPlace(fold ID) int {
	return slices.IndexFunc(t.Folds, func(f *Fold) bool { return f.ID == fold })
}

// ParentStem is the stem of a coarser fold that a stem belongs to: the first
// it feeds. Nil for one that feeds the mix.
func (t *Template) ParentStem(b *Bus) *Bus {
	here := t.FoldPlace(b.Fold)
	for _, r := range b.Routes {
		if to := t.Index().Buses[r.To]; to != nil && to.Kind.Is().Stem && t.FoldPlace(to.Fold) > here {
			return to
		}
	}
	return nil
}

// WetHome is the stem that carries the returns of a stem's instruments: the
// stem itself, unless it is delivered dry; then the wet stem beside it in the
// same fold and parent, else its parent's, else any wet stem of its fold. Nil
// when there is none.
func (t *Template) WetHome(b *Bus) *Bus {
	for range len(t.Folds) + 1 {
		if b.Carries != CarriesDry {
			return b
		}
		parent := t.ParentStem(b)
		var any *Bus
		for _, o := range t.Buses {
			if !o.Kind.Is().Stem || o.Fold != b.Fold || o.Carries != CarriesWet {
				continue
			}
			if t.ParentStem(o) == parent {
				return o
			}
			if any == nil {
				any = o
			}
		}
		if parent == nil {
			return any
		}
		b = parent
	}
	return nil
}

// DeliveredDry tells whether every stem of a fold is delivered dry.
func (t *Template) DeliveredDry(fold ID) bool {
	stems := t.StemsOf(fold)
	return len(stems) > 0 && !slices.ContainsFunc(stems, func(b *Bus) bool { return b.Carries != CarriesDry })
}

func (v *validator) deliver() {
	d := v.t.Settings.Deliver
	switch {
	case !slices.Contains(GroupRules, d.Groups):
		v.fail("settings.deliver.groups", "%q is not a rule for groups; rules are fewest, sections and none", d.Groups)
	case d.Position != "" && d.Position != AtListen && d.Position != AtPrint:
		v.fail("settings.deliver.position", "%q is neither listen nor print", d.Position)
	}
	for _, r := range []struct {
		field     string
		x         float64
		low, high float64
	}{
		{"splitKey", float64(d.SplitKey), 0, 127}, {"firstNumber", float64(d.FirstNumber), 0, MaxNumber},
		{"numberGap", float64(d.NumberGap), 0, 1000}, {"minutes", d.Minutes, 0, 6000},
	} {
		if !(r.x >= r.low && r.x <= r.high) {
			v.fail("settings.deliver."+r.field, "%s is outside %s to %s", figure(r.x), figure(r.low), figure(r.high))
		}
	}
}

// MaxRules bounds the stem rules; MaxEffects the effects of a return set.
const (
	MaxRules   = 1000
	MaxEffects = 16
)

func (v *validator) rules() {
	if len(v.t.Rules) > MaxRules {
		v.fail("rules", "%d rules; a template holds %d at most", len(v.t.Rules), MaxRules)
	}
	seen := map[ID]bool{}
	for i, r := range v.t.Rules {
		stem := v.x.Buses[r.Stem]
		switch {
		case r.ID == "" || len(r.ID) > 64 || seen[r.ID]:
			v.fail(at("rules", i, "id"), "an id has 1 to 64 characters and is used once")
		case stem == nil || !stem.Kind.Is().Stem:
			v.fail(at("rules", i, "stem"), "no stem has the id %q", r.Stem)
		case stem.Carries == CarriesWet:
			v.fail(at("rules", i, "stem"), "%q carries returns alone; no instrument can be sent there", stem.Name)
		case r.Section != "" && v.x.Sections[r.Section] == nil:
			v.fail(at("rules", i, "section"), "no section has the id %q", r.Section)
		case r.Library != "" && v.x.Libraries[r.Library] == nil:
			v.fail(at("rules", i, "library"), "no library has the id %q", r.Library)
		case r.Family != "" && !slices.Contains(Families, r.Family):
			v.fail(at("rules", i, "family"), "%q is not a family; families are long, short, legato and effect", r.Family)
		case r.Register != "" && r.Register != Low && r.Register != High:
			v.fail(at("rules", i, "register"), "%q is neither low nor high", r.Register)
		case r.Kind != "" && r.Kind != Sampled && r.Kind != Input:
			v.fail(at("rules", i, "kind"), "%q goes to no stem; sampled and input do", r.Kind)
		}
		for field, text := range map[string]string{"role": r.Role, "name": r.Name} {
			if text != "" && CheckName(text) != nil {
				v.fail(at("rules", i, field), "%s", CheckName(text))
			}
		}
		seen[r.ID] = true
	}
}

func (v *validator) returnSets() {
	seen := map[ID]bool{}
	once := func(path string, id ID) {
		if id == "" || len(id) > 64 || seen[id] {
			v.fail(path, "an id has 1 to 64 characters and is used once")
		}
		seen[id] = true
	}
	for i, s := range v.t.ReturnSets {
		once(at("returnSets", i, "id"), s.ID)
		v.name("returnSets", i, s.Name)
		if len(s.Effects) > MaxEffects {
			v.fail(at("returnSets", i, "effects"), "%d effects; a return set holds %d at most", len(s.Effects), MaxEffects)
		}
		for n, e := range s.Effects {
			path := fmt.Sprintf("returnSets[%d].effects[%d]", i, n)
			once(path+".id", e.ID)
			if err := CheckName(e.Name); err != nil {
				v.fail(path+".name", "%s", err)
			}
			v.effects(path+".runs", e.Runs, false)
			for _, db := range []*float64{e.NearDB, e.MidDB, e.FarDB} {
				if db != nil && !(*db >= MinGainDB && *db <= MaxGainDB) {
					v.fail(path, "%s dB is outside %s to %s dB", figure(*db), figure(MinGainDB), figure(MaxGainDB))
				}
			}
		}
	}
	for i, b := range v.t.Buses {
		if b.Returns != "" && v.t.ReturnSet(b.Returns) == nil {
			v.fail(at("buses", i, "returns"), "no return set has the id %q", b.Returns)
		}
	}
	v.sends()
}

func (v *validator) sends() {
	effects := map[ID]bool{}
	for _, s := range v.t.ReturnSets {
		for _, e := range s.Effects {
			effects[e.ID] = true
		}
	}
	for i, s := range v.t.Sections {
		if s.Depth != "" && !slices.Contains(Depths, s.Depth) {
			v.fail(at("sections", i, "depth"), "%q is not a depth; depths are near, middle and far", s.Depth)
		}
		for n, send := range s.Sends {
			switch {
			case !effects[send.Effect]:
				v.fail(at("sections", i, "sends"), "no effect has the id %q", send.Effect)
			case slices.ContainsFunc(s.Sends[:n], func(o Send) bool { return o.Effect == send.Effect }):
				v.fail(at("sections", i, "sends"), "one effect has two amounts")
			case send.Tap != Post && send.Tap != Pre:
				v.fail(at("sections", i, "sends"), "%q is neither %q nor %q", send.Tap, Post, Pre)
			case !(send.GainDB >= MinGainDB && send.GainDB <= MaxGainDB):
				v.fail(at("sections", i, "sends"), "%s dB is outside %s to %s dB", figure(send.GainDB), figure(MinGainDB), figure(MaxGainDB))
			}
		}
	}
}

// delivered checks what a bus says of its delivery.
func (v *validator) delivered(i int, b *Bus, numbers map[int]string) {
	switch {
	case b.Number < 0 || b.Number > MaxNumber:
		v.fail(at("buses", i, "number"), "%d is outside 1 to %d", b.Number, MaxNumber)
	case b.Number > 0 && numbers[b.Number] != "":
		v.fail(at("buses", i, "number"), "%s has the number %d already", numbers[b.Number], b.Number)
	case !slices.Contains(AllCarries, b.Carries) || b.Carries != CarriesBoth && !b.Kind.Is().Stem:
		v.fail(at("buses", i, "carries"), "only stems carry dry, wet, or both; %q does not", b.Carries)
	case b.Returns != "" && !b.Kind.Is().Stem:
		v.fail(at("buses", i, "returns"), "only stems have a return set")
	case b.Effect != "" && !b.Kind.Is().Wet():
		v.fail(at("buses", i, "effect"), "only returns run an effect")
	case b.File != "" && CheckName(b.File) != nil:
		v.fail(at("buses", i, "file"), "%s", CheckName(b.File))
	}
	if b.Number > 0 {
		numbers[b.Number] = b.Name
	}
}
