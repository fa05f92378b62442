package demo_test

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/cue"
	"fanfold/internal/demo"
	"fanfold/internal/format/smf"
)

// The film has what the scenario says: two reels, 46 minutes, 14 cues, two cuts; nothing is
// wrong with it, and its second cut moves, changes and leaves cues.
func TestTheFilm(t *testing.T) {
	p, err := demo.Film()
	require.NoError(t, err)
	require.Len(t, p.Reels, 2)
	require.Len(t, p.Cues, 14)
	require.Len(t, p.Cuts, 2)
	require.Empty(t, p.Marks())
	long := int64(0)
	for _, r := range p.Reels {
		s := p.Span(r)
		long += s.Length()
	}
	require.EqualValues(t, 46*60*25, long)
	require.Greater(t, p.Sums(time.Time{}).Whole.Seconds, 20*60.)
	found := map[cue.VerdictKind]int{}
	for _, v := range p.Conform(p.CutOf("cut-2")).Verdicts {
		found[v.Kind]++
	}
	t.Log(found)
	require.Positive(t, found[cue.Untouched])
	require.Positive(t, found[cue.Shifted])
	require.Positive(t, found[cue.Changed])
}

// The music of the cues runs as they do, from the bar on their start to their end, also where the
// tempo ramps and the metre changes; the parts are within what people sing and play.
func TestTheMusicOfTheFilm(t *testing.T) {
	p, err := demo.Film()
	require.NoError(t, err)
	kept := 0
	for _, c := range p.Cues {
		data, err := demo.FilmMusic(p, c)
		require.NoError(t, err)
		if data == nil {
			require.Equal(t, cue.UsualStatuses[0], c.Status, "what is sketched has music")
			continue
		}
		kept++
		file, err := smf.Read(bytes.NewReader(data))
		require.NoError(t, err)
		last, first := int64(0), int64(1)<<40
		for _, track := range file.Tracks[1:] {
			require.NotEmpty(t, track.Notes, track.Name)
			for _, n := range track.Notes {
				last, first = max(last, int64(n.End)), min(first, int64(n.Start))
			}
		}
		at := c.MustTime()
		require.Equal(t, at.Start, first, "nothing before the bar on its start")
		c.Music = &cue.Music{File: "x.mid", BarMs: cue.BarsOf(file.Tracks[1].Time, last), Cut: p.Cut}
		bar, by, apart := c.Apart(p.FrameRate())
		require.False(t, apart, "%s, bar %d: %g frames", c.Called(), bar, by)
		require.InDelta(t, float64(c.End), c.FrameOf(at, p.FrameRate(), last), 25*5, "to within a bar of its end")
	}
	require.Equal(t, 8, kept)
	require.Empty(t, p.Marks())
	p.Cues[4].Tempi[0].MilliBPM += 500
	_, by, apart := p.Cues[4].Apart(p.FrameRate())
	require.True(t, apart)
	require.Positive(t, by, "the cue runs faster, so that the music is late")
}
