package app_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/store"
)

// Everybody who has a template open is told of the others, and of what they have
// selected; who leaves is no longer told.
func TestWhoIsHere(t *testing.T) {
	f := setUp(t)
	rows := f.rows(2)
	here := func(w *app.Watcher) (list []app.Here) {
		t.Helper()
		for e := range w.Events {
			if e.Name == "here" {
				require.NoError(t, json.Unmarshal(e.Data, &list))
				return list
			}
		}
		return nil
	}
	you := func(w *app.Watcher) string {
		for e := range w.Events {
			if e.Name == "you" {
				var x struct{ ID string }
				require.NoError(t, json.Unmarshal(e.Data, &x))
				return x.ID
			}
		}
		return ""
	}
	ada := f.hot.Watch(f.ada, f.hot.View().Revision)
	adas := you(ada)
	require.Len(t, here(ada), 1)
	ben := f.hot.Watch(f.ben, f.hot.View().Revision)
	bens := you(ben)
	require.NotEqual(t, adas, bens)
	require.Len(t, here(ada), 2)
	require.Len(t, here(ben), 2)
	require.NoError(t, f.hot.Select(f.ben, bens, rows))
	list := here(ada)
	for _, x := range list {
		if x.ID == bens {
			require.Equal(t, app.Here{ID: bens, Name: f.ben.Name, Selected: rows, Count: 2}, x)
		} else {
			require.Empty(t, x.Selected)
		}
	}
	require.ErrorIs(t, f.hot.Select(f.ben, adas, rows), store.ErrNotFound, "not for somebody else")
	f.hot.Unwatch(ben)
	require.Len(t, here(ada), 1)
}
