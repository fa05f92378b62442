package printer_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/audit"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/printing"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
	"fanfold/internal/format/soundfile"
	"fanfold/internal/format/wav"
	"fanfold/internal/printer"
	"fanfold/internal/recorded"
	"fanfold/internal/render"
	"fanfold/internal/roots"
	"fanfold/internal/sampler"
)

// made is the folder of the demo's libraries, written once.
var made struct {
	sync.Mutex
	dir string
}

func TestMain(m *testing.M) {
	code := m.Run()
	if made.dir != "" {
		_ = os.RemoveAll(made.dir)
	}
	os.Exit(code)
}

// libraries are the demo's, in a folder that nobody changes.
func libraries(t testing.TB) string {
	t.Helper()
	made.Lock()
	defer made.Unlock()
	if made.dir == "" {
		dir, err := os.MkdirTemp("", "fanfold-printer-")
		require.NoError(t, err)
		made.dir = dir
		require.NoError(t, demo.WriteLibraries(dir))
	}
	return made.dir
}

// piece is the demo's cue, with its libraries written into a folder.
func piece(t testing.TB, samples string) printer.Piece {
	t.Helper()
	lantern, err := demo.Template()
	require.NoError(t, err)
	return pieceOf(t, lantern, samples)
}

func pieceOf(t testing.TB, lantern *template.Template, samples string) printer.Piece {
	t.Helper()
	music, err := demo.Cue()
	require.NoError(t, err)
	words := articulation.NewVocabulary(nil)
	read, err := app.ReadPiece(context.Background(), bytes.NewReader(music), words)
	require.NoError(t, err)
	f := fan.New(lantern)
	plan, err := printing.NewPlan(f, nil)
	require.NoError(t, err)
	store := sampler.NewStore(256 << 20)
	t.Cleanup(store.Close)
	return printer.Piece{
		Fan: f, Score: app.ScoreOf(lantern, lantern, words, read, nil), Plan: plan, Roots: roots.Roots{Folders: []string{samples}, Store: store},
		RateHz: 48_000, Samples: wav.Whole24, Begin: 178_560_000, TrimDB: -12, Title: "1m2",
	}
}

// into prints into a folder.
func into(t testing.TB, p printer.Piece, dir string) (printer.Printed, error) {
	t.Helper()
	names := p.Plan.Names(printing.Naming{Cue: p.Title}, ".wav")
	var open []*os.File
	defer func() {
		for _, f := range open {
			require.NoError(t, f.Close())
		}
	}()
	return printer.Print(context.Background(), p, func(n int) (io.WriteSeeker, error) {
		f, err := os.Create(filepath.Join(dir, names[n]))
		open = append(open, f)
		return f, err
	})
}

func prove(t testing.TB, p printer.Piece, dir string) *audit.Report {
	t.Helper()
	folder, err := recorded.Look(os.DirFS(dir))
	require.NoError(t, err)
	require.Empty(t, folder.Unread)
	matches := p.Plan.Recorded(folder.Files, nil)
	for _, m := range matches {
		require.GreaterOrEqual(t, m.Wanted, 0, m.Path)
	}
	ask, done, err := folder.Ask(p.Plan, matches)
	require.NoError(t, err)
	defer done()
	r, err := audit.Run(context.Background(), ask)
	require.NoError(t, err)
	return r
}

func faultsOf(r *audit.Report) (out []audit.Mark) {
	for _, m := range r.Marks {
		if !m.Note {
			out = append(out, m)
		}
	}
	return out
}

// The demo's cue is printed: every stem of both folds adds up to the mix, as its proof says of
// the files, which begin where they should. Before they are rounded, what is left is below
// -120 dBFS. One fader that is moved by a tenth of a dB behind the print's back is found, with
// its stem.
func TestTheCueIsPrintedAndProved(t *testing.T) {
	samples := libraries(t)
	p := piece(t, samples)
	p.From = p.Score.Time.Bars.Start(22)
	dir := t.TempDir()
	done, err := into(t, p, dir)
	require.NoError(t, err)
	require.Empty(t, done.Silent)
	require.Len(t, done.Files, 34)
	r := prove(t, p, dir)
	require.True(t, r.Matched, r.Line)
	require.Empty(t, faultsOf(r), r.Line)
	require.Equal(t, p.Begin, r.Begin)
	require.Contains(t, r.Line, "32 stems add up to the mix, residual -1")
	for n, f := range r.Files {
		if !done.Files[at(p.Plan, f, done)].Silent {
			require.InDelta(t, done.Files[at(p.Plan, f, done)].Loudness.TruePeak, f.TruePeak, .01, "file %d", n)
		}
	}

	// One stem again, by a template whose fader stands a tenth of a dB higher.
	moved, err := demo.Template()
	require.NoError(t, err)
	for _, b := range moved.Buses {
		if b.ID == p.Plan.Files[stem(t, p.Plan, "High strings long")].Bus {
			b.GainDB += .1
		}
	}
	q := pieceOf(t, moved, samples)
	q.From = p.From
	other := t.TempDir()
	_, err = into(t, q, other)
	require.NoError(t, err)
	name := "1m2 High strings long.wav"
	data, err := os.ReadFile(filepath.Join(other, name))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o600))
	r = prove(t, p, dir)
	require.False(t, r.Matched)
	found := false
	for _, m := range r.Marks {
		if m.Code == "null-gain" {
			found = true
			require.Equal(t, "High strings long", m.Name)
			require.InDelta(t, .1, m.Figure, .002)
		}
	}
	require.True(t, found, r.Line)
}

func stem(t testing.TB, p printing.Plan, name string) int {
	for n, w := range p.Files {
		if w.Name == name {
			return n
		}
	}
	t.Fatal("there is no stem " + name)
	return -1
}

// at is the printed file that a figure is of.
func at(p printing.Plan, f audit.Figures, _ printer.Printed) int {
	for n, w := range p.Files {
		if w.Role == f.Role && (w.Role != audit.Stem || w.Name == f.Stem && len(w.Folds) > 0 && len(f.Folds) > 0 && w.Folds[0] == f.Folds[0]) {
			return n
		}
	}
	return 0
}

// The same piece gives the same bytes on one core and on all.
func TestTheSameBytes(t *testing.T) {
	samples := libraries(t)
	sums := map[[32]byte]bool{}
	for _, cores := range []int{1, runtime.NumCPU()} {
		p := piece(t, samples)
		p.From = p.Score.Time.Bars.Start(24)
		was := runtime.GOMAXPROCS(cores)
		dir := t.TempDir()
		_, err := into(t, p, dir)
		runtime.GOMAXPROCS(was)
		require.NoError(t, err)
		data, err := os.ReadFile(filepath.Join(dir, "1m2 Mix limited.wav"))
		require.NoError(t, err)
		sums[sha256.Sum256(data)] = true
	}
	require.Len(t, sums, 1)
}

// A library that is not there stops the print with who is missing, or is left out, as asked.
func TestALibraryThatIsMissing(t *testing.T) {
	samples := t.TempDir()
	require.NoError(t, demo.WriteLibraries(samples))
	p := piece(t, samples)
	gone := ""
	for _, v := range p.Score.Voices {
		if v.Home.Name == "Timpani" {
			list := p.Fan.Template().PatchesOf(v.Home)
			gone = p.Fan.Template().Index().Libraries[list[0].Library].Name
			require.NoError(t, os.Remove(filepath.Join(samples, gone, list[0].Source.File)))
		}
	}
	require.NotEmpty(t, gone)
	p.From = p.Score.Time.Bars.Start(23)
	_, err := into(t, p, t.TempDir())
	var whole *printer.NotWhole
	require.ErrorAs(t, err, &whole)
	require.Equal(t, "Timpani", whole.Silent[0].Name)
	require.ErrorContains(t, err, "nothing is printed: Timpani")
	p.LeaveOut = true
	done, err := into(t, p, t.TempDir())
	require.NoError(t, err)
	require.Equal(t, "Timpani", done.Silent[0].Name)
	require.True(t, done.Files[stem(t, p.Plan, "Timpani")].Silent)
}

// A print stops when it is told to, and when a disk is full.
func TestAPrintThatStops(t *testing.T) {
	p := piece(t, libraries(t))
	ctx, stop := context.WithCancel(context.Background())
	p.Progress = func(done, _ float64) {
		if done > 1 {
			stop()
		}
	}
	_, err := printer.Print(ctx, p, func(int) (io.WriteSeeker, error) { return nothing{}, nil })
	require.ErrorIs(t, err, context.Canceled)
	p.Progress = nil
	_, err = printer.Print(context.Background(), p, func(int) (io.WriteSeeker, error) { return &full{room: 600_000}, nil })
	require.ErrorContains(t, err, "no space left")
	p.RateHz = 22_050
	_, err = printer.Print(context.Background(), p, nil)
	require.ErrorContains(t, err, "not at 22050")
}

type nothing struct{}

func (nothing) Write(p []byte) (int, error)    { return len(p), nil }
func (nothing) Seek(int64, int) (int64, error) { return 0, nil }

type full struct{ room int }

func (f *full) Write(p []byte) (int, error) {
	if f.room -= len(p); f.room < 0 {
		return 0, errors.New("no space left on device")
	}
	return len(p), nil
}
func (f *full) Seek(int64, int) (int64, error) { return 0, nil }

// BenchmarkPrint prints the demo's cue with all stems, and tells how many times faster than it
// sounds.
func BenchmarkPrint(b *testing.B) {
	samples := b.TempDir()
	require.NoError(b, demo.WriteLibraries(samples))
	p := piece(b, samples)
	for b.Loop() {
		done, err := printer.Print(context.Background(), p, func(int) (io.WriteSeeker, error) { return nothing{}, nil })
		require.NoError(b, err)
		b.ReportMetric(done.Pace, "times-real-time")
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	b.ReportMetric(float64(m.Sys)/(1<<20), "MiB")
}

// A dry print has no rooms: its stems add up to its mix, and it is over sooner than what rings on.
func TestADryPrint(t *testing.T) {
	samples := libraries(t)
	p := piece(t, samples)
	p.From = p.Score.Time.Bars.Start(24)
	full, err := into(t, p, t.TempDir())
	require.NoError(t, err)
	lantern, err := demo.Template()
	require.NoError(t, err)
	p.Fan = fan.New(printing.Dry(lantern))
	plan, err := printing.NewPlan(p.Fan, nil)
	require.NoError(t, err)
	p.Plan = plan.Dry()
	dir := t.TempDir()
	done, err := into(t, p, dir)
	require.NoError(t, err)
	r := prove(t, p, dir)
	require.Contains(t, r.Line, "stems add up to the mix, residual -1")
	for _, m := range r.Marks {
		require.NotEqual(t, "wet", m.Code, m.Message)
	}
	require.Less(t, done.Frames, full.Frames-24_000)
	require.NotEmpty(t, lantern.FirstBus(func(b *template.BusType) bool { return b.Wet() }).Routes, "the template is as it was")
}

// A section is recorded over: each row's sound into a file. In the rows' place these play the same
// sound into every stem, with no patch loaded; once a note is another, the row is told and silent.
func TestASectionIsRecordedOver(t *testing.T) {
	samples := libraries(t)
	p := piece(t, samples)
	p.From = p.Score.Time.Bars.Start(24)
	before := t.TempDir()
	_, err := into(t, p, before)
	require.NoError(t, err)

	lantern, err := demo.Template()
	require.NoError(t, err)
	var voices []*render.Voice
	for _, v := range p.Score.Voices {
		if name := v.Home.Name; strings.Contains(name, "iolin") || strings.Contains(name, "ello") {
			voices = append(voices, v)
		}
	}
	require.Greater(t, len(voices), 2)
	dir := t.TempDir()
	var open []*os.File
	p.Samples = wav.Float32
	done, err := printer.PrintRows(context.Background(), p, voices, func(n int) (io.WriteSeeker, error) {
		f, err := os.Create(filepath.Join(dir, string(voices[n].Home.ID)+".wav"))
		open = append(open, f)
		return f, err
	})
	require.NoError(t, err)
	require.Len(t, done.Files, len(voices))
	loud := 0
	for n, v := range voices {
		if !done.Files[n].Silent {
			loud++
		}
		require.NoError(t, open[n].Close())
		mark, err := p.Score.Fingerprint(v)
		require.NoError(t, err)
		lantern.Instrument(v.Home.ID).Printed = &template.Printed{
			File: v.Home.Name + ".wav", Seconds: float64(done.Frames) / 48_000, Audio: string(v.Home.ID), Cue: "film/cue", At: p.Score.Seconds(p.From), Music: mark,
		}
	}
	require.Greater(t, loud, 1, "they play there")

	q := pieceOf(t, lantern, samples)
	q.From = p.From
	q.Recording = func(digest string) (*soundfile.Sound, error) {
		f, err := os.Open(filepath.Join(dir, digest+".wav"))
		if err != nil {
			return nil, err
		}
		t.Cleanup(func() { _ = f.Close() }) // only read
		info, err := f.Stat()
		require.NoError(t, err)
		return soundfile.Open(f, info.Size())
	}
	over := 0
	for _, v := range q.Score.Voices {
		if v.Over != nil {
			over++
		}
	}
	require.Equal(t, len(voices), over)
	after := t.TempDir()
	again, err := into(t, q, after)
	require.NoError(t, err)
	require.Empty(t, again.Silent)
	for _, name := range q.Plan.Names(printing.Naming{Cue: q.Title}, ".wav") {
		file := func(dir string) audit.File {
			f, err := os.Open(filepath.Join(dir, name))
			require.NoError(t, err)
			t.Cleanup(func() { _ = f.Close() }) // only read
			info, err := f.Stat()
			require.NoError(t, err)
			s, err := soundfile.Open(f, info.Size())
			require.NoError(t, err)
			return recorded.File(name, audit.Stem, s, nil)
		}
		d, err := audit.Against(context.Background(), file(after), file(before))
		require.NoError(t, err)
		require.True(t, d.Same, "%s: %s", name, d.Line)
		require.Less(t, d.PeakDB, -120., name)
	}

	// From a place in its middle it plays on from there; without its file nothing is printed.
	q.From = p.Score.Time.Bars.Start(25)
	later := t.TempDir()
	_, err = into(t, q, later)
	require.NoError(t, err)
	require.NoError(t, os.Remove(filepath.Join(dir, string(voices[0].Home.ID)+".wav")))
	_, err = into(t, q, t.TempDir())
	require.ErrorContains(t, err, voices[0].Home.Name+": its recording is not here")

	// Other notes: it is told, and plays no more.
	lantern.Instrument(voices[1].Home.ID).Printed.Music = strings.Repeat("0", 64)
	stale := pieceOf(t, lantern, samples).Score
	require.Contains(t, stale.Silent, render.Silence{Name: voices[1].Home.Name, Reason: render.Stale})
	for _, v := range stale.Voices {
		require.NotEqual(t, voices[1].Home.ID, v.Home.ID)
	}
}
