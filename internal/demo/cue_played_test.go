package demo_test

import (
	"math"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/casting"
	"fanfold/internal/core/dsp"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/effect"
	"fanfold/internal/format/smf"
	"fanfold/internal/render"
	"fanfold/internal/sampler"
)

const rate = 48_000.0

// orchestra is the demo's template and its libraries, opened as its cue needs them.
type orchestra struct {
	lantern *template.Template
	score   *render.Score
	fan     *fan.Fan
	layers  [][]render.Layer // by voice
}

func open(t testing.TB) *orchestra {
	t.Helper()
	lantern, err := demo.Template()
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, demo.WriteLibraries(dir))
	file, err := os.Open(filepath.Join("..", "..", "docs", "music", demo.CueName+".mid"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = file.Close() })
	music, err := smf.Read(file)
	require.NoError(t, err)
	words := articulation.NewVocabulary(nil)
	var parts []casting.Music
	o := &orchestra{lantern: lantern, fan: fan.New(lantern)}
	for n, track := range music.Tracks {
		if len(track.Notes) > 0 {
			parts = append(parts, casting.Music{
				Part: casting.Part{ID: string(rune('a' + n)), Name: track.Name, Sound: casting.SoundOf(nil, track.Name), Notes: len(track.Notes)},
				Port: -1, Played: track.Played(words),
			})
		}
	}
	o.score = render.NewScore(lantern, lantern, words, music.Tracks[0].Time, parts, nil)
	require.Empty(t, o.score.Silent)
	store := sampler.NewStore(256 << 20)
	t.Cleanup(store.Close)
	for _, v := range o.score.Voices {
		var layers []render.Layer
		for _, p := range lantern.PatchesOf(v.Home) {
			f := sampler.File{Place: string(p.Library), Folder: os.DirFS(filepath.Join(dir, lantern.Index().Libraries[p.Library].Name)), Source: *p.Source}
			if mics := v.Home.MicsOf(p); len(mics) > 0 {
				f.Mics = []string{mics[0].Name}
			}
			patch, err := sampler.Open(store, f)
			require.NoError(t, err)
			layers = append(layers, render.Layer{Patch: patch, Trim: 1})
		}
		o.layers = append(o.layers, layers)
	}
	return o
}

// play renders the cue from a bar on, so many blocks, to every bus at once.
func (o *orchestra) play(t testing.TB, bar int64, blocks int, quality sampler.Quality, parts bool, buses ...template.ID) [][2][]float64 {
	t.Helper()
	from := o.score.Time.Bars.Start(bar)
	var rows []*template.Instrument
	for _, v := range o.score.Voices {
		rows = append(rows, v.Home)
	}
	out := make([][2][]float64, len(buses))
	for n, bus := range buses {
		g, silent, err := render.NewGraph(o.fan, bus, rows, effect.Options{RateHz: rate, Parts: parts})
		require.NoError(t, err)
		require.Empty(t, silent)
		var seats []render.Seat
		for k, v := range o.score.Voices {
			p := render.NewPlayer(string(v.Home.ID), o.layers[k], sampler.Options{RateHz: rate, Quality: quality, Wait: true})
			messages, err := o.score.Messages(v, from, rate)
			require.NoError(t, err)
			for _, m := range messages {
				p.Send(m)
			}
			seats = append(seats, render.Seat{Playing: p, Ways: g.Ways(v.Home)})
		}
		ensemble := render.NewEnsemble(seats, g.Lanes())
		for done := 0; done < blocks; done += 64 {
			for _, b := range g.RunAll(ensemble.Render(min(64, blocks-done))) {
				for c := range b {
					out[n][c] = append(out[n][c], b[c][:]...)
				}
			}
		}
	}
	return out
}

// The demo's cue, played by its real libraries through its graph with its halls: everybody
// plays, nothing clips, and the stems of each fold add up to the mix.
func TestTheCueAddsUp(t *testing.T) {
	o := open(t)
	const blocks = 700 // four seconds in the loudest bars
	for _, side := range o.play(t, 17, blocks, sampler.Draft, false, "")[0] {
		level := dsp.LevelOf(side)
		require.Less(t, level.Peak, -.7, "the mix is limited to -1")
		require.InDelta(t, -14, level.RMS, 4)
	}
	mix := o.play(t, 17, blocks, sampler.Draft, true, "")[0] // without its limiter
	level := template.Gain(template.BusEffect{Kind: template.EffectLimiter, Set: o.lantern.TheMix().Runs[0].Set}.Value(template.SetLevel))
	for _, fold := range o.lantern.Folds {
		var ids []template.ID
		var gains []float64
		for _, stem := range o.lantern.Delivered(fold.ID) {
			gain := 0.0
			for _, r := range o.fan.FromBus(stem.ID) {
				if o.fan.Bus(r) == o.lantern.TheMix() {
					gain += r.Gain
				}
			}
			ids, gains = append(ids, stem.ID), append(gains, gain/template.Gain(stem.GainDB))
		}
		var sum [2][]float64
		for c := range sum {
			sum[c] = make([]float64, len(mix[c]))
		}
		heard := 0
		for n, stem := range o.play(t, 17, blocks, sampler.Draft, true, ids...) {
			for c := range sum {
				for k, v := range stem[c] {
					sum[c][k] += gains[n] * v
				}
			}
			if dsp.LevelOf(stem[0]).RMS > -90 {
				heard++
			}
		}
		worst := 0.0
		for c := range sum {
			for k, v := range mix[c] {
				worst = max(worst, math.Abs(v-level*sum[c][k]))
			}
		}
		t.Logf("%s: %d stems sound, what is left is %.0f dBFS", fold.Name, heard, dsp.DB(worst))
		require.Less(t, dsp.DB(worst), -180.0)
		require.Greater(t, heard, 3)
	}
}

// BenchmarkTheCue renders the demo's cue through its graph, in both qualities, and tells how
// many times faster than it sounds.
func BenchmarkTheCue(b *testing.B) {
	o := open(b)
	blocks := int(30 * rate / render.Frames)
	for quality, name := range []string{"draft", "print"} {
		b.Run(name, func(b *testing.B) {
			quality := sampler.Quality(quality)
			began := time.Now()
			for b.Loop() {
				o.play(b, 13, blocks, quality, false, "")
			}
			b.ReportMetric(30*float64(b.N)/time.Since(began).Seconds(), "times-real-time")
		})
	}
}

// BenchmarkAllRowsOpen opens the patches of every row of the demo at once, as a host would
// that held them all, and tells what their samples take.
func BenchmarkAllRowsOpen(b *testing.B) {
	lantern, err := demo.Template()
	require.NoError(b, err)
	dir := b.TempDir()
	require.NoError(b, demo.WriteLibraries(dir))
	for b.Loop() {
		store := sampler.NewStore(1 << 30)
		rows := 0
		for _, i := range lantern.Instruments {
			for _, p := range lantern.PatchesOf(i) {
				if p.Source == nil {
					continue
				}
				_, err := sampler.Open(store, sampler.File{Place: string(p.Library), Folder: os.DirFS(filepath.Join(dir, lantern.Index().Libraries[p.Library].Name)), Source: *p.Source})
				if err == nil { // some have a fault on purpose
					rows++
				}
			}
		}
		require.Greater(b, rows, 400)
		b.ReportMetric(float64(rows), "patches")
		b.ReportMetric(float64(store.Bytes())/(1<<20), "MiB")
		store.Close()
	}
}
