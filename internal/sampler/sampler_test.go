package sampler_test

import (
	"bytes"
	"fmt"
	"io/fs"
	"math"
	"sync/atomic"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
	"fanfold/internal/format/wav"
	"fanfold/internal/sampler"
)

const rate = 48_000

// sine is a tone of an amplitude, full scale 1.
func sine(hz, amplitude float64, frames int) []int16 {
	out := make([]int16, frames)
	for n := range out {
		out[n] = int16(math.Round(32767 * amplitude * math.Sin(2*math.Pi*hz*float64(n)/rate)))
	}
	return out
}

func file(t testing.TB, rateHz, channels int, sound []int16) *fstest.MapFile {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, wav.Write16(&b, rateHz, channels, sound))
	return &fstest.MapFile{Data: b.Bytes()}
}

func constant(level float64, frames int) []int16 {
	out := make([]int16, frames)
	for n := range out {
		out[n] = int16(math.Round(32767 * level))
	}
	return out
}

// patch opens an SFZ text with samples: "tone", a second of key 69 at half of full scale;
// "full", "half" and "quarter", constant levels of ten seconds.
func patch(t testing.TB, text string, more map[string]*fstest.MapFile) *sampler.Patch {
	t.Helper()
	p, err := open(t, text, more)
	require.NoError(t, err)
	return p
}

func open(t testing.TB, text string, more map[string]*fstest.MapFile) (*sampler.Patch, error) {
	t.Helper()
	folder := fstest.MapFS{
		"a.sfz": {Data: []byte(text)}, "tone.wav": file(t, rate, 1, sine(440, .5, rate)),
		"full.wav": file(t, rate, 1, constant(1, 10*rate)), "half.wav": file(t, rate, 1, constant(.5, 10*rate)), "quarter.wav": file(t, rate, 1, constant(.25, 10*rate)),
	}
	for name, f := range more {
		folder[name] = f
	}
	store := sampler.NewStore(256 << 20)
	t.Cleanup(store.Close)
	return sampler.Open(store, sampler.File{Folder: folder, Source: template.Source{File: "a.sfz"}})
}

func on(at float64, key, velocity int) sampler.Message {
	return sampler.Message{At: int64(at * rate), Kind: sampler.NoteOn, Key: key, Value: velocity}
}

func off(at float64, key int) sampler.Message {
	return sampler.Message{At: int64(at * rate), Kind: sampler.NoteOff, Key: key}
}

func control(at float64, cc, value int) sampler.Message {
	return sampler.Message{At: int64(at * rate), Kind: sampler.Control, Key: cc, Value: value}
}

// play makes seconds of sound; options are those of a print.
func play(p *sampler.Patch, seconds float64, list ...sampler.Message) (left, right []float64) {
	return playWith(p, sampler.Options{RateHz: rate, Quality: sampler.Print, Wait: true}, seconds, list...)
}

func playWith(p *sampler.Patch, o sampler.Options, seconds float64, list ...sampler.Message) (left, right []float64) {
	e := sampler.New(p, o)
	for _, m := range list {
		e.Send(m)
	}
	left, right = make([]float64, int(seconds*rate)), make([]float64, int(seconds*rate))
	e.Render(left, right)
	return left, right
}

// at is the level of the left side about a time, of both sides together: a mono sample in
// the middle has 0.707 of itself on each.
func at(left []float64, seconds float64) float64 {
	from := int(seconds * rate)
	return dsp.LevelOf(left[from:from+480]).RMS + 10*math.Log10(2)
}

// A sample on its own key, at full velocity, is itself.
func TestASampleIsItself(t *testing.T) {
	p := patch(t, "<region> sample=tone.wav key=69", nil)
	for _, q := range []sampler.Quality{sampler.Draft, sampler.Print} {
		left, right := playWith(p, sampler.Options{Quality: q, Wait: true}, 1.1, on(0.1, 69, 127))
		require.Zero(t, dsp.LevelOf(left[:rate/10-8]).Peak+200, "nothing before it")
		want := sine(440, .5, rate)
		for n := 100; n < rate-100; n++ {
			require.InDelta(t, float64(want[n])/32768*math.Sqrt2/2, left[rate/10+n], 2e-4, "frame %d", n)
			require.Equal(t, left[rate/10+n], right[rate/10+n])
		}
	}
}

// A sine of 1 kHz an octave up is 2 kHz, and what else there is lies 80 dB below it in a
// print (7-sound: aliasing), and likewise a fifth and a tritone up and an octave down.
func TestNothingComesBackMirrored(t *testing.T) {
	p := patch(t, "<region> sample=k.wav lokey=0 hikey=127 pitch_keycenter=60", map[string]*fstest.MapFile{"k.wav": file(t, rate, 1, sine(1000, .5, 3*rate))})
	for _, semitones := range []int{12, 7, 6, 3, -12} {
		left, _ := play(p, 1.2, on(0, 60+semitones, 127))
		tone := left[rate/10 : rate+rate/10]
		hz := 1000 * math.Exp2(float64(semitones)/12)
		// The sine of that pitch that fits best is taken off; the rest is what should not be.
		var ss, cc, sc, xs, xc float64
		for n, x := range tone {
			a, b := math.Sincos(2 * math.Pi * hz * float64(n) / rate)
			ss, cc, sc, xs, xc = ss+a*a, cc+b*b, sc+a*b, xs+x*a, xc+x*b
		}
		s, c := (xs*cc-xc*sc)/(ss*cc-sc*sc), (xc*ss-xs*sc)/(ss*cc-sc*sc)
		rest := make([]float64, len(tone))
		for n, x := range tone {
			a, b := math.Sincos(2 * math.Pi * hz * float64(n) / rate)
			rest[n] = x - s*a - c*b
		}
		below := dsp.LevelOf(rest).RMS - dsp.LevelOf(tone).RMS
		t.Logf("%+d semitones: %.1f dB", semitones, below)
		require.Less(t, below, -80.0, "%+d semitones", semitones)
	}
}

// Pitch follows the key, the tuning, the wheel and the rate of the sample, within a cent.
func TestPitch(t *testing.T) {
	for text, key := range map[string]int{
		"<region> sample=tone.wav pitch_keycenter=69":                           69,
		"<region> sample=tone.wav pitch_keycenter=69 lokey=0":                   64,
		"<region> sample=tone.wav pitch_keycenter=69 tune=-35 transpose=2":      72,
		"<region> sample=tone.wav pitch_keycenter=69 pitch_keytrack=50 tune=20": 59,
		"<region> sample=slow.wav pitch_keycenter=57":                           69,
	} {
		want := map[int]float64{69: 440, 64: dsp.KeyHz(64), 72: dsp.KeyHz(74) * math.Exp2(-35.0/1200), 59: 440 * math.Exp2((-500+20)/1200.0)}[key]
		p := patch(t, text, map[string]*fstest.MapFile{"slow.wav": file(t, rate/2, 1, sine(440, .5, rate))})
		left, _ := play(p, .6, on(0, key, 127))
		hz, ok := dsp.Pitch(left[rate/10:rate/2], rate, 100, 2000)
		require.True(t, ok, text)
		require.InDelta(t, 0, dsp.Cents(hz, want), 1, text)
	}
	p := patch(t, "<region> sample=tone.wav pitch_keycenter=69 bend_up=1200 bend_down=-300", nil)
	for wheel, cents := range map[int]float64{8191: 1200, 4096: 600, -8192: -300, 0: 0} {
		left, _ := play(p, .4, sampler.Message{Kind: sampler.PitchWheel, Value: wheel}, on(.01, 69, 127))
		hz, _ := dsp.Pitch(left[rate/10:rate*3/10], rate, 100, 2000)
		require.InDelta(t, cents, dsp.Cents(hz, 440), 1.2, "%d", wheel)
	}
}

// Levels: velocity does 40 log10(v/127) dB, in the share asked for; volume and expression a
// square law each; zones come in and go out by velocity, key and controller, in power or
// gain.
func TestLevels(t *testing.T) {
	full := dsp.DB(32767.0 / 32768)
	near := func(text string, want float64, list ...sampler.Message) {
		t.Helper()
		left, _ := play(patch(t, text, nil), .5, list...)
		require.InDelta(t, full+want, at(left, .3), .03, text)
	}
	near("<region> sample=full.wav pitch_keytrack=0", 40*math.Log10(64.0/127), on(0, 60, 64))
	near("<region> sample=full.wav pitch_keytrack=0 amp_veltrack=50", 20*math.Log10(64.0/127), on(0, 60, 64))
	near("<region> sample=full.wav pitch_keytrack=0 amp_veltrack=0 volume=-7.5", -7.5, on(0, 60, 64))
	near("<region> sample=full.wav amplitude=50", -6.02, on(0, 60, 127))
	near("<region> sample=full.wav", 40*math.Log10(90.0/127)+40*math.Log10(100.0/127), control(0, 7, 90), control(0, 11, 100), on(.01, 60, 127))
	fade := "<global> amp_veltrack=0 pitch_keytrack=0 <region> sample=full.wav xfin_lovel=40 xfin_hivel=80"
	near(fade, dsp.DB(math.Sqrt(.5)), on(0, 60, 60))
	near(fade+" xf_velcurve=gain", dsp.DB(.5), on(0, 60, 60))
	near(fade+" xf_velcurve=gain", 0, on(0, 60, 100))
	near("<region> sample=full.wav amp_veltrack=0 pitch_keytrack=0 xfout_lokey=50 xfout_hikey=70 xf_keycurve=gain", dsp.DB(.25), on(0, 65, 100))
	near("<region> sample=full.wav amp_veltrack=0 xfin_locc1=0 xfin_hicc1=127 xf_cccurve=gain", dsp.DB(96.0/127), on(0, 60, 100), control(.1, 1, 96))
	near("<region> sample=full.wav amp_veltrack=0 amplitude_oncc20=100", dsp.DB(32.0/127), on(0, 60, 100), control(.1, 20, 32))
	near("<region> sample=full.wav amp_veltrack=0 volume_oncc20=-12", -12*64.0/127, control(0, 20, 64), on(.01, 60, 100))
}

// In the middle a mono sample has half of its power on each side, and at the ends all of it
// on one; a stereo one is as it is, and width takes its sides together or changes them.
func TestPlace(t *testing.T) {
	wide := map[string]*fstest.MapFile{"wide.wav": file(t, rate, 2, append(make([]int16, 0, 4*rate), func() (out []int16) {
		for range rate {
			out = append(out, 16384, -8192)
		}
		return out
	}()...))}
	for text, want := range map[string][2]float64{
		"sample=half.wav":             {.5 * math.Sqrt2 / 2, .5 * math.Sqrt2 / 2},
		"sample=half.wav pan=-100":    {.5, 0},
		"sample=half.wav pan=100":     {0, .5},
		"sample=half.wav pan=50":      {.5 * math.Cos(3*math.Pi/8), .5 * math.Sin(3*math.Pi/8)},
		"sample=wide.wav":             {.5, -.25},
		"sample=wide.wav width=0":     {.125, .125},
		"sample=wide.wav width=-100":  {-.25, .5},
		"sample=wide.wav pan=-100":    {.5, 0},
		"sample=half.wav pan_oncc22=": {.5 * math.Sqrt2 / 2, .5 * math.Sqrt2 / 2},
	} {
		left, right := play(patch(t, "<region> "+text+" amp_veltrack=0", wide), .3, on(0, 60, 100))
		require.InDelta(t, want[0], left[rate/5], 1e-3, text)
		require.InDelta(t, want[1], right[rate/5], 1e-3, text)
	}
}

// sounding tells which of three constant samples sounds at a time: 0 for none.
func sounding(left []float64, seconds float64) float64 {
	return math.Round(left[int(seconds*rate)]*math.Sqrt2*100) / 100
}

// What takes part in a note: switches, that stay; velocities; turns; what is held; what a
// controller says; the first note and those bound to it.
func TestWhatTakesPart(t *testing.T) {
	play := func(text string, list ...sampler.Message) []float64 {
		left, _ := play(patch(t, "<global> amp_veltrack=0 pitch_keytrack=0 ampeg_release=0.01\n"+text, nil), 4, list...)
		return left
	}
	switched := "<global> amp_veltrack=0 pitch_keytrack=0 sw_lokey=24 sw_hikey=25 sw_default=25 <region> sample=full.wav lokey=60 sw_last=24 <region> sample=half.wav lokey=60 sw_last=25"
	left := play(switched, on(0, 60, 100), off(.2, 60), on(.5, 24, 1), off(.6, 24), on(1, 60, 100), off(1.2, 60), on(1.5, 25, 1), on(2, 60, 100))
	require.Equal(t, []float64{.5, 1, .5}, []float64{sounding(left, .1), sounding(left, 1.1), sounding(left, 2.1)})

	left = play("<region> sample=full.wav lovel=64 <region> sample=half.wav hivel=63", on(0, 60, 64), off(.2, 60), on(1, 60, 63))
	require.Equal(t, []float64{1, .5}, []float64{sounding(left, .1), sounding(left, 1.1)})

	left = play("<region> sample=full.wav seq_length=3 seq_position=1 <region> sample=half.wav seq_length=3 seq_position=2 <region> sample=quarter.wav seq_length=3 seq_position=3",
		on(0, 60, 9), off(.2, 60), on(1, 60, 9), off(1.2, 60), on(2, 60, 9), off(2.2, 60), on(3, 60, 9))
	require.Equal(t, []float64{1, .5, .25, 1}, []float64{sounding(left, .1), sounding(left, 1.1), sounding(left, 2.1), sounding(left, 3.1)})

	left = play("<region> sample=full.wav locc1=64 <region> sample=half.wav hicc1=63", on(0, 60, 9), off(.2, 60), control(.5, 1, 70), on(1, 60, 9))
	require.Equal(t, []float64{.5, 1}, []float64{sounding(left, .1), sounding(left, 1.1)})

	left = play("<region> sample=full.wav lokey=60 sw_down=30 <region> sample=half.wav lokey=60 sw_up=30", on(0, 60, 9), off(.2, 60), on(.5, 30, 9), on(1, 60, 9), off(1.2, 60), off(1.5, 30), on(2, 60, 9))
	require.Equal(t, []float64{.5, 1, .5}, []float64{sounding(left, .1), sounding(left, 1.1), sounding(left, 2.1)})

	left = play("<region> sample=full.wav trigger=first <region> sample=half.wav trigger=legato", on(0, 60, 9), on(1, 62, 9), off(1.5, 60), off(1.6, 62), on(2, 64, 9))
	require.Equal(t, []float64{1, 1.5, 1}, []float64{sounding(left, .5), sounding(left, 1.2), sounding(left, 2.5)})

	left = play("<region> sample=full.wav key=60 group=1 <region> sample=half.wav key=62 off_by=1", on(0, 62, 9), on(1, 60, 9))
	require.Equal(t, []float64{.5, 1}, []float64{sounding(left, .5), sounding(left, 1.1)})
}

// A key that is let go of: its release, in the time it says; pedals that hold it; samples
// that sound then, weaker the longer it was held; and those that go to their end whatever
// the key does.
func TestLettingGo(t *testing.T) {
	left, _ := play(patch(t, "<region> sample=full.wav ampeg_release=1", nil), 1.5, on(0, 60, 127), off(.5, 60))
	require.InDelta(t, -50, at(left, .995)-at(left, .4), 1.5, "100 dB in the time it says, evenly")
	require.Less(t, at(left, 1.4), -90.0)

	left, _ = play(patch(t, "<region> sample=full.wav ampeg_release=.01", nil), 2, on(0, 60, 127), control(.1, 64, 127), off(.5, 60), control(1, 64, 0))
	require.Equal(t, []float64{1, 0}, []float64{sounding(left, .9), sounding(left, 1.2)}, "the right pedal")

	left, _ = play(patch(t, "<region> sample=half.wav pitch_keytrack=0 ampeg_release=.01", nil), 2, on(0, 60, 127), control(.1, 66, 127), on(.2, 62, 127), off(.5, 60), off(.5, 62), control(1, 66, 0))
	require.Equal(t, []float64{1, .5, 0}, []float64{sounding(left, .4), sounding(left, .9), sounding(left, 1.2)}, "the middle pedal holds what was down")

	released := "<global> amp_veltrack=0 ampeg_release=.01 <region> sample=full.wav <region> sample=half.wav trigger=release rt_decay=6"
	left, _ = play(patch(t, released, nil), 3, on(0, 60, 127), off(1, 60))
	require.InDelta(t, dsp.DB(.5)-6, at(left, 1.5), .1)
	left, _ = play(patch(t, released, nil), 3, on(0, 60, 127), control(.1, 64, 127), off(1, 60), control(2, 64, 0))
	require.InDelta(t, 0, at(left, 1.5), .1, "the pedal holds it")
	require.InDelta(t, dsp.DB(.5)-12, at(left, 2.5), .1, "and it is released with the pedal")

	left, _ = play(patch(t, "<region> sample=tone.wav loop_mode=one_shot pitch_keycenter=69", nil), 1.2, on(0, 69, 127), off(.1, 69))
	require.InDelta(t, -9, at(left, .9), .2)
	require.Less(t, at(left, 1.1), -100.0)
	left, _ = play(patch(t, "<region> sample=full.wav", nil), 1.2, on(0, 60, 127), control(.5, 120, 0))
	require.Less(t, at(left, .52), -100.0, "all sound off")
}

// A loop goes on for as long as the key is held, and to its end after that where it says
// so. Its ends meet without a step.
func TestLoops(t *testing.T) {
	frames := 44 * 100 // whole periods of a sine of 100 frames
	tone := make([]int16, frames)
	for n := range tone {
		tone[n] = int16(math.Round(16000 * math.Sin(2*math.Pi*float64(n)/100)))
	}
	more := map[string]*fstest.MapFile{"loop.wav": file(t, rate, 1, tone)}
	for _, mode := range []string{"loop_continuous", "loop_sustain"} {
		p := patch(t, "<region> sample=loop.wav loop_mode="+mode+" loop_start=1000 loop_end=2999 ampeg_release=.5", more)
		for _, key := range []int{60, 67, 53} {
			left, _ := play(p, 3, on(0, key, 127), off(2, key))
			hz := float64(rate) / 100 * math.Exp2(float64(key-60)/12)
			got, ok := dsp.Pitch(left[rate:rate*3/2], rate, 100, 2000)
			require.True(t, ok)
			require.InDelta(t, 0, dsp.Cents(got, hz), 1)
			steepest := 0.0
			for n := rate / 10; n < 2*rate; n++ {
				steepest = max(steepest, math.Abs(left[n]-left[n-1]))
			}
			require.LessOrEqual(t, steepest, 16000.0/32768*math.Sqrt2/2*2*math.Pi*hz/rate*1.01, "no step where the ends meet")
			if mode == "loop_sustain" {
				require.Less(t, at(left, 2.3), -100.0, "it ran to its end")
			} else {
				require.Greater(t, at(left, 2.1), -40.0)
			}
		}
	}
}

// The same input gives the same bits, whatever the size of the blocks and however often:
// random choices are of the row, the key and the time.
func TestTheSameBits(t *testing.T) {
	p := patch(t, `<global> ampeg_attack=.01 ampeg_release=.2 pitch_keycenter=69 cutoff=3000 resonance=3 pitchlfo_freq=5 pitchlfo_depth=20
<region> sample=tone.wav lorand=0 hirand=.5 <region> sample=tone.wav lorand=.5 hirand=1 tune=30 volume=-3`, nil)
	rapid.Check(t, func(t *rapid.T) {
		var list []sampler.Message
		for range rapid.IntRange(1, 12).Draw(t, "messages") {
			at := rapid.Float64Range(0, .4).Draw(t, "at")
			key := rapid.IntRange(60, 72).Draw(t, "key")
			list = append(list, on(at, key, rapid.IntRange(1, 127).Draw(t, "velocity")), off(at+.05, key), control(at, rapid.SampledFrom([]int{1, 7, 10, 11, 64}).Draw(t, "cc"), rapid.IntRange(0, 127).Draw(t, "value")))
		}
		make := func(sizes func() int) []float64 {
			e := sampler.New(p, sampler.Options{Quality: sampler.Print, Seed: 7, Wait: true})
			for _, m := range list {
				e.Send(m)
			}
			left, right := make([]float64, rate/2), make([]float64, rate/2)
			for at := 0; at < len(left); {
				n := min(sizes(), len(left)-at)
				e.Render(left[at:at+n], right[at:at+n])
				at += n
			}
			return append(left, right...)
		}
		whole := make(func() int { return rate })
		require.Equal(t, whole, make(func() int { return 64 }))
		require.Equal(t, whole, make(func() int { return rapid.IntRange(1, 1024).Draw(t, "block") }))
	})
}

// Voices beyond the limit take the place of others: those let go of first, then the oldest;
// and it is told.
func TestTooManyVoices(t *testing.T) {
	p := patch(t, "<region> sample=half.wav pitch_keytrack=0 ampeg_release=5", nil)
	e := sampler.New(p, sampler.Options{Voices: 3})
	for _, m := range []sampler.Message{on(0, 60, 127), on(.01, 61, 127), on(.02, 62, 127), off(.03, 61), on(.1, 63, 127), on(.2, 64, 127)} {
		e.Send(m)
	}
	left, right := make([]float64, rate/2), make([]float64, rate/2)
	e.Render(left, right)
	require.Equal(t, 3, e.Voices())
	require.Equal(t, 2, e.Stolen())
	require.Equal(t, 1.5, sounding(left, .4))
	for n := range 100_000 { // a flood
		e.Send(sampler.Message{At: e.Now() + int64(n), Kind: sampler.NoteOn, Key: n % 128, Value: 1 + n%127})
	}
	for range 20 {
		e.Render(left, right)
		require.LessOrEqual(t, e.Voices(), 4)
	}
	require.Greater(t, e.Stolen(), 1000)
}

// A long sample is read while it sounds, and sounds as if it were in memory; the memory for
// it is bounded. Where nobody waits for the disk, what is not there in time is told.
func TestLongSamplesAreStreamed(t *testing.T) {
	long := make([]int16, 2*8*rate)
	for n := range long {
		long[n] = int16(n * 7919 % 20011)
	}
	folder := fstest.MapFS{"a.sfz": {Data: []byte("<region> sample=long.wav hikey=71 pitch_keycenter=60 <region> sample=long.wav key=72 pitch_keycenter=72 loop_mode=loop_continuous loop_start=300000 loop_end=340000")}, "long.wav": file(t, rate, 2, long)}
	store := sampler.NewStore(1 << 20)
	t.Cleanup(store.Close)
	p, err := sampler.Open(store, sampler.File{Folder: folder, Source: template.Source{File: "a.sfz"}})
	require.NoError(t, err)
	waits := sampler.Options{Wait: true}
	left, right := playWith(p, waits, 7, on(0, 60, 127))
	for n := 100; n < 7*rate; n++ {
		require.InDelta(t, float64(long[2*n])/32768, left[n], 1e-4+.01*math.Abs(left[n]), "frame %d", n)
		require.InDelta(t, float64(long[2*n+1])/32768, right[n], 1e-4+.01*math.Abs(right[n]))
	}
	require.LessOrEqual(t, store.Bytes(), int64(1<<20)+8*16384*8)
	left, _ = playWith(p, waits, 20, on(0, 72, 127))
	require.InDelta(t, float64(long[2*(300_000+200)])/32768, left[340_001+200], .02, "the loop begins again")

	stuck := &stuckFolder{FS: folder, gate: make(chan struct{})}
	other, err := sampler.Open(store, sampler.File{Place: "stuck", Folder: stuck, Source: template.Source{File: "a.sfz"}})
	require.NoError(t, err)
	stuck.on.Store(true)
	e := sampler.New(other, sampler.Options{})
	e.Send(on(0, 60, 127))
	e.Render(make([]float64, 3*rate), make([]float64, 3*rate))
	require.Positive(t, e.Dry(), "the disk stands still")
	close(stuck.gate)
	other.Close()
	p.Close()
	require.Zero(t, store.Bytes(), "nothing is kept of it")
}

// stuckFolder is a folder whose files, once it is on, cannot be opened before a gate is.
type stuckFolder struct {
	fs.FS
	on   atomic.Bool
	gate chan struct{}
}

func (f *stuckFolder) Open(name string) (fs.File, error) {
	if f.on.Load() {
		<-f.gate
	}
	return f.FS.Open(name)
}

// Files that are not as they should be: what can be played is, and what cannot is told.
func TestDamagedPatches(t *testing.T) {
	p := patch(t, "<region> sample=tone.wav key=60 nonsense=3 amp_veltrack=9999 cutoff=x loop_mode=loop_continuous loop_start=5 loop_end=99999999 offset=99999999 <region> sample=none.wav key=61 <region> sample=cut.wav key=62 <region> sample=huge.wav key=63", map[string]*fstest.MapFile{
		"cut.wav": {Data: file(t, rate, 1, sine(440, .5, 100)).Data[:30]}, "huge.wav": {Data: append(append([]byte{}, file(t, rate, 1, nil).Data[:40]...), 0xff, 0xff, 0xff, 0xff, 1, 2, 3, 4)},
	})
	require.Len(t, p.Missing, 2)
	require.Contains(t, p.Missing[0], "none.wav")
	require.Contains(t, p.Missing[1], "cut.wav")
	require.Equal(t, []string{"amp_veltrack is passed over (1 times)", "cutoff is passed over (1 times)", "nonsense is passed over (1 times)"}, p.Notes)
	left, _ := play(p, .2, on(0, 60, 127), on(0, 63, 127))
	for _, x := range left {
		require.False(t, math.IsNaN(x))
	}
	_, err := open(t, "<region> sample=none.wav", nil)
	require.ErrorContains(t, err, "nothing of it can sound")
	require.ErrorContains(t, err, "none.wav")
	small := sampler.NewStore(1000)
	t.Cleanup(small.Close)
	_, err = sampler.Open(small, sampler.File{Folder: fstest.MapFS{"a.sfz": {Data: []byte("<region> sample=tone.wav")}, "tone.wav": file(t, rate, 1, sine(440, .5, rate))}, Source: template.Source{File: "a.sfz"}})
	require.ErrorContains(t, err, "no memory left for samples")
}

// Filters: a low pass of two poles takes 3 dB off at its cutoff and 24 dB two octaves above
// (R. Bristow-Johnson's cookbook: Butterworth at no resonance).
func TestFilters(t *testing.T) {
	level := func(hz float64, filter string) float64 {
		p := patch(t, "<region> sample=x.wav key=60 "+filter, map[string]*fstest.MapFile{"x.wav": file(t, rate, 1, sine(hz, .5, rate))})
		left, _ := play(p, .8, on(0, 60, 127))
		return dsp.LevelOf(left[rate/5:rate*3/5]).RMS + dsp.DB(math.Sqrt2) - dsp.DB(.5*math.Sqrt2/2)
	}
	require.InDelta(t, -3.01, level(1000, "cutoff=1000"), .05)
	require.InDelta(t, -24.1, level(4000, "cutoff=1000"), .6)
	require.InDelta(t, 3, level(1000, "cutoff=1000 resonance=6"), .1)
	require.InDelta(t, -3.01, level(1000, "cutoff=1000 fil_type=hpf_2p"), .05)
	require.InDelta(t, -3.01, level(1000, "cutoff=1000 fil_type=lpf_1p"), .05)
	require.InDelta(t, 0, level(1000, "cutoff=1000 fil_type=bpf_2p"), .05)
	require.Less(t, level(1000, "cutoff=1000 fil_type=brf_2p"), -60.0)
}

func ExampleOpen() {
	store := sampler.NewStore(1 << 20)
	defer store.Close()
	p, err := sampler.Open(store, sampler.File{Folder: fstest.MapFS{"a.sfz": {Data: []byte("<region> sample=*sine loop_mode=loop_continuous")}}, Source: template.Source{File: "a.sfz"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	e := sampler.New(p, sampler.Options{})
	e.Send(sampler.Message{Kind: sampler.NoteOn, Key: 69, Value: 127})
	left, right := make([]float64, 48_000), make([]float64, 48_000)
	e.Render(left, right)
	hz, _ := dsp.Pitch(left[4800:], 48_000, 100, 1000)
	fmt.Printf("%.0f Hz, %d voice\n", hz, e.Voices())
	// Output: 440 Hz, 1 voice
}
