package template

import (
	"fmt"
	"path"
	"slices"
)

// Room is the kind of room a library was recorded in.
type Room string

// The rooms.
const (
	Dry   Room = "dry"
	Stage Room = "stage"
	Hall  Room = "hall"
)

// Rooms lists every room.
var Rooms = []Room{Dry, Stage, Hall}

// Library is an owned sample product.
type Library struct {
	ID       ID       `json:"id"`
	Name     string   `json:"name"`
	Code     string   `json:"code"` // two to four letters, for narrow columns
	Family   string   `json:"family,omitempty"`
	Room     Room     `json:"room,omitempty"`     // empty when not said
	Machines []string `json:"machines,omitempty"` // names of those it is installed on; empty when not said
	Emblem   *Emblem  `json:"emblem,omitempty"`   // its small sign; nil has none
}

// InstalledOn tells whether the library is installed on a machine, by name.
// One that names no machine is taken to be everywhere.
func (l *Library) InstalledOn(machine string) bool {
	return len(l.Machines) == 0 || l.Names(machine)
}

// Names tells whether the library is said to be installed on a machine, by name.
func (l *Library) Names(machine string) bool {
	return slices.ContainsFunc(l.Machines, func(m string) bool { return equalFold(m, machine) })
}

// Player is the kind of sampler that plays a patch.
type Player struct {
	ID          ID      `json:"id"`
	Name        string  `json:"name"`
	Sounds      int     `json:"sounds"`           // sounds at once in each bank, 1..16
	Outputs     int     `json:"outputs"`          // stereo output pairs, 1..64
	OwnMiB      float64 `json:"ownMib"`           // memory of one empty player, MiB
	WakeMs      int     `json:"wakeMs"`           // time to wake the first on a riser, ms
	WakeAgainMs int     `json:"wakeAgainMs"`      // time to wake each later one, ms
	Order       int     `json:"order"`            // players load in this order, lowest first
	Banks       int     `json:"banks,omitempty"`  // banks of sounds it holds, 0..128; 0 when not said: see Ports
	Emblem      *Emblem `json:"emblem,omitempty"` // its small sign; nil has none
}

// Ports is how many MIDI ports in a row one running player listens on, 1 or
// more: each of its banks has a port of its own, and a player of which nothing
// is said holds one bank (common practice, no source). A player of one sound
// has no banks.
func (p *Player) Ports() int {
	if p.Sounds < 2 {
		return 1
	}
	return max(1, p.Banks)
}

// FirstPort is the first MIDI port, 1 or more, of the running player that
// listens on a port: players of four banks begin on ports 1, 5, 9 and so on.
func (p *Player) FirstPort(port int) int { return port - (port-1)%p.Ports() }

// PortsText says on which ports a running player listens, in words: "port 3",
// "ports 1 to 4".
func (p *Player) PortsText(port int) string {
	from := p.FirstPort(port)
	if p.Ports() == 1 {
		return fmt.Sprintf("port %d", from)
	}
	return fmt.Sprintf("ports %d to %d", from, from+p.Ports()-1)
}

// Patch is one loadable sound in a library.
type Patch struct {
	ID          ID        `json:"id"`
	Library     ID        `json:"library"`
	Player      ID        `json:"player"`
	Name        string    `json:"name"`
	PreloadMiB  float64   `json:"preloadMib"`              // memory taken when ready, MiB, microphones apart
	FullMiB     float64   `json:"fullMib"`                 // all of its samples on disk, MiB, microphones apart
	Voices      int       `json:"voices"`                  // voices at once, 0 when unknown
	KeyLow      int       `json:"keyLow"`                  // lowest playable key, MIDI note 0..127
	KeyHigh     int       `json:"keyHigh"`                 // highest playable key, MIDI note 0..127
	Sound       string    `json:"sound,omitempty"`         // MusicXML 4.0 standard sound ID: "strings.violin"
	Roles       []string  `json:"roles,omitempty"`         // tags such as "solo", "section", "rhythm"
	SwitchZone  *KeyZone  `json:"switchZone,omitempty"`    // keys the player keeps for key switches
	RoundRobins int       `json:"roundRobins,omitempty"`   // 0 when unknown
	PerNote     int       `json:"voicesPerNote,omitempty"` // voices one note takes, 0 when unknown
	Mics        []Mic     `json:"mics,omitempty"`
	Heavy       bool      `json:"heavy,omitempty"`    // many streamed voices, scripted legato, several microphones
	Measured    bool      `json:"measured,omitempty"` // its figures come from a scan; otherwise they are declared
	Guessed     bool      `json:"guessed,omitempty"`  // nobody said its preload size: it is a default
	Source      *Source   `json:"source,omitempty"`   // the file it was measured from; nil when unknown
	Dynamics    Dynamics  `json:"dynamics,omitempty"`
	Map         []Mapping `json:"map,omitempty"` // its articulation map
}

// Source is the file of a patch and, where a file holds several, its preset. A
// patch is the same patch as long as its source is, whatever it is called.
type Source struct {
	File      string `json:"file"`                // path within the library's folder
	Bank      int    `json:"bank,omitempty"`      // of its preset, as the file numbers it; 0 in files of one patch
	Programme int    `json:"programme,omitempty"` // 0..127, likewise
}

// Folder is the name of the folder its file lies in, empty at the top.
func (s *Source) Folder() string {
	if dir := path.Base(path.Dir(s.File)); dir != "." && dir != "/" {
		return dir
	}
	return ""
}

// Is tells whether two sources are the same; none is the same as none.
func (s *Source) Is(other *Source) bool {
	if s == nil || other == nil {
		return s == other
	}
	return *s == *other
}

// KeyZone is a run of keys, MIDI notes 0..127.
type KeyZone struct {
	Low  int `json:"low"`
	High int `json:"high"`
}

// Mic is a microphone position, loaded or not beside the patch itself.
type Mic struct {
	Name       string  `json:"name"`
	PreloadMiB float64 `json:"preloadMib"`
	FullMiB    float64 `json:"fullMib"`
	Off        bool    `json:"off,omitempty"` // the patch starts without it
}

// Dynamics is what a patch answers to with loudness.
type Dynamics string

// The dynamics. Where there are two, the second is the secondary.
const (
	DynamicsUnknown            Dynamics = ""
	DynamicsNone               Dynamics = "none"
	DynamicsVelocity           Dynamics = "velocity"
	DynamicsController         Dynamics = "controller"          // CC 1
	DynamicsVelocityController Dynamics = "velocity+controller" // velocity first, CC 1 secondary
	DynamicsControllerVelocity Dynamics = "controller+velocity"
	DynamicsExpression         Dynamics = "expression" // CC 11: CC 1 is sent on as that
	DynamicsVolume             Dynamics = "volume"     // answers none: CC 1 is sent on as CC 7
)

// AllDynamics lists every way, unknown first.
var AllDynamics = []Dynamics{
	DynamicsUnknown, DynamicsNone, DynamicsVelocity, DynamicsController,
	DynamicsVelocityController, DynamicsControllerVelocity, DynamicsExpression, DynamicsVolume,
}

// ByController tells whether a held note can be made louder.
func (d Dynamics) ByController() bool {
	return d != DynamicsNone && d != DynamicsVelocity && d != DynamicsUnknown
}

// Layout is how an instrument offers its articulations.
type Layout string

// The layouts.
const (
	Switched  Layout = ""          // one row that switches
	SpreadOut Layout = "spread"    // one of several rows that feed one player
	Performed Layout = "performed" // one row whose playing chooses
)

// Layouts lists every layout.
var Layouts = []Layout{Switched, SpreadOut, Performed}

// MicsOf returns the microphone positions of a patch that the instrument
// loads: those it chose by name, or those the patch starts with.
func (i *Instrument) MicsOf(p *Patch) []Mic {
	var out []Mic
	for _, m := range p.Mics {
		if len(i.Mics) == 0 && !m.Off || slices.Contains(i.Mics, m.Name) {
			out = append(out, m)
		}
	}
	return out
}

// PreloadMiB is the memory a patch takes for an instrument, MiB: its own, or
// what of it is left when it is trimmed, and its chosen microphone positions'.
func (i *Instrument) PreloadMiB(p *Patch) float64 {
	sum := p.PreloadMiB
	if i.Trim != nil {
		for _, x := range i.Trim.Patches {
			if x.Patch == p.ID {
				sum = min(sum, x.MiB)
			}
		}
	}
	for _, m := range i.MicsOf(p) {
		sum += m.PreloadMiB
	}
	return sum
}

// MissingOn returns the first library the instrument plays that is not
// installed on a machine, or nil.
func (t *Template) MissingOn(i *Instrument, m *Machine) *Library {
	for _, p := range t.PatchesOf(i) {
		if l := t.Index().Libraries[p.Library]; !l.InstalledOn(m.Name) {
			return l
		}
	}
	return nil
}
