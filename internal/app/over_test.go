package app_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/audiostore"
	"fanfold/internal/core/articulation"
	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/core/tempo"
	"fanfold/internal/format/wav"
	"fanfold/internal/render"
)

// A row that was recorded over plays its recording where a score is heard, from any place in it, with
// no machine at all; with other notes it is silent.
func TestARowThatWasRecordedOverIsHeard(t *testing.T) {
	f := setUp(t)
	audio, err := audiostore.Open(ctx, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, audio.Close()) })
	f.store.KeepAudioIn(audio)
	row := f.hot.View().Template.Instrument(f.rows(1)[0])
	time, err := tempo.NewTime(480, []tempo.Change{{Quarter: 500_000}}, nil)
	require.NoError(t, err)
	piece := func(key int) app.Piece {
		part := app.PiecePart{ID: "a", Name: row.Name, Port: -1, Time: time}
		part.Part.Notes = []articulation.Note{{Start: 480, End: 960, Key: key, Velocity: 80}}
		return app.Piece{Parts: []app.PiecePart{part}}
	}
	words, err := f.hot.Vocabulary(ctx, f.ada)
	require.NoError(t, err)
	score := app.ScoreOf(f.hot.View().Template, f.hot.View().Template, words, piece(60), nil)
	require.Len(t, score.Voices, 1)
	mark, err := score.Fingerprint(score.Voices[0])
	require.NoError(t, err)

	const frames, at = 24_000, .5
	file, err := os.Create(filepath.Join(t.TempDir(), "row.wav"))
	require.NoError(t, err)
	defer file.Close()
	w, err := wav.NewWriter(file, wav.Spec{Channels: 2, RateHz: 48_000, Samples: wav.Float32})
	require.NoError(t, err)
	left, right := make([]float64, frames), make([]float64, frames)
	for k := range left {
		left[k], right[k] = float64(k+1)/(1<<16), -float64(k+1)/(1<<16)
	}
	require.NoError(t, w.Write(left, right))
	require.NoError(t, w.Close(nil))
	digest, err := f.store.RecordingInAudio(ctx, f.ada.Studio, file)
	require.NoError(t, err)
	over := template.Printed{File: "row.wav", Seconds: frames / 48_000., Audio: digest, Cue: "film/cue", At: at, Music: mark}
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Edit{Edits: []change.Fields{{ID: row.ID, Printed: &over}}})
	require.NoError(t, err)

	hear := func(from float64, key int) (sound []float64, err error) {
		s, err := f.hot.Score(ctx, f.ada, piece(key), nil, nil)
		require.NoError(t, err)
		err = f.hot.Perform(ctx, f.ada, s, app.PerformAsk{From: &from, Dry: true, Rate: 48_000}, func(_ int, blocks []render.Block) bool {
			for _, b := range blocks {
				for k := range b[0] {
					require.Equal(t, b[0][k], -b[1][k])
					sound = append(sound, b[0][k])
				}
			}
			return true
		}, func(told app.PerformTold) { require.Empty(t, told.Silent) })
		return sound, err
	}
	for _, from := range []float64{0, .75} {
		sound, err := hear(from, 60)
		require.NoError(t, err)
		require.Greater(t, len(sound), int((1-from)*48_000))
		for n, v := range sound {
			want := 0.0
			if k := n + int(from*48_000) - at*48_000; k >= 0 && k < frames {
				want = left[k]
			}
			require.Equal(t, want, v, "frame %d from %g s", n, from)
		}
	}
	_, err = hear(0, 61)
	require.ErrorContains(t, err, "nobody plays")
	list, err := f.hot.RecordedOver(ctx, f.ada)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Contains(t, list[0].Why, "no longer there", "the cue is made up")
}
