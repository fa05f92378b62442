package audit_test

import (
	"context"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/dsp"
)

const rate = 48_000

// sound is one file's, in memory.
type sound [2][]float64

func (s sound) clone() sound { return sound{slices.Clone(s[0]), slices.Clone(s[1])} }

// set is the files of a cue: stems of one fold, which add up to the mix.
type set struct {
	names   []string
	stems   []sound
	carries []audit.Carries
	mix     sound
	guide   *sound
	bits    int // 0 for floating point
	change  func(files []audit.File) []audit.File
	ask     audit.Ask
}

// phrase is made-up music: notes with partials and a breath of noise that fade in and out,
// with rests between them.
func phrase(seconds int, seed uint64) sound {
	random := rand.New(rand.NewPCG(seed, 77))
	var out sound
	for c := range out {
		out[c] = make([]float64, seconds*rate)
	}
	for at := int(random.Float64() * rate); at < (seconds-2)*rate; {
		long := min(int((.4+2*random.Float64())*rate), (seconds-1)*rate-at)
		hz := 110 * math.Exp2(float64(random.IntN(36))/12)
		pan, loud := .3+.4*random.Float64(), .02+.05*random.Float64()
		detune := 1 + 1e-3*random.NormFloat64()
		var phases [8]float64
		for k := range phases {
			phases[k] = 2 * math.Pi * random.Float64()
		}
		noise := 0.0
		for k := range long {
			u := float64(k) / float64(long)
			shape := math.Sin(math.Pi*u) * math.Sin(math.Pi*u)
			v := 0.0
			for p := range phases {
				v += math.Sin(phases[p]+2*math.Pi*hz*detune*float64(p+1)*float64(k)/rate) / float64(p+1)
			}
			noise = .7*noise + random.NormFloat64()
			v = loud * shape * (v + .03*noise)
			out[0][at+k] += v * pan
			out[1][at+k] += v * (1 - pan)
		}
		at += long + int(random.Float64()*.8*rate)
	}
	return out
}

// long is how long the made-up music is, s.
const long = 10

// phrases are made once.
var phrases = sync.OnceValue(func() (out [9]sound) {
	var all sync.WaitGroup
	for n := range out {
		all.Go(func() { out[n] = phrase(long, uint64(100+n)) })
	}
	all.Wait()
	return out
})

// guide is a sound that no stem may hold.
func guide() *sound {
	x := phrases()[8].clone()
	return &x
}

// made is a set of six stems, of made-up music that is another for each seed.
func made(seed uint64) *set {
	s := &set{bits: 24, ask: audit.Ask{Begin: audit.NotSaid, PeakDB: -1}}
	random := rand.New(rand.NewPCG(seed, 3))
	for n, from := range random.Perm(8)[:6] {
		x := phrases()[from].clone()
		g := .6 + .5*random.Float64()
		each(&x, func(_, _ int, v float64) float64 { return g * v })
		s.names = append(s.names, fmt.Sprintf("Stem %d", n+1))
		s.stems = append(s.stems, x)
		s.carries = append(s.carries, audit.Both)
	}
	s.add()
	return s
}

// add makes the mix of the stems as they are.
func (s *set) add() {
	for c := range s.mix {
		s.mix[c] = make([]float64, len(s.stems[0][c]))
		for _, x := range s.stems {
			for k, v := range x[c] {
				s.mix[c][k] += v
			}
		}
	}
}

// rounded is a sound as a file of so many bits has it, with triangular dither.
func rounded(s sound, bits int, seed uint64) sound {
	if bits == 0 {
		for c := range s {
			for k, v := range s[c] {
				s[c][k] = float64(float32(v))
			}
		}
		return s
	}
	random := rand.New(rand.NewPCG(seed, 5))
	full := math.Exp2(float64(bits - 1))
	out := s.clone()
	for c := range out {
		for k, v := range out[c] {
			if v != 0 {
				out[c][k] = max(-full, min(full-1, math.Floor(v*full+random.Float64()-random.Float64()+.5))) / full
			}
		}
	}
	return out
}

// reader reads a sound in pieces of a length that suits nobody.
func reader(s sound, channels int) func([][]float64) (int, error) {
	at := 0
	return func(into [][]float64) (int, error) {
		if at == len(s[0]) {
			return 0, io.EOF
		}
		n := min(len(into[0]), 7001, len(s[0])-at)
		for c := range into[:channels] {
			copy(into[c][:n], s[c][at:])
		}
		at += n
		return n, nil
	}
}

func (s *set) files() []audit.File {
	file := func(name string, x sound, seed uint64) audit.File {
		bits, floating := s.bits, s.bits == 0
		if floating {
			bits = 32
		}
		return audit.File{
			Name: name + ".wav", Channels: 2, RateHz: rate, Bits: bits, Floating: floating, Frames: int64(len(x[0])), Begin: 3600 * rate,
			Read: reader(rounded(x, s.bits, seed), 2), Gain: 1,
		}
	}
	var files []audit.File
	for n, x := range s.stems {
		f := file(s.names[n], x, uint64(n))
		f.Role, f.Folds, f.Stem, f.Carries = audit.Stem, []string{"fold"}, s.names[n], s.carries[n]
		files = append(files, f)
	}
	f := file("Mix", s.mix, 1000)
	f.Role = audit.Mix
	files = append(files, f)
	if s.guide != nil {
		f := file("Guide", *s.guide, 1001)
		f.Role = audit.Guide
		files = append(files, f)
	}
	if s.change != nil {
		files = s.change(files)
	}
	return files
}

func (s *set) prove(t testing.TB) *audit.Report {
	t.Helper()
	ask := s.ask
	ask.Files, ask.Folds = s.files(), []audit.Fold{{ID: "fold", Name: "Stems", Stems: s.names}}
	r, err := audit.Run(context.Background(), ask)
	require.NoError(t, err)
	return r
}

func told(r *audit.Report) string {
	var b strings.Builder
	for _, m := range r.Marks {
		fmt.Fprintf(&b, "%s %q %.1f..%.1f %.2f: %s\n", m.Code, m.Name, m.From, m.To, m.Figure, m.Message)
	}
	return b.String()
}

// Twenty sets with nothing wrong: nothing is found, in 16 and 24 bits and in floating point, and
// what is left is as strong as rounding and dither must leave it.
func TestCleanSets(t *testing.T) {
	for n := range 20 {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			t.Parallel()
			s := made(uint64(n + 1))
			s.bits = []int{24, 16, 0}[n%3]
			s.guide = guide()
			r := s.prove(t)
			require.Empty(t, r.Marks, told(r))
			require.True(t, r.Matched)
			require.Len(t, r.Folds, 1)
			x := r.Folds[0]
			require.True(t, x.AddsUp)
			require.Equal(t, 6, x.Stems)
			if s.bits > 0 {
				// Seven files of half a step each: what is silent leaves less.
				require.InDelta(t, dsp.DB(.5/math.Exp2(float64(s.bits-1)))+10*math.Log10(7), x.NoiseDB, .01)
				require.Less(t, x.RMSDB, x.NoiseDB)
				require.Greater(t, x.RMSDB, x.NoiseDB-4)
			}
			require.Contains(t, r.Line, "6 stems add up to the mix, residual -")
		})
	}
}

// fault is one that is made in a set, and what must be told of it.
type fault struct {
	name   string
	do     func(s *set)
	code   string
	stem   string
	from   float64 // s, from where on it is told, to 1.1 s
	figure float64
	off    float64 // by how much the figure may differ
	says   string
}

const wrong = 2 // the stem that has the fault

func each(x *sound, do func(c, k int, v float64) float64) {
	for c := range x {
		for k, v := range x[c] {
			x[c][k] = do(c, k, v)
		}
	}
}

func late(by int) func(s *set) {
	return func(s *set) {
		x := s.stems[wrong]
		for c := range x {
			moved := make([]float64, len(x[c]))
			for k := range moved {
				if from := k - by; from >= 0 && from < len(moved) {
					moved[k] = x[c][from]
				}
			}
			s.stems[wrong][c] = moved
		}
	}
}

func gain(db float64) func(s *set) {
	return func(s *set) {
		each(&s.stems[wrong], func(_, _ int, v float64) float64 { return v * dsp.Amplitude(db) })
	}
}

// leaked adds some of a sound to the stem, and to the mix as it would be.
func leaked(s *set, x sound, db float64) {
	each(&s.stems[wrong], func(c, k int, v float64) float64 { return v + dsp.Amplitude(db)*x[c][k] })
	s.add()
}

func withHeader(change func(f *audit.File)) func(s *set) {
	return func(s *set) {
		s.change = func(files []audit.File) []audit.File {
			change(&files[wrong])
			return files
		}
	}
}

// stem3 is how the stem with the fault is called.
const stem3 = "Stem 3"

var faults = []fault{
	{"doubled", gain(6.0206), "null-doubled", stem3, 0, 6.02, .01, "Stem 3 is doubled: it is 6.02 dB louder than in the mix"},
	{"a tenth of a dB", gain(.1), "null-gain", stem3, 0, .1, .001, "Stem 3 is 0.10 dB louder than in the mix"},
	{"softer", gain(-3), "null-gain", stem3, 0, -3, .01, "3.0 dB softer"},
	{"missing in the mix", func(s *set) {
		each(&s.mix, func(c, k int, v float64) float64 { return v - s.stems[wrong][c][k] })
	}, "null-missing", stem3, 0, 0, 0, "Stem 3 is not in the mix"},
	{"one sample late", late(1), "null-late", stem3, 0, 1, 0, "Stem 3 is 1 sample late"},
	{"many samples late", late(1234), "null-late", stem3, 0, 1234, 0, "1234 samples late (25.71 ms)"},
	{"early", late(-300), "null-late", stem3, 0, -300, 0, "300 samples early"},
	{"inverted", gain2(-1), "null-inverted", stem3, 0, 0, .01, "Stem 3 is inverted"},
	{"a moment louder", func(s *set) {
		each(&s.stems[wrong], func(_, k int, v float64) float64 {
			if k >= 5*rate && k < 8*rate {
				v *= 1.5
			}
			return v
		})
	}, "null-gain", stem3, 5, 3.52, .01, "from 0:05 to 0:08"},
	{"no file", func(s *set) {
		s.change = func(files []audit.File) []audit.File { return slices.Delete(files, wrong, wrong+1) }
	}, "missing", stem3, 0, 0, 0, "Stem 3 has no file"},
	{"a guide in it", func(s *set) {
		s.guide = guide()
		leaked(s, *s.guide, -20)
	}, "guide-leak", stem3, 0, -20, 1.5, "Stem 3 contains the guide Guide.wav"},
	{"a stem in it", func(s *set) { leaked(s, s.stems[4], -6) }, "same-sound", stem3, 0, -6, 2, "Stem 3 and Stem 5 contain the same sound"},
	{"wet in dry", func(s *set) {
		s.carries[wrong], s.carries[4] = audit.Dry, audit.Wet
		leaked(s, s.stems[4], 0)
	}, "wet-in-dry", stem3, 0, 0, 2, "Stem 3 contains the wet sound of Stem 5"},
	{"silent", func(s *set) {
		each(&s.stems[wrong], func(int, int, float64) float64 { return 0 })
		s.add()
	}, "silent", stem3, 0, 0, 0, "Stem 3 is silent"},
	{"a gap", func(s *set) {
		at := loudest(s)
		each(&s.stems[wrong], func(_, k int, v float64) float64 {
			if k >= at && k < at+960 {
				return 0
			}
			return v
		})
		s.add()
	}, "dropout", stem3, -1, .02, .001, "Stem 3 drops out for 20 ms"},
	{"clipping", func(s *set) {
		each(&s.stems[wrong], func(_, _ int, v float64) float64 { return max(-1, min(1, 25*v)) })
		s.bits = 0
		s.add()
	}, "clipping", stem3, -1, 0, 1e9, "Stem 3 clips at"},
	{"a high peak", func(s *set) {
		for c := range s.stems[wrong] {
			for k := range 4 * rate { // between its samples it is 3 dB higher
				fade := math.Sin(math.Pi * float64(k) / (4 * rate))
				s.stems[wrong][c][6*rate+k] = .7 * fade * []float64{1, 1, -1, -1}[k%4]
			}
		}
		s.add()
	}, "true-peak", stem3, -1, -.1, .3, "1.0 is the limit"},
	{"an offset", func(s *set) {
		each(&s.stems[wrong], func(_, k int, v float64) float64 {
			return v + .004*math.Sin(math.Pi*float64(k)/(long*rate))
		})
		s.add()
	}, "dc", stem3, 0, -51.9, .2, "Stem 3 has a DC offset of -52 dBFS"},
	{"a dead side", func(s *set) { clear(s.stems[wrong][1]); s.add() }, "dead-side", stem3, 0, 0, 0, "Stem 3 is silent on the right"},
	{"one channel twice", func(s *set) {
		s.stems[wrong][1] = slices.Clone(s.stems[wrong][0])
		s.add()
	}, "both-same", stem3, 0, 0, 0, "identical on both sides"},
	{"a cut tail", func(s *set) {
		end := loudest(s) + 40
		for n := range s.stems {
			for c := range s.stems[n] {
				s.stems[n][c] = s.stems[n][c][:end]
			}
		}
		s.add()
	}, "cut-tail", stem3, -1, 0, 1e9, "Stem 3 is cut off at its end"},
	{"a cut beginning", func(s *set) {
		from := loudest(s)
		for n := range s.stems {
			for c := range s.stems[n] {
				s.stems[n][c] = s.stems[n][c][from:]
			}
		}
		s.add()
	}, "start-click", stem3, 0, 0, 1e9, "Stem 3 begins abruptly"},
	{"another rate", withHeader(func(f *audit.File) { f.RateHz = 44_100 }), "rate", stem3, 0, 44_100, 0, "is at 44100 Hz, not at 48000"},
	{"another start", withHeader(func(f *audit.File) { f.Begin += 4800 }), "start", stem3, 0, .1, 1e-9, "is stamped 0.10 s later than the others"},
	{"other bits", withHeader(func(f *audit.File) { f.Bits = 16 }), "bits", stem3, 0, 16, 0, "samples of 16 bits, not of 24 bits"},
	{"cut off", withHeader(func(f *audit.File) { f.Lost = 6 * rate * 2 }), "cut-off", stem3, long, 6 * rate * 2, 0, "2.0 s are missing at its end"},
	{"no start", withHeader(func(f *audit.File) { f.Begin = audit.NotSaid }), "no-start", stem3, 0, 0, 0, "has no time stamp"},
	{"shorter", func(s *set) {
		for c := range s.stems[wrong] {
			s.stems[wrong][c] = s.stems[wrong][c][:long*rate-rate/2]
		}
	}, "length", stem3, long - .5, -.5, 1e-9, "is 0.50 s shorter than the others"},
}

func gain2(g float64) func(s *set) {
	return func(s *set) {
		each(&s.stems[wrong], func(_, _ int, v float64) float64 { return v * g })
	}
}

// loudest is where the stem is loudest, within its middle.
func loudest(s *set) (at int) {
	x := s.stems[wrong][0]
	for k := 3 * rate; k < 8*rate; k++ {
		if math.Abs(x[k]) > math.Abs(x[at]) {
			at = k
		}
	}
	return at
}

// Each fault is made in a set of its own, and is found, with its stem, its place and its
// figure; nothing else is told but what follows from it.
func TestFaultsAreFound(t *testing.T) {
	for n, x := range faults {
		t.Run(x.name, func(t *testing.T) {
			t.Parallel()
			s := made(uint64(50 + n))
			x.do(s)
			r := s.prove(t)
			at := slices.IndexFunc(r.Marks, func(m audit.Mark) bool { return m.Code == x.code && m.Name == x.stem })
			require.GreaterOrEqual(t, at, 0, "it is not told:\n%s", told(r))
			m := r.Marks[at]
			require.Contains(t, m.Message, x.says)
			require.NotEmpty(t, m.Remedy)
			if x.from >= 0 {
				require.InDelta(t, x.from, m.From, 2.1, told(r))
			}
			require.InDelta(t, x.figure, m.Figure, x.off, told(r))
			t.Log("\n" + told(r))
		})
	}
}

func index(r *audit.Report, code, name string) int {
	return slices.IndexFunc(r.Marks, func(m audit.Mark) bool { return m.Code == code && m.Name == name })
}

// Three faults at once are told apart.
func TestSeveralFaultsAtOnce(t *testing.T) {
	s := made(80)
	gain(2)(s)
	each(&s.stems[0], func(_, _ int, v float64) float64 { return -v })
	x := s.stems[5].clone()
	for c := range x {
		copy(s.stems[5][c][77:], x[c])
		clear(s.stems[5][c][:77])
	}
	r := s.prove(t)
	require.False(t, r.Matched)
	for code, of := range map[string]struct {
		name   string
		figure float64
	}{"null-gain": {stem3, 2}, "null-inverted": {"Stem 1", 0}, "null-late": {"Stem 6", 77}} {
		at := index(r, code, of.name)
		require.GreaterOrEqual(t, at, 0, told(r))
		require.InDelta(t, of.figure, r.Marks[at].Figure, .02, told(r))
	}
	require.Len(t, r.Marks, 4, told(r))
	require.Contains(t, r.Line, "; 2 more", "the line tells the first and how many more")
}

// A guide that only a stem has, or only the mix, is what is left.
func TestAGuideThatIsLeft(t *testing.T) {
	for says, of := range map[string]func(s *set) *sound{
		"the guide Guide.wav is in a stem and not in the mix, at -20 dB": func(s *set) *sound { return &s.stems[wrong] },
		"the guide Guide.wav is in the mix and in no stem, at -20 dB":    func(s *set) *sound { return &s.mix },
	} {
		s := made(86)
		s.guide = guide()
		clear(s.stems[0][0])
		clear(s.stems[0][1])
		s.add()
		each(of(s), func(c, k int, v float64) float64 { return v + .1*s.guide[c][k] })
		r := s.prove(t)
		at := slices.IndexFunc(r.Marks, func(m audit.Mark) bool { return m.Code == "null-guide" })
		require.GreaterOrEqual(t, at, 0, told(r))
		require.Contains(t, r.Marks[at].Message, says)
		require.True(t, r.Marks[index(r, "silent", "Stem 1")].Note, "nobody plays there, and nothing else is missing")
	}
}

// A stem that runs dry while the mix goes on is told by that.
func TestAStemThatStops(t *testing.T) {
	s := made(81)
	at := loudest(s)
	each(&s.stems[wrong], func(_, k int, v float64) float64 {
		if k >= at && k < at+9000 {
			return 0
		}
		return v
	})
	r := s.prove(t)
	require.GreaterOrEqual(t, index(r, "dropout", stem3), 0, told(r))
	m := r.Marks[index(r, "null-missing", stem3)]
	require.Contains(t, m.Message, "Stem 3 is silent")
	require.InDelta(t, float64(at)/rate, m.From, 1)
}

// What differs in the wet stems alone, as a hall does that moves, is told as such and is no
// fault; a dry stem that differs is one.
func TestAHallThatMoves(t *testing.T) {
	s := made(82)
	s.carries = []audit.Carries{audit.Dry, audit.Dry, audit.Dry, audit.Dry, audit.Dry, audit.Wet}
	random := rand.New(rand.NewPCG(1, 1))
	other := s.stems[5].clone()
	each(&other, func(_, _ int, v float64) float64 { return v * (.3 + .8*random.Float64()) })
	mix := s.mix.clone()
	each(&mix, func(c, k int, v float64) float64 { return v - s.stems[5][c][k] + other[c][k] })
	s.mix = mix
	r := s.prove(t)
	at := slices.IndexFunc(r.Marks, func(m audit.Mark) bool { return m.Code == "null-wet" })
	require.GreaterOrEqual(t, at, 0, told(r))
	require.True(t, r.Marks[at].Note)
	require.Contains(t, r.Marks[at].Message, "in the wet sound alone")
}

// Two stems whose notes begin at once and ring in one hall have no sound in common, however
// alike their phases are.
func TestOneHallIsNotOneSound(t *testing.T) {
	s := made(85)
	random := rand.New(rand.NewPCG(3, 3))
	impulse := make([]float64, 9000)
	for k := range impulse {
		impulse[k] = random.NormFloat64() * math.Exp(-float64(k)/2000)
	}
	for n := range 2 {
		hit := make([]float64, 200) // a stroke of its own, which the hall answers
		for k := range hit {
			hit[k] = random.NormFloat64() * math.Exp(-float64(k)/40)
		}
		rung := make([]float64, len(impulse)+len(hit))
		for k, v := range impulse {
			for h, w := range hit {
				rung[k+h] += .004 * v * w
			}
		}
		for c := range s.stems[n] {
			x := make([]float64, long*rate)
			for at := rate / 2; at < (long-2)*rate; at += rate * 2 / 5 {
				for k, v := range rung {
					x[at+k] += v
				}
			}
			s.stems[n][c] = x
		}
	}
	s.add()
	r := s.prove(t)
	require.Less(t, slices.IndexFunc(r.Marks, func(m audit.Mark) bool { return m.Code == "same-sound" }), 0, told(r))
}

// Where there is only a mix with its limiter on it, what the limiter touches is left out.
func TestAMixWithItsLimiter(t *testing.T) {
	s := made(83)
	s.ask.LimitedGain = dsp.Amplitude(16)
	high := 0.0
	each(&s.mix, func(_, _ int, v float64) float64 {
		if v *= dsp.Amplitude(16); math.Abs(v) > .8 { // it bends what is loud
			v = math.Copysign(.8+.1*math.Tanh((math.Abs(v)-.8)/.1), v)
		}
		high = max(high, math.Abs(v))
		return v
	})
	require.Greater(t, high, .81)
	s.change = func(files []audit.File) []audit.File {
		files[6].Role = audit.Limited
		return files
	}
	s.ask.PeakDB = 0
	r := s.prove(t)
	require.Empty(t, r.Marks, told(r))
	require.Positive(t, r.Folds[0].Skipped)
	require.Less(t, r.Folds[0].Skipped, long)
	require.True(t, r.Folds[0].AddsUp)
}

// What cannot be tested says why.
func TestWhatCanNotBeTested(t *testing.T) {
	s := made(84)
	s.change = func(files []audit.File) []audit.File { return files[:6] }
	r := s.prove(t)
	require.Contains(t, r.Folds[0].Why, "there is no mix")
	require.Equal(t, "6 files: there is no mix to hold them against", r.Line)
	_, err := audit.Run(context.Background(), audit.Ask{})
	require.ErrorContains(t, err, "no sound to prove")
	s = made(84)
	files := s.files()
	files[3].Read = func([][]float64) (int, error) { return 0, io.ErrUnexpectedEOF }
	_, err = audit.Run(context.Background(), audit.Ask{Files: files, Begin: audit.NotSaid})
	require.ErrorContains(t, err, "Stem 4.wav, second 0: unexpected EOF")
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = audit.Run(ctx, audit.Ask{Files: s.files(), Begin: audit.NotSaid})
	require.ErrorIs(t, err, context.Canceled)
}

// Where it is known when the cue begins, files that are stamped later are wrong; a count-in before
// it is noted, and so is that none is stamped.
func TestTheStartOfTheCue(t *testing.T) {
	for cue, want := range map[float64]string{
		3600: "", 3599: "the files are stamped 1.00 s later than the cue begins", 3602.5: "the files are stamped 2.50 s earlier than the cue begins",
		3600 - 5./rate: "the files are stamped 5 samples later than the cue begins",
	} {
		s := made(85)
		s.ask.CueAt = cue
		r := s.prove(t)
		var said []string
		for _, m := range r.Marks {
			if m.Code == "start" {
				said = append(said, m.Message)
				require.Equal(t, cue > 3600, m.Note)
			}
		}
		require.Equal(t, want, strings.Join(said, "; "))
	}
	s := made(85)
	s.ask.CueAt = 3600
	s.change = func(files []audit.File) []audit.File {
		for n := range files {
			files[n].Begin = audit.NotSaid
		}
		return files
	}
	require.Contains(t, told(s.prove(t)), "no file has a time stamp")
}

// Every mark has its row in the table, and every row is made somewhere above or is of a header.
func TestTheTableOfMarks(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range audit.Codes {
		require.False(t, seen[c.Code], c.Code)
		seen[c.Code] = true
		require.NotEmpty(t, c.About)
		require.NotEmpty(t, c.Remedy)
	}
	for _, x := range faults {
		require.True(t, seen[x.code], x.code)
	}
}

// BenchmarkProof proves 32 stereo stems of seven minutes and their mix.
func BenchmarkProof(b *testing.B) {
	const seconds = 420
	base := phrases()
	for b.Loop() {
		ask := audit.Ask{Begin: audit.NotSaid, PeakDB: -1}
		for f := range 4 {
			fold := audit.Fold{ID: fmt.Sprint(f), Name: fmt.Sprint(f)}
			for n := range 8 {
				x, at := base[n], 0
				name := fmt.Sprintf("%d %d", f, n)
				fold.Stems = append(fold.Stems, name)
				ask.Files = append(ask.Files, audit.File{
					Name: name, Stem: name, Folds: []string{fold.ID}, Role: audit.Stem, Gain: 1, Channels: 2, RateHz: rate, Bits: 24, Frames: seconds * rate, Begin: 0,
					Read: func(into [][]float64) (int, error) { return again(into, x, &at, seconds) },
				})
			}
			ask.Folds = append(ask.Folds, fold)
		}
		var mix sound
		for c := range mix {
			mix[c] = make([]float64, long*rate)
			for n := range 8 {
				for k, v := range base[n][c] {
					mix[c][k] += v
				}
			}
		}
		at := 0
		ask.Files = append(ask.Files, audit.File{Name: "mix", Role: audit.Mix, Channels: 2, RateHz: rate, Bits: 24, Frames: seconds * rate,
			Read: func(into [][]float64) (int, error) { return again(into, mix, &at, seconds) }})
		r, err := audit.Run(context.Background(), ask)
		require.NoError(b, err)
		require.True(b, r.Matched, r.Line)
		b.ReportMetric(float64(b.Elapsed().Seconds())/float64(max(1, b.N)), "s/proof")
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	b.ReportMetric(float64(m.Sys)/(1<<20), "MiB")
}

// again reads a sound over and over.
func again(into [][]float64, x sound, at *int, seconds int) (int, error) {
	if *at >= seconds*rate {
		return 0, io.EOF
	}
	from := *at % len(x[0])
	n := min(len(into[0]), len(x[0])-from, seconds*rate-*at)
	for c := range into {
		copy(into[c][:n], x[c][from:])
	}
	*at += n
	return n, nil
}
