package cue

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fanfold/internal/core/timecode"
)

// Spotted is a cue as a list of cues has it.
type Spotted struct {
	Line   int    `json:"line"`
	Number string `json:"number"`
	Title  string `json:"title"`
	Reel   string `json:"reel"` // its name; empty to be found by its timecode
	Start  int64  `json:"start"`
	End    int64  `json:"end"`
	Status string `json:"status"`
	Who    string `json:"who"`
	Notes  string `json:"notes"`
	BPM    float64
}

// Problem is what is wrong with a line of a list; 0 for the list as a whole.
type Problem struct {
	Line   int    `json:"line"`
	Reason string `json:"reason"`
}

// Spotting is what bringing a list of cues in would do.
type Spotting struct {
	Change   Change
	New      int       `json:"new"`
	Changed  int       `json:"changed"` // cues that the production has by their number
	Reels    []string  `json:"reels"`   // that are made
	Problems []Problem `json:"problems"`
}

// Spot brings a list of cues into a production: those that it has by their number are set, the
// others are added, without a number they get the next one. Reels that it does not have are
// made; a cue that names none goes to the reel whose time it lies in, or to that of its hour.
// Lines that cannot be taken are told.
func (p *Production) Spot(list []Spotted, newID func(kind string) ID) Spotting {
	out := Spotting{Change: Change{Label: fmt.Sprintf("Bring in %d cues", len(list))}, Reels: []string{}, Problems: []Problem{}}
	now := *p
	now.Reels, now.Cues = slices.Clone(p.Reels), slices.Clone(p.Cues)
	rate := p.FrameRate()
	first := map[string]int64{}
	for _, s := range list {
		if at, ok := first[s.Reel]; !ok || s.Start < at {
			first[s.Reel] = s.Start
		}
	}
	for _, s := range list {
		r, made := now.reelFor(s, first[s.Reel], rate, newID)
		c := now.cueFor(s, r, newID)
		next := now
		next.Cues = slices.Clone(now.Cues)
		was := now.Cue(c.ID)
		if at := slices.IndexFunc(next.Cues, func(x *Cue) bool { return x.ID == c.ID }); at >= 0 {
			next.Cues[at] = c
		} else {
			next.Cues = append(next.Cues, c)
		}
		if made {
			next.Reels = append(slices.Clone(now.Reels), r)
		}
		if err := next.cue(c, rate); err != nil {
			out.Problems = append(out.Problems, Problem{s.Line, err.Error()})
			continue
		}
		if made {
			out.Reels = append(out.Reels, r.Name)
			out.Change.Ops = append(out.Change.Ops, Adding(r))
		}
		now = next
		if was == nil {
			out.New++
			out.Change.Ops = append(out.Change.Ops, Adding(c))
			continue
		}
		out.Changed++
		out.Change.Ops = append(out.Change.Ops, Setting(OfCue, c.ID, "title", c.Title, "reel", c.Reel, "start", c.Start, "end", c.End, "status", c.Status, "who", c.Who, "notes", c.Notes))
	}
	return out
}

// reelFor is the reel that a spotted cue lies in; made is true for one that is to be made.
func (p *Production) reelFor(s Spotted, first int64, rate timecode.Rate, newID func(string) ID) (r *Reel, made bool) {
	name := strings.TrimSpace(s.Reel)
	if name == "" {
		if r := p.ReelAt(s.Start); r != nil {
			return r, false
		}
		name = fmt.Sprint(max(1, rate.Code(s.Start).Hours))
	}
	for _, r := range p.Reels {
		if strings.EqualFold(r.Name, name) {
			return r, false
		}
	}
	at := s.Start
	if s.Reel != "" {
		at = min(at, first)
	}
	r = p.NewReel(newID("reel"), at)
	r.Name = name
	return r, true
}

// ReelAt is the reel whose time a frame lies in, or whose hour; nil for none.
func (p *Production) ReelAt(frame int64) *Reel {
	rate := p.FrameRate()
	for _, r := range p.Reels {
		if span := p.Span(r); frame >= span.Start && frame < span.End {
			return r
		}
	}
	for _, r := range p.Reels {
		if rate.Code(r.Start).Hours == rate.Code(frame).Hours && frame >= r.Start {
			return r
		}
	}
	return nil
}

// NewReel is a reel for what begins at a frame: it begins at the hour, and is called by it, or by
// the first number that no reel has.
func (p *Production) NewReel(id ID, frame int64) *Reel {
	rate := p.FrameRate()
	hour := rate.Code(frame).Hours
	start, err := rate.Frame(timecode.Code{Hours: hour})
	if err != nil {
		start = frame // an hour begins with a frame at every rate
	}
	name := fmt.Sprint(max(1, hour))
	for n := int64(1); slices.ContainsFunc(p.Reels, func(r *Reel) bool { return r.Name == name }); n++ {
		name = fmt.Sprint(n)
	}
	return &Reel{ID: id, Name: name, Start: start}
}

func (p *Production) cueFor(s Spotted, r *Reel, newID func(string) ID) *Cue {
	c := p.NewCue(newID("cue"), r.ID, s.Start, s.End)
	if c.Number = strings.TrimSpace(s.Number); c.Number == "" {
		c.Number = p.NextNumber(r)
	}
	for _, is := range p.Cues {
		if strings.EqualFold(is.Number, c.Number) {
			x := *is
			c = &x
		}
	}
	c.Reel, c.Start, c.End = r.ID, s.Start, s.End
	c.Title, c.Who, c.Notes = cmp.Or(s.Title, c.Title), cmp.Or(s.Who, c.Who), cmp.Or(s.Notes, c.Notes)
	if s.Status != "" {
		c.Status = s.Status
		for _, known := range p.Statuses {
			if strings.EqualFold(known, s.Status) {
				c.Status = known
			}
		}
	}
	if s.BPM > 0 && p.Cue(c.ID) == nil {
		c.Tempi[0].MilliBPM = int64(s.BPM*1000 + .5)
	}
	return c
}
