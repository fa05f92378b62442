package api_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/people"
)

type listedTemplate struct {
	ID, Name, About, ChangedBy string
	Rows                       int
	Locked                     bool
	ChangedAt                  time.Time
	EndsAt                     *time.Time
}

// A template that was deleted can be looked at and brought back for thirty days; then it goes for good.
// The list says what each is for, and who changed it last.
func TestATemplateIsDeletedAndBroughtBack(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	bo := s.comes(t, ada, "bo", people.Arranger)
	path, other := ada.newTemplate("Salt"), ada.newTemplate("Lamp")
	list := func() map[string]listedTemplate {
		out := map[string]listedTemplate{}
		for _, x := range as[[]listedTemplate](t, ada.do("GET", "/api/templates", nil)) {
			out[x.Name] = x
		}
		return out
	}
	require.Empty(t, list()["Salt"].ChangedBy, "nobody has changed it yet")
	settings := as[struct {
		Template struct{ Settings map[string]any }
	}](t, bo.do("GET", path, nil)).Template.Settings
	settings["about"] = "Winter film; the small hall"
	change := map[string]any{"base": 0, "change": map[string]any{"kind": "configure", "name": "Salt", "settings": settings}}
	require.Equal(t, 200, bo.do("POST", path+"/changes", change).status)
	require.Equal(t, "bo", list()["Salt"].ChangedBy)
	require.Equal(t, "Winter film; the small hall", list()["Salt"].About)
	require.False(t, list()["Salt"].ChangedAt.Before(list()["Lamp"].ChangedAt))
	link := as[invited](t, ada.do("POST", path+"/links", map[string]any{"kind": "template", "to": "Nell", "days": 7}))

	assistant := s.comes(t, ada, "cy", people.Assistant)
	require.Equal(t, 403, assistant.do("POST", path+"/end", nil).status)
	require.Equal(t, 404, s.signedIn(t, "eve").do("POST", path+"/end", nil).status)
	require.Equal(t, 404, ada.do("POST", path+"/keep", nil).status, "it is not deleted")
	require.Equal(t, 204, ada.do("POST", path+"/lock", map[string]bool{"locked": true}).status)
	require.Contains(t, string(ada.do("POST", path+"/end", nil).body), "unlock it first")
	require.Equal(t, 204, ada.do("POST", path+"/lock", map[string]bool{"locked": false}).status)

	require.Equal(t, 204, bo.do("POST", path+"/end", nil).status)
	require.WithinDuration(t, time.Now().Add(30*24*time.Hour), *list()["Salt"].EndsAt, time.Minute)
	require.Nil(t, list()["Lamp"].EndsAt)
	require.Equal(t, 200, ada.do("GET", path, nil).status, "it can be looked at")
	change["base"] = 1
	require.Equal(t, 409, ada.do("POST", path+"/changes", change).status, "it is locked")
	require.Equal(t, 404, s.client(t).do("GET", "/shared/"+link.Secret, nil).status, "nobody outside sees it")
	require.Equal(t, 422, ada.do("POST", path+"/lock", map[string]bool{"locked": false}).status, "it is not just unlocked")
	s.app.RemoveEnded(context.Background())
	require.Contains(t, list(), "Salt", "its day has not come")

	require.Equal(t, 204, ada.do("POST", path+"/keep", nil).status)
	require.Nil(t, list()["Salt"].EndsAt)
	require.Equal(t, 200, ada.do("POST", path+"/changes", change).status)
	require.Equal(t, 200, s.client(t).do("GET", "/shared/"+link.Secret, nil).status)

	require.Equal(t, 204, ada.do("POST", path+"/end", nil).status)
	_, err := s.store.Pool.Exec(context.Background(), "update documents set ends_at = ends_at - interval '30 days 1 minute' where ends_at is not null")
	require.NoError(t, err)
	s.app.RemoveEnded(context.Background())
	require.NotContains(t, list(), "Salt")
	require.Equal(t, 200, ada.do("GET", other, nil).status)
}

// A template of which there are prints stays, and they with it.
func TestATemplateWithPrintsStays(t *testing.T) {
	s := serve(t)
	stop, err := s.app.StartJobs(context.Background())
	require.NoError(t, err)
	defer stop()
	ada := s.signedIn(t, "ada")
	path := ada.lantern()
	ada.until(ada.take(path, map[string][]byte{"Horns.wav": tone(t, 220, 1), "Mix.wav": tone(t, 220, 1)}), "done")
	require.Equal(t, 204, ada.do("POST", path+"/end", nil).status)
	_, err = s.store.Pool.Exec(context.Background(), "update documents set ends_at = ends_at - interval '30 days 1 minute' where ends_at is not null")
	require.NoError(t, err)
	s.app.RemoveEnded(context.Background())
	require.Equal(t, 204, ada.do("POST", path+"/keep", nil).status, "it is there still, with its prints")
}

// It is known when a saved call was last used; other rows that are called are no call.
func TestACallKnowsWhenItWasUsed(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	path := ada.lantern()
	type used struct {
		Call string
		At   time.Time
	}
	saved := as[struct {
		Template struct{ Calls []struct{ ID string } }
	}](t, ada.do("GET", path, nil)).Template.Calls
	require.GreaterOrEqual(t, len(saved), 2)
	call := func(id string) {
		require.Equal(t, 200, ada.do("POST", path+"/calls", map[string]any{"ids": []string{}, "how": "only", "saved": id}).status)
	}
	require.Empty(t, as[[]used](t, ada.do("GET", path+"/calls/used", nil)))
	require.Equal(t, 200, ada.do("POST", path+"/calls", map[string]any{"ids": []string{}, "how": "only"}).status)
	call("gone")
	require.Empty(t, as[[]used](t, ada.do("GET", path+"/calls/used", nil)))
	call(saved[0].ID)
	call(saved[1].ID)
	call(saved[0].ID)
	list := as[[]used](t, ada.do("GET", path+"/calls/used", nil))
	require.Len(t, list, 2)
	require.Equal(t, saved[0].ID, list[0].Call, "the last first")
	require.WithinDuration(t, time.Now(), list[0].At, time.Minute)
}

// Who comes back after a while is told what others changed since; what one did oneself is not news.
func TestWhatChangedSinceOneWasHere(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	bo := s.comes(t, ada, "bo", people.Arranger)
	path := ada.newTemplate("Salt")
	type since struct {
		At      *time.Time
		Changes []struct {
			Author, Label string
			Revision      int
		}
	}
	look := func(c *client) since { return as[since](t, c.do("POST", path+"/looked", nil)) }
	rename := func(c *client, base int, name string) {
		settings := as[struct {
			Template struct{ Settings map[string]any }
		}](t, c.do("GET", path, nil)).Template.Settings
		require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": base, "change": map[string]any{"kind": "configure", "name": name, "settings": settings}}).status)
	}
	away := func() {
		_, err := s.store.Pool.Exec(context.Background(), "update looks set at = at - interval '31 minutes'")
		require.NoError(t, err)
	}
	require.Nil(t, look(ada).At, "this is the first visit")
	rename(bo, 0, "Salt 2")
	require.Empty(t, look(ada).Changes, "it is the same visit")
	rename(ada, 1, "Salt 3")
	look(ada)
	away()
	rename(bo, 2, "Salt 4")
	rename(ada, 3, "Salt 5")
	got := look(ada)
	require.NotNil(t, got.At)
	require.Len(t, got.Changes, 1)
	require.Equal(t, "bo", got.Changes[0].Author)
	require.Equal(t, 3, got.Changes[0].Revision)
	require.Equal(t, got.Changes, look(ada).Changes, "it is told for all of the visit")
	away()
	require.Empty(t, look(ada).Changes, "and not again")
	require.Equal(t, 404, s.signedIn(t, "eve").do("POST", path+"/looked", nil).status)
}
