// Package intake turns a list of rows, as people keep them, into one change
// of a template: sections from paths, stems and groups from their columns,
// and whatever libraries, players, patches and machines are missing. Rows
// come in; a change, a report of what it makes, and problems by line and
// column come out.
package intake

import (
	"strings"

	"fanfold/internal/core/template"
)

// Columns are the columns of a row list, by their canonical names.
var Columns = []string{
	"section", "instrument", "articulations", "library", "patch", "kind",
	"stem", "group", "machine", "player", "preload_mib", "full_mib", "voices",
	"key_low", "key_high", "colour", "notes", "file", "bank", "programme", "layer",
}

// MaxLayers bounds the patches that a row of a list plays at once.
const MaxLayers = 64

// Row is one row of a list. Figures are nil where the list says nothing.
type Row struct {
	Line          int // in the file, from 1
	Section       string
	Instrument    string
	Articulations []string
	Library       string
	Patch         string
	Kind          string
	Stem          string
	Group         string
	Machine       string
	Player        string
	PreloadMiB    *float64
	FullMiB       *float64
	Voices        *int
	KeyLow        *int // MIDI note
	KeyHigh       *int // MIDI note
	Colour        string
	Notes         string
	File          string // of the patch, in the library's folder
	Bank          *int   // of the patch in its file
	Programme     *int   // likewise
	Layer         int    // 2 and more: a patch that the row above plays beside its own
}

// Problem says what is wrong with a row, where, and what to do.
type Problem struct {
	Line   int    `json:"line"`
	Column string `json:"column,omitempty"` // empty when it is about the row as a whole
	Reason string `json:"reason"`
}

// Defaults stand in for what a list does not say.
type Defaults struct {
	Library    string
	PreloadMiB float64
	Player     template.Player
	Machine    template.Machine
	Free       bool // a row that names no kind, library or patch stays free, to be filled from libraries
}

// StandardDefaults are the defaults every intake states in its report. The
// figures are common practice, no source.
func StandardDefaults() Defaults {
	return Defaults{
		Library:    "Unnamed library",
		PreloadMiB: 200,
		Player:     template.Player{Name: "Sampler", Sounds: 16, Outputs: 16, OwnMiB: 64, WakeMs: 2000, WakeAgainMs: 500},
		Machine:    template.Machine{MemoryMiB: 64 * 1024, ReserveMiB: 8 * 1024, Cores: 16, DiskMiBs: 500},
	}
}

// Report says what an intake makes.
type Report struct {
	Instruments int      `json:"instruments"`
	Sections    []string `json:"sections"`
	Stems       []string `json:"stems"`
	Groups      []string `json:"groups"`
	Libraries   []string `json:"libraries"`
	Players     []string `json:"players"`
	Machines    []string `json:"machines"`
	Patches     int      `json:"patches"`
	Stated      []string `json:"stated"` // the defaults used, in words
	// Told is where lines of the list disagree about a patch, and what was taken. Their
	// rows come in.
	Told []Problem `json:"told"`
}

// Split takes a cell of several texts apart, at semicolons.
func Split(cell string) []string {
	var out []string
	for _, text := range strings.Split(cell, ";") {
		if text = strings.TrimSpace(text); text != "" {
			out = append(out, text)
		}
	}
	return out
}
