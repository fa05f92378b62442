package cut_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cut"
	"fanfold/internal/core/timecode"
)

var film = timecode.Rate{Num: 24, Den: 1}

// laid puts shots one after another, from a frame on.
func laid(from int64, shots ...cut.Event) []cut.Event {
	var out []cut.Event
	for n, e := range shots {
		length := e.End
		e.Number, e.Start, e.End = fmt.Sprintf("%03d", n+1), from, from+length
		from = e.End
		out = append(out, e)
	}
	return out
}

// shot shows so many frames of a source.
func shot(source string, in, length int64) cut.Event {
	return cut.Event{Source: source, In: in, End: length}
}

// Worked by hand: of four shots the second loses its first ten frames, a new one comes after
// it, the third is gone, and the fourth stands first as well, once more.
func TestWorkedExample(t *testing.T) {
	old := laid(0, shot("A", 100, 50), shot("B", 200, 40), shot("C", 300, 30), shot("D", 400, 20))
	now := laid(1000, shot("D", 400, 5), shot("A", 100, 50), shot("B", 210, 30), shot("X", 0, 12), shot("D", 400, 20))
	m := cut.Compare(old, now)
	require.Equal(t, []cut.Piece{
		{Old: cut.Span{Start: 120, End: 125}, New: cut.Span{Start: 1000, End: 1005}, From: 3, To: 0, How: cut.Repeated},
		{Old: cut.Span{Start: 0, End: 50}, New: cut.Span{Start: 1005, End: 1055}, From: 0, To: 1, How: cut.Kept},
		{Old: cut.Span{Start: 60, End: 90}, New: cut.Span{Start: 1055, End: 1085}, From: 1, To: 2, How: cut.Kept},
		{Old: cut.Span{Start: 120, End: 140}, New: cut.Span{Start: 1097, End: 1117}, From: 3, To: 4, How: cut.Kept},
	}, m.Pieces)
	require.Equal(t, []cut.Span{{Start: 50, End: 60}, {Start: 90, End: 120}}, m.Gone)
	require.Equal(t, []cut.Span{{Start: 1085, End: 1097}}, m.Fresh)

	at := cut.NewMap(m)
	for _, x := range []struct {
		old, now int64
		ok       bool
	}{{0, 1005, true}, {49, 1054, true}, {50, 0, false}, {60, 1055, true}, {121, 1098, true}, {140, 0, false}, {-1, 0, false}} {
		now, ok := at.At(x.old)
		require.Equal(t, x.ok, ok, x.old)
		require.Equal(t, x.now, now, x.old)
	}
	now60, away, ok := at.Near(52, cut.Span{Start: 40, End: 90})
	require.True(t, ok)
	require.Equal(t, []int64{1054, 3}, []int64{now60, away}, "the frame before the gap is nearer than the one after")
	_, _, ok = at.Near(100, cut.Span{Start: 91, End: 119})
	require.False(t, ok)
}

// A shot at half its speed is the same picture, twice as long; one that was moved is told; a
// source is known by its clip where its reel has another name; black shows nothing.
func TestSpeedsMovesAndNames(t *testing.T) {
	old := laid(0, shot("A", 100, 40), shot("B", 0, 100), shot("C", 0, 30), cut.Event{Source: "BL", End: 24})
	slow := shot("A", 100, 80)
	slow.Speed = .5
	now := laid(0, slow, shot("C", 0, 30), shot("B", 0, 100))
	m := cut.Compare(old, now)
	require.Len(t, m.Pieces, 3)
	require.Equal(t, cut.Span{Start: 0, End: 40}, m.Pieces[0].Old)
	require.Equal(t, cut.Span{Start: 0, End: 80}, m.Pieces[0].New)
	require.Equal(t, cut.Moved, m.Pieces[1].How, "the shorter of the two that changed places")
	require.Equal(t, cut.Kept, m.Pieces[2].How)
	require.Empty(t, m.Gone)
	require.Empty(t, m.Fresh)
	half, ok := cut.NewMap(m).At(20)
	require.True(t, ok)
	require.EqualValues(t, 40, half)

	a, b := shot("A001C002", 50, 30), shot("AX", 50, 30)
	a.Clip, b.Clip = "Lamp_turns.mov", "lamp turns"
	m = cut.Compare(laid(0, a), laid(10, b))
	require.Len(t, m.Pieces, 1)
	require.False(t, m.Pieces[0].Unsure)
	a.Clip, b.Clip = "", ""
	m = cut.Compare(laid(0, a), laid(10, b))
	require.Len(t, m.Pieces, 1)
	require.True(t, m.Pieces[0].Unsure, "by its timecode alone")
	require.Empty(t, cut.Compare(laid(0, shot("A", 0, 9)), laid(0, shot("B", 0, 9))).Pieces, "another source at the same timecode")
	require.Empty(t, cut.Compare(nil, laid(0, shot("B", 0, 9))).Pieces)
}

// What cannot be is told with the event.
func TestListsAreChecked(t *testing.T) {
	_, err := cut.Checked(film, []cut.Event{{Number: "7", Start: 20, End: 20}})
	require.ErrorContains(t, err, "event 7 ends at 00:00:00:20, before it begins")
	_, err = cut.Checked(film, []cut.Event{{Number: "2", Start: 20, End: 30}, {Number: "1", Start: 0, End: 21}})
	require.ErrorContains(t, err, "event 2 begins at 00:00:00:20, before event 1 ends at 00:00:00:21")
	_, err = cut.Checked(film, []cut.Event{{Number: "1", Start: 0, End: 24 * 86_401}})
	require.ErrorContains(t, err, "outside of a day")
	_, err = cut.Checked(film, []cut.Event{{Number: "1", Start: 0, End: 10, Fade: 11}})
	require.ErrorContains(t, err, "comes in over 11 frames and lasts 10")
	got, err := cut.Checked(film, []cut.Event{{Number: "2", Start: 20, End: 30}, {Number: "1", Start: 0, End: 20}})
	require.NoError(t, err)
	require.Equal(t, "1", got[0].Number)
}

// cutting is a film and what an editor made of it. Each frame of a source is shown once in the
// film.
type cutting struct{ old, now []cut.Event }

func anyCutting(r *rapid.T, moves bool) cutting {
	var shots []cut.Event
	at := map[string]int64{}
	for n := range rapid.IntRange(1, 14).Draw(r, "shots") {
		source := rapid.SampledFrom([]string{"A001", "A002", "B001", fmt.Sprint("S", n)}).Draw(r, "source")
		in := at[source] + rapid.Int64Range(0, 100).Draw(r, "apart")
		length := rapid.Int64Range(1, 120).Draw(r, "length")
		at[source] = in + length
		shots = append(shots, shot(source, in, length))
	}
	return cutting{laid(rapid.Int64Range(0, 5000).Draw(r, "from"), shots...), edited(r, shots, moves)}
}

// edited trims, splits, takes out, brings in and, with moves, moves and repeats shots.
func edited(r *rapid.T, shots []cut.Event, moves bool) []cut.Event {
	out := append([]cut.Event{}, shots...)
	for range rapid.IntRange(0, 6).Draw(r, "edits") {
		n := rapid.IntRange(0, len(out)).Draw(r, "where")
		if n == len(out) || len(out) < 2 {
			out = append(out, shot(fmt.Sprint("NEW", rapid.IntRange(0, 9).Draw(r, "which")), rapid.Int64Range(0, 99).Draw(r, "in"), rapid.Int64Range(1, 50).Draw(r, "long")))
			continue
		}
		e := out[n]
		kind := rapid.IntRange(0, 5).Draw(r, "edit")
		switch {
		case kind == 0:
			out = append(out[:n:n], out[n+1:]...)
		case kind == 1 && e.End > 1:
			by := rapid.Int64Range(1, e.End-1).Draw(r, "head")
			out[n].In, out[n].End = e.In+by, e.End-by
		case kind == 2 && e.End > 1:
			out[n].End -= rapid.Int64Range(1, e.End-1).Draw(r, "tail")
		case kind == 3 && e.End > 1:
			by := rapid.Int64Range(1, e.End-1).Draw(r, "split")
			rest := shot(e.Source, e.In+by, e.End-by)
			out[n].End = by
			out = append(out[:n+1:n+1], append([]cut.Event{shot("BETWEEN", 7, 3), rest}, out[n+1:]...)...)
		case kind == 4 && moves:
			to := rapid.IntRange(0, len(out)-1).Draw(r, "to")
			out = append(out[:n:n], out[n+1:]...)
			out = append(out[:min(to, len(out)):min(to, len(out))], append([]cut.Event{e}, out[min(to, len(out)):]...)...)
		case kind == 5 && moves:
			out = append(out, e)
		}
	}
	return laid(rapid.Int64Range(0, 5000).Draw(r, "new start"), out...)
}

// picture is what a frame shows.
type picture struct {
	source string
	frame  int64
}

func pictures(events []cut.Event) map[int64]picture {
	out := map[int64]picture{}
	for _, e := range events {
		for f := e.Start; f < e.End; f++ {
			out[f] = picture{e.Source, e.In + f - e.Start}
		}
	}
	return out
}

// A random cutting of a known source is found again, frame by frame: every piece shows the same
// picture, every new frame whose picture the old film has is in one, and what is gone and what
// is new is told. Without moves, nothing is called moved.
func TestACuttingIsFoundAgain(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		moves := rapid.Bool().Draw(r, "moves")
		c := anyCutting(r, moves)
		checkCutting(r, c, moves, false)
	})
}

// Without names it is found by its timecode alone, and told as less sure, where no two sources
// share a timecode.
func TestACuttingIsFoundWithoutNames(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		c := anyCutting(r, false)
		hour := map[string]int64{}
		for _, list := range [][]cut.Event{c.old, c.now} {
			for n := range list {
				if _, ok := hour[list[n].Source]; !ok {
					hour[list[n].Source] = int64(len(hour)+1) * 100_000
				}
				list[n].In += hour[list[n].Source]
				list[n].Source = ""
			}
		}
		checkCutting(r, c, false, true)
	})
}

func checkCutting(r *rapid.T, c cutting, moves, unsure bool) {
	m := cut.Compare(c.old, c.now)
	old, now := pictures(c.old), pictures(c.now)
	there := map[picture]bool{}
	for _, p := range old {
		there[p] = true
	}
	covered := map[int64]bool{}
	used := map[int64]bool{}
	for _, p := range m.Pieces {
		require.Equal(r, p.Old.Length(), p.New.Length())
		require.Positive(r, p.Old.Length())
		require.Equal(r, unsure, p.Unsure)
		for k := range p.Old.Length() {
			require.Equal(r, old[p.Old.Start+k], now[p.New.Start+k])
			require.False(r, covered[p.New.Start+k], "two pieces say where frame %d is from", p.New.Start+k)
			covered[p.New.Start+k], used[p.Old.Start+k] = true, true
		}
		if !moves {
			require.Equal(r, cut.Kept, p.How)
		}
	}
	fresh, gone := map[int64]bool{}, map[int64]bool{}
	for _, s := range m.Fresh {
		for f := s.Start; f < s.End; f++ {
			fresh[f] = true
		}
	}
	for _, s := range m.Gone {
		for f := s.Start; f < s.End; f++ {
			gone[f] = true
		}
	}
	for f, p := range now {
		require.Equal(r, there[p], covered[f], "frame %d", f)
		require.Equal(r, !covered[f], fresh[f])
	}
	for f := range old {
		require.Equal(r, !used[f], gone[f])
		at, ok := cut.NewMap(m).At(f)
		require.Equal(r, used[f], ok)
		if ok {
			require.Equal(r, old[f], now[at])
		}
	}
}

// From the first cut to the third by way of the second is from the first to the third, wherever
// nothing was lost on the way.
func TestMapsCompose(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		c := anyCutting(r, false)
		var shots []cut.Event
		for _, e := range c.now {
			shots = append(shots, shot(e.Source, e.In, e.Length()))
		}
		third := edited(r, shots, false)
		a, b := cut.NewMap(cut.Compare(c.old, c.now)), cut.NewMap(cut.Compare(c.now, third))
		direct, round := cut.NewMap(cut.Compare(c.old, third)), a.Then(b)
		for f := range pictures(c.old) {
			second, ok := a.At(f)
			if !ok {
				_, ok = round.At(f)
				require.False(r, ok)
				continue
			}
			want, ok := b.At(second)
			got, there := round.At(f)
			require.Equal(r, ok, there)
			require.Equal(r, want, got)
			if at, still := direct.At(f); still && ok {
				require.Equal(r, at, got)
			}
		}
	})
}

// The goal is 200 ms to read and match an event list of 5,000 events.
func BenchmarkCompare5000(b *testing.B) {
	random := rand.New(rand.NewPCG(1, 2))
	var shots []cut.Event
	for range 5000 {
		shots = append(shots, shot(fmt.Sprintf("A%03d", random.IntN(300)), random.Int64N(80_000), 12+random.Int64N(200)))
	}
	old := laid(0, shots...)
	var after []cut.Event
	for _, s := range shots {
		switch random.IntN(12) {
		case 0:
		case 1:
			after = append(after, shot(s.Source, s.In+3, s.End-6))
		case 2:
			after = append(after, s, shot("NEW", random.Int64N(9000), 30))
		default:
			after = append(after, s)
		}
	}
	now := laid(0, after...)
	for b.Loop() {
		cut.Compare(old, now)
	}
}

// Worked by hand: of two shots of 100 frames from 1000 on, ten frames go at 1050, five come at
// 1100, and the last twenty go.
func TestChangesAreMade(t *testing.T) {
	rate := timecode.Rate{Num: 25, Den: 1}
	old := laid(1000, shot("A", 0, 100), shot("B", 500, 100))
	now, err := cut.Edited(rate, old, []cut.Edit{{Line: 4, At: 1180, Gone: 20}, {Line: 2, At: 1050, Gone: 10}, {Line: 3, At: 1100, Added: 5, Name: "Gull"}})
	require.NoError(t, err)
	require.Equal(t, []cut.Event{
		{Number: "001", Source: "A", In: 0, Start: 1000, End: 1050},
		{Number: "001", Source: "A", In: 60, Start: 1050, End: 1090},
		{Clip: "Gull", Start: 1090, End: 1095},
		{Number: "002", Source: "B", In: 500, Start: 1095, End: 1175},
	}, now)

	_, err = cut.Edited(rate, old, []cut.Edit{{Line: 2, At: 1050, Gone: 10}, {Line: 3, At: 1055, Gone: 1}, {Line: 4, At: 1190, Gone: 20}, {Line: 5, At: 1100}})
	for _, text := range []string{"line 3: what is at 00:00:42:05 goes in another line already", "line 4: 00:00:48:10 lies outside of the picture, which goes from 00:00:40:00 to 00:00:48:00", "line 5: it neither"} {
		require.ErrorContains(t, err, text)
	}
	_, err = cut.Edited(rate, old, []cut.Edit{{Line: 2, At: 1000, Gone: 200}})
	require.ErrorContains(t, err, "nothing of the picture would be left")
	now, err = cut.Edited(rate, now, []cut.Edit{{Line: 2, At: 1000, Added: 1, Name: "Gull"}, {Line: 3, At: 1000, Added: 2, Name: "Gull"}})
	require.NoError(t, err)
	require.Equal(t, []string{"Gull (2)", "Gull (3)"}, []string{now[0].Clip, now[1].Clip}, "clips of their own")
	same, err := cut.Edited(rate, old, nil)
	require.NoError(t, err)
	require.Equal(t, old, same)
}

// Whatever the changes, what is compared afterwards is what they said: every frame that stays has
// moved by what came and went before it, and the others are gone.
func TestChangesAreFoundAgain(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		var shots []cut.Event
		for n := range rapid.IntRange(1, 8).Draw(r, "shots") {
			shots = append(shots, shot(fmt.Sprintf("S%d", n), rapid.Int64Range(0, 400).Draw(r, "in"), rapid.Int64Range(1, 60).Draw(r, "length")))
		}
		old := laid(2400, shots...)
		film := cut.SpanOf(old)
		var edits []cut.Edit
		stays := map[int64]int64{} // old to new
		shift, at := int64(0), film.Start
		for at < film.End {
			e := cut.Edit{At: at + rapid.Int64Range(0, 50).Draw(r, "wait"), Added: rapid.Int64Range(0, 20).Draw(r, "added")}
			e.Gone = rapid.Int64Range(0, 20).Draw(r, "gone")
			if e.At+e.Gone > film.End || e.Gone+e.Added == 0 {
				break
			}
			for f := at; f < e.At; f++ {
				stays[f] = f + shift
			}
			edits = append(edits, e)
			at, shift = e.At+e.Gone, shift+e.Added-e.Gone
		}
		for f := at; f < film.End; f++ {
			stays[f] = f + shift
		}
		if len(stays) == 0 {
			return
		}
		now, err := cut.Edited(timecode.Rate{Num: 24, Den: 1}, old, edits)
		require.NoError(r, err)
		require.Equal(r, film.Length()+shift+film.Start, now[len(now)-1].End)
		m := cut.NewMap(cut.Compare(old, now))
		for f := film.Start; f < film.End; f++ {
			got, ok := m.At(f)
			want, is := stays[f]
			require.Equal(r, is, ok, "frame %d", f)
			require.Equal(r, want, got, "frame %d", f)
		}
	})
}
