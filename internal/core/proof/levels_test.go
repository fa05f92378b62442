package proof_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
)

// Each fault that was measured makes its mark, once for those that are one matter, and what
// can be done at once takes it away.
func TestWhatWasMeasuredMakesMarks(t *testing.T) {
	octave := 1205.0
	good := template.Heard{By: template.ByCalibration, On: "2026-01-02T03:04:05Z", Levels: [3]float64{-30, -18, -12}, Peak: -6, Noise: -100}
	with := func(change func(h *template.Heard)) template.Heard {
		h := good
		change(&h)
		return h
	}
	for _, c := range []struct {
		code, says string
		rows       []template.Heard
		mends      bool
	}{
		{"", "", []template.Heard{good, good}, false},
		{"dead-patch", "makes no sound", []template.Heard{with(func(h *template.Heard) { h.Silent = true })}, true},
		{"wrong-octave", "sounds an octave above its keys", []template.Heard{with(func(h *template.Heard) { h.Cents = &octave })}, false},
		{"same-articulation", "long and legato sound the same", []template.Heard{with(func(h *template.Heard) { h.Alike = [][2]string{{"long", "legato"}} })}, true},
		{"late-start", "sounds 140 ms after its key", []template.Heard{with(func(h *template.Heard) { h.StartMs = 140 })}, false},
		{"room-noise", "2 rows make noise while they are silent, -57 dBFS together; one is enough", []template.Heard{with(func(h *template.Heard) { h.Noise = -60 }), with(func(h *template.Heard) { h.Noise = -60 })}, false},
		{"off-level", "2 rows are more than 3 dB off the working level; ", []template.Heard{with(func(h *template.Heard) { h.Levels[1] = -30 }), with(func(h *template.Heard) { h.Levels[1] = -22 })}, true},
		{"measured-before", "2 rows were measured before their patches, trims of layers or microphones changed", []template.Heard{with(func(h *template.Heard) { h.Of, h.Levels[1] = "other", -30 }), with(func(h *template.Heard) { h.Of = "other" }), good}, true},
		{"", "", []template.Heard{with(func(h *template.Heard) { h.Silent, h.Fault = true, "the recording ends before it" })}, false},
	} {
		x := coretest.Orchestra(4, 1)
		before := proof.Check(x, "").Counts()
		var edit change.Edit
		for n, h := range c.rows {
			sound := "strings.violin"
			p := *x.PatchOf(x.Instruments[n])
			p.Sound = sound
			x, _, _ = change.Apply(x, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}})
			edit.Edits = append(edit.Edits, change.Fields{ID: x.Instruments[n].ID, Heard: &h, Articulations: &[]string{"long"}})
		}
		x, _, err := change.Apply(x, edit)
		require.NoError(t, err)
		var found []proof.Mark
		for _, m := range proof.Check(x, "").Marks {
			if before[m.Code] == 0 && m.Code != "out-of-range" && m.Code != "no-dynamics" {
				found = append(found, m)
			}
		}
		if c.code == "" {
			require.Empty(t, found)
			continue
		}
		require.Len(t, found, 1, c.code)
		require.Equal(t, c.code, found[0].Code)
		require.Contains(t, found[0].Message, c.says)
		require.NotEmpty(t, found[0].Remedies)
		if !c.mends {
			continue
		}
		build := found[0].Remedies[0].Build
		if build == nil {
			build = found[0].Remedies[1].Build
		}
		mend, err := build()
		require.NoError(t, err)
		x, _, err = change.Apply(x, mend)
		require.NoError(t, err)
		require.Zero(t, proof.Check(x, "").Counts()[c.code], "mended")
	}
}
