package cue_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/cue"
	"fanfold/internal/core/cut"
	"fanfold/internal/core/tempo"
	"fanfold/internal/core/timecode"
)

// withFilm is the lantern with a picture of reel 1, ten minutes long, and a film of it.
func withFilm(t require.TestingT, f cue.Film) *cue.Production {
	p, _, err := cue.Apply(lantern(t), cue.Change{Ops: []cue.Op{
		cue.Adding(&cue.Cut{ID: "k", Name: "Cut 1", Reels: []cue.CutReel{{Reel: "r1", Events: []cut.Event{{Source: "A", Start: hour(1, 0), End: hour(1, 600)}}}}}),
		cue.Setting(cue.OfProduction, "", "cut", "k"),
	}})
	require.NoError(t, err)
	p, _, err = cue.Apply(p, p.CutOf("k").WithFilm(p.Reel("r1"), &f))
	require.NoError(t, err)
	return p
}

func filmMarks(p *cue.Production) map[string]string {
	out := map[string]string{}
	for _, m := range p.Marks() {
		if m.Reel == "r1" && m.Cue == "" {
			out[m.Code] = m.Message
		}
	}
	return out
}

var whole = cue.Footage{Num: 24, Den: 1, Frames: 24 * 600, Start: "01:00:00:00", SoundMs: 600_000, Width: 640, Height: 360, Codec: "avc1"}

// What a film says of itself is held against its reel and its event list.
func TestAFilmIsHeldAgainstItsReel(t *testing.T) {
	at := hour(1, 0)
	for name, x := range map[string]struct {
		film  cue.Film
		marks map[string]string
	}{
		"as it should be": {cue.Film{Footage: whole}, map[string]string{}},
		"no timecode":     {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Start = "" })}, map[string]string{}},
		"no sound":        {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.SoundMs = 0 })}, map[string]string{}},
		"another rate": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Num, f.Frames = 25, 25*600 })}, map[string]string{
			"film-rate": "r1.mov, reel 1: it has 25 frames a second, the production 24",
		}},
		"nearly the rate": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Num, f.Den = 24_000, 1001 })}, map[string]string{
			"film-rate":   "r1.mov, reel 1: it has 23.976 frames a second, the production 24",
			"film-length": "r1.mov, reel 1: it ends at 01:10:00:14, its event list at 01:10:00:00", // 14,400 frames are 14,414.4
			"film-sound":  "r1.mov, reel 1: its sound is 14 frames shorter than its picture",
		}},
		"varying": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Varies = true })}, map[string]string{
			"film-rate": "r1.mov, reel 1: its frame rate varies, around 24",
		}},
		"a leader": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Start, f.Frames, f.SoundMs = "00:59:52:00", 24*608, 608_000 })}, map[string]string{
			"film-start": "r1.mov, reel 1: it begins at 00:59:52:00, the reel at 01:00:00:00",
		}},
		"a start that is set": {cue.Film{Begin: &at, Footage: with(whole, func(f *cue.Footage) { f.Start = "10:00:00:00" })}, map[string]string{}},
		"impossible timecode": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Start = "01:00:00:27" })}, map[string]string{
			"film-start": "r1.mov, reel 1: its timecode 01:00:00:27 does not exist at 24",
		}},
		"too short": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Frames-- })}, map[string]string{
			"film-length": "r1.mov, reel 1: it ends at 01:09:59:23, its event list at 01:10:00:00",
		}},
		"late sound": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.SoundMs += 500 })}, map[string]string{
			"film-sound": "r1.mov, reel 1: its sound is 12 frames longer than its picture",
		}},
		"cut off": {cue.Film{Footage: with(whole, func(f *cue.Footage) { f.Short = true })}, map[string]string{
			"film-short": "r1.mov, reel 1: the file ends before its picture does",
		}},
	} {
		t.Run(name, func(t *testing.T) {
			x.film.Folder, x.film.File = "/films", "r1.mov"
			require.Equal(t, x.marks, filmMarks(withFilm(t, x.film)))
		})
	}
}

func with(f cue.Footage, change func(*cue.Footage)) cue.Footage {
	change(&f)
	return f
}

// Every mark has a code that is listed.
func TestCodesOfFilmsAreListed(t *testing.T) {
	p := withFilm(t, cue.Film{Folder: "/films", File: "r1.mov", Footage: with(whole, func(f *cue.Footage) {
		f.Num, f.Frames, f.SoundMs, f.Start, f.Short = 30, 5, 99_000, "09:00:00:00", true
	})})
	known := map[string]bool{}
	for _, c := range cue.Codes {
		known[c.Code] = true
	}
	found := filmMarks(p)
	require.Len(t, found, 5)
	for code := range found {
		require.True(t, known[code], code)
	}
}

// A film is chosen and taken away in one change each, and what cannot be is refused.
func TestFilmsAreChosen(t *testing.T) {
	p := withFilm(t, cue.Film{Folder: "/films", File: "r1.mov", Footage: with(whole, func(f *cue.Footage) { f.Start = "" })})
	require.Equal(t, "r1.mov", p.CutOf("k").Films["r1"].File)
	require.Equal(t, []string{"r1.mov has no timecode of its own: it begins with reel 1"}, p.CutOf("k").Films["r1"].Notes(p.Reel("r1")))
	require.Equal(t, hour(1, 0), p.CutOf("k").Films["r1"].Begins(p.FrameRate(), p.Reel("r1")))
	after, back, err := cue.Apply(p, p.CutOf("k").WithFilm(p.Reel("r1"), nil))
	require.NoError(t, err)
	require.Empty(t, after.CutOf("k").Films)
	was, _, err := cue.Apply(after, back)
	require.NoError(t, err)
	require.Equal(t, p, was)

	for says, f := range map[string]*cue.Film{
		"no folder or no name": {File: "r1.mov", Footage: whole},
		"cannot have 0 frames": {Folder: "/films", File: "r1.mov"},
		"outside of a day":     {Folder: "/films", File: "r1.mov", Footage: whole, Begin: ptr(-1)},
	} {
		_, _, err := cue.Apply(p, p.CutOf("k").WithFilm(p.Reel("r1"), f))
		require.ErrorContains(t, err, says)
	}
	_, _, err = cue.Apply(p, cue.Change{Ops: []cue.Op{cue.Setting(cue.OfCut, "k", "films", map[string]cue.Film{"r9": {Folder: "/f", File: "x.mov", Footage: whole}})}})
	require.ErrorContains(t, err, "a reel that is not there")
}

// At 120 in 4/4 with bar 5 on the start, the file of a cue begins four bars, 8 s, before it, and a
// click comes every 24,000 samples at 48 kHz: 98 s are 196 of them (worked by hand).
func TestClicks(t *testing.T) {
	p := lantern(t)
	got := p.Clicks(p.Cue("a"))
	require.Equal(t, int64((3660-8)*48_000), got.Begin)
	require.Equal(t, int64(98*48_000), got.Samples)
	require.Len(t, got.At, 196)
	for n, at := range got.At {
		require.Equal(t, int64(n)*24_000, at)
		require.Equal(t, n%4 == 0, got.First[n])
	}
}

// However the tempo runs, a click lies within half a sample of its beat, and all come in order.
func TestClicksLieOnBeats(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := lantern(t)
		r := rapid.SampledFrom(timecode.Rates).Draw(t, "rate")
		p.Rate, p.RateHz = r.Name, rapid.SampledFrom([]int{44_100, 48_000, 96_000}).Draw(t, "hz")
		c := *p.Cue("a")
		c.Tempi = append(c.Tempi[:0:0], c.Tempi...)
		c.Tempi[0].MilliBPM = rapid.Int64Range(40_000, 240_000).Draw(t, "bpm")
		c.Tempi[0].Ramp = rapid.Bool().Draw(t, "ramp")
		c.Tempi = append(c.Tempi, c.Tempi[0])
		c.Tempi[1].Tick = 960 * rapid.Int64Range(4, 64).Draw(t, "beat")
		c.Tempi[1].MilliBPM = rapid.Int64Range(40_000, 240_000).Draw(t, "then")
		got := p.Clicks(&c)
		beats := c.Beats(r.Rate)
		if len(beats) < len(got.At) || len(beats) > len(got.At)+12 {
			t.Fatalf("%d clicks for %d beats", len(got.At), len(beats))
		}
		for n, at := range got.At {
			second := (beats[n].Frame - beats[0].Frame) * float64(r.Rate.Den) / float64(r.Rate.Num)
			if d := second*float64(p.RateHz) - float64(at); d > 0.51 || d < -0.51 {
				t.Fatalf("click %d is %g samples off", n, d)
			}
		}
	})
}

func ptr(n int64) *int64 { return &n }

// Music that runs as its cue does goes with it to the end; where its tempo is another, the first bar
// that is more than half a frame off is told. Worked by hand: at 121 against 120, bar 2 begins
// 2 s × 120/121 = 1.98347 s on, 0.397 frames of 24 early, bar 3 0.793 frames.
func TestMusicAndItsCuePart(t *testing.T) {
	p := lantern(t)
	c := p.Cue("a")
	music := func(bpm float64, bars int64) {
		time, err := tempo.NewTime(480, []tempo.Change{{Quarter: int64(60e6 / bpm)}}, nil)
		require.NoError(t, err)
		c.Music = &cue.Music{BarMs: cue.BarsOf(time, (bars-1)*4*480)}
	}
	music(120, 49)
	require.Len(t, c.Music.BarMs, 49)
	_, _, apart := c.Apart(p.FrameRate())
	require.False(t, apart)
	music(121, 49)
	bar, by, apart := c.Apart(p.FrameRate())
	require.True(t, apart)
	require.Equal(t, int64(3), bar)
	require.InDelta(t, -.793, by, .02)
	music(121, 2)
	_, _, apart = c.Apart(p.FrameRate())
	require.False(t, apart, "it ends before")
}

// A cue takes the tempo and the metre of its music, and goes with it from then on; a bar that is cut
// short cannot be said, and is told.
func TestACueTakesTheTimeOfItsMusic(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		p := lantern(r)
		c := p.Cue("a")
		per := rapid.SampledFrom([]int{96, 240, 480, 960}).Draw(r, "ticks")
		var changes []tempo.Change
		for n := range rapid.IntRange(1, 6).Draw(r, "changes") {
			changes = append(changes, tempo.Change{Tick: int64(n*per) * rapid.Int64Range(1, 16).Draw(r, "beat"), Quarter: rapid.Int64Range(250_000, 1_500_000).Draw(r, "quarter")})
		}
		metres := []tempo.Metre{{Beats: rapid.IntRange(2, 6).Draw(r, "beats"), Unit: 4}}
		bars, err := tempo.NewBars(per, metres...)
		if err != nil {
			r.Fatal(err)
		}
		metres = append(metres, tempo.Metre{Tick: bars.Start(rapid.Int64Range(2, 9).Draw(r, "bar")), Beats: 3, Unit: 8})
		time, err := tempo.NewTime(per, changes, metres)
		if err != nil {
			r.Fatal(err)
		}
		change, err := c.WithTimeOf(time)
		if err != nil {
			r.Fatal(err)
		}
		p, _, err = cue.Apply(p, change)
		if err != nil {
			r.Fatal(err)
		}
		now := *p.Cue("a")
		now.Music = &cue.Music{BarMs: cue.BarsOf(time, int64(per)*400)}
		if bar, by, apart := now.Apart(p.FrameRate()); apart {
			r.Fatalf("bar %d is %g frames off", bar, by)
		}
	})
	time, err := tempo.NewTime(480, nil, []tempo.Metre{{Beats: 4, Unit: 4}, {Tick: 3 * 480, Beats: 3, Unit: 4}})
	require.NoError(t, err)
	_, err = lantern(t).Cue("a").WithTimeOf(time)
	require.ErrorContains(t, err, "bar 1 of its music is cut short")
}

// A cut may have a film and no event list: the reel is as long as the film, and nothing is missing.
func TestAFilmAloneIsAPicture(t *testing.T) {
	p, _, err := cue.Apply(lantern(t), cue.Change{Ops: []cue.Op{
		cue.Adding(&cue.Cut{ID: "k", Name: "Cut 1", Reels: []cue.CutReel{}}), cue.Setting(cue.OfProduction, "", "cut", "k"), cue.Setting(cue.OfReel, "r1", "length", 0),
	}})
	require.NoError(t, err)
	codes := func() (out []string) {
		for _, m := range p.Marks() {
			if m.Reel == "r1" {
				out = append(out, m.Code)
			}
		}
		return out
	}
	require.Equal(t, []string{"picture-missing"}, codes())
	p, _, err = cue.Apply(p, p.CutOf("k").WithFilm(p.Reel("r1"), &cue.Film{Folder: "/films", File: "r1.mov", Footage: whole}))
	require.NoError(t, err)
	require.Empty(t, codes())
	require.Equal(t, cut.Span{Start: hour(1, 0), End: hour(1, 600)}, p.Span(p.Reel("r1")))
}
