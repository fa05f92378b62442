// Package balance makes instruments belong together: level trims, headroom. What was
// measured of a template's rows goes in; proposals, each with its reason, come out.
package balance

import (
	"fmt"
	"math"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
)

// WorkingDB is the level of a mezzo-forte note of every row, dBFS RMS, and OffDB from where
// on a row is off it (common practice, no source).
const (
	WorkingDB = -18.0
	OffDB     = 3.0
)

// CeilingDB is how high the peak of a strong note may come by a trim, dBFS: one below full
// scale, as broadcasters keep true peaks (EBU R 128).
const CeilingDB = -1.0

// Level is how loud a row is, trimmed: of its middle note, dBFS RMS. ok is false when nobody
// has heard it.
func Level(i *template.Instrument) (db float64, ok bool) {
	if !i.Heard.Sounds() {
		return 0, false
	}
	return i.Heard.Levels[1] + i.LevelTrimDB, true
}

// Off is how far a row lies above the working level, dB.
func Off(i *template.Instrument) (db float64, ok bool) {
	db, ok = Level(i)
	return db - WorkingDB, ok
}

// Trim is what would bring a row to its level.
type Trim struct {
	Row    *template.Instrument
	FromDB float64 // its level trim now
	ToDB   float64
	Why    string
	Short  float64 // dB that are still missing, since more would not fit
}

// Propose proposes level trims for rows that were heard and are not where they should be, to
// a tenth of a dB. A row whose strong notes would come over the ceiling is trimmed less, and
// that is told. Those whose trim would change by less than least dB are left out, and those
// that were heard before what they play changed.
func Propose(t *template.Template, rows []*template.Instrument, least float64) []Trim {
	var out []Trim
	for _, i := range rows {
		if !i.Heard.Sounds() || i.With != "" || t.HeardBefore(i) {
			continue
		}
		x := toLevel(i, i.Heard, WorkingDB)
		if math.Abs(x.ToDB-x.FromDB) >= least {
			out = append(out, x)
		}
	}
	return out
}

// toLevel is the trim that brings a row, as it was heard, to a level, dBFS RMS.
func toLevel(i *template.Instrument, h *template.Heard, level float64) Trim {
	x := Trim{Row: i, FromDB: i.LevelTrimDB, ToDB: level - h.Levels[1]}
	x.Why = fmt.Sprintf("a middle note is %s RMS", decibels(h.Levels[1]))
	if most := CeilingDB - h.Peak; x.ToDB > most {
		x.Short = tenth(x.ToDB - most)
		x.ToDB = most
		x.Why += fmt.Sprintf("; a strong one peaks at %s, so that %.1f dB are missing", decibels(h.Peak), x.Short)
	}
	x.ToDB = tenth(min(template.MaxTrimDB, max(template.MinTrimDB, x.ToDB)))
	return x
}

// Keep is the trim by which a row that sounds as was heard now is as loud as it was before. ok
// is false when one of the two is not known.
func Keep(i *template.Instrument, now *template.Heard) (x Trim, ok bool) {
	was, ok := Level(i)
	if !ok || !now.Sounds() {
		return Trim{}, false
	}
	return toLevel(i, now, was), true
}

func tenth(x float64) float64 { return math.Round(x*10) / 10 }

// decibels writes a level: "-21.5 dBFS".
func decibels(x float64) string { return fmt.Sprintf("%.1f dBFS", x) }

// Change sets the trims.
func Change(list []Trim) change.Change {
	var edit change.Edit
	for _, x := range list {
		edit.Edits = append(edit.Edits, change.Fields{ID: x.Row.ID, LevelTrimDB: &x.ToDB})
	}
	label := fmt.Sprintf("Trim the level of %d rows", len(list))
	if len(list) == 1 {
		label = "Trim the level of " + list[0].Row.Name
	}
	return change.Batch{Label: label, Changes: []change.Change{edit}}
}

// MixDB is how loud n sources that have nothing to do with each other are together at the
// working level, dBFS RMS: WorkingDB + 10 log10 n.
func MixDB(n int) float64 {
	if n < 1 {
		return math.Inf(-1)
	}
	return WorkingDB + 10*math.Log10(float64(n))
}

// SumDB is how loud sources that have nothing to do with each other are together: their
// powers add.
func SumDB(levels []float64) float64 {
	sum := 0.0
	for _, db := range levels {
		sum += math.Pow(10, db/10)
	}
	return 10 * math.Log10(sum)
}

// Faults of what was measured, with what is a matter of taste left to the person.
const (
	LateMs    = 60.0  // a start later than this is late, beyond what the map says of the articulation
	OctaveBy  = 300.0 // cents that a wrong middle C lies within of whole octaves
	NoiseDB   = -60.0 // room noise beside the working level, dB
	loudNoise = WorkingDB + NoiseDB
)

// Octaves tells by how many octaves a row sounds above its keys; 0 when it does not.
func Octaves(h *template.Heard) int {
	if !h.Sounds() || h.Cents == nil {
		return 0
	}
	n := math.Round(*h.Cents / 1200)
	if n == 0 || math.Abs(*h.Cents-1200*n) > OctaveBy {
		return 0
	}
	return int(n)
}

// Late tells whether a row sounds later than it says it does, ms.
func Late(i *template.Instrument, declaredMs int) (ms float64, late bool) {
	if !i.Heard.Sounds() {
		return 0, false
	}
	return i.Heard.StartMs, i.Heard.StartMs > LateMs+float64(declaredMs)
}

// Noisy tells whether a row makes noise while it is silent.
func Noisy(i *template.Instrument) bool {
	return i.Heard.Sounds() && i.Heard.Noise+i.LevelTrimDB > loudNoise
}
