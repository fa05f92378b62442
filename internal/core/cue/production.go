// Package cue knows productions: reels, cuts of their picture, and cues with their time, markers
// and hits. A production and changes go in; the next state, what is wrong with it, sums, verdicts
// of a new cut, and tempi that meet hits come out. Times are whole frames of timecode.
package cue

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// ID names a thing of a production.
type ID string

// Production is a film, or an episode, that is scored.
type Production struct {
	ID ID `json:"id"`
	Settings
	Reels []*Reel `json:"reels"`
	Cuts  []*Cut  `json:"cuts"` // the oldest first
	Cues  []*Cue  `json:"cues"`
}

// Settings are the fields of a production that are set by themselves.
type Settings struct {
	Name        string   `json:"name"`
	Rate        string   `json:"rate"`        // of its frames: a name of timecode.Rates
	RateHz      int      `json:"rateHz"`      // of its samples, 8,000..192,000
	Numbering   string   `json:"numbering"`   // of cues: {reel}, {number}, {number:2}
	Statuses    []string `json:"statuses"`    // of cues, in the order in which they come; the last is done
	MinutesADay float64  `json:"minutesADay"` // of music that are written, 0..60; 0 estimates nothing
	Begin       string   `json:"begin"`       // the day from which is computed, yyyy-mm-dd; empty is today
	Cut         ID       `json:"cut"`         // the one that the cues stand in; empty for none
	Files       string   `json:"files"`       // how printed files are called: a pattern with filename.Fields; empty is filename.DefaultPattern
}

// Reel is a part of a film with timecode of its own.
type Reel struct {
	ID     ID     `json:"id"`
	Name   string `json:"name"`   // "1"
	Start  int64  `json:"start"`  // its first frame
	Length int64  `json:"length"` // frames; 0 is as long as its cut
}

// Cut is a state of the picture.
type Cut struct {
	ID    ID           `json:"id"`
	Name  string       `json:"name"` // "Cut 2"
	On    string       `json:"on"`   // yyyy-mm-dd; may be empty
	Notes string       `json:"notes,omitempty"`
	Reels []CutReel    `json:"reels"`
	Films map[ID]*Film `json:"films,omitempty"` // of reels
	Was   []*Cue       `json:"was,omitempty"`   // the cues as they stood when it was left
}

// CutReel is the picture of a reel in a cut.
type CutReel struct {
	Reel   ID          `json:"reel"`
	Events []cut.Event `json:"events"`
}

// Cue is a piece of music at a place in a film.
type Cue struct {
	ID        ID              `json:"id"`
	Number    string          `json:"number"` // "1M05"
	Title     string          `json:"title"`
	Reel      ID              `json:"reel"`
	Start     int64           `json:"start"` // frames of timecode
	End       int64           `json:"end"`
	Status    string          `json:"status"`
	Who       string          `json:"who,omitempty"`
	Notes     string          `json:"notes,omitempty"`
	Template  string          `json:"template,omitempty"` // its ID in the studio; empty for none
	Version   int64           `json:"version,omitempty"`  // the revision that it was started from
	Took      []int64         `json:"took,omitempty"`     // revisions of later changes of it, that the cue took into its own
	Call      string          `json:"call,omitempty"`
	Hand      map[string][]ID `json:"hand,omitempty"` // whom a person chose for parts of its music, by their names
	Started   string          `json:"started,omitempty"`
	Music     *Music          `json:"music,omitempty"`
	Bar       int64           `json:"bar"` // that stands on the start; what lies before is count-in
	Tempi     []tempo.Point   `json:"tempi"`
	Metres    []Metre         `json:"metres"`
	Markers   []Marker        `json:"markers,omitempty"`
	Hits      []Hit           `json:"hits,omitempty"`
	Anchor    *Anchor         `json:"anchor,omitempty"` // what in the picture it belongs to; nil is its start
	BendLimit float64         `json:"bendLimit"`        // how much its tempo may be bent, %, 0..50
	Edits     TickEdits       `json:"edits,omitempty"`  // of its music by the cut that it followed last: its MIDI file is edited by them
}

// Metre is a time signature from a bar on.
type Metre struct {
	Bar   int64 `json:"bar"`
	Beats int   `json:"beats"`
	Unit  int   `json:"unit"`
}

// Marker is a name at a place: a musical one keeps its tick, a timed one its frame.
type Marker struct {
	Name  string `json:"name"`
	Tick  *int64 `json:"tick,omitempty"`
	Frame *int64 `json:"frame,omitempty"`
}

// Hit is a moment of the picture that the music should meet.
type Hit struct {
	Name      string  `json:"name,omitempty"`
	Frame     int64   `json:"frame"`
	Weight    float64 `json:"weight"`    // 0..100; 1 is usual
	Tolerance float64 `json:"tolerance"` // frames that it may be missed by, 0..48
}

// Anchor is a moment of the picture that a cue stays on when the picture is cut again.
type Anchor struct {
	Frame int64  `json:"frame"`
	Text  string `json:"text"` // "the lamp turns"
}

// Ticks is the time resolution of cues, ticks in a quarter note.
const Ticks = 960

// The usual values of a new production (common practice, no source).
const (
	UsualBar       = 5
	UsualBend      = 4.0
	UsualTolerance = 2.0
	UsualNumbering = "{reel}M{number:2}"
	UsualRateHz    = 48_000
)

// UsualStatuses are those of cues, as the design names them.
var UsualStatuses = []string{"spotted", "sketched", "with the director", "approved", "orchestrated", "recorded", "mixed", "delivered"}

// New returns a production without reels.
func New(id ID, name string, rate timecode.Rate) *Production {
	return &Production{
		ID:       id,
		Settings: Settings{Name: name, Rate: rate.String(), RateHz: UsualRateHz, Numbering: UsualNumbering, Statuses: slices.Clone(UsualStatuses), MinutesADay: 2},
		Reels:    []*Reel{}, Cuts: []*Cut{}, Cues: []*Cue{},
	}
}

// NewCue returns a cue as it begins: at 120 in 4/4.
func (p *Production) NewCue(id, reel ID, start, end int64) *Cue {
	return &Cue{
		ID: id, Reel: reel, Start: start, End: end, Status: p.Statuses[0], Bar: UsualBar, BendLimit: UsualBend,
		Tempi: []tempo.Point{{MilliBPM: 120_000}}, Metres: []Metre{{Bar: 1, Beats: 4, Unit: 4}},
	}
}

// FrameRate is the rate of the production's frames.
func (p *Production) FrameRate() timecode.Rate {
	for _, x := range timecode.Rates {
		if x.Name == p.Rate {
			return x.Rate
		}
	}
	return timecode.Rates[1].Rate // a valid production has one of them
}

// Reel finds a reel; nil when there is none.
func (p *Production) Reel(id ID) *Reel { return find(p.Reels, id) }

// CutOf finds a cut; nil when there is none.
func (p *Production) CutOf(id ID) *Cut { return find(p.Cuts, id) }

// Cue finds a cue; nil when there is none.
func (p *Production) Cue(id ID) *Cue { return find(p.Cues, id) }

type thing interface{ *Reel | *Cut | *Cue }

func idOf[T thing](x T) ID {
	switch x := any(x).(type) {
	case *Reel:
		return x.ID
	case *Cut:
		return x.ID
	case *Cue:
		return x.ID
	}
	return ""
}

func find[T thing](list []T, id ID) T {
	for _, x := range list {
		if idOf(x) == id {
			return x
		}
	}
	return nil
}

// Picture is what the present cut has of a reel; nil for nothing.
func (p *Production) Picture(reel ID) *CutReel { return p.CutOf(p.Cut).Reel(reel) }

// Reel is what a cut has of a reel; nil for nothing.
func (c *Cut) Reel(reel ID) *CutReel {
	if c == nil {
		return nil
	}
	for n := range c.Reels {
		if c.Reels[n].Reel == reel {
			return &c.Reels[n]
		}
	}
	return nil
}

// Span is the time of a reel: as it says, or as its picture in the present cut, which is an event
// list or a film.
func (p *Production) Span(r *Reel) cut.Span {
	if r.Length > 0 {
		return cut.Span{Start: r.Start, End: r.Start + r.Length}
	}
	end := r.Start
	if c := p.Picture(r.ID); c != nil && len(c.Events) > 0 {
		end = c.Events[len(c.Events)-1].End
	} else if f := p.CutOf(p.Cut).film(r.ID); f != nil {
		rate := p.FrameRate()
		end = f.Begins(rate, r) + f.Footage.Lasts(rate)
	}
	for _, c := range p.Cues {
		if c.Reel == r.ID {
			end = max(end, c.End)
		}
	}
	return cut.Span{Start: r.Start, End: end}
}

// InOrder lists the cues as they come: by reel, then by time.
func (p *Production) InOrder() []*Cue {
	place := map[ID]int{}
	for n, r := range p.Reels {
		place[r.ID] = n
	}
	out := slices.Clone(p.Cues)
	slices.SortStableFunc(out, func(a, b *Cue) int {
		return cmp.Or(cmp.Compare(place[a.Reel], place[b.Reel]), cmp.Compare(a.Start, b.Start), strings.Compare(a.Number, b.Number))
	})
	return out
}

var numbered = regexp.MustCompile(`\{(reel|number)(?::([1-4]))?\}`)

// checkNumbering tells what is wrong with a pattern of numbers.
func checkNumbering(pattern string) error {
	if !strings.Contains(pattern, "{number") || len(pattern) > 60 || strings.ContainsAny(numbered.ReplaceAllString(pattern, ""), "{}") {
		return fmt.Errorf("%q numbers no cues; a pattern has {number} or {number:2}, and may have {reel}", pattern)
	}
	return nil
}

// NumberFor is the number of the n-th cue of a reel, by the production's pattern.
func (p *Production) NumberFor(r *Reel, n int) string {
	return numbered.ReplaceAllStringFunc(p.Numbering, func(found string) string {
		m := numbered.FindStringSubmatch(found)
		if m[1] == "reel" {
			return r.Name
		}
		digits, _ := strconv.Atoi(m[2]) // one digit, or none
		return fmt.Sprintf("%0*d", digits, n)
	})
}

// NextNumber is the number of one more cue of a reel: after those that the reel has. A reel
// without cues begins with 1, or after all others where numbers run on from reel to reel.
func (p *Production) NextNumber(r *Reel) string {
	taken := map[string]bool{}
	mine, all, restarts := 0, 0, true
	for _, c := range p.Cues {
		taken[c.Number] = true
		of := p.Reel(c.Reel)
		n := p.numberIn(of, c.Number)
		if of == r {
			mine = max(mine, n)
		} else if all = max(all, n); n > 0 && of != p.Reels[0] {
			restarts = restarts && p.firstOf(of) == 1
		}
	}
	from := mine + 1
	if mine == 0 && !restarts {
		from = all + 1
	}
	for n := from; ; n++ {
		if number := p.NumberFor(r, n); !taken[number] {
			return number
		}
	}
}

// firstOf is the lowest number of a reel's cues; 0 for none.
func (p *Production) firstOf(r *Reel) int {
	least := 0
	for _, c := range p.Cues {
		if n := p.numberIn(r, c.Number); c.Reel == r.ID && n > 0 && (least == 0 || n < least) {
			least = n
		}
	}
	return least
}

// numberIn is the number in that of a cue, by the pattern; 0 where it is not of the pattern.
func (p *Production) numberIn(r *Reel, number string) int {
	digits := strings.FieldsFunc(number, func(c rune) bool { return c < '0' || c > '9' })
	for _, d := range digits {
		if n, err := strconv.Atoi(d); err == nil && n > 0 && p.NumberFor(r, n) == number {
			return n
		}
	}
	return 0
}
