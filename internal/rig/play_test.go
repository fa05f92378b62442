package rig_test

import (
	"bytes"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
	"fanfold/internal/format/wav"
	"fanfold/internal/render"
	"fanfold/internal/rig"
	"fanfold/internal/sampler"
	"fanfold/internal/scan"
)

// library writes a folder with a library of one patch, a sine of key 69, and returns it.
func library(t testing.TB) string {
	t.Helper()
	root := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(root, "Odd Tones"), 0o755))
	sound := make([]int16, rig.SoundRateHz)
	for n := range sound {
		sound[n] = int16(16000 * math.Sin(2*math.Pi*440*float64(n)/rig.SoundRateHz))
	}
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, rig.SoundRateHz, 1, sound))
	require.NoError(t, os.WriteFile(filepath.Join(root, "Odd Tones", "Tone.wav"), b.Bytes(), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(root, "Odd Tones", "Tone.sfz"), []byte("<region> sample=tone.wav pitch_keycenter=69 loop_mode=loop_continuous loop_start=0 loop_end=47999 ampeg_release=.05"), 0o600))
	return root
}

func toneLoad(id string) rig.Load {
	l := load(id, 10)
	l.Patches[0].Library, l.Patches[0].File = "Odd Tones", "Tone.sfz"
	return l
}

// straight is the way into the first lane as it is.
var straight = []render.Way{{Left: 1, Right: 1}}

// ear keeps what a listener hears.
type ear struct {
	mu     sync.Mutex
	blocks []rig.SoundBlock
	left   []float64
}

func (e *ear) hear(_ string, b rig.SoundBlock) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.blocks = append(e.blocks, b)
	lane := &render.Block{}
	if b.Lanes[0] != nil {
		lane = b.Lanes[0]
	}
	e.left = append(e.left, lane[0][:]...)
}

// last is the level of the last frames, dBFS.
func (e *ear) last(frames int) float64 {
	e.mu.Lock()
	defer e.mu.Unlock()
	if len(e.left) < frames {
		return dsp.Silence
	}
	return dsp.LevelOf(e.left[len(e.left)-frames:]).RMS
}

// A row that is ready sounds where it sits, once somebody listens and plays; it stops when
// it is let go, when everything is stopped, when the listener goes, and when the listener
// says nothing any longer. What is not ready does not sound, until it is.
func TestARowSounds(t *testing.T) {
	d, heard := openDesk(t)
	d.Want("s", "t", "Birch", []rig.Load{toneLoad("t/a")})
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{library(t)}
	stop := host(t, d, machine)
	defer stop()
	until(t, heard, "ready", func(x told) bool { return states(x.report)["t/a"] == rig.Ready })
	var e ear
	end, err := d.HearSound("s", "me", e.hear)
	require.NoError(t, err)
	defer end()
	play := func(o rig.PlayOrder) {
		t.Helper()
		o.Listener = "me"
		if o.Rows == nil {
			o.Rows = []rig.PlayRow{{Load: "t/a", Ways: straight}, {Load: "t/b", Ways: straight}}
		}
		require.NoError(t, d.Play("s", "Birch", o))
	}
	loud, silent := func() bool { return e.last(960) > -20 }, func() bool { return e.last(960) < -100 }
	note := func(id string, kind sampler.Kind) []rig.PlayMessage {
		return []rig.PlayMessage{{Load: id, Kind: kind, Key: 69, Value: 127}}
	}
	play(rig.PlayOrder{Messages: note("t/a", sampler.NoteOn)})
	require.Eventually(t, loud, 10*time.Second, time.Millisecond)
	e.mu.Lock()
	hz, ok := dsp.Pitch(e.left[max(0, len(e.left)-4800):], rig.SoundRateHz, 100, 1000)
	for n, b := range e.blocks {
		require.Equal(t, n, b.Number, "one by one")
	}
	e.mu.Unlock()
	if ok { // it may only just have begun
		require.InDelta(t, 440, hz, 2)
	}
	until(t, heard, "a voice", func(x told) bool { return len(x.report.Items) > 0 && x.report.Items[0].Voices == 1 })
	play(rig.PlayOrder{Messages: note("t/a", sampler.NoteOff)})
	require.Eventually(t, silent, 10*time.Second, time.Millisecond, "let go")

	play(rig.PlayOrder{Messages: note("t/a", sampler.NoteOn)})
	require.Eventually(t, loud, 10*time.Second, time.Millisecond)
	play(rig.PlayOrder{Stop: true})
	require.Eventually(t, silent, 10*time.Second, time.Millisecond, "stopped")

	play(rig.PlayOrder{Messages: note("t/b", sampler.NoteOn)})
	d.Want("s", "t", "Birch", []rig.Load{toneLoad("t/a"), toneLoad("t/b")})
	until(t, heard, "the other", func(x told) bool { return states(x.report)["t/b"] == rig.Ready })
	play(rig.PlayOrder{Messages: note("t/b", sampler.NoteOn)})
	require.Eventually(t, loud, 10*time.Second, time.Millisecond)
	d.Want("s", "t", "Birch", []rig.Load{toneLoad("t/a")})
	require.Eventually(t, silent, 10*time.Second, time.Millisecond, "what is rested is silent")

	play(rig.PlayOrder{Messages: note("t/a", sampler.NoteOn)})
	require.Eventually(t, loud, 10*time.Second, time.Millisecond)
	trimmed := toneLoad("t/a")
	trimmed.Patches[0].LevelDB = -12
	d.Want("s", "t", "Birch", []rig.Load{trimmed})
	on := 20*math.Log10(16000.0/32768/math.Sqrt2) - 3.01 // of one side
	require.Eventually(t, func() bool {
		play(rig.PlayOrder{}) // still there
		return math.Abs(e.last(960)-on+12) < .5
	}, 10*time.Second, 20*time.Millisecond, "its level trim")
	require.Eventually(t, func() bool { // nothing is said any longer
		e.mu.Lock()
		n := len(e.blocks)
		e.mu.Unlock()
		time.Sleep(300 * time.Millisecond) // as long as many blocks
		e.mu.Lock()
		defer e.mu.Unlock()
		return len(e.blocks) == n
	}, 20*time.Second, time.Millisecond)
}

// A row whose file is not there is ready, as the stand-in takes it to be, but cannot be
// heard, and says why.
func TestARowThatCanNotSoundSaysWhy(t *testing.T) {
	d, heard := openDesk(t)
	gone := toneLoad("t/a")
	gone.Patches[0].File = "Gone.sfz"
	d.Want("s", "t", "Birch", []rig.Load{gone})
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{library(t)}
	stop := host(t, d, machine)
	defer stop()
	until(t, heard, "ready", func(x told) bool { return states(x.report)["t/a"] == rig.Ready })
	require.NoError(t, d.Play("s", "Birch", rig.PlayOrder{Listener: "me", Rows: []rig.PlayRow{{Load: "t/a", Ways: straight}}}))
	until(t, heard, "why", func(x told) bool {
		return len(x.report.Items) == 1 && x.report.Items[0].Reason == "Gone.sfz of Odd Tones is in none of the folders of this machine"
	})
}

// A host that dies in the middle of a sound says no more: its last block is less than a
// tenth of a second before its end, so that nothing sounds on.
func TestAHostDiesWhileItSounds(t *testing.T) {
	d, heard := openDesk(t)
	d.Want("s", "t", "Birch", []rig.Load{toneLoad("t/a")})
	machine := rig.NewStandIn(1000, 1000, 50, rig.Faults{})
	machine.ScanRoots = []string{library(t)}
	stop := host(t, d, machine)
	until(t, heard, "ready", func(x told) bool { return states(x.report)["t/a"] == rig.Ready })
	var e ear
	end, err := d.HearSound("s", "me", e.hear)
	require.NoError(t, err)
	defer end()
	require.NoError(t, d.Play("s", "Birch", rig.PlayOrder{Listener: "me", Rows: []rig.PlayRow{{Load: "t/a", Ways: straight}}, Messages: []rig.PlayMessage{{Load: "t/a", Kind: sampler.NoteOn, Key: 69, Value: 127}}}))
	require.Eventually(t, func() bool { return e.last(960) > -20 }, 10*time.Second, time.Millisecond)
	stop()
	e.mu.Lock()
	n := len(e.blocks)
	require.False(t, e.blocks[n-1].Idle, "in the middle of it")
	e.mu.Unlock()
	until(t, heard, "away", func(x told) bool { return x.away })
	e.mu.Lock()
	defer e.mu.Unlock()
	require.LessOrEqual(t, len(e.blocks), n+20, "what was on its way")
}

// An hour of sounding, faster than anybody could listen, leaks nothing: rows come and go,
// and what they took is given back.
func TestAnHourOfSoundingLeaksNothing(t *testing.T) {
	root := library(t)
	store := sampler.NewStore(64 << 20)
	defer store.Close()
	var before, after runtime.MemStats
	open := func() *sampler.Patch {
		p, err := sampler.Open(store, sampler.File{Place: root, Folder: os.DirFS(filepath.Join(root, "Odd Tones")), Source: template.Source{File: "Tone.sfz"}})
		if err != nil { // where names tell capitals apart, the file's own are taken
			p, err = sampler.Open(store, sampler.File{Place: root, Folder: scan.Folding(os.DirFS(filepath.Join(root, "Odd Tones"))), Source: template.Source{File: "Tone.sfz"}})
		}
		require.NoError(t, err)
		return p
	}
	left, right := make([]float64, rig.SoundFrames), make([]float64, rig.SoundFrames)
	play := func(seconds int) {
		p := open()
		defer p.Close()
		e := sampler.New(p, sampler.Options{})
		for n := range seconds * rig.SoundRateHz / rig.SoundFrames {
			if n%50 == 0 {
				e.Send(sampler.Message{At: e.Now(), Kind: sampler.NoteOn, Key: 40 + n/50%40, Value: 100})
				e.Send(sampler.Message{At: e.Now() + 4000, Kind: sampler.NoteOff, Key: 40 + n/50%40})
			}
			e.Render(left, right)
		}
	}
	play(60)
	runtime.GC()
	runtime.ReadMemStats(&before)
	for range 59 {
		play(60)
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	require.Less(t, int64(after.HeapAlloc)-int64(before.HeapAlloc), int64(1<<20))
	require.Zero(t, store.Bytes())
}
