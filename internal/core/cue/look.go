package cue

import (
	"fmt"
	"math"
	"slices"

	"fanfold/internal/core/cut"
)

// Mark is something about a cue that a person should look at.
type Mark struct {
	Code    string `json:"code"`
	Cue     ID     `json:"cue,omitempty"`
	Reel    ID     `json:"reel,omitempty"`
	Message string `json:"message"`
	Remedy  string `json:"remedy"` // what a person can do
}

// Codes are the codes of marks, with what each is about.
var Codes = []struct{ Code, About string }{
	{"cue-overlap", "two cues of a reel are heard at once"},
	{"cue-outside", "a cue reaches beyond its reel"},
	{"hit-outside", "a hit lies outside its cue"},
	{"number-twice", "two cues have one number"},
	{"anchor-outside", "an anchor lies outside its cue"},
	{"music-before", "the music of a cue is of an earlier cut"},
	{"music-apart", "the music of a cue does not run as the cue does"},
	{"picture-missing", "a reel has no picture in the present cut"},
	{"film-rate", "a film has other frames than the production"},
	{"film-start", "a film does not begin with its reel"},
	{"film-length", "a film does not end with its event list"},
	{"film-sound", "the sound of a film is not as long as its picture"},
	{"film-short", "a film is cut off"},
}

// Marks lists what should be looked at, in the order of the cues.
func (p *Production) Marks() []Mark {
	rate := p.FrameRate()
	out := []Mark{}
	list := p.InOrder()
	numbers := map[string]*Cue{}
	for n, c := range list {
		add := func(code, remedy, text string, args ...any) {
			out = append(out, Mark{Code: code, Cue: c.ID, Reel: c.Reel, Message: fmt.Sprintf(text, args...), Remedy: remedy})
		}
		if n > 0 {
			if b := list[n-1]; b.Reel == c.Reel && b.End > c.Start {
				add("cue-overlap", "Move one of them, or say in its notes that they cross-fade", "%s begins at %s, before %s ends at %s", c.Called(), rate.Format(c.Start), b.Called(), rate.Format(b.End))
			}
		}
		r := p.Reel(c.Reel)
		span := p.Span(r)
		if c.Start < span.Start || c.End > span.End {
			add("cue-outside", "Move the cue, or set the length of the reel", "%s lies at %s to %s, and reel %s at %s to %s", c.Called(), rate.Format(c.Start), rate.Format(c.End), r.Name, rate.Format(span.Start), rate.Format(span.End))
		}
		outside := 0
		for _, h := range c.Hits {
			if h.Frame < c.Start || h.Frame > c.End {
				outside++
			}
		}
		if outside > 0 {
			add("hit-outside", "Move or remove them", "%d of the hits of %s lie outside of it", outside, c.Called())
		}
		if a := c.Anchor; a != nil && (a.Frame < c.Start || a.Frame >= c.End) {
			add("anchor-outside", "Set the anchor within the cue", "The anchor of %s, at %s, lies outside of it", c.Called(), rate.Format(a.Frame))
		}
		if c.MusicIsBefore(p.Cut) {
			add("music-before", "Give it the music as it is now", "%s has changed with the cut, and its music, %s, has not", c.Called(), c.Music.File)
		}
		if bar, by, apart := c.Apart(rate); apart && !c.MusicIsBefore(p.Cut) {
			how := "late"
			if by < 0 {
				how = "early"
			}
			add("music-apart", "Take the tempo of the music, or give it the file as it is now", "%s: bar %d begins %.1f frames %s in its music", c.Called(), bar, math.Abs(by), how)
		}
		if other := numbers[c.Number]; c.Number != "" && other != nil {
			add("number-twice", "Give one of them another number", "%q and %q are both %s", other.Title, c.Title, c.Number)
		}
		numbers[c.Number] = c
	}
	if p.Cut != "" {
		for _, r := range p.Reels {
			if pic := p.Picture(r.ID); (pic == nil || len(pic.Events) == 0) && p.CutOf(p.Cut).film(r.ID) == nil {
				out = append(out, Mark{Code: "picture-missing", Reel: r.ID, Message: fmt.Sprintf("Reel %s has no picture in %s", r.Name, p.CutOf(p.Cut).Name), Remedy: "Bring in its event list, or choose its film"})
			}
			out = append(out, p.filmMarks(p.CutOf(p.Cut), r)...)
		}
	}
	return out
}

// WithPicture is the change that gives a reel the picture of an event list in a cut: a new one
// where it is not there yet. The first picture that the production gets becomes the present one. The
// reel may be new.
func (p *Production) WithPicture(c *Cut, reel *Reel, events []cut.Event) Change {
	is := p.CutOf(c.ID)
	picture := CutReel{Reel: reel.ID, Events: events}
	if is == nil {
		fresh := *c
		fresh.Reels = []CutReel{picture}
		ops := []Op{Adding(&fresh)}
		if p.Cut == "" {
			ops = append(ops, Setting(OfProduction, "", "cut", c.ID))
		}
		return Change{Label: "Bring in " + c.Name, Ops: ops}
	}
	reels := slices.Clone(is.Reels)
	at := slices.IndexFunc(reels, func(r CutReel) bool { return r.Reel == reel.ID })
	if at >= 0 {
		reels[at] = picture
	} else {
		reels = append(reels, picture)
	}
	return Change{Label: fmt.Sprintf("Bring in reel %s of %s", reel.Name, is.Name), Ops: []Op{Setting(OfCut, c.ID, "reels", reels)}}
}
