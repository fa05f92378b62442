package cue

import (
	"fmt"
	"strings"

	"fanfold/internal/core/cut"
)

// Timeline is the cues of a reel, or of the whole production where reel is empty, as sound at its
// timecode: each a clip by its number and title, on as few tracks as hold those that overlap. The
// source of a cue is its number, with the film's timecode, as files that are printed of it are stamped.
func (p *Production) Timeline(reel ID) cut.Timeline {
	out := cut.Timeline{Title: p.Name, Rate: p.FrameRate()}
	if r := p.Reel(reel); r != nil {
		out.Title += " reel " + r.Name
	}
	var events []cut.Event
	for _, c := range p.InOrder() {
		if reel == "" || c.Reel == reel {
			events = append(events, cut.Event{Source: c.Number, Clip: strings.TrimSpace(c.Number + " " + c.Title), In: c.Start, Start: c.Start, End: c.End})
		}
	}
	for n, track := range cut.Beside(events) {
		out.Tracks = append(out.Tracks, cut.Track{Name: fmt.Sprintf("Music %d", n+1), Sound: true, Events: track})
	}
	return out
}

// LeftOut says what of cues is not in their timeline, or in a list of them, for people.
func (p *Production) LeftOut(reel ID, list bool) []string {
	var notes, hits, markers int
	for _, c := range p.Cues {
		if reel != "" && c.Reel != reel {
			continue
		}
		if c.Notes != "" {
			notes++
		}
		hits += len(c.Hits)
		markers += len(c.Markers)
	}
	out := []string{"tempi, bars and status of cues"}
	if list {
		out, notes = []string{"tempi after the first, and bars"}, 0
	}
	for _, x := range []struct {
		n    int
		what string
	}{{notes, "notes of cues"}, {hits, "hits"}, {markers, "markers"}} {
		if x.n > 0 {
			out = append(out, fmt.Sprintf("%s (%d)", x.what, x.n))
		}
	}
	return out
}
