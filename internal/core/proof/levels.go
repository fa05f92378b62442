package proof

import (
	"fmt"
	"math"
	"strings"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/balance"
	"fanfold/internal/core/calibrate"
	"fanfold/internal/core/change"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

var levelRules = []Rule{
	{Code: "dead-patch", About: "a row makes no sound", reads: levels | rows | patches, find: deadPatches},
	{Code: "wrong-octave", About: "a row sounds an octave off its keys", reads: levels | patches, find: wrongOctaves},
	{Code: "same-articulation", About: "a switch does not switch: two articulations sound the same", reads: levels | patches, find: sameArticulations},
	{Code: "late-start", About: "a row sounds late", reads: levels | patches, find: lateStarts},
	{Code: "room-noise", About: "several rows make noise while they are silent", reads: levels, find: roomNoise},
	{Code: "off-level", About: "a row is more than 3 dB off the working level", reads: levels | rows | patches, find: offLevel},
	{Code: "measured-before", About: "a row plays something else than what was measured", reads: levels | rows | patches, find: measuredBefore},
}

// measured lists the rows that were measured and have a sound of their own.
func (s *subject) measured() []*template.Instrument {
	var out []*template.Instrument
	for _, i := range s.t.Instruments {
		if i.Heard != nil && i.With == "" && i.Kind == template.Sampled {
			out = append(out, i)
		}
	}
	return out
}

func deadPatches(s *subject) []Mark {
	var out []Mark
	for _, i := range s.measured() {
		if i.Heard.Fault == "" && i.Heard.Silent {
			out = append(out, Mark{
				Subject: i.ID, Name: i.Name, Message: i.Name + " makes no sound: its patch is dead, not loaded, or not connected",
				Remedies: []Remedy{forget(i, "Forget what was measured, and measure it again"), {Label: "Load its patch again, or look in its folder for missing samples"}},
			})
		}
	}
	return out
}

// forget takes what was measured of a row away.
func forget(i *template.Instrument, label string) Remedy {
	return Remedy{Label: label, Build: always(change.Edit{Edits: []change.Fields{{ID: i.ID, Heard: &template.Heard{}}}})}
}

// pitched tells whether the key that a row was measured with says its pitch: bells and drums
// have partials of their own, harmonics are written in several ways.
func (s *subject) pitched(words *articulation.Vocabulary, i *template.Instrument) bool {
	p := s.t.PatchOf(i)
	if p == nil || p.Sound == "" || p.Sound == "synth.effects" {
		return false
	}
	if sound.Family(p.Sound) == "Percussion" {
		return false
	}
	how := calibrate.Plain(words, articulation.MapOf(s.t, i))
	if how == "" && len(i.Articulations) > 0 {
		how = i.Articulations[0]
	}
	return calibrate.Pitched(words, how)
}

func wrongOctaves(s *subject) []Mark {
	var out []Mark
	words := articulation.NewVocabulary(s.t.Vocabulary)
	for _, i := range s.measured() {
		n := balance.Octaves(i.Heard)
		if n == 0 || !s.pitched(words, i) {
			continue
		}
		where := "above"
		if n < 0 {
			where = "below"
		}
		much := "an octave"
		if n < -1 || n > 1 {
			much = fmt.Sprintf("%d octaves", max(n, -n))
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name, Message: fmt.Sprintf("%s sounds %s %s its keys", i.Name, much, where),
			Remedies: []Remedy{{Label: "Transpose it in its player, then measure it again"}, forget(i, "That is intended: forget what was measured")},
		})
	}
	return out
}

func sameArticulations(s *subject) []Mark {
	var out []Mark
	for _, i := range s.measured() {
		if !i.Heard.Sounds() || len(i.Heard.Alike) == 0 {
			continue
		}
		var pairs []string
		for _, p := range i.Heard.Alike {
			pairs = append(pairs, p[0]+" and "+p[1])
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name, Message: fmt.Sprintf("In %s %s sound the same: the switch does not switch", i.Name, strings.Join(pairs[:min(2, len(pairs))], ", and ")),
			Remedies: []Remedy{{Label: "Set the switch in Library as the player has it, then measure it again"}, forget(i, "That is intended: forget what was measured")},
		})
	}
	return out
}

// declaredDelay is how late the map says that a row speaks with what it was measured with,
// ms: the plainest of its articulations, so the least.
func declaredDelay(s *subject, i *template.Instrument) int {
	least := math.MaxInt
	for _, m := range articulation.MapOf(s.t, i) {
		least = min(least, m.DelayMs)
	}
	if least == math.MaxInt {
		return 0
	}
	return least
}

func lateStarts(s *subject) []Mark {
	var out []Mark
	for _, i := range s.measured() {
		ms, late := balance.Late(i, declaredDelay(s, i))
		if !late {
			continue
		}
		own := template.CloneMap(articulation.MapOf(s.t, i))
		for n := range own {
			own[n].DelayMs = min(2000, own[n].DelayMs+int(math.Round(ms))-declaredDelay(s, i))
		}
		remedies := []Remedy{{Label: fmt.Sprintf("Say in its map that it speaks %.0f ms late", ms)}}
		if len(own) > 0 {
			remedies[0].Build = always(change.Edit{Edits: []change.Fields{{ID: i.ID, Map: &own}}})
		}
		out = append(out, Mark{
			Subject: i.ID, Name: i.Name, Message: fmt.Sprintf("%s sounds %.0f ms after its key", i.Name, ms),
			Remedies: append(remedies, Remedy{Label: "Trim its samples, or choose a patch that speaks sooner"}),
		})
	}
	return out
}

// roomNoise makes one mark of all rows that make noise: one of them is enough.
func roomNoise(s *subject) []Mark {
	var loud []*template.Instrument
	var each []float64
	for _, i := range s.measured() {
		if balance.Noisy(i) {
			loud, each = append(loud, i), append(each, i.Heard.Noise+i.LevelTrimDB)
		}
	}
	if len(loud) < 2 {
		return nil
	}
	return []Mark{{
		Subject: loud[0].ID, Name: loud[0].Name,
		Message:  fmt.Sprintf("%d rows make noise while they are silent, %.0f dBFS together; one is enough", len(loud), balance.SumDB(each)),
		Remedies: []Remedy{{Label: "Switch the noise off in all players but one, then measure them again"}},
	}}
}

// measuredBefore makes one mark of all rows whose figures are those of something else.
func measuredBefore(s *subject) []Mark {
	var old []*template.Instrument
	var edit change.Edit
	for _, i := range s.measured() {
		if s.t.HeardBefore(i) {
			old = append(old, i)
			edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, Heard: &template.Heard{}})
		}
	}
	if len(old) == 0 {
		return nil
	}
	text := fmt.Sprintf("%d rows were measured before their patches, trims of layers or microphones changed", len(old))
	if len(old) == 1 {
		text = old[0].Name + " was measured before its patches, trims of layers or microphones changed"
	}
	return []Mark{{
		Subject: old[0].ID, Name: old[0].Name, Message: text,
		Remedies: []Remedy{{Label: "Measure again in Balance, which can keep the level"}, {Label: "Forget what was measured", Build: always(edit)}},
	}}
}

// offLevel makes one mark of all rows that are off, since a template that was never
// balanced has hundreds.
func offLevel(s *subject) []Mark {
	var off []*template.Instrument
	worst, most := "", 0.0
	for _, i := range s.measured() {
		db, ok := balance.Off(i)
		if !ok || math.Abs(db) <= balance.OffDB || s.t.HeardBefore(i) {
			continue
		}
		off = append(off, i)
		if math.Abs(db) > math.Abs(most) {
			worst, most = i.Name, db
		}
	}
	trims := balance.Propose(s.t, off, 0.05)
	if len(trims) == 0 {
		return nil // they cannot be brought nearer
	}
	text := fmt.Sprintf("%d rows are more than %.0f dB off the working level; %s by %+.1f dB", len(off), balance.OffDB, worst, most)
	if len(off) == 1 {
		text = fmt.Sprintf("%s is %+.1f dB off the working level", worst, most)
	}
	return []Mark{{
		Subject: off[0].ID, Name: off[0].Name, Message: text,
		Remedies: []Remedy{{Label: "Trim their levels", Build: always(balance.Change(trims))}, {Label: "Choose the trims in Balance"}},
	}}
}
