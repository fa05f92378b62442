package audit_test

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/audit"
	"fanfold/internal/core/dsp"
)

// wave is a file of 24 bits with a sound.
func wave(name string, s sound, seed uint64, begin int64) audit.File {
	return audit.File{
		Name: name, Role: audit.Stem, Channels: 2, RateHz: rate, Bits: 24, Frames: int64(len(s[0])), Begin: begin, Gain: 1,
		Read: reader(rounded(s.clone(), 24, seed), 2),
	}
}

// What was changed in a print is told as somebody would say it; what was not is the same, whatever
// the dither.
func TestAPrintAgainstAnEarlierOne(t *testing.T) {
	was := phrases()[0]
	changed := func(from, to float64, with func(v float64) float64) sound {
		s := was.clone()
		for c := range s {
			for k := int(from * rate); k < int(to*rate); k++ {
				s[c][k] = with(s[c][k])
			}
		}
		return s
	}
	silent := changed(0, long, func(float64) float64 { return 0 })
	for name, x := range map[string]struct {
		before, now sound
		line        string
		by          float64
	}{
		"the same": {was, was, "the same", 0},
		"louder":   {was, changed(0, long, func(v float64) float64 { return v * dsp.Amplitude(.1) }), "0.10 dB louder throughout", .1},
		"softer":   {was, changed(3, 6, func(v float64) float64 { return v * dsp.Amplitude(-3) }), "3.0 dB softer from 0:03.0 to 0:06.0", -3},
		"new":      {silent, was, "new sound throughout", 0},
		"silent":   {was, silent, "silent now throughout", 0},
		"another":  {was, phrases()[1], "differs throughout, -", 0},
	} {
		t.Run(name, func(t *testing.T) {
			d, err := audit.Against(context.Background(), wave("now", x.now, 1, 0), wave("before", x.before, 2, 0))
			require.NoError(t, err)
			require.Contains(t, d.Line, x.line)
			require.Equal(t, name == "the same", d.Same)
			require.InDelta(t, x.by, d.ByDB, .005)
			require.Len(t, d.Seconds, long)
		})
	}
	// The same sound in a file that begins a second earlier differs in nothing but where it begins.
	early := sound{}
	for c := range early {
		early[c] = append(make([]float64, rate), was[c]...)
	}
	for _, x := range [][2]audit.File{
		{wave("now", early, 1, 3599*rate), wave("before", was, 2, 3600*rate)}, {wave("now", was, 1, 3600*rate), wave("before", early, 2, 3599*rate)},
	} {
		d, err := audit.Against(context.Background(), x[0], x[1])
		require.NoError(t, err)
		require.True(t, d.Same, d.Line)
	}
	other := wave("before", was, 2, 0)
	other.RateHz = 44_100
	d, err := audit.Against(context.Background(), wave("now", was, 1, 0), other)
	require.NoError(t, err)
	require.Contains(t, d.Line, "it is at 48000 Hz, the earlier one at 44100")
}

// The shape of a tone: its loudness as BS.1770 has it (a sine of 997 Hz at -20 dBFS in both
// channels is at -20 LUFS: EBU Tech 3341, case 1, from memory), all its power in one third-octave,
// and every second as loud as the last.
func TestShapes(t *testing.T) {
	var tone sound
	for c := range tone {
		tone[c] = make([]float64, 12*rate+100)
		for k := range tone[c] {
			tone[c][k] = .1 * math.Sin(2*math.Pi*997*float64(k)/rate)
		}
	}
	x, err := audit.ShapeOf(context.Background(), wave("tone", tone, 1, 0))
	require.NoError(t, err)
	require.InDelta(t, -20, x.LUFS, .1)
	require.Len(t, x.Seconds, 12)
	require.InDelta(t, -20, x.Seconds[5], .1)
	require.Equal(t, slices.Index(x.Thirds, slices.Max(x.Thirds)), 16, "that of 1 kHz")
	require.InDelta(t, 20*math.Log10(.1/math.Sqrt2), x.Thirds[16], .1, "the tone's power")
	require.Less(t, x.Thirds[20], -80.)
	silent, err := audit.ShapeOf(context.Background(), wave("silence", sound{make([]float64, rate), make([]float64, rate)}, 1, 0))
	require.NoError(t, err)
	require.LessOrEqual(t, silent.LUFS, -100.)
}
