package audit

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"

	"fanfold/internal/core/dsp"
)

// Differs tells how a file differs from another, which is an earlier one.
type Differs struct {
	Same    bool      `json:"same"`              // but for the noise of rounding
	Line    string    `json:"line"`              // in words
	PeakDB  float64   `json:"peakDb"`            // of what differs, dBFS
	ByDB    float64   `json:"byDb"`              // by how much it is louder, where that alone is the difference; otherwise 0
	From    float64   `json:"from"`              // s, where it first differs
	To      float64   `json:"to"`                // and last
	Seconds []float64 `json:"seconds,omitempty"` // what differs in each second, dBFS
}

// sameGain is how much smaller than the difference what a gain leaves of it must be, dB, for the
// gain to be the whole difference.
const sameGain = 30

// nothing is the share of a sound's power that counts as silence beside it: -90 dB.
const nothing = 1e-9

// smallest is what may differ without anything being different: -140 dBFS.
const smallest = 1e-7

// Against compares a file with an earlier one. They are laid on the same timecode where both say
// where they begin, otherwise on their first samples.
func Against(ctx context.Context, now, before File) (Differs, error) {
	if now.RateHz != before.RateHz {
		return Differs{Line: fmt.Sprintf("it cannot be compared: it is at %d Hz, the earlier one at %d", now.RateHz, before.RateHz)}, nil
	}
	if now.Begin != NotSaid && before.Begin != NotSaid && now.Begin != before.Begin {
		early := &now
		by := before.Begin - now.Begin
		if by < 0 {
			early, by = &before, -by
		}
		// What only one of them has differs from nothing: so much silence comes first in the other.
		other := &before
		if early == &before {
			other = &now
		}
		*other = later(*other, by)
	}
	x := comparing{rate: now.RateHz, allowed: max(smallest, 10*math.Sqrt(rounding(&now)+rounding(&before)))}
	for {
		if err := ctx.Err(); err != nil {
			return Differs{}, err
		}
		more, err := x.second(&now, &before)
		if err != nil {
			return Differs{}, err
		}
		if !more {
			return x.told(), nil
		}
	}
}

// later is a file with silence before it.
func later(f File, frames int64) File {
	read := f.Read
	f.Frames += frames
	f.Read = func(into [][]float64) (int, error) {
		if frames == 0 {
			return read(into)
		}
		n := int(min(frames, int64(len(into[0]))))
		for c := range into {
			clear(into[c][:n])
		}
		frames -= int64(n)
		return n, nil
	}
	return f
}

// comparing is two files while they are compared.
type comparing struct {
	rate       int
	allowed    float64 // a difference that rounding may leave
	a, b       [][]float64
	seconds    []float64
	xx, xy, yy float64 // of the earlier with itself, of both, of the later with itself, where they differ
	from, to   int     // the first and last second that differ; to 0 for none
}

// take reads a second, or what there is of it; the rest is silence.
func take(f *File, rate int, into [][]float64) ([][]float64, int, error) {
	if into == nil {
		into = make([][]float64, f.Channels)
		for c := range into {
			into[c] = make([]float64, rate)
		}
	}
	n := 0
	for n < rate {
		part := make([][]float64, len(into))
		for c := range part {
			part[c] = into[c][n:]
		}
		k, err := f.Read(part)
		n += k
		if errors.Is(err, io.EOF) || err == nil && k == 0 {
			break
		}
		if err != nil {
			return into, n, fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	for c := range into {
		clear(into[c][n:])
	}
	return into, n, nil
}

func (x *comparing) second(now, before *File) (more bool, err error) {
	var n, m int
	if x.a, n, err = take(now, x.rate, x.a); err != nil {
		return false, err
	}
	if x.b, m, err = take(before, x.rate, x.b); err != nil {
		return false, err
	}
	if n == 0 && m == 0 {
		return false, nil
	}
	peak, xx, xy, yy := 0.0, 0.0, 0.0, 0.0
	for c := range max(len(x.a), len(x.b)) {
		a, b := x.a[min(c, len(x.a)-1)], x.b[min(c, len(x.b)-1)]
		for k, v := range a {
			w := b[k]
			peak = max(peak, math.Abs(v-w))
			xx, xy, yy = xx+w*w, xy+v*w, yy+v*v
		}
	}
	x.seconds = append(x.seconds, dsp.DB(peak))
	if peak > x.allowed {
		if at := len(x.seconds); x.to == 0 {
			x.from, x.to = at-1, at
		} else {
			x.to = at
		}
		x.xx, x.xy, x.yy = x.xx+xx, x.xy+xy, x.yy+yy
	}
	return n == x.rate || m == x.rate, nil
}

func (x *comparing) told() Differs {
	out := Differs{Same: x.to == 0, Line: "the same", PeakDB: dsp.Silence, Seconds: x.seconds, From: float64(x.from), To: float64(x.to)}
	for _, v := range x.seconds {
		out.PeakDB = max(out.PeakDB, v)
	}
	if out.Same {
		return out
	}
	where := fmt.Sprintf("from %s to %s", clock(out.From), clock(out.To))
	if x.from <= 1 && x.to >= len(x.seconds)-1 {
		where = "throughout"
	}
	gain := x.xy / max(x.xx, 1e-30)
	left := x.yy - gain*x.xy // what the gain leaves
	differs := x.yy - 2*x.xy + x.xx
	switch {
	case x.xx < nothing*x.yy:
		out.Line = "new sound " + where
	case x.yy < nothing*x.xx:
		out.Line = "silent now " + where
	case gain > 0 && left < differs*math.Pow(10, -sameGain/10.):
		out.ByDB = 20 * math.Log10(gain)
		word := "louder"
		if out.ByDB < 0 {
			word = "softer"
		}
		out.Line = fmt.Sprintf("%s dB %s %s", dBText(math.Abs(out.ByDB)), word, where)
	default:
		out.Line = fmt.Sprintf("differs %s, %.0f dBFS", where, out.PeakDB)
	}
	return out
}

// Shape is what a sound is like as a whole, to be laid over another's.
type Shape struct {
	LUFS    float64   `json:"lufs"`    // integrated
	Range   float64   `json:"range"`   // LU
	Seconds []float64 `json:"seconds"` // short-term loudness at the end of each second, LUFS
	Thirds  []float64 `json:"thirds"`  // the level in each third-octave from 25 Hz on, dBFS: dsp.ThirdHz
}

// piece is how much of a sound its spectrum is made of at once, s.
const piece = 4

// ShapeOf reads a file to its end and tells its shape. The spectrum is of both channels, as the
// mean of their powers, over what is not a silence.
func ShapeOf(ctx context.Context, f File) (Shape, error) {
	weights := dsp.StereoWeights
	if f.Channels == 1 {
		weights = weights[:1]
	}
	loud := dsp.NewLoudness(float64(f.RateHz), weights)
	powers, parts := make([]float64, dsp.ThirdBands), 0.0
	var second [][]float64
	sound := make([][]float64, min(2, f.Channels))
	look := func() {
		for _, x := range sound {
			if len(x) < f.RateHz {
				continue
			}
			if _, power := level([][]float64{x}); power == 0 {
				continue
			}
			for n, db := range dsp.Thirds(x, float64(f.RateHz)) {
				powers[n] += math.Pow(10, db/10)
			}
			parts++
		}
	}
	for n := f.RateHz; n == f.RateHz; {
		if err := ctx.Err(); err != nil {
			return Shape{}, err
		}
		var err error
		if second, n, err = take(&f, f.RateHz, second); err != nil {
			return Shape{}, err
		}
		heard := make([][]float64, len(sound))
		for c := range sound {
			heard[c] = second[c][:n]
			sound[c] = append(sound[c], heard[c]...)
		}
		if n > 0 {
			loud.Add(heard...)
		}
		if len(sound[0]) >= piece*f.RateHz || n < f.RateHz {
			look()
			for c := range sound {
				sound[c] = sound[c][:0]
			}
		}
	}
	out := Shape{LUFS: loud.Integrated(), Range: loud.Range(), Seconds: []float64{}, Thirds: make([]float64, dsp.ThirdBands)}
	for n, p := range powers {
		out.Thirds[n] = dsp.PowerDB(p / max(1, parts))
	}
	short := loud.ShortTerm() // of tenths, the first after 3 s
	for s := 0; s < 2; s++ {
		out.Seconds = append(out.Seconds, dsp.Silence)
	}
	for at := 0; at < len(short); at += 10 {
		out.Seconds = append(out.Seconds, short[at])
	}
	return out, nil
}
