package template

import (
	"fmt"
	"slices"
)

// Family says what kind of articulation one is.
type Family string

// The families.
const (
	Long   Family = "long"
	Short  Family = "short"
	Legato Family = "legato"
	Effect Family = "effect"
)

// Families lists every family.
var Families = []Family{Long, Short, Legato, Effect}

// Term is an articulation of the vocabulary.
type Term struct {
	ID       ID       `json:"id"`
	Name     string   `json:"name"`
	Short    string   `json:"short"` // as written in scores: "stacc."
	Synonyms []string `json:"synonyms"`
	Family   Family   `json:"family"`
	Group    string   `json:"group,omitempty"`   // its either/or group; empty stands in none
	Natural  bool     `json:"natural,omitempty"` // what its group falls back to
}

// SwitchKind is the kind of message a switch sends.
type SwitchKind string

// The kinds of switch.
const (
	ByKey        SwitchKind = "key"
	ByController SwitchKind = "controller"
	ByProgramme  SwitchKind = "programme"
	ByChannel    SwitchKind = "channel"
	ByVelocity   SwitchKind = "velocity"
)

// SwitchKinds lists every kind.
var SwitchKinds = []SwitchKind{ByKey, ByController, ByProgramme, ByChannel, ByVelocity}

// Switch is one message, or one property of a note, that selects an
// articulation.
type Switch struct {
	Kind     SwitchKind `json:"kind"`
	Number   int        `json:"number,omitempty"`   // key 0..127, controller 0..119, programme 0..127, channel 1..16 or, relative, -15..15
	Low      int        `json:"low,omitempty"`      // of a controller's or velocity's band, 0..127
	High     int        `json:"high,omitempty"`     // at least Low
	Hold     bool       `json:"hold,omitempty"`     // a momentary key, held as long as the note; otherwise it lasts
	Relative bool       `json:"relative,omitempty"` // a channel counted from the seat's
	Bank     *int       `json:"bank,omitempty"`     // of a programme, 0..16383; nil sends none
}

// Mapping says how one articulation is reached.
type Mapping struct {
	Articulation string   `json:"articulation"`
	Switches     []Switch `json:"switches"`          // all of them together; none when it always sounds
	LeadMs       int      `json:"leadMs,omitempty"`  // how long before the note they are sent, 0..1000 ms
	DelayMs      int      `json:"delayMs,omitempty"` // how late its notes speak, sent that much earlier, 0..2000 ms
}

// CloneMap copies a map; nil stays nil.
func CloneMap(mappings []Mapping) []Mapping {
	out := slices.Clone(mappings)
	for n, m := range out {
		out[n].Switches = slices.Clone(m.Switches)
	}
	return out
}

// MaxMappings bounds an articulation map; MaxSwitches one mapping.
const (
	MaxMappings = 256
	MaxSwitches = 8
)

// CheckMap tells what is wrong with an articulation map. The error is an
// *Invalid.
func CheckMap(mappings []Mapping) error {
	v := &validator{}
	v.mappings("patches", 0, mappings)
	if v.err != nil {
		return v.err
	}
	return nil
}

// CheckPatch tells what is wrong with a patch by itself, whatever library and
// player it names. The error is an *Invalid.
func CheckPatch(p *Patch) error {
	v := &validator{}
	v.name("patches", 0, p.Name)
	v.patchFigures(0, p)
	if v.err != nil {
		return fmt.Errorf("%s", v.err.Reason)
	}
	return nil
}
