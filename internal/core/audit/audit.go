// Package audit proves audio: stems and a mix go in, each read once and in order; figures of
// each file, whether the stems of each fold add up to the mix, and marks come out. It does not
// care who made the files. What it holds at a time is three seconds of each, as 32-bit floating
// point: that holds 24 bits to the last, and of anything finer what lies 144 dB below it.
package audit

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"sync"

	"fanfold/internal/core/share"
)

// Role is what a file is.
type Role string

// Roles of files.
const (
	Stem    Role = "stem"    // adds to the mix
	Mix     Role = "mix"     // before what runs on it
	Limited Role = "limited" // the mix as it is heard, after a limiter
	Guide   Role = "guide"   // dialogue or effects, which no stem may hold
	Other   Role = "other"   // nobody knows
)

// Handed tells whether files of the role are handed over: stems and mixes are, guides are not.
func (r Role) Handed() bool { return r == Stem || r == Mix || r == Limited }

// Carries says what of the sound a stem has.
type Carries string

// What a stem carries.
const (
	Both Carries = ""
	Dry  Carries = "dry"
	Wet  Carries = "wet"
)

// NotSaid stands for a start that a file does not say.
const NotSaid = -1

// File is the sound of one file.
type File struct {
	Name     string // of the file
	Role     Role
	Folds    []string // of a stem: those it is delivered in, by ID
	Stem     string   // its name
	Carries  Carries  // of a stem
	Gain     float64  // with which a stem enters the mix, linear
	Mono     bool     // one channel is enough
	Silent   bool     // nobody plays in it, so that silence is right
	Channels int
	RateHz   int
	Bits     int // of a sample
	Floating bool
	Frames   int64
	Begin    int64 // samples since midnight; NotSaid when the file does not say
	Lost     int64 // bytes that its header promises and that are not there
	// Read reads the next frames, a slice for each channel; io.EOF at the end.
	Read func(into [][]float64) (int, error)
}

// Called is how people know the file.
func (f *File) Called() string {
	if f.Stem != "" {
		return f.Stem
	}
	return f.Name
}

// Fold is a fold whose stems should add up to the mix.
type Fold struct {
	ID, Name string
	Stems    []string // that it delivers, by name: those without a file are missing
	Why      string   // it cannot be held against the mix; empty where it can
}

// Ask says what is proved.
type Ask struct {
	Files []File
	Folds []Fold
	// RateHz, Frames and Begin are those that are asked for: 0, 0 and NotSaid take what most
	// files have.
	RateHz int
	Frames int64
	Begin  int64
	// CueAt is where the cue begins that the files are of, s since midnight; 0 for not known.
	CueAt float64
	// PeakDB is the highest true peak, dBTP, and LoudnessLUFS the loudness of the mix that is
	// asked for; 0 for none.
	PeakDB       float64
	LoudnessLUFS float64
	// LimitedGain is what a limiter's level does to the mix where it does not limit, linear; 0
	// is 1.
	LimitedGain float64
	// Progress is told how far it is, 0 to 1; it may be nil.
	Progress func(done float64)
}

// Report is what came of it.
type Report struct {
	RateHz  int       `json:"rateHz"`
	Frames  int64     `json:"frames"` // of the longest file
	Begin   int64     `json:"begin"`  // samples since midnight; -1 when nobody says
	Line    string    `json:"line"`   // all of it in one line
	Files   []Figures `json:"files"`
	Folds   []Null    `json:"folds"`
	Marks   []Mark    `json:"marks"`
	Matched bool      `json:"matched"` // the stems of every fold that could be tested add up
}

// Seconds is a time in frames of the report's rate.
func (r *Report) Seconds(frames int64) float64 { return float64(frames) / float64(max(1, r.RateHz)) }

// MostFiles bounds the files of one proof, and MostRateHz and MostChannels what each is.
const (
	MostFiles    = 256
	MostRateHz   = 384_000
	MostChannels = 8
)

// track is a file while it is proved: the second before, the present one and the next.
type track struct {
	File
	at      int // among the files
	skip    int64
	pad     int64
	sum     bool // it can be added up: of the right rate
	windows [3][][]float32
	long    [3]int
	meter   *meter
	ended   bool
	read    int64
	err     error
}

// windowAt are the windows of a track.
const (
	before = iota
	present
	next
)

type run struct {
	ask    *Ask
	report *Report
	tracks []*track
	frames int // of a window: a second
	nulls  []*null
	pairs  *pairs
	marks  []Mark
}

// Run proves files. The error says which cannot be read; the context ends it.
func Run(ctx context.Context, ask Ask) (*Report, error) {
	if len(ask.Files) == 0 {
		return nil, errors.New("there is no sound to prove; choose a folder with WAV or FLAC files")
	}
	if len(ask.Files) > MostFiles {
		return nil, fmt.Errorf("%d files; %d are proved at once: prove one cue after the other", len(ask.Files), MostFiles)
	}
	for _, f := range ask.Files {
		if f.RateHz < 1000 || f.RateHz > MostRateHz || f.Channels < 1 || f.Channels > MostChannels {
			return nil, fmt.Errorf("%s: %d channels at %d Hz cannot be proved", f.Name, f.Channels, f.RateHz)
		}
	}
	r := &run{ask: &ask, report: &Report{Folds: []Null{}, Files: []Figures{}}}
	r.headers()
	r.frames = r.report.RateHz
	for n := range ask.Files {
		r.tracks = append(r.tracks, r.track(n))
	}
	for _, f := range ask.Folds {
		r.nulls = append(r.nulls, r.newNull(f))
	}
	r.pairs = r.newPairs()
	if err := r.windows(ctx); err != nil {
		return nil, err
	}
	r.finish()
	return r.report, nil
}

func (r *run) track(n int) *track {
	f := r.ask.Files[n]
	t := &track{File: f, at: n, sum: f.RateHz == r.report.RateHz}
	if f.Begin != NotSaid && r.report.Begin != NotSaid && t.sum {
		// Where it lies in time is what its header says, unless that is far off.
		if late := f.Begin - r.report.Begin; late > 0 && late <= mostApartS*int64(f.RateHz) {
			t.pad = late
		} else if late < 0 && -late <= mostApartS*int64(f.RateHz) {
			t.skip = -late
		}
	}
	for w := range t.windows {
		t.windows[w] = make([][]float32, f.Channels)
		for c := range t.windows[w] {
			t.windows[w][c] = make([]float32, f.RateHz)
		}
	}
	t.meter = newMeter(&t.File)
	return t
}

// mostApartS is how far files may begin from each other to be laid where they say, s.
const mostApartS = 60

// windows goes through the sound second by second.
func (r *run) windows(ctx context.Context) error {
	total := 0
	for _, t := range r.tracks {
		total = max(total, int((t.Frames+t.pad-t.skip)/int64(t.RateHz))+1)
	}
	for second := 0; ; second++ {
		if err := ctx.Err(); err != nil {
			return err
		}
		share.Out(len(r.tracks), func(n int) { r.tracks[n].next() })
		any := false
		for _, t := range r.tracks {
			if t.err != nil {
				return fmt.Errorf("%s, second %d: %w", t.Name, second, t.err)
			}
			any = any || t.long[next] > 0
		}
		if second > 0 {
			share.Out(len(r.nulls), func(n int) { r.nulls[n].window(second - 1) })
			r.pairs.second(second - 1)
		}
		if !any {
			break
		}
		if r.ask.Progress != nil {
			r.ask.Progress(min(1, float64(second)/float64(max(1, total))))
		}
	}
	r.pairs.end()
	return nil
}

// next moves a track on by a second, and measures it.
func (t *track) next() {
	first := t.windows[before]
	copy(t.windows[:], t.windows[1:])
	copy(t.long[:], t.long[1:])
	t.windows[next], t.long[next] = first, 0
	into := t.windows[next]
	for c := range into {
		clear(into[c])
	}
	from, _ := buffers.Get().(*buffer)
	defer buffers.Put(from)
	part := make([][]float64, len(into))
	for !t.ended && t.err == nil && t.long[next] < t.RateHz {
		if t.pad > 0 {
			n := int(min(t.pad, int64(t.RateHz-t.long[next])))
			t.pad -= int64(n)
			t.long[next] += n
			continue
		}
		most := min(bufferFrames, t.RateHz-t.long[next])
		if t.skip > 0 {
			most = int(min(int64(most), t.skip))
		}
		for c := range part {
			part[c] = from[c][:most]
		}
		n, err := t.Read(part)
		t.err, t.ended = err, errors.Is(err, io.EOF) || err == nil && n == 0
		if t.ended {
			t.err = nil
			break
		}
		for c := range part {
			part[c] = part[c][:n]
		}
		t.meter.add(part, t.read)
		t.read += int64(n)
		if t.skip > 0 {
			t.skip -= int64(n)
			continue
		}
		for c := range part {
			to := into[c][t.long[next]:]
			for k, v := range part[c] {
				to[k] = float32(v)
			}
		}
		t.long[next] += n
	}
}

// bufferFrames is how much of a file is read at a time, in a buffer that others use again.
const bufferFrames = 4096

type buffer [MostChannels][bufferFrames]float64

var buffers = sync.Pool{New: func() any { return new(buffer) }}

// level is the strongest sample and the power of a window.
func level[T float32 | float64](channels [][]T) (peak, power float64) {
	n := 0
	for _, x := range channels {
		n += len(x)
		for _, v := range x {
			v := float64(v)
			power += v * v
			if v = math.Abs(v); v > peak {
				peak = v
			}
		}
	}
	return peak, power / float64(max(1, n))
}
