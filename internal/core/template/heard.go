package template

import (
	"fmt"
	"math"
	"slices"
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
	On       string      `json:"on"`     // when, RFC 3339, UTC
	Levels   [3]float64  `json:"levels"` // of a soft, a middle and a strong note, dBFS RMS
	Peak     float64     `json:"peak"`   // of the strong one, dBFS
	Noise    float64     `json:"noise"`  // of the silence before, dBFS RMS
	StartMs  float64     `json:"startMs"`
	HalfMs   float64     `json:"halfMs"`   // to half of its full amplitude
	DecayS   float64     `json:"decayS"`   // after the key, to -60 dB; 0 when it can not be told
	Position float64     `json:"position"` // -45 left to 45 right, degrees
	Width    float64     `json:"width"`    // 0 for one point to 2 for opposite sides
	Cents    *float64    `json:"cents,omitempty"`
	Octaves  [10]float64 `json:"octaves"`         // from 31.5 Hz, dBFS
	Alike    [][2]string `json:"alike,omitempty"` // articulations that sound the same
	Silent   bool        `json:"silent,omitempty"`
	Clipped  bool        `json:"clipped,omitempty"`
	Clicks   int         `json:"clicks,omitempty"` // in the middle note, while it holds; strokes of a roll count, too
	Fault    string      `json:"fault,omitempty"`  // why nothing of it could be measured
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
	if len(h.On) > 40 || len(h.Fault) > 300 || len(h.Alike) > mostAlike {
		fail("on", "what was measured says too much")
	}
	list := append([]float64{h.Peak, h.Noise, h.StartMs, h.HalfMs, h.DecayS, h.Position, h.Width}, h.Levels[:]...)
	list = append(list, h.Octaves[:]...)
	if h.Cents != nil {
		list = append(list, *h.Cents)
	}
	for _, x := range list {
		if math.IsNaN(x) || math.Abs(x) > 1e6 {
			fail("levels", "a figure that was measured is none")
			return
		}
	}
}

func cloneHeard(h *Heard) *Heard {
	if h = clonePointed(h); h != nil {
		h.Alike, h.Cents = slices.Clone(h.Alike), clonePointed(h.Cents)
	}
	return h
}
