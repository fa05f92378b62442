package template

import (
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strconv"

	"fanfold/internal/core/dsp"
)

// HeardBy says how a row was measured.
type HeardBy string

// A row is measured by the stand-in, from its files, or by a recording of a calibration pass.
const (
	ByStandIn     HeardBy = "stand-in"
	ByCalibration HeardBy = "calibration"
)

// Heard is how a row sounds, as it was measured: at the output of its player, before its
// level trim and its fader.
type Heard struct {
	By       HeardBy     `json:"by"`
	On       string      `json:"on"`           // when, RFC 3339, UTC
	Of       string      `json:"of,omitempty"` // what it played then: Template.Plays; empty when that was not noted
	Levels   [3]float64  `json:"levels"`       // of a soft, a middle and a strong note, dBFS RMS
	Peak     float64     `json:"peak"`         // of the strong one, dBFS
	Noise    float64     `json:"noise"`        // of the silence before, dBFS RMS
	StartMs  float64     `json:"startMs"`
	HalfMs   float64     `json:"halfMs"`   // to half of its full amplitude
	DecayS   float64     `json:"decayS"`   // after the key, to -60 dB; 0 when it cannot be told
	Position float64     `json:"position"` // -45 left to 45 right, degrees
	Width    float64     `json:"width"`    // 0 for one point to 2 for opposite sides
	Cents    *float64    `json:"cents,omitempty"`
	Thirds   []float64   `json:"thirds,omitempty"`  // level in third-octaves from 25 Hz, dBFS
	Octaves  []float64   `json:"octaves,omitempty"` // in octaves from 31.5 Hz, of files up to version 7
	Alike    [][2]string `json:"alike,omitempty"`   // articulations that sound the same
	Silent   bool        `json:"silent,omitempty"`
	Clipped  bool        `json:"clipped,omitempty"`
	Clicks   int         `json:"clicks,omitempty"` // in the middle note, while it holds; strokes of a roll count, too
	Fault    string      `json:"fault,omitempty"`  // why nothing of it could be measured
}

// Tone is the level of the middle note in third-octaves from 25 Hz, dBFS; nil when it is not
// known. Octaves that were measured before are taken as even within.
func (h *Heard) Tone() []float64 {
	if len(h.Thirds) > 0 || len(h.Octaves)*3 != dsp.ThirdBands {
		return h.Thirds
	}
	out := make([]float64, dsp.ThirdBands)
	for n := range out {
		out[n] = h.Octaves[n/3] - 10*math.Log10(3)
	}
	return out
}

// Plays is what a row sounds at the output of its player, as a short text that changes when
// that does: its patches, the trims between them, and their microphones.
func (t *Template) Plays(i *Instrument) string {
	sum := fnv.New64a()
	for _, p := range t.PatchesOf(i) {
		fmt.Fprintf(sum, "%s %g", p.ID, i.LayerTrim(p.ID))
		for _, m := range i.MicsOf(p) {
			fmt.Fprintf(sum, " %q", m.Name)
		}
		fmt.Fprintln(sum)
	}
	return strconv.FormatUint(sum.Sum64(), 36)
}

// HeardBefore tells whether a row was measured before what it plays changed: its level is
// that of something else.
func (t *Template) HeardBefore(i *Instrument) bool {
	return i.Heard != nil && i.Heard.Of != "" && i.Heard.Of != t.Plays(i)
}

// Sounds tells whether the row was heard: its figures say something.
func (h *Heard) Sounds() bool { return h != nil && h.Fault == "" && !h.Silent }

// The range of a level trim, dB.
const (
	MinTrimDB = -48.0
	MaxTrimDB = 24.0
)

// mostClicks bounds the clicks of a note.
const mostClicks = 1_000_000

// mostAlike bounds the pairs of articulations that are kept.
const mostAlike = 100

// heard checks what was measured of a row.
func (v *validator) heard(n int, h *Heard) {
	fail := func(field, reason string) { v.fail(at("instruments", n, "heard."+field), "%s", reason) }
	if h.By != ByStandIn && h.By != ByCalibration {
		fail("by", fmt.Sprintf("%q is not a way of measuring", h.By))
	}
	if h.Clicks < 0 || h.Clicks > mostClicks {
		fail("clicks", fmt.Sprintf("%d clicks are outside 0 to %d", h.Clicks, mostClicks))
	}
	if len(h.On) > 40 || len(h.Of) > 40 || len(h.Fault) > 300 || len(h.Alike) > mostAlike {
		fail("on", "what was measured says too much")
	}
	list := append([]float64{h.Peak, h.Noise, h.StartMs, h.HalfMs, h.DecayS, h.Position, h.Width}, h.Levels[:]...)
	if n := len(h.Thirds); n != 0 && n != dsp.ThirdBands {
		fail("thirds", fmt.Sprintf("%d levels are not one for each of %d third-octaves", n, dsp.ThirdBands))
	}
	if n := 3 * len(h.Octaves); n != 0 && n != dsp.ThirdBands {
		fail("octaves", fmt.Sprintf("%d levels are not one for each of %d octaves", len(h.Octaves), dsp.ThirdBands/3))
	}
	list = append(append(list, h.Thirds...), h.Octaves...)
	if h.Cents != nil {
		list = append(list, *h.Cents)
	}
	for _, x := range list {
		if math.IsNaN(x) || math.Abs(x) > 1e6 {
			fail("levels", "a measured figure is not a number")
			return
		}
	}
}

func cloneHeard(h *Heard) *Heard {
	if h = clonePointed(h); h != nil {
		h.Alike, h.Cents = slices.Clone(h.Alike), clonePointed(h.Cents)
		h.Thirds, h.Octaves = slices.Clone(h.Thirds), slices.Clone(h.Octaves)
	}
	return h
}
