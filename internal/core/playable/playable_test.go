package playable_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/playable"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/tempo"
)

// ticks of a quarter, which lasts half a second here; a bar has four.
const quarter = 480

func steady(t require.TestingT) tempo.Time {
	time, err := tempo.NewTime(quarter, nil, nil)
	require.NoError(t, err)
	return time
}

// n is a note: at which quarter, how many quarters long, and how it is played.
func n(at, length float64, key int, ways ...string) articulation.Note {
	return articulation.Note{Start: int64(at * quarter), End: int64((at + length) * quarter), Key: key, Velocity: 80, Articulations: ways}
}

func part(t require.TestingT, name string, notes ...articulation.Note) playable.Part {
	return playable.Part{Name: name, Sound: casting.SoundOf(nil, name), Notes: notes, Time: steady(t)}
}

func check(t *testing.T, line string, parts ...playable.Part) []string {
	t.Helper()
	orchestra, unread, err := playable.OfLine(line)
	require.NoError(t, err)
	require.Empty(t, unread)
	out := []string{}
	for _, f := range playable.Check(articulation.NewVocabulary(nil), parts, orchestra, 4) {
		bars := fmt.Sprint(f.From)
		if f.To > f.From {
			bars += fmt.Sprint("-", f.To)
		}
		out = append(out, fmt.Sprintf("%s %s: %s", bars, f.Desk, f.Message))
	}
	return out
}

// each is notes one after another, so many quarters long, with so long between.
func each(from, length, between float64, keys ...int) []articulation.Note {
	out := []articulation.Note{}
	for _, k := range keys {
		out = append(out, n(from, length, k))
		from += length + between
	}
	return out
}

// The right answers were written down first, as an orchestrator would mark them: common
// practice, no source.
func TestWhatPeopleCanNotPlay(t *testing.T) {
	const full = "2[1.2/pic] 2 2 2 - 4 3 3[1.2.btbn] 1 - timp+2 - hp - pf - str 14.12.10.8.6"
	many := func(count, key int) []int { return slices.Repeat([]int{key}, count) }
	for _, c := range []struct {
		what  string
		parts []playable.Part
		want  []string
	}{
		{"four notes for three trombones", []playable.Part{part(t, "Trombones", n(4, 2, 50), n(4, 2, 55), n(4, 2, 58), n(4, 2, 62))},
			[]string{"2 Trombones: 4 notes at once for 3 players"}},
		{"two of them are fine", []playable.Part{part(t, "Trombones", n(0, 4, 50), n(0, 4, 57))}, []string{}},
		{"one horn, two notes", []playable.Part{part(t, "Horn 1", n(0, 2, 60), n(0, 2, 64))}, []string{"1 Horn 1: 2 notes at once for one player"}},
		{"a legato that laps over is one", []playable.Part{part(t, "Flute 1", n(0, 1.1, 72), n(1, 1, 74))}, []string{}},
		{"horns on two staves", []playable.Part{part(t, "Horns 1.2", n(0, 4, 60), n(0, 4, 64)), part(t, "Horns 3.4", n(0, 4, 67), n(0, 4, 70))}, []string{}},
		{"five horns on two staves", []playable.Part{part(t, "Horns A", n(0, 4, 60), n(0, 4, 64)), part(t, "Horns B", n(0, 4, 67), n(0, 4, 70), n(0, 4, 72))},
			[]string{"1 Horn: 5 notes at once on 2 parts for 4 players"}},
		{"rows of one desk are one", []playable.Part{part(t, "Horn 1 long", n(0, 2, 60)), part(t, "Horn 1 short", n(3, 1, 64))}, []string{}},
		{"and cannot play at once", []playable.Part{part(t, "Horn 1 long", n(0, 4, 60)), part(t, "Horn 1 short", n(1, .5, 64))}, []string{"1 Horn 1: 2 notes at once for one player"}},
		{"a violin below its lowest string", []playable.Part{part(t, "Violins 1", n(0, 1, 53))}, []string{"1 Violins 1: F3 lies below its range, which begins at G3"}},
		{"a trumpet that climbs", []playable.Part{part(t, "Trumpet 1", n(0, 1, 83), n(4, 1, 84), n(20, 1, 83))},
			[]string{"1-2 Trumpet 1: up to C6; at ease it goes to A5", "6 Trumpet 1: up to B5; at ease it goes to A5"}},
		{"harmonics go where fingers do not", []playable.Part{part(t, "Cellos", n(0, 2, 88, "harmonics"))}, []string{}},
		{"a tuba that never breathes", []playable.Part{part(t, "Tuba", each(0, 1, 0, many(20, 40)...)...)}, []string{"1-4 Tuba: 8 s without a breath; one lasts about 7"}},
		{"a tuba that does", []playable.Part{part(t, "Tuba", append(each(0, 1, 0, many(10, 40)...), each(11, 1, 0, many(10, 40)...)...)...)}, []string{}},
		{"flutes who share a line", []playable.Part{part(t, "Flutes", each(0, 1, 0, many(40, 75)...)...)}, []string{}},
		{"strings need none", []playable.Part{part(t, "Violas", each(0, 1, 0, many(80, 60)...)...)}, []string{}},
		{"a mute in half a second", []playable.Part{part(t, "Trumpet 1", n(0, 2, 70), n(3, 1, 70, "con sordino"), n(12, 1, 70))},
			[]string{"1 Trumpet 1: 0.5 s to put the mute on; it takes about 3"}},
		{"a stopped horn needs no mute", []playable.Part{part(t, "Horn 1", n(0, 2, 60), n(2, 1, 60, "stopped"))}, []string{}},
		{"plucked at once", []playable.Part{part(t, "Cellos", n(0, 1, 48), n(1, .25, 50, "pizzicato"), n(6, 1, 50))}, []string{"1 Cellos: 0.0 s from the bow to plucking; it takes about 0.4"}},
		{"the piccolo in two seconds", []playable.Part{part(t, "Flute 2", n(0, 4, 72)), part(t, "Piccolo", n(8, 2, 90))}, []string{"3 Piccolo: 2.0 s to take it from Flute 2; it takes about 6"}},
		{"both at once", []playable.Part{part(t, "Flute 2", n(0, 4, 72)), part(t, "Piccolo", n(2, 2, 90))}, []string{"1 Piccolo: the player of Flute 2 takes it, and plays that too"}},
		{"the first flute may play with it", []playable.Part{part(t, "Flute 1", n(0, 4, 72)), part(t, "Piccolo", n(2, 2, 90))}, []string{}},
		{"nine notes for eight cellos, four desks", []playable.Part{part(t, "Cellos", n(0, 2, 48), n(0, 2, 52), n(0, 2, 55), n(0, 2, 59), n(0, 2, 62))}, []string{"1 Cellos: 5 notes at once for 4 desks"}},
		{"a chord of the harp", []playable.Part{part(t, "Harp", n(0, 1, 40), n(0, 1, 44), n(0, 1, 47), n(0, 1, 52), n(0, 1, 56), n(0, 1, 59), n(0, 1, 64), n(0, 1, 68), n(0, 1, 71))},
			[]string{"1 Harp: 9 notes at once for one player"}},
		{"three things for two percussionists", []playable.Part{part(t, "Bass drum", n(0, 1, 36)), part(t, "Snare drum", n(0, .5, 60), n(2, .5, 60)), part(t, "Cymbals", n(1, 1, 60))},
			[]string{"1 Percussion: Bass drum, Snare drum, Cymbals want 3 players, and there are 2"}},
		{"with time to walk", []playable.Part{part(t, "Bass drum", n(0, 1, 36)), part(t, "Snare drum", n(0, .5, 60)), part(t, "Cymbals", n(12, 1, 60))}, []string{}},
		{"five kettledrums", []playable.Part{part(t, "Timpani", each(0, .5, 0, 43, 45, 48, 50, 52)...)}, []string{"1 Timpani: 5 pitches within 3 s on 4 drums"}},
		{"nobody plays it", []playable.Part{part(t, "Euphonium", n(0, 1, 55))}, []string{"1 Euphonium: nobody in the orchestra plays it"}},
	} {
		require.Equal(t, c.want, check(t, full, c.parts...), c.what)
	}
}

// An orchestra is read from a template's rows as from a line: desks once, soloists as one,
// sections as many.
func TestTheOrchestraOfATemplate(t *testing.T) {
	line, _, err := playable.OfLine("2[1.2/pic] 1 - timp - str 12.10.8.6.4")
	require.NoError(t, err)
	require.Contains(t, line, playable.Desk{Name: "Piccolo", Sound: "wind.flutes.flute.piccolo", Players: 1, Beside: "Flute 2"})
	require.Contains(t, line, playable.Desk{Name: "Violins 2", Sound: "strings.violin", Players: 10})
	_, _, err = playable.OfLine("-")
	require.Error(t, err)

	mint := coretest.Mint()
	base := coretest.Must(coretest.Orchestra(1, 0))
	c, err := casting.Begin(base, "2 0 0 0 - 4 - str", mint)
	require.NoError(t, err)
	of := map[string]int{}
	for _, d := range playable.OfTemplate(coretest.Must(base, c)) {
		of[d.Name] = d.Players
	}
	delete(of, "Winds 0")
	require.Equal(t, map[string]int{"Flute 1": 1, "Flute 2": 1, "Horn 1": 1, "Horn 2": 1, "Horn 3": 1, "Horn 4": 1, "Violins 1": 14, "Violins 2": 12, "Violas": 10, "Cellos": 8, "Basses": 6}, of)
}

// Every instrument that people blow or sing has a breath, a comfortable range within its
// range, and nobody blows two notes.
func TestFactsOfPlayers(t *testing.T) {
	for _, s := range sound.All() {
		p, known := sound.PlayerOf(s.ID)
		if strings.HasPrefix(s.ID, "synth.") {
			require.False(t, known, s.ID)
			continue
		}
		require.True(t, known, s.ID)
		if s.ID == "wind.pipes.bagpipes" {
			continue // whose bag breathes for him
		}
		blown := sound.Within(s.ID, "wind") || sound.Within(s.ID, "brass") || sound.Within(s.ID, "voice")
		require.Equal(t, blown, p.BreathS > 0, s.ID)
		if blown {
			require.Equal(t, 1, p.AtOnce, s.ID)
		}
		if p.High > 0 {
			require.Less(t, p.Low, p.High, s.ID)
			require.GreaterOrEqual(t, p.Low, s.Low, s.ID)
			require.LessOrEqual(t, p.High, s.High, s.ID)
		}
	}
}

// A solo line within the comfortable range, with rests, is always playable; taking notes
// away never makes something unplayable but for a change that had time.
func TestALineWithRestsIsPlayable(t *testing.T) {
	orchestra, _, err := playable.OfLine("2 2 2 2 - 4 3 3 1 - timp+2 - str")
	require.NoError(t, err)
	rapid.Check(t, func(r *rapid.T) {
		desk := rapid.SampledFrom(orchestra).Draw(r, "desk")
		p, known := sound.PlayerOf(desk.Sound)
		if !known || p.High == 0 || desk.Sound == "drum.timpani" {
			return
		}
		var notes []articulation.Note
		at := 0.0
		for range rapid.IntRange(1, 60).Draw(r, "notes") {
			long := rapid.Float64Range(.25, 4).Draw(r, "long")
			notes = append(notes, n(at, long, rapid.IntRange(p.Low, p.High).Draw(r, "key")))
			at += long + 1 // half a second
		}
		require.Empty(r, playable.Check(articulation.NewVocabulary(nil), []playable.Part{part(r, desk.Name, notes...)}, orchestra, 4))
	})
}
