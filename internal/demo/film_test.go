package demo_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/cue"
	"fanfold/internal/demo"
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
