package template

import (
	"reflect"
	"slices"
)

// MemoryRule says what must fit into a machine's memory.
type MemoryRule string

// The memory rules.
const (
	FitEverything MemoryRule = "everything" // all instruments at once
	FitCalls      MemoryRule = "calls"      // each named call, one at a time
)

// Settings are a template's own ways. DefaultSettings gives the defaults.
type Settings struct {
	About         string       `json:"about,omitempty"`      // what the template is for, in a few words; at most MaxAbout letters
	RiserPorts    int          `json:"riserPorts"`           // MIDI ports of a riser, 1..MaxPorts; defaults to 8
	RiserPairs    int          `json:"riserPairs"`           // stereo output pairs of a riser, 1..MaxPairs; defaults to 64
	FirstPair     int          `json:"firstPair"`            // first pair used, 1..RiserPairs; defaults to 2 (outputs 3-4)
	CoreShare     float64      `json:"coreShare"`            // share of a machine's cores for one riser, 0..1; defaults to a quarter
	MinRiserCores int          `json:"minRiserCores"`        // least cores of a riser; defaults to 2
	MemoryRule    MemoryRule   `json:"memoryRule"`           // what must fit at once; defaults to everything
	TempoBPM      float64      `json:"tempoBpm"`             // quarter notes a minute, 4..999; defaults to 120
	CueBar        int          `json:"cueBar"`               // the bar on the cue's start, 1..64; defaults to 5, four bars free
	MiddleC       int          `json:"middleC,omitempty"`    // the octave key 60 is named by, 3..5; 0 takes 4, as in scientific pitch
	Upbeat        []Controller `json:"upbeat"`               // sent to every instrument before the cue
	Deliver       Deliver      `json:"deliver,omitzero"`     // how stems are wired and delivered
	Seating       Seating      `json:"seating,omitzero"`     // how plans seat instruments
	LatestMs      float64      `json:"latestMs,omitempty"`   // most that a machine may sound late, ms, 0..MaxLatestMs; 0 when it does not matter
	Palette       *Palette     `json:"palette,omitempty"`    // nil takes StandardPalette
	Palettes      []Palette    `json:"palettes,omitempty"`   // of a catalogue: the studio's own
	Hand          []Mapping    `json:"hand,omitempty"`       // of a catalogue: the switches that reach each articulation, whatever the library
	Quiet         []string     `json:"quiet,omitempty"`      // what people could not play and that is passed over, by the finding's key; at most MaxQuiet
	Orchestra     string       `json:"orchestra,omitempty"`  // who plays, in shorthand; empty takes the desks that have rows
	SpareRows     int          `json:"spareRows,omitempty"`  // kept at the end of every section, 0..MaxSpareRows
	SpareShare    float64      `json:"spareShare,omitempty"` // or as a share of its rows, 0..1, whichever is more
	Stage         *StagePlan   `json:"stage,omitempty"`      // the hall; nil has a concert stage, everybody in the usual place
	Names         Names        `json:"names,omitzero"`       // how rows are named
	RemotePort    int          `json:"remotePort,omitempty"` // UDP port for Open Sound Control on the loopback, 1024..65535; 0 listens to nothing
}

// MaxAbout bounds what is said of a template, letters.
const MaxAbout = 2000

// MaxQuiet bounds the findings that are passed over.
const MaxQuiet = 2000

// MaxSpareRows bounds the spare rows kept in one section.
const MaxSpareRows = 64

// MaxLatestMs is the largest latency that can be allowed for, ms.
const MaxLatestMs = 10_000

// Controller is one MIDI controller value.
type Controller struct {
	Number int `json:"number"` // 0..119; 120 and up are channel mode messages
	Value  int `json:"value"`  // 0..127
}

// DefaultSettings returns the settings a new template starts with. The riser
// figures are common practice, no source; the upbeat sets modulation to half,
// volume to 100 and expression to full.
func DefaultSettings() Settings {
	return Settings{
		RiserPorts: 8, RiserPairs: 64, FirstPair: 2,
		CoreShare: 0.25, MinRiserCores: 2, MemoryRule: FitEverything,
		TempoBPM: 120, CueBar: 5,
		Upbeat: []Controller{{Number: 1, Value: 64}, {Number: 7, Value: 100}, {Number: 11, Value: 127}},
	}
}

// Equal tells whether both say the same.
func (s Settings) Equal(o Settings) bool {
	upbeat := slices.Equal(s.Upbeat, o.Upbeat)
	s.Upbeat, o.Upbeat = nil, nil
	return upbeat && reflect.DeepEqual(s, o)
}

// MiddleC is the octave that key 60 is named by: 4, unless the settings say
// otherwise.
func (t *Template) MiddleC() int {
	if t.Settings.MiddleC == 0 {
		return 4
	}
	return t.Settings.MiddleC
}
