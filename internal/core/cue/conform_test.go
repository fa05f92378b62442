package cue_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/tempo"
)

// shots lays shots of a reel one after another: name, first frame of the source, length.
func shots(reel cue.ID, from int64, list ...[3]any) cue.CutReel {
	out := cue.CutReel{Reel: reel}
	for n, s := range list {
		long := int64(s[2].(int))
		out.Events = append(out.Events, cut.Event{Number: fmt.Sprint(n + 1), Source: s[0].(string), In: int64(s[1].(int)), Start: from, End: from + long})
		from += long
	}
	return out
}

// filmed is the lantern with its first cut, and one cue from 60 to 150 s of reel 1 at 120 in 4/4:
// a beat is 12 frames, and bar 5 stands on its start.
func filmed(t require.TestingT, c func(*cue.Cue)) *cue.Production {
	p := lantern(t)
	x := p.NewCue("x", "r1", hour(1, 60), hour(1, 150))
	x.Number = "1M09"
	if c != nil {
		c(x)
	}
	p, _, err := cue.Apply(p, cue.Change{Ops: []cue.Op{
		cue.Removing(cue.OfCue, "a"), cue.Removing(cue.OfCue, "b"), cue.Removing(cue.OfCue, "c"), cue.Adding(x),
		cue.Adding(&cue.Cut{ID: "k1", Name: "Cut 1", Reels: []cue.CutReel{shots("r1", hour(1, 0), [3]any{"A", 0, 1440}, [3]any{"B", 0, 720}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440})}}),
		cue.Setting(cue.OfProduction, "", "cut", "k1"),
	}})
	require.NoError(t, err)
	return p
}

func second(list ...[3]any) *cue.Cut {
	return &cue.Cut{ID: "k2", Name: "Cut 2", Reels: []cue.CutReel{shots("r1", hour(1, 0), list...)}}
}

// Worked by hand: the shot before the cue loses two seconds, and that under its bar 20 one: the
// cue comes 48 frames earlier, two beats go at bar 20, and its hits are met to the frame.
func TestBeatsGoWithThePicture(t *testing.T) {
	p := filmed(t, func(c *cue.Cue) {
		c.Hits = []cue.Hit{{Name: "lamp", Frame: hour(1, 100), Weight: 1, Tolerance: 1}, {Name: "door", Frame: hour(1, 80), Weight: 1, Tolerance: 1}}
		c.Anchor = &cue.Anchor{Frame: hour(1, 110), Text: "the lamp turns"}
		tick, frame := int64(0), hour(1, 95)
		c.Markers = []cue.Marker{{Name: "in", Tick: &tick}, {Name: "sea", Frame: &frame}}
	})
	x := p.Conform(second([3]any{"A", 0, 1392}, [3]any{"B", 0, 720}, [3]any{"C", 24, 696}, [3]any{"D", 0, 1440}))
	require.Equal(t, cue.Verdict{
		Cue: "x", Kind: cue.Changed, By: -72, Start: hour(1, 60) - 48, End: hour(1, 150) - 72, Lost: 24, Look: []string{},
		Seams: []cue.Seam{{Frame: hour(1, 90), Place: cue.Place{Bar: 20, Beat: 1}, Taken: 24, By: -24}},
	}, x.Verdicts[0])
	first := x.Proposals[0][0]
	require.Equal(t, cue.ByBeats, first.Way)
	require.Equal(t, "moves by -72 frames, takes out 2 beats at bar 20", first.Text)
	require.Zero(t, first.Bend)
	require.Zero(t, first.Worst)
	require.Empty(t, first.Lost)
	now := first.Cue
	require.Equal(t, []cue.Metre{{Bar: 1, Beats: 4, Unit: 4}, {Bar: 20, Beats: 2, Unit: 4}, {Bar: 21, Beats: 4, Unit: 4}}, now.Metres)
	require.Equal(t, []int64{hour(1, 100) - 72, hour(1, 80) - 48}, []int64{now.Hits[0].Frame, now.Hits[1].Frame})
	require.Equal(t, hour(1, 110)-72, now.Anchor.Frame)
	require.EqualValues(t, 0, *now.Markers[0].Tick)
	require.Equal(t, hour(1, 95)-72, *now.Markers[1].Frame)
	at := now.MustTime()
	require.InDelta(t, float64(now.Hits[0].Frame), now.FrameOf(at, film, at.Start+78*cue.Ticks), 1e-9, "beat 80 is beat 78")

	var ways []cue.Way
	for _, q := range x.Proposals[0] {
		ways = append(ways, q.Way)
	}
	require.ElementsMatch(t, []cue.Way{cue.ByBeats, cue.ByBars, cue.ByTempo, cue.AsIs}, ways)
	for _, q := range x.Proposals[0] {
		switch q.Way {
		case cue.AsIs:
			require.InDelta(t, 24, q.Worst, .05, "a second late after the seam")
			require.Zero(t, q.Bend)
		case cue.ByTempo:
			require.Equal(t, 4., q.Bend, "its limit")
			require.InDelta(t, 24-.04/1.04*264, q.Worst, 1, "what eleven seconds from the door to the beat after the seam cannot make up")
		case cue.ByBars:
			require.Contains(t, q.Text, "takes out a bar at bar 20")
		}
	}
}

// A new shot of four seconds under bar 20: two bars come in there; what lies behind it moves.
func TestBarsComeInWithThePicture(t *testing.T) {
	p := filmed(t, nil)
	x := p.Conform(second([3]any{"A", 0, 1440}, [3]any{"B", 0, 720}, [3]any{"NEW", 0, 96}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440}))
	v := x.Verdicts[0]
	require.Equal(t, cue.Changed, v.Kind)
	require.EqualValues(t, 0, v.By)
	require.Equal(t, hour(1, 60), v.Start)
	require.Equal(t, hour(1, 154), v.End)
	require.EqualValues(t, 96, v.Fresh)
	first := x.Proposals[0][0]
	require.Equal(t, "puts in 2 bars at bar 20", first.Text)
	require.Zero(t, first.Worst)
	require.Equal(t, []cue.Metre{{Bar: 1, Beats: 4, Unit: 4}}, first.Cue.Metres)
}

// Thirty frames are two and a half beats: three go, and the tempo before gives way by less than
// its limit, so that the beat after the seam is heard where its picture is.
func TestTheTempoGivesWay(t *testing.T) {
	p := filmed(t, nil)
	x := p.Conform(second([3]any{"A", 0, 1440}, [3]any{"B", 0, 720}, [3]any{"C", 30, 690}, [3]any{"D", 0, 1440}))
	var beats cue.Proposal
	for _, q := range x.Proposals[0] {
		if q.Way == cue.ByBeats {
			beats = q
		}
	}
	require.Equal(t, "takes out 3 beats at bar 20, bends its tempo by up to 0.8%", beats.Text)
	require.Less(t, beats.Worst, .1)
	require.Len(t, beats.Errors, 1)
	require.EqualValues(t, 119_008, beats.Cue.Tempi[len(beats.Cue.Tempi)-2].MilliBPM, "120 · 720/726")
}

// What does not touch a cue leaves it; what comes before it moves it; what takes its picture away
// is told, and so is an anchor that is gone.
func TestOtherVerdicts(t *testing.T) {
	judged := func(c func(*cue.Cue), list ...[3]any) cue.Verdict {
		return filmed(t, c).Conform(second(list...)).Verdicts[0]
	}
	v := judged(nil, [3]any{"A", 0, 1440}, [3]any{"B", 0, 720}, [3]any{"C", 0, 720}, [3]any{"E", 0, 9}, [3]any{"D", 9, 1431})
	require.Equal(t, cue.Untouched, v.Kind, "its end lies in the shot after, of which nothing before its end is gone: %v", v)

	v = judged(nil, [3]any{"NEW", 0, 100}, [3]any{"A", 0, 1440}, [3]any{"B", 0, 720}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440})
	require.Equal(t, cue.Shifted, v.Kind)
	require.EqualValues(t, 100, v.By)
	require.Equal(t, []int64{hour(1, 60) + 100, hour(1, 150) + 100}, []int64{v.Start, v.End})

	v = judged(nil, [3]any{"A", 0, 1440}, [3]any{"Z", 0, 1440})
	require.Equal(t, cue.Gone, v.Kind)
	require.Equal(t, []int64{hour(1, 60), hour(1, 150)}, []int64{v.Start, v.End}, "it stays where it was")

	v = judged(func(c *cue.Cue) { c.Anchor = &cue.Anchor{Frame: hour(1, 60) + 5, Text: "salt"} },
		[3]any{"A", 0, 1440}, [3]any{"B", 10, 710}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440})
	require.Equal(t, cue.Changed, v.Kind)
	require.Equal(t, []string{`its anchor, "salt", is gone; the nearest that is left lies 5 frames from it`}, v.Look)
	require.Equal(t, hour(1, 60), v.Start)
	require.Equal(t, hour(1, 150)-10, v.End)

	v = judged(nil, [3]any{"A", 0, 1440}, [3]any{"B", 0, 300}, [3]any{"OTHER", 0, 20}, [3]any{"B", 320, 400}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440})
	require.Equal(t, cue.Untouched, v.Kind)
	require.Equal(t, []string{"20 frames at 01:01:12:12 show something else"}, v.Look)

	v = judged(nil, [3]any{"B", 0, 720}, [3]any{"C", 0, 720}, [3]any{"D", 0, 1440}, [3]any{"A", 0, 1440})
	require.Equal(t, cue.Shifted, v.Kind, "the whole reel was put before another part")
	require.EqualValues(t, -1440, v.By)
}

// Taking a cut is one change that is taken back; the cut before keeps its cues, and going back to
// it puts them where they stood, to the frame.
func TestTakingACutAndGoingBack(t *testing.T) {
	p := filmed(t, nil)
	next := second([3]any{"A", 0, 1392}, [3]any{"B", 0, 720}, [3]any{"C", 24, 696}, [3]any{"D", 0, 1440})
	c, err := p.Take(next, nil)
	require.NoError(t, err)
	after, back, err := cue.Apply(p, c)
	require.NoError(t, err)
	require.Equal(t, cue.ID("k2"), after.Cut)
	require.Equal(t, hour(1, 60)-48, after.Cue("x").Start)
	require.Equal(t, p.Cues, after.CutOf("k1").Was)
	was, _, err := cue.Apply(after, back)
	require.NoError(t, err)
	require.Equal(t, p, was)

	c, err = after.Back(after.CutOf("k1"))
	require.NoError(t, err)
	again, _, err := cue.Apply(after, c)
	require.NoError(t, err)
	require.Equal(t, p.Cue("x"), again.Cue("x"))
	require.Equal(t, cue.ID("k1"), again.Cut)

	c, err = p.Take(next, map[cue.ID]int{"x": -1})
	require.NoError(t, err)
	left, _, err := cue.Apply(p, c)
	require.NoError(t, err)
	require.Equal(t, p.Cue("x"), left.Cue("x"), "left as it is")
	_, err = p.Take(next, map[cue.ID]int{"x": 9})
	require.ErrorContains(t, err, "1M09 has 4 proposals; there is no number 10")
}

// Whatever is cut: every proposal is a valid cue; its bend is within the limit; what it says of
// its errors is so; the anchor's picture is where the music that stood on it is, unless the
// seams inside keep it from there.
func TestProposalsHold(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		p := filmed(r, func(c *cue.Cue) {
			c.Tempi = []tempo.Point{{MilliBPM: rapid.Int64Range(50_000, 180_000).Draw(r, "tempo"), Ramp: rapid.Bool().Draw(r, "ramp")}, {Tick: 40 * cue.Ticks, MilliBPM: rapid.Int64Range(50_000, 180_000).Draw(r, "then")}}
			c.Metres = []cue.Metre{{Bar: 1, Beats: rapid.IntRange(2, 7).Draw(r, "beats"), Unit: rapid.SampledFrom([]int{4, 8}).Draw(r, "unit")}}
			for range rapid.IntRange(0, 4).Draw(r, "hits") {
				c.Hits = append(c.Hits, cue.Hit{Frame: hour(1, 60) + rapid.Int64Range(0, 2159).Draw(r, "hit"), Weight: 1, Tolerance: 2})
			}
		})
		var list [][3]any
		for _, s := range [][3]any{{"A", 0, 1440}, {"B", 0, 720}, {"C", 0, 720}, {"D", 0, 1440}} {
			long := s[2].(int)
			switch rapid.IntRange(0, 4).Draw(r, "what") {
			case 0:
				head := rapid.IntRange(0, long-1).Draw(r, "head")
				list = append(list, [3]any{s[0], head, long - head})
			case 1:
				list = append(list, [3]any{s[0], 0, rapid.IntRange(1, long).Draw(r, "tail")})
			case 2:
				list = append(list, [3]any{"NEW", 0, rapid.IntRange(1, 300).Draw(r, "new")}, s)
			case 3:
				list = append(list, s)
			}
		}
		if len(list) == 0 {
			return
		}
		x := p.Conform(second(list...))
		v := x.Verdicts[0]
		require.Less(r, v.Start, v.End)
		for _, q := range x.Proposals[0] {
			c, err := p.Take(second(list...), nil)
			require.NoError(r, err)
			_, _, err = cue.Apply(p, c)
			require.NoError(r, err)
			require.LessOrEqual(r, q.Bend, p.Cue("x").BendLimit+.06)
			_, err = q.Cue.Time()
			require.NoError(r, err)
			for _, e := range q.Errors {
				require.False(r, math.IsNaN(e.Frames) || math.IsInf(e.Frames, 0))
				require.LessOrEqual(r, math.Abs(e.Frames), q.Worst+.06)
			}
			if q.Way == cue.ByTempo {
				require.Equal(r, p.Cue("x").Metres, q.Cue.Metres)
			}
		}
	})
}

// The goal is a second for a hundred cues.
func BenchmarkConform100(b *testing.B) {
	p := filmed(b, nil)
	var ops []cue.Op
	for n := range int64(100) {
		c := p.NewCue(cue.ID(fmt.Sprint("n", n)), "r1", hour(1, 10+n), hour(1, 130+n/2))
		for k := range int64(10) {
			c.Hits = append(c.Hits, cue.Hit{Frame: c.Start + 60*k, Weight: 1, Tolerance: 2})
		}
		ops = append(ops, cue.Adding(c))
	}
	p, _, err := cue.Apply(p, cue.Change{Ops: ops})
	require.NoError(b, err)
	for b.Loop() {
		p.Conform(second([3]any{"A", 0, 1392}, [3]any{"B", 0, 720}, [3]any{"C", 24, 696}, [3]any{"NEW", 0, 30}, [3]any{"D", 0, 1440}))
	}
}
