package cue

import (
	"fmt"
	"maps"
	"math"

	"fanfold/internal/core/timecode"
)

// Film is a file with the picture of a reel, on a folder that may be scanned, and what its header
// told when it was chosen.
type Film struct {
	Folder  string  `json:"folder"`
	File    string  `json:"file"`            // within the folder
	Begin   *int64  `json:"begin,omitempty"` // where its first frame stands, as a person set it; nil is as its timecode says
	Footage Footage `json:"footage"`
}

// Footage is what the header of a movie tells.
type Footage struct {
	Num     int64  `json:"num"` // frames a second: num/den
	Den     int64  `json:"den"`
	Varies  bool   `json:"varies,omitempty"` // its frames are not equally long
	Frames  int64  `json:"frames"`
	Start   string `json:"start,omitempty"`   // the timecode of its first frame; empty for none
	SoundMs int64  `json:"soundMs,omitempty"` // how long its own sound is, ms; 0 for none
	Width   int    `json:"width"`             // pixels
	Height  int    `json:"height"`
	Codec   string `json:"codec"`           // four letters
	Short   bool   `json:"short,omitempty"` // the file ends before its media do
}

// MostFilmFrames bounds a film: a day at 60 frames a second.
const MostFilmFrames = 86_400 * 60

// soundOff is how much longer or shorter than the picture its sound may be, frames: coders add to
// either end (common practice, no source).
const soundOff = 2.0

// Rate is the rate of a movie as people write it.
func (f Footage) Rate() string {
	for _, x := range timecode.Rates {
		if x.Rate.Num*f.Den == f.Num*x.Rate.Den && !x.Rate.Drop {
			return x.Name
		}
	}
	return fmt.Sprintf("%.3f", float64(f.Num)/float64(max(1, f.Den)))
}

// Same says whether a movie has the frames of a rate.
func (f Footage) Same(r timecode.Rate) bool { return !f.Varies && r.Num*f.Den == f.Num*r.Den }

// check refuses what no header tells.
func (f *Film) check(rate timecode.Rate) error {
	g := f.Footage
	switch {
	case f.Folder == "" || f.File == "" || len(f.Folder) > 4096 || len(f.File) > 4096:
		return fmt.Errorf("a film has no folder or no name")
	case g.Num <= 0 || g.Den <= 0 || g.Num > 1e12 || g.Den > 1e12 || g.Frames < 1 || g.Frames > MostFilmFrames || g.SoundMs < 0 || len(g.Start) > 20 || len(g.Codec) > 20:
		return fmt.Errorf("%s cannot have %d frames at %d/%d a second", f.File, g.Frames, g.Num, g.Den)
	case f.Begin != nil && (*f.Begin < 0 || *f.Begin > rate.Day()):
		return fmt.Errorf("%s begins outside of a day of timecode", f.File)
	}
	return nil
}

// Begins is the frame of the production on which the first of a film stands: as a person set it, as
// its timecode says, or with its reel.
func (f *Film) Begins(rate timecode.Rate, r *Reel) int64 {
	if f.Begin != nil {
		return *f.Begin
	}
	if at, err := rate.Parse(f.Footage.Start); err == nil {
		return at
	}
	return r.Start
}

// Lasts is how long a film is, frames of a rate.
func (f Footage) Lasts(rate timecode.Rate) int64 {
	return int64(math.Round(float64(f.Frames) * float64(rate.Num) * float64(f.Den) / (float64(rate.Den) * float64(f.Num))))
}

// Notes are what a movie leaves open, that people should know of: it is not a mark.
func (f *Film) Notes(r *Reel) []string {
	out := []string{}
	if f.Footage.Start == "" && f.Begin == nil {
		out = append(out, fmt.Sprintf("%s has no timecode of its own: it begins with reel %s", f.File, r.Name))
	}
	if f.Footage.SoundMs == 0 {
		out = append(out, f.File+" has no sound")
	}
	return out
}

// film is the film of a reel; nil for none.
func (c *Cut) film(reel ID) *Film {
	if c == nil {
		return nil
	}
	return c.Films[reel]
}

// filmMarks are the marks of the film of a reel in the present cut.
func (p *Production) filmMarks(c *Cut, r *Reel) []Mark {
	f := c.film(r.ID)
	if f == nil {
		return nil
	}
	var out []Mark
	add := func(code, remedy, text string, args ...any) {
		out = append(out, Mark{Code: code, Reel: r.ID, Message: fmt.Sprintf("%s, reel %s: ", f.File, r.Name) + fmt.Sprintf(text, args...), Remedy: remedy})
	}
	g, rate := f.Footage, p.FrameRate()
	if g.Short {
		add("film-short", "Copy it again, and choose it again", "the file ends before its picture does")
	}
	if g.Varies {
		add("film-rate", "Write it again with a constant frame rate", "its frame rate varies, around %s", g.Rate())
	} else if !g.Same(rate) {
		add("film-rate", "Ask for the film at the production's rate, or set the rate of the production", "it has %s frames a second, the production %s", g.Rate(), rate)
	}
	picture := c.Reel(r.ID)
	begins := f.Begins(rate, r)
	start := r.Start
	if picture != nil && len(picture.Events) > 0 {
		start = min(start, picture.Events[0].Start)
	}
	if _, err := rate.Parse(g.Start); g.Start != "" && err != nil {
		add("film-start", "Set where it begins", "its timecode %s does not exist at %s", g.Start, rate)
	} else if begins != start && f.Begin == nil {
		add("film-start", "It plays by its own timecode; set where it begins if that is wrong", "it begins at %s, the reel at %s", rate.Format(begins), rate.Format(start))
	}
	long := g.Lasts(rate)
	if picture != nil && len(picture.Events) > 0 {
		if last := picture.Events[len(picture.Events)-1].End; begins+long != last {
			add("film-length", "See whether the film and the event list are of the same cut", "it ends at %s, its event list at %s", rate.Format(begins+long), rate.Format(last))
		}
	}
	perFrame := 1000 * float64(g.Den) / float64(g.Num)
	if off := float64(g.SoundMs)/perFrame - float64(g.Frames); g.SoundMs > 0 && math.Abs(off) > soundOff {
		how := "longer"
		if off < 0 {
			how = "shorter"
		}
		add("film-sound", "Ask for it again; or look whether the sound is late", "its sound is %.0f frames %s than its picture", math.Abs(off), how)
	}
	return out
}

// WithFilm is the change that gives a reel of a cut a film; nil takes it away.
func (c *Cut) WithFilm(r *Reel, f *Film) Change {
	films := maps.Clone(c.Films)
	if films == nil {
		films = map[ID]*Film{}
	}
	label := "Take the film of reel " + r.Name + " away"
	if delete(films, r.ID); f != nil {
		films[r.ID] = f
		label = fmt.Sprintf("%s for reel %s of %s", f.File, r.Name, c.Name)
	}
	return Change{Label: label, Ops: []Op{Setting(OfCut, c.ID, "films", films)}}
}
