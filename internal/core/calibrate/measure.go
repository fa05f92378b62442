package calibrate

import (
	"fmt"
	"io"
	"math"
	"slices"

	"fanfold/internal/core/dsp"
	"fanfold/internal/core/template"
)

// Recording is the sound of one pair, of one channel or two.
type Recording interface {
	RateHz() float64
	Channels() int
	Frames() int64
	ReadAt(into [][]float64, from int64) (int, error) // io.EOF at the end
}

// Figures are what a row did.
type Figures struct {
	Row      int
	Levels   [3]float64  // RMS of the soft, middle and strong note, dBFS: its steady part, or its beginning where that is stronger
	Peak     float64     // of the strong one, dBFS
	Noise    float64     // RMS of the silence before, dBFS
	StartMs  float64     // from the note to its sound, beside the click's row
	HalfMs   float64     // and to half of its full amplitude
	DecayS   float64     // of the strong note's end to -60 dB; 0 when it cannot be told
	Position float64     // -45 left to 45 right, degrees, of constant power
	Width    float64     // 0 for one point to 2 for opposite phases: 1 less the correlation
	Cents    float64     // above its key; NaN when it has no pitch
	Thirds   []float64   // of the middle note, in third-octaves: dsp.Thirds, dBFS
	Alike    [][2]string // articulations that sound the same
	Silent   bool
	Clipped  bool
	Clicks   int    // in the middle note, while it holds
	Fault    string // why nothing of it could be measured; empty when it was
}

// DynamicDB is from its softest to its strongest note, dB.
func (f Figures) DynamicDB() float64 { return f.Levels[2] - f.Levels[0] }

// searched is how much of a recording is looked at for the click, s.
const searched = 60

// clickDBFS is the level from which on something is the click.
const clickDBFS = -50

// Measure cuts the recording of a pair into what each of its rows did. The error says why
// nothing of it can be used: no click, or no sound at all.
func (s Schedule) Measure(pair int, rec Recording) ([]Figures, error) {
	if c := rec.Channels(); c < 1 || c > 2 {
		return nil, fmt.Errorf("the recording has %d channels; a pair has one or two", c)
	}
	offset, err := s.offset(rec)
	if err != nil {
		return nil, err
	}
	return s.rows(pair, rec, offset)
}

// MeasureAlone is Measure of a row that was scheduled Alone: the recording began with it.
func (s Schedule) MeasureAlone(rec Recording) (Figures, error) {
	list, err := s.rows(0, rec, 0)
	if err != nil {
		return Figures{}, err
	}
	return list[0], nil
}

func (s Schedule) rows(pair int, rec Recording, offset float64) ([]Figures, error) {
	var out []Figures
	for n, r := range s.Rows {
		if r.Pair != pair {
			continue
		}
		f := Figures{Row: n, Cents: math.NaN(), Peak: dsp.Silence, Noise: dsp.Silence, Levels: [3]float64{dsp.Silence, dsp.Silence, dsp.Silence}}
		if err := s.row(&f, rec, offset); err != nil {
			return nil, err
		}
		out = append(out, f)
	}
	return out, nil
}

// offset is by how much the recording is late, s: from where the click should be to where
// it is.
func (s Schedule) offset(rec Recording) (float64, error) {
	head, err := read(rec, 0, searched)
	if err != nil {
		return 0, err
	}
	start, _ := dsp.Onset(sum(head), rec.RateHz(), clickDBFS-6)
	if start < 0 {
		return 0, fmt.Errorf("no click is heard in the first %d s: the recording is silent, or of something else", searched)
	}
	return float64(start)/rec.RateHz() - clickAt, nil
}

// read reads seconds of a recording, fewer at its end.
func read(rec Recording, from, seconds float64) ([][]float64, error) {
	at, n := int64(math.Round(from*rec.RateHz())), int(math.Round(seconds*rec.RateHz()))
	if at < 0 {
		n, at = n+int(at), 0
	}
	n = int(max(0, min(int64(n), rec.Frames()-at)))
	out := make([][]float64, rec.Channels())
	for c := range out {
		out[c] = make([]float64, n)
	}
	if n == 0 {
		return out, nil
	}
	got, err := rec.ReadAt(out, at)
	if err != nil && err != io.EOF { //nolint:errorlint // as a Recording says it
		return nil, fmt.Errorf("read the recording: %w", err)
	}
	for c := range out {
		out[c] = out[c][:got]
	}
	return out, nil
}

// sum is both channels as one, at half.
func sum(channels [][]float64) []float64 {
	if len(channels) == 1 {
		return channels[0]
	}
	out := make([]float64, len(channels[0]))
	for n := range out {
		out[n] = (channels[0][n] + channels[1][n]) / 2
	}
	return out
}

// power is the mean square of all channels together.
func power(channels [][]float64) float64 {
	total := 0.0
	for _, c := range channels {
		for _, x := range c {
			total += x * x
		}
	}
	if len(channels) == 0 || len(channels[0]) == 0 {
		return 0
	}
	return total / float64(len(channels[0]))
}

// The part of a note that is steady, s from its start and before its end.
const (
	attack  = 0.3
	release = 0.1
)

// struck is the part of a note from its start that tells how strong one is that dies away,
// s: as long as the window of momentary loudness (EBU Tech 3341).
const struck = 0.4

func (s Schedule) row(f *Figures, rec Recording, offset float64) error {
	spectra := map[string][]float64{}
	shapes := map[string][8]float64{}
	notes := map[string][]float64{}
	middleKey := 0
	var order []string
	for _, e := range s.Events {
		if e.Row != f.Row || e.Kind == Click {
			continue
		}
		from := e.At + offset
		if (from+e.Seconds)*rec.RateHz() > float64(rec.Frames()) {
			f.Fault = "the recording ends before it"
			return nil
		}
		sound, err := read(rec, from, e.Seconds+beside)
		if err != nil {
			return err
		}
		steady := cut(sound, attack, e.Seconds-release, rec.RateHz())
		switch e.Kind {
		case Silence:
			f.Noise = dsp.PowerDB(power(cut(sound, e.Seconds/4, e.Seconds, rec.RateHz())))
		case Dynamics:
			strength := slices.Index(Strengths[:], e.Strength)
			loudest := max(power(steady), power(cut(sound, 0, struck, rec.RateHz())))
			f.Levels[strength] = dsp.PowerDB(max(0, loudest-math.Pow(10, f.Noise/10)))
			if strength == 1 {
				f.place(steady)
				before, err := read(rec, from-justBefore, justBefore)
				if err != nil {
					return err
				}
				f.starts(sound, rec.RateHz(), max(f.Noise, dsp.PowerDB(power(before))))
				f.pitch(sum(steady), rec.RateHz(), e.Key)
				f.Thirds = dsp.Thirds(sum(steady), rec.RateHz())
				f.Clicks = dsp.Clicks(sum(steady), rec.RateHz())
			}
			if strength == 2 {
				if err := f.strong(rec, from, e.Seconds); err != nil {
					return err
				}
			}
		case Way:
			note := sum(cut(sound, 0, e.Seconds, rec.RateHz()))
			spectra[e.Way], shapes[e.Way] = dsp.Thirds(note, rec.RateHz()), shape(note)
			notes[e.Way], middleKey = note, e.Key
			order = append(order, e.Way)
		}
	}
	f.Silent = max(f.Levels[0], f.Levels[1], f.Levels[2]) < max(f.Noise+3, -90)
	if f.Silent {
		return nil
	}
	for n, a := range order {
		for _, b := range order[n+1:] {
			sa, sb, ta, tb := spectra[a], spectra[b], shapes[a], shapes[b]
			if near(sa, sb) && near(ta[:], tb[:]) && sameGlide(glide(notes[a], rec.RateHz(), middleKey), glide(notes[b], rec.RateHz(), middleKey)) {
				f.Alike = append(f.Alike, [2]string{a, b})
			}
		}
	}
	return nil
}

// cut is a part of a sound, s.
func cut(sound [][]float64, from, to, rate float64) [][]float64 {
	out := make([][]float64, len(sound))
	for c, x := range sound {
		a, b := int(math.Round(from*rate)), int(math.Round(to*rate))
		out[c] = x[min(max(0, a), len(x)):min(max(a, b, 0), len(x))]
	}
	return out
}

// place is where a sound stands between the speakers, and how wide it is.
func (f *Figures) place(sound [][]float64) {
	if len(sound) < 2 {
		return
	}
	var left, right, both float64
	noise := math.Pow(10, f.Noise/10) / 2 * float64(len(sound[0]))
	for n := range sound[0] {
		l, r := sound[0][n], sound[1][n]
		left, right, both = left+l*l, right+r*r, both+l*r
	}
	l, r := math.Sqrt(max(0, left-noise)), math.Sqrt(max(0, right-noise))
	f.Position = math.Atan2(r, l)*180/math.Pi - 45
	if left > 0 && right > 0 {
		f.Width = 1 - both/math.Sqrt(left*right)
	}
}

// justBefore is how long a note is listened to before it begins, s: the one before it may
// not have died away.
const justBefore = 0.05

// starts is when a note is heard above a floor, dBFS.
func (f *Figures) starts(sound [][]float64, rate, floor float64) {
	start, half := dsp.Onset(sum(sound), rate, max(floor, -96))
	if start >= 0 {
		f.StartMs = float64(start) / rate * 1000
	}
	if half >= 0 {
		f.HalfMs = float64(half) / rate * 1000
	}
}

// pitch is how far a note is from its key, three octaves at most.
func (f *Figures) pitch(sound []float64, rate float64, key int) {
	hz := dsp.KeyHz(key)
	if got, ok := dsp.Pitch(sound, rate, max(20, hz/8), min(rate/4, hz*8)); ok {
		f.Cents = dsp.Cents(got, hz)
	}
}

// strong looks at the strong note: its peak, and how it dies away.
func (f *Figures) strong(rec Recording, from, seconds float64) error {
	sound, err := read(rec, from, seconds+tail)
	if err != nil {
		return err
	}
	full, peak := 0, 0.0
	for _, c := range sound {
		peak = max(peak, maxOf(c))
		for n := 1; n < len(c); n++ {
			if math.Abs(c[n]) >= .9999 && c[n] == c[n-1] {
				full++
			}
		}
	}
	f.Peak, f.Clipped = dsp.DB(peak), full >= 2
	late := f.StartMs / 1000 // its end is late, too
	end := sum(cut(sound, seconds+late, seconds+tail, rec.RateHz()))
	if t, ok := dsp.Decay(end, rec.RateHz(), -3, -23); ok {
		f.DecayS = t
	}
	return nil
}

func maxOf(list []float64) float64 {
	peak := 0.0
	for _, x := range list {
		peak = max(peak, math.Abs(x))
	}
	return peak
}

// shape is how strong eight parts of a note are, dB.
func shape(note []float64) [8]float64 {
	var out [8]float64
	for n := range out {
		out[n] = max(-60, dsp.LevelOf(note[n*len(note)/8:(n+1)*len(note)/8]).RMS)
	}
	return out
}

// glide is the pitch of six parts of a note, cents above its key; NaN where it has none.
func glide(note []float64, rate float64, key int) (out [6]float64) {
	hz := dsp.KeyHz(key)
	for n := range out {
		out[n] = math.NaN()
		part := note[n*len(note)/len(out) : (n+1)*len(note)/len(out)]
		if got, ok := dsp.Pitch(part, rate, max(2.5*rate/float64(len(part)+1), hz/3), min(rate/4, hz*3)); ok {
			out[n] = dsp.Cents(got, hz)
		}
	}
	return out
}

// sameCents is how far the pitches of two sounds may lie apart for them to be taken for one.
const sameCents = 35

// sameGlide tells whether pitches are the same where both sounds have one, and both have
// one in about as many places.
func sameGlide(a, b [6]float64) bool {
	onlyOne := 0
	for n := range a {
		if math.Abs(a[n]-b[n]) > sameCents { // never of one that is none
			return false
		}
		if math.IsNaN(a[n]) != math.IsNaN(b[n]) {
			onlyOne++
		}
	}
	return onlyOne < len(a)/2
}

// sameDB is how far figures of two sounds may lie apart, on the average, for them to be
// taken for one.
const sameDB = 1.0

func near(a, b []float64) bool {
	total, loudest := 0.0, math.Inf(-1)
	for n := range a {
		loudest = max(loudest, a[n], b[n])
	}
	for n := range a {
		x := max(a[n], loudest-40) - max(b[n], loudest-40)
		total += x * x
	}
	return math.Sqrt(total/float64(len(a))) < sameDB
}

// Heard is what is kept of the figures of a row: by which way it was measured, and when
// (RFC 3339).
func (f Figures) Heard(r Row, by template.HeardBy, on string) *template.Heard {
	h := &template.Heard{
		By: by, On: on, Of: r.Plays, Levels: f.Levels, Peak: f.Peak, Noise: f.Noise, StartMs: f.StartMs, HalfMs: f.HalfMs, DecayS: f.DecayS,
		Position: f.Position, Width: f.Width, Thirds: f.Thirds, Alike: f.Alike, Silent: f.Silent, Clipped: f.Clipped, Clicks: f.Clicks, Fault: f.Fault,
	}
	if !math.IsNaN(f.Cents) && !f.Silent && f.Fault == "" {
		h.Cents = &f.Cents
	}
	tenth := func(list ...*float64) {
		for _, x := range list {
			*x = math.Round(*x*10) / 10
		}
	}
	tenth(&h.Levels[0], &h.Levels[1], &h.Levels[2], &h.Peak, &h.Noise, &h.StartMs, &h.HalfMs, &h.Position)
	h.DecayS, h.Width = math.Round(h.DecayS*100)/100, math.Round(h.Width*100)/100
	for n := range h.Thirds {
		tenth(&h.Thirds[n])
	}
	if h.Cents != nil {
		cents := math.Round(*h.Cents*10) / 10
		h.Cents = &cents
	}
	return h
}
