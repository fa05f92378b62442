package format

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/dsp"
	"fanfold/internal/format/edl"
	"fanfold/internal/format/otio"
	"fanfold/internal/format/spotting"
	"fanfold/internal/format/wav"
)

// CueExport is a format in which the cues of a production are exported.
type CueExport struct {
	Name      string // as on the command line
	About     string
	Extension string // with its dot
	MediaType string
	// Write writes the cues of a reel, or of all where it is empty.
	Write func(w io.Writer, p *cue.Production, reel cue.ID) error
	// Left is what it leaves out of the cues, in words.
	Left func(p *cue.Production, reel cue.ID) []string
}

// CueExports are all formats of cues.
var CueExports = []CueExport{
	{"list", "a list of cues, to be edited and brought in again", ".csv", "text/csv; charset=utf-8", spotting.WriteCues,
		func(p *cue.Production, reel cue.ID) []string { return p.LeftOut(reel, true) }},
	{"edl", "an event list as CMX 3600 has it, a sound event for each cue", ".edl", "text/plain; charset=utf-8",
		func(w io.Writer, p *cue.Production, reel cue.ID) error { return edl.Write(w, p.Timeline(reel)) },
		func(p *cue.Production, reel cue.ID) []string { return p.LeftOut(reel, false) }},
	{"otio", "an OpenTimelineIO timeline, a clip of sound for each cue", ".otio", "application/json",
		func(w io.Writer, p *cue.Production, reel cue.ID) error { return otio.Write(w, p.Timeline(reel)) },
		func(p *cue.Production, reel cue.ID) []string { return p.LeftOut(reel, false) }},
}

// mostClickSamples bounds a track of clicks, which is made in memory: half an hour at 48 kHz and more.
const mostClickSamples = 100_000_000

// WriteClick writes the clicks of a cue as a WAV file at the production's sample rate, from its first
// bar until its end. It says at which timecode it begins. The error of one that is too long is a
// *cue.Refused.
func WriteClick(w io.Writer, p *cue.Production, c *cue.Cue) error {
	x := p.Clicks(c)
	if x.Samples > mostClickSamples {
		return &cue.Refused{Subject: c.ID, Reason: fmt.Sprintf("%s is too long for a click: %d minutes is the most at %d Hz", c.Called(), mostClickSamples/int64(p.RateHz)/60, p.RateHz)}
	}
	return wav.WriteBroadcast16(w, p.RateHz, 1, dsp.ClickTrack(x.Samples, float64(p.RateHz), x.At, x.First), wav.Broadcast{Description: "Click of " + c.Called(), Begin: x.Begin})
}

// FindCues is a format of cues by its name.
func FindCues(name string) (CueExport, error) {
	n := slices.IndexFunc(CueExports, func(e CueExport) bool { return e.Name == name })
	if n < 0 {
		var names []string
		for _, e := range CueExports {
			names = append(names, e.Name)
		}
		return CueExport{}, fmt.Errorf("there is no format %q of cues; the formats are %s", name, strings.Join(names, ", "))
	}
	return CueExports[n], nil
}
