package cue

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
)

// VerdictKind says what a new cut does to a cue.
type VerdictKind string

// The kinds, the least first.
const (
	Untouched VerdictKind = "untouched"
	Shifted   VerdictKind = "moved"   // as a whole
	Changed   VerdictKind = "changed" // inside
	Gone      VerdictKind = "gone"    // with all of its picture
)

// Seam is a place inside a cue where frames are taken out or put in.
type Seam struct {
	Frame int64 `json:"frame"` // of the old film, where what stays ends
	Place Place `json:"place"` // in the music
	Taken int64 `json:"taken"` // frames that are taken out there
	By    int64 `json:"by"`    // by how many frames the film is longer then; below 0 it is shorter
}

// Verdict is what a new cut does to a cue, and where it stands then.
type Verdict struct {
	Cue    ID          `json:"cue"`
	Kind   VerdictKind `json:"kind"`
	By     int64       `json:"by"`    // frames that its anchor moves
	Start  int64       `json:"start"` // in the new film
	End    int64       `json:"end"`
	Seams  []Seam      `json:"seams"`
	Lost   int64       `json:"lost"`   // frames of its picture that are gone
	Fresh  int64       `json:"fresh"`  // frames that are new within it
	Look   []string    `json:"look"`   // what to look at, in words
	Unsure bool        `json:"unsure"` // some of it is known by timecode alone
}

// Judge tells what a new cut of its reel does to a cue. A cue of whose picture nothing was known
// stays where it is.
func Judge(c *Cue, m cut.Map, rate timecode.Rate) Verdict {
	v := Verdict{Cue: c.ID, Kind: Untouched, Start: c.Start, End: c.End, Seams: []Seam{}, Look: []string{}}
	span := cut.Span{Start: c.Start, End: c.End}
	pieces := m.Within(span)
	if len(pieces) == 0 {
		v.Kind, v.Lost = Gone, span.Length()
		v.Look = append(v.Look, "all of its picture is gone")
		return v
	}
	kept := v.inOrder(pieces)
	anchor := c.Start
	if c.Anchor != nil {
		anchor = c.Anchor.Frame
	}
	now, away, ok := m.Near(anchor, span)
	if !ok { // the anchor lies outside of the cue
		now, away, _ = m.Near(min(max(anchor, c.Start), c.End-1), span)
	}
	at := anchor
	if away > 0 {
		what := "the picture on its start"
		if c.Anchor != nil {
			what = fmt.Sprintf("its anchor, %q,", cmp.Or(c.Anchor.Text, rate.Format(anchor)))
		}
		v.Look = append(v.Look, fmt.Sprintf("%s is gone; the nearest that is left lies %d frames from it", what, away))
		at = nearest(pieces, anchor)
	}
	v.By = now - at
	v.seams(c, kept, rate)
	v.place(c, at)
	if len(v.Seams) == 0 && v.By != 0 {
		v.Kind = Shifted
	} else if len(v.Seams) > 0 {
		v.Kind = Changed
	}
	return v
}

// nearest is the frame of pieces that lies nearest to another.
func nearest(pieces []cut.Piece, frame int64) int64 {
	best, found := frame, false
	for _, p := range pieces {
		at := min(max(frame, p.Old.Start), p.Old.End-1)
		if !found || abs(at-frame) < abs(best-frame) {
			best, found = at, true
		}
	}
	return best
}

func abs(x int64) int64 { return max(x, -x) }

// inOrder are the pieces that come one after another in the new film as well; others are told.
func (v *Verdict) inOrder(pieces []cut.Piece) []cut.Piece {
	var out []cut.Piece
	moved := int64(0)
	for _, p := range pieces {
		v.Unsure = v.Unsure || p.Unsure
		if p.How != cut.Kept || len(out) > 0 && p.New.Start < out[len(out)-1].New.End {
			moved += p.Old.Length()
			continue
		}
		out = append(out, p)
	}
	if len(out) == 0 {
		// All of it went elsewhere, as one or in parts: the longest leads.
		long := slices.MaxFunc(pieces, func(a, b cut.Piece) int { return cmp.Compare(a.Old.Length(), b.Old.Length()) })
		moved -= long.Old.Length()
		out = append(out, long)
		if moved > 0 {
			v.Look = append(v.Look, fmt.Sprintf("%d frames of its picture have moved", moved))
		}
		return out
	}
	if moved > 0 {
		v.Look = append(v.Look, fmt.Sprintf("%d frames of its picture have moved", moved))
	}
	return out
}

// seams finds where frames are taken out of the cue or put into it.
func (v *Verdict) seams(c *Cue, pieces []cut.Piece, rate timecode.Rate) {
	t := c.MustTime()
	add := func(frame, taken, put int64) {
		v.Lost, v.Fresh = v.Lost+taken, v.Fresh+put
		if put == taken {
			if put > 0 {
				v.Look = append(v.Look, fmt.Sprintf("%d frames at %s show something else", put, rate.Format(frame)))
			}
			return
		}
		v.Seams = append(v.Seams, Seam{frame, t.PlaceOf(c.TickOf(t, rate, float64(frame))).rounded(), taken, put - taken})
	}
	if head := pieces[0].Old.Start - c.Start; head > 0 {
		add(c.Start, head, 0)
	}
	for n := 1; n < len(pieces); n++ {
		a, b := pieces[n-1], pieces[n]
		taken, put := b.Old.Start-a.Old.End, b.New.Start-a.New.End
		if taken != 0 || put != 0 {
			add(a.Old.End, taken, put)
		}
	}
	for _, p := range pieces {
		if d := p.New.Length() - p.Old.Length(); d != 0 {
			add(p.Old.End, 0, d)
			v.Look = append(v.Look, fmt.Sprintf("from %s on its picture runs at another speed", rate.Format(p.Old.Start)))
		}
	}
	if tail := c.End - pieces[len(pieces)-1].Old.End; tail > 0 {
		add(pieces[len(pieces)-1].Old.End, tail, 0)
	}
	slices.SortStableFunc(v.Seams, func(a, b Seam) int { return cmp.Compare(a.Frame, b.Frame) })
}

// rounded is a place to a hundredth of a beat.
func (p Place) rounded() Place {
	p.Beat = math.Round(p.Beat*100) / 100
	return p
}

// place says where the cue begins and ends: so that its anchor, at a frame of the old film,
// stays on its picture, with what the seams before and after it put in and take out.
func (v *Verdict) place(c *Cue, anchor int64) {
	before := int64(0)
	all := int64(0)
	for _, s := range v.Seams {
		all += s.By
		if s.Frame < anchor {
			before += s.By
		}
	}
	v.Start = c.Start + v.By - before
	v.End = max(v.Start+1, v.Start+c.End-c.Start+all)
	if len(v.Seams) == 0 {
		v.Start, v.End = c.Start+v.By, c.End+v.By
	}
}
