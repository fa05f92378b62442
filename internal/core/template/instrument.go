package template

import "slices"

// Kind says what stands in a row.
type Kind string

// The kinds of instrument.
const (
	Sampled Kind = "sampled" // plays patches
	Input   Kind = "input"   // a live microphone or line, or a blank audio row
	Guide   Kind = "guide"   // dialogue, effects, picture sound: never in a stem
	Spare   Kind = "spare"   // a reserved empty row
)

// Kinds lists every kind.
var Kinds = []Kind{Sampled, Input, Guide, Spare}

// Instrument is one row of the template.
type Instrument struct {
	ID            ID        `json:"id"`
	Section       ID        `json:"section"`
	Name          string    `json:"name"`
	Kind          Kind      `json:"kind"`
	Articulations []string  `json:"articulations"`
	Patches       []ID      `json:"patches"`        // layered when more than one
	Mics          []string  `json:"mics,omitempty"` // microphone positions; empty takes those a patch starts with
	Map           []Mapping `json:"map,omitempty"`  // its own articulation map; empty takes its first patch's
	Layout        Layout    `json:"layout,omitempty"`
	Spread        ID        `json:"spread,omitempty"` // rows with the same one feed one player
	Colour        string    `json:"colour,omitempty"` // a tint; empty takes the section's
	Notes         string    `json:"notes,omitempty"`
	GainDB        float64   `json:"gainDb"`               // the fader, dB, MinGainDB..MaxGainDB
	Routes        []Route   `json:"routes"`               // outgoing, sorted by To
	StemByHand    bool      `json:"stemByHand,omitempty"` // an exception: the stem rules pass it by
	Style         SeatStyle `json:"style"`
	SeatByHand    bool      `json:"seatByHand,omitempty"` // plans leave the seat alone while it breaks no limit
	Seat          *Seat     `json:"seat,omitempty"`       // nil when unseated
}

// SeatStyle is how an instrument wants to be seated; a copied row keeps it.
type SeatStyle struct {
	Machine ID   `json:"machine,omitempty"` // stays on this machine; empty goes anywhere
	OwnPair bool `json:"ownPair,omitempty"` // an output pair shared with no other
}

// Clone returns a copy that shares nothing with the original.
func (i *Instrument) Clone() *Instrument {
	c := *i
	c.Articulations = append([]string{}, i.Articulations...)
	c.Patches = append([]ID{}, i.Patches...)
	c.Mics = slices.Clone(i.Mics)
	c.Map = CloneMap(i.Map)
	c.Routes = append([]Route{}, i.Routes...)
	if i.Seat != nil {
		seat := *i.Seat
		c.Seat = &seat
	}
	return &c
}

// NeedsSeat tells whether the instrument must sit on a machine to sound.
func (i *Instrument) NeedsSeat() bool { return i.Kind == Sampled }

// Call is a named set of instruments to bring to ready.
type Call struct {
	ID          ID     `json:"id"`
	Name        string `json:"name"`
	Opening     bool   `json:"opening,omitempty"` // what the template starts with
	Instruments []ID   `json:"instruments"`
}

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
	if patches := t.PatchesOf(i); len(patches) > 0 {
		return t.Index().Libraries[patches[0].Library]
	}
	return nil
}

// PlayerOf returns the player of the instrument's first patch, or nil.
func (t *Template) PlayerOf(i *Instrument) *Player {
	if patches := t.PatchesOf(i); len(patches) > 0 {
		return t.Index().Players[patches[0].Player]
	}
	return nil
}
