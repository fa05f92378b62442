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
	const adas, bens = "a page of Ada's", "a page of Ben's"
	ada, ben := f.hot.Watch(f.hot.View().Revision), f.hot.Watch(f.hot.View().Revision)
	require.Empty(t, here(ada))
	f.hot.Come(f.ada, adas)
	require.Len(t, here(ada), 1)
	leave := f.hot.Come(f.ben, bens)
	require.Len(t, here(ada), 2)
	for len(here(ben)) < 2 {
	}
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
	again := f.hot.Come(f.ben, bens) // the next stream opens before the first ends
	require.Len(t, here(ada), 2)
	leave()
	leave()
	require.NoError(t, f.hot.Select(f.ben, bens, rows[:1]), "still here")
	require.Len(t, here(ada), 2)
	again()
	require.Len(t, here(ada), 1)
}
