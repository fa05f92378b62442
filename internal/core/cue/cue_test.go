package cue_test

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

var film = timecode.Rate{Num: 24, Den: 1}

// hour is the frame of an hour of timecode, and seconds after it.
func hour(h, seconds int64) int64 { return (h*3600 + seconds) * 24 }

// lantern is a film of two reels and three cues.
func lantern(t require.TestingT) *cue.Production {
	p := cue.New("p", "The Salt Lantern", film)
	c := func(id, number, title string, reel cue.ID, from, to int64) *cue.Cue {
		x := p.NewCue(cue.ID(id), reel, from, to)
		x.Number, x.Title = number, title
		return x
	}
	p, _, err := cue.Apply(p, cue.Change{Ops: []cue.Op{
		cue.Adding(&cue.Reel{ID: "r1", Name: "1", Start: hour(1, 0), Length: 24 * 1200}),
		cue.Adding(&cue.Reel{ID: "r2", Name: "2", Start: hour(2, 0)}),
		cue.Adding(c("b", "1M02", "The lamp is lit", "r1", hour(1, 300), hour(1, 420))),
		cue.Adding(c("a", "1M01", "Salt", "r1", hour(1, 60), hour(1, 150))),
		cue.Adding(c("c", "2M01", "Storm", "r2", hour(2, 30), hour(2, 210))),
	}})
	require.NoError(t, err)
	return p
}

// A change and the one that takes it back leave all as it was; what does not change is shared.
func TestChangesAndBack(t *testing.T) {
	p := lantern(t)
	five := int64(5)
	c := cue.Change{Ops: []cue.Op{
		cue.Setting(cue.OfCue, "a", "title", "Salt and light", "hits", []cue.Hit{{Frame: hour(1, 70), Weight: 1}}),
		cue.Setting(cue.OfCue, "b", "markers", []cue.Marker{{Name: "x", Tick: &five}}),
		cue.Removing(cue.OfCue, "c"),
		cue.Setting(cue.OfProduction, "", "minutesADay", 3, "statuses", []string{"spotted", "done"}),
		cue.Adding(&cue.Cut{ID: "k", Name: "Cut 1", Reels: []cue.CutReel{{Reel: "r1", Events: []cut.Event{{Start: hour(1, 0), End: hour(1, 2)}}}}}),
	}}
	after, back, err := cue.Apply(p, c)
	require.NoError(t, err)
	require.Equal(t, "Salt and light", after.Cue("a").Title)
	require.Equal(t, "Salt", p.Cue("a").Title)
	require.Nil(t, after.Cue("c"))
	require.Same(t, p.Reel("r1"), after.Reel("r1"))
	require.Equal(t, 3., after.MinutesADay)
	was, _, err := cue.Apply(after, back)
	require.NoError(t, err)
	require.Equal(t, p, was)
	require.Equal(t, []string{"cue/a/hits", "cue/a/title", "cue/b/markers", "cue/c", "cut/k", "production//minutesADay", "production//statuses"}, c.Keys())
	require.Equal(t, "Set hits, title of 1M01 Salt, and 4 more", c.Describe(p))

	same := cue.Change{Ops: []cue.Op{cue.Setting(cue.OfCue, "a", "title", "Sand")}}
	require.Equal(t, "cue/a/title", same.Meets(c))
	require.Empty(t, cue.Change{Ops: []cue.Op{cue.Setting(cue.OfCue, "a", "who", "Ada")}}.Meets(c))
	require.NotEmpty(t, cue.Change{Ops: []cue.Op{cue.Setting(cue.OfCue, "c", "who", "Ada")}}.Meets(c), "of a cue that is gone")
}

// What cannot be is refused with the reason, and nothing is half done.
func TestRefusals(t *testing.T) {
	p := lantern(t)
	frame := int64(3)
	for says, op := range map[string]cue.Op{
		"it ends at 01:00:59:00, before it begins at 01:01:00:00": cue.Setting(cue.OfCue, "a", "end", hour(1, 59)),
		"outside of a day":                          cue.Setting(cue.OfCue, "a", "end", hour(25, 0)),
		"no longer there":                           cue.Setting(cue.OfCue, "z", "title", "x"),
		"its reel is not there":                     cue.Setting(cue.OfCue, "a", "reel", "r9"),
		`"lost" is not a status of this production`: cue.Setting(cue.OfCue, "a", "status", "lost"),
		`unknown field "colour"`:                    cue.Setting(cue.OfCue, "a", "colour", "x"),
		"an ID stays":                               cue.Setting(cue.OfCue, "a", "id", "x"),
		"a tempo of 0":                              cue.Setting(cue.OfCue, "a", "tempi", []tempo.Point{{}}),
		"a tempo of 10000":                          cue.Setting(cue.OfCue, "a", "tempi", []tempo.Point{{MilliBPM: 10_000_000}}),
		"is not possible":                           cue.Setting(cue.OfCue, "a", "metres", []cue.Metre{{Bar: 1, Beats: 4, Unit: 3}}),
		"put them in order":                         cue.Setting(cue.OfCue, "a", "metres", []cue.Metre{{Bar: 5, Beats: 4, Unit: 4}, {Bar: 2, Beats: 4, Unit: 4}}),
		"stands at a tick or at a frame":            cue.Setting(cue.OfCue, "a", "markers", []cue.Marker{{Tick: &frame, Frame: &frame}}),
		"a weight of 0 to 100":                      cue.Setting(cue.OfCue, "a", "hits", []cue.Hit{{Weight: -1}}),
		`"33" is not a frame rate`:                  cue.Setting(cue.OfProduction, "", "rate", "33"),
		"the same for all files":                    cue.Setting(cue.OfProduction, "", "files", "{cue} {title}"),
		"numbers no cues":                           cue.Setting(cue.OfProduction, "", "numbering", "{reel}"),
		"is there twice":                            cue.Setting(cue.OfProduction, "", "statuses", []string{"a", "a"}),
		"is not a day":                              cue.Setting(cue.OfProduction, "", "begin", "tomorrow"),
		"there are two reels 2":                     cue.Setting(cue.OfReel, "r1", "name", "2"),
		"the cut that the cues stand in":            cue.Setting(cue.OfProduction, "", "cut", "k"),
		"a reel that is not there":                  cue.Adding(&cue.Cut{ID: "k", Name: "K", Reels: []cue.CutReel{{Reel: "r9"}}}),
		"there is a cue with this ID already":       cue.Adding(&cue.Cue{ID: "a"}),
		"not in the order":                          cue.Adding(&cue.Cut{ID: "k", Name: "K", Reels: []cue.CutReel{{Reel: "r1", Events: []cut.Event{{Start: 5, End: 6}, {Start: 0, End: 2}}}}}),
		"nothing that a production has":             {Kind: "puppet"},
		"neither added":                             {Kind: cue.OfProduction, Remove: true},
		"another ID than the step":                  {Kind: cue.OfReel, ID: "x", Add: json.RawMessage(`{"id":"y","name":"9","start":0,"length":0}`)},
		"cannot be read: unexpected EOF":            {Kind: cue.OfReel, ID: "x", Add: json.RawMessage(`{"id":`)},
	} {
		_, _, err := cue.Apply(p, cue.Change{Ops: []cue.Op{cue.Setting(cue.OfCue, "b", "title", "changed"), op}})
		require.ErrorContains(t, err, says)
		require.Equal(t, "The lamp is lit", p.Cue("b").Title)
	}
	_, _, err := cue.Apply(p, cue.Change{Ops: []cue.Op{cue.Removing(cue.OfReel, "r1")}})
	require.ErrorContains(t, err, "its reel is not there", "a reel with cues stays")
}

// Any change, taken back, leaves what was before.
func TestEveryChangeIsTakenBack(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		p := lantern(r)
		var ops []cue.Op
		for n := range rapid.IntRange(1, 5).Draw(r, "ops") {
			id := cue.ID(rapid.SampledFrom([]string{"a", "b", "c", "new"}).Draw(r, "cue"))
			switch rapid.IntRange(0, 4).Draw(r, "kind") {
			case 0:
				ops = append(ops, cue.Setting(cue.OfCue, id, "title", rapid.String().Draw(r, "title")))
			case 1:
				ops = append(ops, cue.Setting(cue.OfCue, id, "start", hour(1, rapid.Int64Range(0, 999).Draw(r, "start")), "anchor", nil))
			case 2:
				ops = append(ops, cue.Removing(cue.OfCue, id))
			case 3:
				x := p.NewCue(id, "r2", hour(2, 0), hour(2, 9))
				op := cue.Adding(x)
				at := rapid.IntRange(-1, 9).Draw(r, "at")
				op.At = &at
				ops = append(ops, op)
			case 4:
				ops = append(ops, cue.Setting(cue.OfCue, id, "anchor", cue.Anchor{Frame: hour(1, int64(n)), Text: "x"}))
			}
		}
		after, back, err := cue.Apply(p, cue.Change{Ops: ops})
		if err != nil {
			return
		}
		was, _, err := cue.Apply(after, back)
		require.NoError(r, err)
		require.Equal(r, p, was)
	})
}

// Cues come by reel and time, are numbered by the pattern, and add up; at two minutes a day the
// six and a half minutes that are left take four days.
func TestOrderNumbersAndSums(t *testing.T) {
	p := lantern(t)
	var order []string
	for _, c := range p.InOrder() {
		order = append(order, c.Number)
	}
	require.Equal(t, []string{"1M01", "1M02", "2M01"}, order)
	require.Equal(t, "1M03", p.NextNumber(p.Reel("r1")))
	require.Equal(t, "2M02", p.NextNumber(p.Reel("r2")))
	on, _, err := cue.Apply(p, cue.Change{Ops: []cue.Op{cue.Setting(cue.OfCue, "c", "number", "2M03"), cue.Adding(&cue.Reel{ID: "r3", Name: "3", Start: hour(3, 0)})}})
	require.NoError(t, err)
	require.Equal(t, []string{"2M04", "3M04"}, []string{on.NextNumber(on.Reel("r2")), on.NextNumber(on.Reel("r3"))}, "numbers run on from reel to reel")
	p, _, err = cue.Apply(p, cue.Change{Ops: []cue.Op{
		cue.Setting(cue.OfProduction, "", "numbering", "SL-{number:3}/{reel}", "begin", "2026-03-02", "files", "{stem} {start}"), cue.Setting(cue.OfCue, "a", "status", "approved"),
	}})
	require.NoError(t, err)
	require.Equal(t, "SL-001/2", p.NextNumber(p.Reel("r2")))
	s := p.Sums(time.Time{})
	require.Equal(t, cue.Sum{Cues: 3, Seconds: 390, Left: 300}, s.Whole)
	require.Equal(t, []cue.Sum{{"1", 2, 210, 120}, {"2", 1, 180, 180}}, s.Reels)
	require.Equal(t, cue.Sum{"spotted", 2, 300, 300}, s.Statuses[0])
	require.Equal(t, 3, s.Days)
	require.Equal(t, "2026-03-04", s.Done)
	require.Equal(t, cut.Span{Start: hour(2, 0), End: hour(2, 210)}, p.Span(p.Reel("r2")), "as far as its last cue")
}

// Worked by hand: at 96 in 4/4, bar 5 on the start, bar 9 comes after 16 beats of 15 frames.
func TestTheTimeOfACue(t *testing.T) {
	p := lantern(t)
	c := *p.Cue("a")
	c.Tempi = []tempo.Point{{MilliBPM: 96_000}}
	c.Metres = []cue.Metre{{Bar: 1, Beats: 4, Unit: 4}, {Bar: 9, Beats: 3, Unit: 4}}
	x := c.MustTime()
	nine := x.Bars.Start(9)
	require.InDelta(t, float64(c.Start+16*15), c.FrameOf(x, film, nine), 1e-9)
	require.Equal(t, nine, c.TickOf(x, film, float64(c.Start+16*15)))
	require.Equal(t, cue.Place{Bar: 9, Beat: 1}, x.PlaceOf(nine))
	require.Equal(t, cue.Place{Bar: 10, Beat: 2.5}, x.PlaceOf(nine+3*cue.Ticks+cue.Ticks+cue.Ticks/2))
	require.Equal(t, cue.Place{Bar: 1, Beat: 1}, x.PlaceOf(0))
	require.InDelta(t, float64(c.Start-16*15), c.FrameOf(x, film, 0), 1e-9, "the count-in lies before the start")
	require.Equal(t, nine, x.NearestBeat(nine+cue.Ticks/2-1))
}

// Four hits lie on beats of 92.31 from a little after the start on, as they were made; that
// tempo comes first, and every hit is met.
func TestATempoIsFound(t *testing.T) {
	const bpm = 92.31
	beat := 60 / bpm * 24
	start := hour(1, 0)
	var hits []cue.Hit
	for _, k := range []float64{8, 21, 32, 54} {
		hits = append(hits, cue.Hit{Frame: start + int64(k*beat+.5), Weight: 1, Tolerance: 1})
	}
	list, err := cue.Steady(cue.FindAsk{Rate: film, Start: start, Hits: hits, LowBPM: 60, HighBPM: 140, Beats: 4})
	require.NoError(t, err)
	require.Len(t, list, 10)
	met := false
	for _, f := range list {
		met = met || f.BPM > bpm-.3 && f.BPM < bpm+.3 && f.Met == 4
		require.Len(t, f.Errors, 4)
	}
	require.True(t, met, fmt.Sprint(list))
	require.Equal(t, 4, list[0].Met)
	for _, bad := range []cue.FindAsk{{}, {Hits: hits, LowBPM: 100, HighBPM: 90, Beats: 4}, {Hits: hits, LowBPM: 60, HighBPM: 90}, {Hits: hits, LowBPM: 60, HighBPM: 90, Beats: 4, StartWays: 99}} {
		_, err := cue.Steady(bad)
		require.Error(t, err)
	}
}

// Nothing that is told of a tempo is wrong: the errors are those of its beats; and no tempo of a
// coarse search of its own does better than the first that is found.
func TestSteadyTempiAreTheBest(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		var hits []cue.Hit
		for range rapid.IntRange(1, 6).Draw(r, "hits") {
			hits = append(hits, cue.Hit{Frame: hour(1, 0) + rapid.Int64Range(1, 2400).Draw(r, "at"), Weight: float64(rapid.IntRange(1, 3).Draw(r, "weight")), Tolerance: float64(rapid.IntRange(0, 3).Draw(r, "tolerance"))})
		}
		a := cue.FindAsk{Rate: film, Start: hour(1, 0), Hits: hits, LowBPM: 70, HighBPM: 90, Beats: 4, StartWays: 2}
		list, err := cue.Steady(a)
		require.NoError(r, err)
		weigh := func(bpm, shift, slack float64) (sum float64) {
			beat := 60 / bpm * 24
			for _, h := range hits {
				at := float64(h.Frame-a.Start) - shift
				k := max(0, float64(int64(at/beat+.5)))
				if d := k*beat - at; d <= h.Tolerance+slack && d >= -h.Tolerance-slack {
					sum += h.Weight
				}
			}
			return sum
		}
		best := 0.0
		for bpm := 70.; bpm <= 90; bpm += .1 {
			for shift := -2.; shift <= 2; shift += .25 {
				best = max(best, weigh(bpm, shift, -.001))
			}
		}
		if len(list) == 0 {
			require.Zero(r, best)
			return
		}
		// What is told is rounded to a hundredth.
		require.GreaterOrEqual(r, list[0].Weight, weigh(list[0].BPM, list[0].Shift, -.2))
		require.LessOrEqual(r, list[0].Weight, weigh(list[0].BPM, list[0].Shift, .2))
		total := 0.0
		for _, f := range list {
			total = max(total, f.Weight)
		}
		require.GreaterOrEqual(r, total*1.25+1e-9, best, "downbeats may count a quarter more")
	})
}

// Hits that no steady tempo meets are met by a map: a whole number of beats to each, the change
// small; a heavy hit is not left out for two light ones beside it.
func TestAMapOfTempiIsFound(t *testing.T) {
	start := hour(1, 0)
	hits := []cue.Hit{{Frame: start + 240, Weight: 1, Tolerance: 0}, {Frame: start + 240 + 264, Weight: 1, Tolerance: 0}, {Frame: start + 240 + 264 + 240, Weight: 1, Tolerance: 0}}
	a := cue.FindAsk{Rate: film, Start: start, Hits: hits, LowBPM: 90, HighBPM: 110, Beats: 4}
	list, err := cue.Maps(a, 1.2)
	require.NoError(t, err)
	require.Equal(t, 3, list[0].Met)
	for _, l := range list[0].Legs {
		require.InDelta(t, float64(l.To-l.From)/24, 60*float64(l.Beats)/l.BPM, .001)
		require.GreaterOrEqual(t, l.BPM, 90.)
		require.LessOrEqual(t, l.BPM, 110.)
	}
	for _, m := range list[0].Errors {
		require.InDelta(t, 0, m.Frames, .02)
	}
	near := []cue.Hit{{Frame: start + 240, Weight: 1}, {Frame: start + 245, Weight: 5}, {Frame: start + 250, Weight: 1}}
	a.Hits = near
	list, err = cue.Maps(a, 1.1)
	require.NoError(t, err)
	require.True(t, list[0].Errors[1].Met)
	_, err = cue.Maps(cue.FindAsk{Rate: film, Start: start, Hits: []cue.Hit{{Frame: start}}, LowBPM: 60, HighBPM: 90, Beats: 4}, 1.1)
	require.ErrorContains(t, err, "after the start")
	_, err = cue.Maps(a, 9)
	require.ErrorContains(t, err, "1 to 4")
}

// The goal is 100 ms for 20 hits and 40 to 200 quarter notes a minute.
func BenchmarkSteady(b *testing.B) {
	var hits []cue.Hit
	for n := range int64(20) {
		hits = append(hits, cue.Hit{Frame: hour(1, 3+7*n) + 5*n%17, Weight: 1, Tolerance: 2})
	}
	for b.Loop() {
		_, err := cue.Steady(cue.FindAsk{Rate: film, Start: hour(1, 0), Hits: hits, LowBPM: 40, HighBPM: 200, Beats: 4, StartWays: 4})
		require.NoError(b, err)
	}
}

func BenchmarkMaps(b *testing.B) {
	var hits []cue.Hit
	for n := range int64(20) {
		hits = append(hits, cue.Hit{Frame: hour(1, 3+7*n) + 5*n%17, Weight: 1, Tolerance: 2})
	}
	for b.Loop() {
		_, err := cue.Maps(cue.FindAsk{Rate: film, Start: hour(1, 0), Hits: hits, LowBPM: 60, HighBPM: 140, Beats: 4}, 1.15)
		require.NoError(b, err)
	}
}

// A click of 12 frames and 4 eighths at 24 is a beat of 12.5/24 s: 115.2 (24-frame click tables,
// from memory).
func TestATempoInFrames(t *testing.T) {
	for _, x := range []struct {
		bpm  float64
		rate timecode.Rate
		want string
	}{
		{115.2, film, "12-4"}, {120, film, "12-0"}, {60, film, "24-0"}, {100, film, "14-3"}, {120, timecode.Rate{Num: 25, Den: 1}, "12-4"}, {120, timecode.Rate{Num: 30_000, Den: 1001}, "15-0"},
	} {
		require.Equal(t, x.want, cue.InFrames(x.bpm, x.rate))
	}
}
