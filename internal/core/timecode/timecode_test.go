package timecode_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/timecode"
)

func rate(t require.TestingT, name string) timecode.Rate {
	r, err := timecode.Named(name)
	require.NoError(t, err)
	return r
}

// Counts of SMPTE ST 12-1, and of the npm package smpte-timecode 1.3.6 (as the design's list
// of outside checks has them).
func TestPublishedCounts(t *testing.T) {
	for _, x := range []struct {
		rate, code string
		frame      int64
	}{
		{"25", "01:00:00:00", 90_000},
		{"29.97 drop", "00:01:00;02", 1800}, {"29.97 drop", "00:10:00;00", 17_982}, {"29.97 drop", "01:00:00;00", 107_892}, {"29.97 drop", "23:59:59;29", 2_589_407},
		{"59.94 drop", "00:01:00;04", 3600}, {"59.94 drop", "01:00:00;00", 215_784},
		{"23.976", "01:00:00:00", 86_400}, {"30", "00:00:01:00", 30}, {"48", "00:00:01:00", 48},
	} {
		r := rate(t, x.rate)
		got, err := r.Parse(x.code)
		require.NoError(t, err)
		require.Equal(t, x.frame, got, "%s at %s", x.code, x.rate)
		require.Equal(t, x.code, r.Format(x.frame), x.rate)
	}
	require.Equal(t, int64(172_800_000), rate(t, "25").Sample(90_000, 48_000))
	require.Equal(t, int64(172_972_800), rate(t, "23.976").Sample(86_400, 48_000))
	require.Equal(t, int64(172_799_827), rate(t, "29.97 drop").Sample(107_892, 48_000))
	require.Equal(t, "23:59:59:24", rate(t, "25").Format(-1), "the day before")
	require.Equal(t, "00:00:00:00", rate(t, "25").Format(rate(t, "25").Day()))
}

func TestTimecodesThatAreNone(t *testing.T) {
	for text, says := range map[string]string{
		"00:01:00;00": "begins with frame 02", "00:01:00;01": "begins with frame 02", "00:00:00;30": "frames 00 to 29", "24:00:00;00": "to 23:59:59", "00:60:00;00": "to 23:59:59",
		"one": "written as", "": "written as", "1:2:3": "written as", "-1:00:00:00": "written as",
	} {
		_, err := rate(t, "29.97 drop").Parse(text)
		require.ErrorContains(t, err, says, text)
	}
	_, err := timecode.Named("27")
	require.ErrorContains(t, err, "59.94 drop and 60")
	for text, want := range map[string]string{"23.98": "23.976", "29.97df": "29.97 drop", "29.97 non-drop": "29.97", "30 fps": "30", "59.94 DF": "59.94 drop", " 25 ": "25"} {
		require.Equal(t, want, rate(t, text).String(), text)
	}
	_, err = timecode.Named("25 drop")
	require.Error(t, err)
}

// Every frame of a day has one timecode, that is its own, and the next is the next.
func TestEveryFrameOfADay(t *testing.T) {
	for _, x := range timecode.Rates {
		r := x.Rate
		last := timecode.Code{Hours: -1}
		step := int64(1)
		if r.Counted() > 30 {
			step = 7
		}
		for frame := int64(0); frame < r.Day(); frame += step {
			c := r.Code(frame)
			if c == last {
				t.Fatalf("%s: frame %d has the timecode of the one before", x.Name, frame)
			}
			if back, err := r.Frame(c); err != nil || back != frame {
				t.Fatalf("%s: frame %d is %v, which is frame %d: %v", x.Name, frame, c, back, err)
			}
			last = c
		}
	}
}

// Drop-frame timecode keeps up with the clock: within a frame and a bit over ten hours.
func TestDropFrameKeepsUp(t *testing.T) {
	for _, name := range []string{"29.97 drop", "59.94 drop"} {
		r := rate(t, name)
		for hours := int64(1); hours <= 10; hours++ {
			frame, err := r.Frame(timecode.Code{Hours: hours})
			require.NoError(t, err)
			require.InDelta(t, hours*3600, float64(frame)*float64(r.Den)/float64(r.Num), .04)
		}
	}
}

// From a frame to its sample and back is the identity, through a day either way, at every
// rate of both; a sample lies in one frame.
func TestSamplesAndFrames(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := rapid.SampledFrom(timecode.Rates).Draw(t, "rate").Rate
		hz := rapid.SampledFrom([]int64{44_100, 48_000, 88_200, 96_000, 192_000}).Draw(t, "hz")
		frame := rapid.Int64Range(-r.Day(), r.Day()).Draw(t, "frame")
		at := r.Sample(frame, hz)
		require.Equal(t, frame, r.FrameAt(at, hz))
		require.Equal(t, frame-1, r.FrameAt(at-1, hz))
		text := r.Format(frame)
		back, err := r.Parse(text)
		require.NoError(t, err)
		require.Equal(t, ((frame%r.Day())+r.Day())%r.Day(), back)
	})
}

func FuzzParse(f *testing.F) {
	for _, text := range []string{"01:00:00:00", "00:01:00;00", "23.59.59.24", "1:2:3:4", "::::", "99:99:99:99"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, x := range timecode.Rates {
			if frame, err := x.Rate.Parse(text); err == nil {
				again, err := x.Rate.Parse(x.Rate.Format(frame))
				require.NoError(t, err)
				require.Equal(t, frame, again)
			}
		}
	})
}
