package render

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"maps"
	"math"
	"slices"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/calls"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/sampler"
)

// Score is a piece of music as the rows of a template play it.
type Score struct {
	Voices []*Voice // in score order
	Silent []Silence
	Time   tempo.Time

	t     *template.Template
	words *articulation.Vocabulary
}

// Voice is a row on its seat, and what it and those that sit with it play.
type Voice struct {
	Home  *template.Instrument
	Notes int
	// Over is the recording of its own sound that plays in its place; nil where it plays itself.
	Over  *template.Printed
	plays []voicePart
}

type voicePart struct {
	row  *template.Instrument
	part articulation.Part
}

// Silence is a row or a part that does not play, with the reason.
type Silence struct {
	Name   string `json:"name"`
	Reason string `json:"reason"`
}

// Plays tells whether one of some rows plays in the voice; none are all.
func (v *Voice) Plays(rows []template.ID) bool {
	return len(rows) == 0 || slices.Contains(rows, v.Home.ID) || slices.ContainsFunc(v.plays, func(p voicePart) bool { return slices.Contains(rows, p.row.ID) })
}

// NewScore casts the parts of a piece within a template. hand says whom people chose
// themselves, by the part's ID.
func NewScore(t, catalogue *template.Template, words *articulation.Vocabulary, time tempo.Time, parts []casting.Music, hand map[string][]template.ID) *Score {
	s := &Score{Time: time, t: t, words: words}
	byHome := map[template.ID]*Voice{}
	for _, heard := range casting.New(t, catalogue).Hear(parts, hand) {
		if len(heard.Uses) == 0 {
			why := heard.Why
			if heard.How == casting.ByChoice {
				why = "left out"
			}
			s.Silent = append(s.Silent, Silence{heard.Music.Name, why})
		}
		for _, u := range heard.Uses {
			s.add(byHome, t.Instrument(u.Instrument), articulation.Part{Notes: heard.Plays[u.Instrument], Controls: heard.Music.Played.Controls})
		}
	}
	order := map[template.ID]int{}
	for n, i := range t.ScoreOrder() {
		order[i.ID] = n
	}
	s.Voices = slices.SortedFunc(maps.Values(byHome), func(a, b *Voice) int { return order[a.Home.ID] - order[b.Home.ID] })
	s.Voices = slices.DeleteFunc(s.Voices, s.stale)
	return s
}

// stale lets a voice that was recorded over play its recording. It is true where the recording is of
// other notes: the voice is silent then, and says why.
func (s *Score) stale(v *Voice) bool {
	if !v.Home.Printed.Over() {
		return false
	}
	if now, err := s.Fingerprint(v); err != nil || now != v.Home.Printed.Music {
		s.Silent = append(s.Silent, Silence{v.Home.Name, Stale})
		return true
	}
	v.Over = v.Home.Printed
	return false
}

// Stale is why a row is silent when its recording is of other notes.
const Stale = "its recording is of other notes than it has now: record it over again, or let it play"

// fingerprintHz is the rate at which messages are timed for a fingerprint.
const fingerprintHz = 48_000

// Fingerprint is another where a voice is sent anything else in the piece: other notes, controls,
// switches or times. It is SHA-256, in hexadecimal.
func (s *Score) Fingerprint(v *Voice) (string, error) {
	list, err := s.Messages(v, 0, fingerprintHz)
	if err != nil {
		return "", err
	}
	sum := sha256.New()
	for _, m := range list {
		_ = binary.Write(sum, binary.BigEndian, []int64{m.At, int64(m.Kind), int64(m.Key), int64(m.Value)}) // a hash takes all
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

// volume is the controller of that name: the upbeat's is the sequencer's fader, which stands
// in the graph already.
const volume = 7

// add gives a row a part.
func (s *Score) add(byHome map[template.ID]*Voice, i *template.Instrument, part articulation.Part) {
	not := func(reason string) { s.Silent = append(s.Silent, Silence{i.Name, reason}) }
	home := s.t.Home(i)
	switch {
	case i.Printed != nil && (i != home || !i.Printed.Over()):
		not("it plays its recording, which no score moves")
		return
	case i.Aside || home.Aside:
		not("it is set aside; bring it back, and it plays")
		return
	case len(s.t.PatchesOf(i)) == 0:
		not("it plays no patch")
		return
	case home.Seat == nil && !home.Printed.Over():
		not("it has no seat")
		return
	}
	v := byHome[home.ID]
	if v == nil {
		v = &Voice{Home: home}
		byHome[home.ID] = v
	}
	at := slices.IndexFunc(v.plays, func(x voicePart) bool { return x.row == i })
	if at < 0 {
		at = len(v.plays)
		var upbeat []articulation.Control
		for _, c := range s.t.UpbeatOf(i) {
			if c.Number != volume {
				upbeat = append(upbeat, articulation.Control{Number: c.Number, Value: c.Value})
			}
		}
		v.plays = append(v.plays, voicePart{i, articulation.Part{Controls: upbeat}})
	}
	x := &v.plays[at].part
	part = articulation.WithDynamics(part, s.t.PatchesOf(i)[0].Dynamics)
	x.Notes, x.Controls = append(x.Notes, part.Notes...), append(x.Controls, part.Controls...)
	slices.SortStableFunc(x.Controls, func(a, b articulation.Control) int { return int(a.Tick - b.Tick) })
	v.Notes += len(part.Notes)
}

// Seconds is when a place, ticks, is heard, s from the beginning of the piece, and Tick the
// place of a time.
func (s *Score) Seconds(tick int64) float64 { return float64(s.Time.Clock.Micros(tick)) / 1e6 }

// mostSeconds bounds a place, s: a day.
const mostSeconds = 86_400.0

// Tick is the place, ticks, of a time, s from the beginning of the piece.
func (s *Score) Tick(seconds float64) int64 {
	return s.Time.Clock.Tick(int64(min(mostSeconds, max(0, seconds)) * 1e6))
}

// QuarterS is how long a quarter lasts at a place, s.
func (s *Score) QuarterS(tick int64) float64 {
	return s.Seconds(tick+int64(s.Time.Clock.TicksPerQuarter())) - s.Seconds(tick)
}

// End is where the last note ends, ticks.
func (s *Score) End() (end int64) {
	for _, v := range s.Voices {
		for _, x := range v.plays {
			for _, n := range x.part.Notes {
				end = max(end, n.End)
			}
		}
	}
	return end
}

// First is where the first note begins, ticks; 0 where there is none.
func (s *Score) First() int64 {
	first := int64(-1)
	for _, v := range s.Voices {
		for _, x := range v.plays {
			for _, n := range x.part.Notes {
				if first < 0 || n.Start < first {
					first = n.Start
				}
			}
		}
	}
	return max(0, first)
}

// mostBars bounds the bars that are told one by one.
const mostBars = 4000

// Bars is where each bar begins, s, to the end of the last note; at most four thousand.
func (s *Score) Bars() []float64 {
	out, end := []float64{}, s.End()
	for bar := int64(1); bar <= mostBars; bar++ {
		at := s.Time.Bars.Start(bar)
		if at > end && bar > 1 {
			break
		}
		out = append(out, s.Seconds(at))
	}
	return out
}

// Messages are what a voice is sent from a place on, ticks, with the notes that still sound
// there; by time, in frames from there. The error says what of its map cannot be reached.
func (s *Score) Messages(v *Voice, from int64, rateHz float64) (out []sampler.Message, err error) {
	start := s.Time.Clock.Micros(from)
	for _, x := range v.plays {
		target := articulation.TargetOf(s.t, x.row)
		if v.Home.Seat != nil {
			target.Channel = v.Home.Seat.Channel
		}
		done, err := articulation.Compile(s.words, x.part, target, s.Time.Clock, articulation.Options{From: from, Held: true})
		if err != nil {
			return nil, err
		}
		for _, m := range done.Messages {
			if kind, ok := sampler.KindOf(m.Status); ok {
				at := float64(s.Time.Clock.Micros(m.Tick)-start) * rateHz / 1e6
				out = append(out, sampler.Message{At: int64(math.Round(at)), Kind: kind, Key: m.Data1, Value: m.Data2})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b sampler.Message) int { return int(a.At - b.At) })
	return out, nil
}

// together is how near two notes of a row lie to be one stretch, s.
const together = 2.0

// Soundings are the stretches in which each row plays, by the row that has the seat.
func (s *Score) Soundings() map[template.ID][]calls.Sounding {
	out := map[template.ID][]calls.Sounding{}
	for _, v := range s.Voices {
		var list []calls.Sounding
		for _, p := range v.plays {
			for _, n := range p.part.Notes {
				list = append(list, calls.Sounding{From: s.Seconds(n.Start), To: s.Seconds(n.End)})
			}
		}
		slices.SortFunc(list, func(a, b calls.Sounding) int { return cmp.Compare(a.From, b.From) })
		var joined []calls.Sounding
		for _, x := range list {
			if n := len(joined); n > 0 && x.From <= joined[n-1].To+together {
				joined[n-1].To = max(joined[n-1].To, x.To)
				continue
			}
			joined = append(joined, x)
		}
		out[v.Home.ID] = joined
	}
	return out
}
