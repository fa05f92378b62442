package template

import (
	"slices"
	"strings"
)

// Kind says what stands in a row.
type Kind string

// The kinds of instrument.
const (
	Sampled Kind = "sampled" // plays patches
	Input   Kind = "input"   // a live microphone or line, or a blank audio row
	Guide   Kind = "guide"   // dialogue, effects, picture sound: never in a stem
	Spare   Kind = "spare"   // a reserved empty row
	Divider Kind = "divider" // a line between rows, with a word or without
)

// Kinds lists every kind.
var Kinds = []Kind{Sampled, Input, Guide, Spare, Divider}

// KindsInWords lists every kind in a sentence.
func KindsInWords() string {
	var words []string
	for _, k := range Kinds[:len(Kinds)-1] {
		words = append(words, string(k))
	}
	return strings.Join(words, ", ") + " and " + string(Kinds[len(Kinds)-1])
}

// Instrument is one row of the template.
type Instrument struct {
	ID            ID           `json:"id"`
	Section       ID           `json:"section"`
	Name          string       `json:"name"`
	NameByHand    bool         `json:"nameByHand,omitempty"` // naming by a pattern passes it by
	Short         string       `json:"short,omitempty"`      // what small displays show; empty shows the name
	ShortByHand   bool         `json:"shortByHand,omitempty"`
	Kind          Kind         `json:"kind"`
	Articulations []string     `json:"articulations"`
	Patches       []ID         `json:"patches"`        // layered when more than one
	Mics          []string     `json:"mics,omitempty"` // microphone positions; empty takes those a patch starts with
	Map           []Mapping    `json:"map,omitempty"`  // its own articulation map; empty takes its first patch's
	Layout        Layout       `json:"layout,omitempty"`
	Spread        ID           `json:"spread,omitempty"` // rows with the same one feed one player
	Colour        string       `json:"colour,omitempty"` // a tint of the palette, by hand; empty takes the section's
	Emblem        *Emblem      `json:"emblem,omitempty"` // its own small sign; nil takes that of its library
	Notes         string       `json:"notes,omitempty"`
	LevelTrimDB   float64      `json:"levelTrimDb,omitempty"` // brings it to the working level, before everything else, dB, MinTrimDB..MaxTrimDB
	Heard         *Heard       `json:"heard,omitempty"`       // how it sounds, as measured; nil when it was not
	LayerTrims    []LayerTrim  `json:"layerTrims,omitempty"`  // of single patches of a row that plays several
	Upbeat        []Controller `json:"upbeat,omitempty"`      // its own, in place of those of the settings with the same number
	GainDB        float64      `json:"gainDb"`                // the fader, dB, MinGainDB..MaxGainDB
	Pan           float64      `json:"pan,omitempty"`         // -1 left .. 1 right, of constant power
	Routes        []Route      `json:"routes"`                // outgoing, sorted by To
	StemByHand    bool         `json:"stemByHand,omitempty"`  // an exception: the stem rules pass it by
	Style         SeatStyle    `json:"style"`
	SeatByHand    bool         `json:"seatByHand,omitempty"` // plans leave the seat alone while it breaks no limit
	Seat          *Seat        `json:"seat,omitempty"`       // nil when unseated
	With          ID           `json:"with,omitempty"`       // the row on whose seat it sits, with the same sound; empty has its own
	Pinned        bool         `json:"pinned,omitempty"`     // stands first in every sightline
	Keep          bool         `json:"keep,omitempty"`       // stays ready whatever is called: nobody rests it unasked
	Aside         bool         `json:"aside,omitempty"`      // set aside: it keeps all it has, and takes no memory and no place in the sheet
	Printed       *Printed     `json:"printed,omitempty"`    // its own recorded audio stands in for it; nil when it plays
	Trim          *Trim        `json:"trim,omitempty"`       // only what a call's music needs is loaded; nil loads all
}

// Trim says that only the zones which the music of a call touches are loaded.
type Trim struct {
	Call    ID             `json:"call"`    // one no longer there keeps the trim as it was
	Music   string         `json:"music"`   // what its notes were then: Use.Music
	Patches []TrimmedPatch `json:"patches"` // those that are trimmed; others load whole
}

// TrimmedPatch is what a patch takes when it is trimmed.
type TrimmedPatch struct {
	Patch ID      `json:"patch"`
	MiB   float64 `json:"mib"` // of its preload, MiB, at most that of the patch
}

// Printed is the recorded audio that stands in for an instrument. It takes no
// memory; notes and settings stay as they are.
type Printed struct {
	File    string  `json:"file"`            // name of the audio file
	Seconds float64 `json:"seconds"`         // its length, s, 0..MaxPrintedSeconds
	Call    ID      `json:"call,omitempty"`  // whose notes were recorded; one no longer there tells nothing
	Music   string  `json:"music,omitempty"` // what these notes were then: Use.Music
	Audio   string  `json:"audio,omitempty"` // SHA-256 of the file, by which the studio keeps it; empty when it does not
	Cue     string  `json:"cue,omitempty"`   // "production/cue" whose music was recorded over; Music is then what was played in all
	At      float64 `json:"at,omitempty"`    // of such a one, where in the piece it begins, s, 0..MaxPrintedSeconds
}

// Over tells whether the recording is of the row's own sound in the music of a cue, so that it can
// play in the row's place there.
func (p *Printed) Over() bool { return p != nil && p.Cue != "" && p.Audio != "" }

// LayerTrim is the trim of one of several patches that a row plays at once.
type LayerTrim struct {
	Patch ID      `json:"patch"`
	DB    float64 `json:"db"` // MinTrimDB..MaxTrimDB
}

// LayerTrim is the trim of one of the row's patches beside its level trim, dB.
func (i *Instrument) LayerTrim(patch ID) float64 {
	for _, x := range i.LayerTrims {
		if x.Patch == patch {
			return x.DB
		}
	}
	return 0
}

// mostLayers bounds the patches of a row that have a trim of their own.
const mostLayers = 64

// UpbeatOf are the controllers sent to an instrument before the cue: those of the settings,
// with its own in their place, and what it has beside them, by number.
func (t *Template) UpbeatOf(i *Instrument) []Controller {
	if len(i.Upbeat) == 0 {
		return t.Settings.Upbeat
	}
	out := slices.Clone(i.Upbeat)
	for _, c := range t.Settings.Upbeat {
		if !slices.ContainsFunc(i.Upbeat, func(own Controller) bool { return own.Number == c.Number }) {
			out = append(out, c)
		}
	}
	slices.SortStableFunc(out, func(a, b Controller) int { return a.Number - b.Number })
	return out
}

// IsDigest tells whether a text is a SHA-256 in lower-case hexadecimal.
func IsDigest(s string) bool {
	return len(s) == 64 && strings.Trim(s, "0123456789abcdef") == ""
}

// MaxPrintedSeconds is the longest recording, a day.
const MaxPrintedSeconds = 86_400

// SeatStyle is how an instrument wants to be seated; a copied row keeps it.
type SeatStyle struct {
	Machine ID   `json:"machine,omitempty"` // stays on this machine; empty goes anywhere
	OwnPair bool `json:"ownPair,omitempty"` // an output pair shared with no other
}

// Clone returns a copy that shares nothing with the original. Lists that are
// missing in it are empty.
func (i *Instrument) Clone() *Instrument {
	c := *i
	for n := range RowFields {
		RowFields[n].Copy(&c, i)
	}
	c.Articulations, c.Patches, c.Routes = some(c.Articulations), some(c.Patches), some(c.Routes)
	return &c
}

// Loads tells whether the instrument takes memory when it is called: it sits on
// a machine, is not set aside, and neither recorded audio nor the sound of another
// row stands in for it.
func (i *Instrument) Loads() bool {
	return i.Seat != nil && i.Printed == nil && i.With == "" && !i.Aside
}

// NeedsSeat tells whether the instrument must have a seat of its own to sound.
func (i *Instrument) NeedsSeat() bool { return i.Kind == Sampled && i.With == "" }

// Played tells whether the row is an instrument: a spare row keeps a place for one, and
// counts for nothing but what it keeps; a divider is a line.
func (i *Instrument) Played() bool { return i.Kind != Spare && i.Kind != Divider }

// FeedsStems tells whether the row may go to a stem: a guide goes straight to the
// speakers, and a divider nowhere.
func (i *Instrument) FeedsStems() bool { return i.Kind != Guide && i.Kind != Divider }

// Played is how many rows are instruments.
func (t *Template) Played() int {
	n := 0
	for _, i := range t.Instruments {
		if i.Played() {
			n++
		}
	}
	return n
}

// TakesSeat tells whether the instrument may have a seat of its own: one that
// sounds from a machine, or a spare row that holds it for what will come.
func (i *Instrument) TakesSeat() bool { return (i.Kind == Sampled || i.Kind == Spare) && i.With == "" }

// PatchesOf returns the patches an instrument plays.
func (t *Template) PatchesOf(i *Instrument) []*Patch {
	out := make([]*Patch, 0, len(i.Patches))
	for _, id := range i.Patches {
		if p := t.Index().Patches[id]; p != nil {
			out = append(out, p)
		}
	}
	return out
}

// LibraryOf returns the library of the instrument's first patch, or nil.
func (t *Template) LibraryOf(i *Instrument) *Library {
	if p := t.PatchOf(i); p != nil {
		return t.Index().Libraries[p.Library]
	}
	return nil
}

// LibrariesOf returns the libraries of all patches of the instrument, each once.
func (t *Template) LibrariesOf(i *Instrument) []*Library {
	var out []*Library
	for _, p := range t.PatchesOf(i) {
		if l := t.Index().Libraries[p.Library]; l != nil && !slices.Contains(out, l) {
			out = append(out, l)
		}
	}
	return out
}

// PatchOf returns the first patch an instrument plays, or nil.
func (t *Template) PatchOf(i *Instrument) *Patch {
	for _, id := range i.Patches {
		if p := t.Index().Patches[id]; p != nil {
			return p
		}
	}
	return nil
}

// PlayerOf returns the player of the instrument's first patch, or nil.
func (t *Template) PlayerOf(i *Instrument) *Player {
	if p := t.PatchOf(i); p != nil {
		return t.Index().Players[p.Player]
	}
	return nil
}
