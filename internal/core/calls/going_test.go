package calls_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

func orderOf(e calls.Estimate) []template.ID {
	var out []template.ID
	for _, l := range e.Order {
		out = append(out, l.Instrument.ID)
	}
	return out
}

// What is waited for loads first, then players in their stated order, then the
// small before the large.
func TestLoadingOrder(t *testing.T) {
	s := stage()
	all := []template.ID{"a", "b", "c", "e"}
	require.Equal(t, []template.ID{"c", "b", "a", "e"}, orderOf(calls.Costs(s, nil, all)[0]),
		"the Tide player first; Oboe's 200 MiB before Flute's 300")
	waited := calls.Going{After: all, Awaited: map[template.ID]bool{"a": true}}
	require.Equal(t, []template.ID{"a", "c", "b", "e"}, orderOf(calls.Reckon(s, waited)[0]))
}

// Whatever is awaited, the same is loaded, in as much memory and time of disk.
func TestTheOrderChangesNothingElse(t *testing.T) {
	s := stage()
	all := []template.ID{"a", "b", "c", "d", "e"}
	rapid.Check(t, func(rt *rapid.T) {
		pick := rapid.SliceOfDistinct(rapid.SampledFrom(all), func(id template.ID) template.ID { return id })
		after := pick.Draw(rt, "after")
		g := calls.Going{Before: pick.Draw(rt, "before"), After: after, Awaited: map[template.ID]bool{}}
		for _, id := range pick.Draw(rt, "awaited") {
			g.Awaited[id] = true
		}
		plain, now := calls.Costs(s, g.Before, g.After)[0], calls.Reckon(s, g)[0]
		require.ElementsMatch(rt, orderOf(plain), orderOf(now))
		require.InDelta(rt, plain.AfterMiB, now.AfterMiB, 1e-9)
		require.InDelta(rt, plain.Wait.Seconds(), now.Wait.Seconds(), 1e-9)
		late := false
		for _, id := range orderOf(now) {
			require.False(rt, late && g.Awaited[id], "nothing stands before what is awaited")
			late = late || !g.Awaited[id]
		}
	})
}

// What is proposed for rest is what was unused longest; never what is kept,
// sounds or is armed.
func TestWhatIsProposedForRest(t *testing.T) {
	s := stage()
	g := calls.Going{Before: []template.ID{"a", "b"}, After: []template.ID{"a", "b", "e"}}
	unused := map[template.ID]time.Duration{"a": time.Minute, "b": time.Hour}
	rest := func() []template.ID { return ids(calls.Reckon(s, g)[0].Rest) }
	require.Equal(t, "a", string(rest()[0]), "nothing known: the largest")
	g.Idle = func(id template.ID) time.Duration { return unused[id] }
	require.Equal(t, "b", string(rest()[0]))
	g.Busy = map[template.ID]bool{"b": true}
	require.Equal(t, "a", string(rest()[0]))
	require.NotContains(t, rest(), template.ID("b"))
	kept := *s.Instrument("a")
	kept.Keep = true
	s.Instruments[0] = &kept
	require.Equal(t, []template.ID{"e"}, rest(), "only what is asked for is left")
}

// A printed instrument takes no memory and is not loaded (4-reference,
// Machines: printed 0).
func TestPrintedTakesNothing(t *testing.T) {
	s := stage()
	printed := s.Instrument("a").Clone()
	printed.Printed = &template.Printed{File: "Flute.wav", Seconds: 60}
	s.Instruments[0] = printed
	require.Equal(t, 0.0, calls.ReadyMiB(s, []template.ID{"a"})["m"])
	e := calls.Costs(s, nil, []template.ID{"a", "b"})[0]
	require.Equal(t, []template.ID{"b"}, orderOf(e))
	require.InDelta(t, 96+200, e.AfterMiB, 1e-9)
}

// The factor is what loads took over what they were computed to take; it
// follows a machine that changes, and short loads teach nothing.
func TestPace(t *testing.T) {
	var p calls.Pace
	require.Equal(t, 10*time.Second, p.Of(10*time.Second))
	p = p.Learn(10*time.Second, 13*time.Second)
	require.InDelta(t, 1.3, p.Factor(), 1e-9)
	require.Equal(t, 26*time.Second, p.Of(20*time.Second).Round(time.Millisecond))
	require.Equal(t, p, p.Learn(400*time.Millisecond, time.Minute), "too short to measure")
	require.Equal(t, p, p.Learn(time.Second, 0))
	for range 12 {
		p = p.Learn(10*time.Second, 20*time.Second)
	}
	require.InDelta(t, 2, p.Factor(), 0.05, "half as fast as promised")
}

// The factor stays between the slowest and the quickest that was measured.
func TestPaceStaysWithinWhatWasMeasured(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var p calls.Pace
		low, high := 1e9, 0.0
		for range rapid.IntRange(1, 20).Draw(rt, "measures") {
			computed := rapid.Float64Range(0.5, 500).Draw(rt, "computed")
			ratio := rapid.Float64Range(0.02, 50).Draw(rt, "ratio")
			low, high = min(low, ratio), max(high, ratio)
			p = p.Learn(time.Duration(computed*1e9), time.Duration(computed*ratio*1e9))
		}
		require.GreaterOrEqual(rt, p.Factor(), low*0.999)
		require.LessOrEqual(rt, p.Factor(), high*1.001)
	})
}

// Notes that changed since they were recorded make a printed row stale.
func TestStale(t *testing.T) {
	s := stage()
	call := &template.Call{ID: "cue", Name: "1M01", Instruments: []template.ID{"a"}, Uses: []template.Use{{Instrument: "a", Music: "x", Notes: 1}}}
	s.Calls = []*template.Call{call}
	i := s.Instrument("a").Clone()
	require.False(t, s.Stale(i), "it plays")
	i.Printed = &template.Printed{File: "Flute.wav", Seconds: 60, Call: "cue", Music: "x"}
	require.False(t, s.Stale(i))
	changed := *call
	changed.Uses = slices.Clone(call.Uses)
	changed.Uses[0].Music = "y"
	now := s.Clone()
	now.Calls = []*template.Call{&changed}
	require.True(t, now.Stale(i))
	now = s.Clone()
	now.Calls = nil
	require.False(t, now.Stale(i), "nobody knows")
}
