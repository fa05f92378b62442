package calls_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/template"
)

// bars are so many bars of two seconds.
func bars(n int) []float64 {
	var out []float64
	for k := range n + 1 {
		out = append(out, 2*float64(k))
	}
	return out
}

var music = map[template.ID][]calls.Sounding{"b": {{0, 4}, {30, 34}}, "a": {{10, 14}}, "c": {{20, 22}}}

// Worked by hand. The drone loads in 2.8 s, the oboe in 4.5, the flute in 3: woken four seconds
// and its load before it enters, the flute comes with bar 2, the drone with bar 7; the oboe must be
// ready before the music. All fit, so that nobody rests.
func TestRowsAreWokenBeforeTheyEnter(t *testing.T) {
	f := calls.Follow(stage(), calls.FollowAsk{Plays: music, Bars: bars(20), Margin: 4, Tail: 6})
	require.Equal(t, []calls.FollowStep{
		{Bar: 0, Wake: []template.ID{"b"}, Rest: []template.ID{}}, {Bar: 2, Second: 2, Wake: []template.ID{"a"}, Rest: []template.ID{}}, {Bar: 7, Second: 12, Wake: []template.ID{"c"}, Rest: []template.ID{}},
	}, f.Steps)
	m := f.Machines[0]
	require.Equal(t, 744., m.AllMiB)
	require.Equal(t, 800., m.LimitMiB)
	require.Empty(t, m.Over)
	require.Equal(t, []float64{296, 596, 744}, []float64{m.Bars[0], m.Bars[1], m.Bars[6]})
	require.Len(t, m.Bars, 20)
}

// With 650 MiB, the oboe rests when the drone is woken, since it plays on only later, and is woken
// again in bar 11, where the flute still rings: there, what plays alone is too much, and told. A
// bar later the flute rests.
func TestRowsRestWhereMemoryIsShort(t *testing.T) {
	x := stage()
	x.Machines[0].MemoryMiB = 874
	f := calls.Follow(x, calls.FollowAsk{Plays: music, Bars: bars(20), Margin: 4, Tail: 6})
	require.Equal(t, []calls.FollowStep{
		{Bar: 0, Wake: []template.ID{"b"}, Rest: []template.ID{}}, {Bar: 2, Second: 2, Wake: []template.ID{"a"}, Rest: []template.ID{}},
		{Bar: 7, Second: 12, Wake: []template.ID{"c"}, Rest: []template.ID{"b"}}, {Bar: 11, Second: 20, Wake: []template.ID{"b"}, Rest: []template.ID{}},
		{Bar: 12, Second: 22, Wake: []template.ID{}, Rest: []template.ID{"a"}},
	}, f.Steps)
	require.Equal(t, []int{11}, f.Machines[0].Over)
	require.Equal(t, 544., f.Machines[0].Bars[6])

	slow := calls.Follow(x, calls.FollowAsk{Plays: music, Bars: bars(20), Margin: 4, Tail: 6, Paces: map[template.ID]calls.Pace{"m": {Computed: 1, Measured: 2, Loads: 1}}})
	require.Equal(t, calls.FollowStep{Bar: 1, Wake: []template.ID{"a"}, Rest: []template.ID{}}, slow.Steps[1], "where loads take twice as long, the flute is woken three seconds sooner")
	held := calls.Follow(stage(), calls.FollowAsk{Plays: music, Bars: bars(20), Others: map[template.ID][]calls.Held{"m": {{MiB: 150}}}})
	require.Equal(t, 650., held.Machines[0].LimitMiB, "what another template holds there counts")
}

// Whatever plays when: every row is ready through all that it plays, with its margin and tail; what
// is told of memory is what the rows that are ready take; and it is never above the machine's but in
// bars that are told, where nothing could rest.
func TestMemoryFollowsMusic(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		x := stage()
		x.Machines[0].MemoryMiB = 224 + float64(rapid.IntRange(150, 900).Draw(r, "memory"))
		plays := map[template.ID][]calls.Sounding{}
		for _, id := range []template.ID{"a", "b", "c", "e"} {
			at := 0.0
			for range rapid.IntRange(0, 3).Draw(r, "spans") {
				from := at + float64(rapid.IntRange(0, 40).Draw(r, "from"))
				at = from + float64(rapid.IntRange(1, 10).Draw(r, "long"))
				plays[id] = append(plays[id], calls.Sounding{From: from, To: at})
			}
		}
		const margin, tail = 3, 5
		f := calls.Follow(x, calls.FollowAsk{Plays: plays, Bars: bars(100), Margin: margin, Tail: tail})
		ready := map[template.ID]bool{}
		n := 0
		m := f.Machines[0]
		for bar := 0; bar <= 100; bar++ {
			for ; n < len(f.Steps) && f.Steps[n].Bar == bar; n++ {
				for _, id := range f.Steps[n].Wake {
					require.False(r, ready[id])
					ready[id] = true
				}
				for _, id := range f.Steps[n].Rest {
					require.True(r, ready[id])
					delete(ready, id)
				}
			}
			if bar == 0 {
				continue
			}
			from, to := 2*float64(bar-1), 2*float64(bar)
			all := []template.ID{}
			for _, id := range []template.ID{"a", "b", "c", "e"} {
				plays := plays[id]
				needed := false
				for _, s := range plays {
					needed = needed || s.From-margin < to && s.To+tail >= from
				}
				if needed {
					require.True(r, ready[id], "%s in bar %d", id, bar)
				}
				if ready[id] {
					all = append(all, id)
				}
			}
			used := calls.ReadyMiB(x, all)["m"]
			require.InDelta(r, used, m.Bars[bar-1], .1)
			if used > m.LimitMiB {
				require.Contains(r, m.Over, bar)
			}
		}
	})
}
