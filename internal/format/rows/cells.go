package rows

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/intake"
	"fanfold/internal/core/note"
)

// synonyms are headings in common use, besides the canonical names.
var synonyms = map[string]string{
	"path": "section", "family": "section", "folder": "section",
	"name": "instrument", "track": "instrument", "track name": "instrument", "row": "instrument",
	"articulation": "articulations", "arts": "articulations", "techniques": "articulations",
	"lib": "library", "collection": "library",
	"sound": "patch", "program": "patch", "preset": "patch",
	"type":     "kind",
	"submix":   "group",
	"computer": "machine", "host": "machine", "server": "machine",
	"sampler": "player", "plugin": "player",
	"preload": "preload_mib", "memory": "preload_mib", "mib": "preload_mib", "ram": "preload_mib",
	"full": "full_mib", "size": "full_mib", "disk": "full_mib",
	"polyphony": "voices",
	"low":       "key_low", "lowest": "key_low", "low key": "key_low",
	"high": "key_high", "highest": "key_high", "high key": "key_high",
	"color": "colour", "tint": "colour",
	"note": "notes", "comment": "notes", "comments": "notes", "remarks": "notes",
}

// Match returns the column a heading means, or "" if it is not known. Case,
// spaces, hyphens and underscores do not matter; a size may name its unit.
func Match(heading string) string {
	if c := match(heading); c != "" {
		return c
	}
	if name, unit := intake.Unit(heading); unit != "" {
		if c := match(name); slices.Contains(sizes, c) {
			return c
		}
	}
	return ""
}

func match(heading string) string {
	h := strings.Join(strings.FieldsFunc(strings.ToLower(heading), func(r rune) bool { return r == ' ' || r == '_' || r == '-' }), " ")
	for _, c := range intake.Columns {
		if h == strings.ReplaceAll(c, "_", " ") {
			return c
		}
	}
	return synonyms[h]
}

// set puts a cell into its field.
func set(row *intake.Row, column, cell string, o Options) error {
	if cell == "" {
		return nil
	}
	switch column {
	case "section":
		row.Section = cell
	case "instrument":
		row.Instrument = cell
	case "articulations":
		row.Articulations = intake.Split(cell)
	case "library":
		row.Library = cell
	case "patch":
		row.Patch = cell
	case "kind":
		row.Kind = strings.ToLower(cell)
	case "stem":
		row.Stem = cell
	case "group":
		row.Group = cell
	case "machine":
		row.Machine = cell
	case "player":
		row.Player = cell
	case "colour":
		row.Colour = strings.ToLower(cell)
	case "notes":
		row.Notes = cell
	case "file":
		row.File = cell
	default:
		return setFigure(row, column, cell, o)
	}
	return nil
}

func setFigure(row *intake.Row, column, cell string, o Options) (err error) {
	switch column {
	case "preload_mib":
		row.PreloadMiB, err = size(cell, o.Decimal, o.unit)
	case "full_mib":
		row.FullMiB, err = size(cell, o.Decimal, o.unit)
	case "voices":
		n, e := strconv.Atoi(cell)
		if e != nil || n < 0 || n > 4096 {
			return fmt.Errorf("%q is not a number of voices, 0 to 4096", cell)
		}
		row.Voices = &n
	case "bank":
		row.Bank, err = numbered(cell)
	case "programme":
		row.Programme, err = numbered(cell)
	case "layer":
		n, e := strconv.Atoi(cell)
		if e != nil || n < 1 || n > intake.MaxLayers {
			return fmt.Errorf("%q is not a layer, 1 to %d", cell, intake.MaxLayers)
		}
		row.Layer = n
	case "key_low":
		row.KeyLow, err = Key(cell, o.MiddleC)
	case "key_high":
		row.KeyHigh, err = Key(cell, o.MiddleC)
	}
	return err
}

// numbered reads a bank or programme.
func numbered(cell string) (*int, error) {
	n, err := strconv.Atoi(cell)
	if err != nil || n < 0 || n > math.MaxUint16 {
		return nil, fmt.Errorf("%q is not a number 0 to %d", cell, math.MaxUint16)
	}
	return &n, nil
}

// mostMiB bounds a size, MiB.
const mostMiB = 1 << 22

// sizes are the columns of sizes.
var sizes = []string{"preload_mib", "full_mib"}

func size(cell string, mark intake.Decimal, unit string) (*float64, error) {
	x, err := intake.MiB(cell, mark, unit, mostMiB)
	if err != nil {
		return nil, err
	}
	return &x, nil
}

// Key reads a MIDI key: a number 0 to 127, or a note name such as C#2, with
// note 60 written as C and the octave middleC (0 stands for 4).
func Key(cell string, middleC int) (*int, error) {
	if middleC == 0 {
		middleC = note.Scientific
	}
	n, err := note.Parse(cell, middleC)
	if err != nil || n < 0 || n > 127 {
		return nil, fmt.Errorf("%q is not a key; write a MIDI note 0 to 127 or a name such as C%d", cell, middleC)
	}
	return &n, nil
}
