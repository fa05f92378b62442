package api_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/people"
	"fanfold/internal/format"
)

type openLink struct {
	ID, Kind, Title, To, By string
	Opened                  int
}

// A template is shared by a link, and its handbook by another: each shows what it is for, as it is now,
// to whoever has it, until it ends; all are listed, for the studio alone.
func TestATemplateIsShared(t *testing.T) {
	s := serve(t)
	ada := s.signedIn(t, "ada")
	path := ada.newTemplate("Salt")
	require.Equal(t, 200, ada.do("POST", path+"/import?take=true", []byte(list)).status)
	share := func(kind, to string) invited {
		made := ada.do("POST", path+"/links", map[string]any{"kind": kind, "to": to, "days": 7})
		require.Equal(t, 201, made.status, string(made.body))
		return as[invited](t, made)
	}
	whole, book := share("template", "Nell"), share("handbook", "the players")
	stranger := s.client(t)
	page := stranger.do("GET", "/shared/"+whole.Secret, nil)
	require.Equal(t, 200, page.status)
	require.Contains(t, string(page.body), "From ada to Nell")
	require.Equal(t, "private, no-store", page.header.Get("Cache-Control"))
	for _, e := range format.Exports {
		require.Contains(t, string(page.body), "/shared/"+whole.Secret+"/"+e.Name)
		got := stranger.do("GET", "/shared/"+whole.Secret+"/"+e.Name, nil)
		require.Equal(t, 200, got.status, e.Name)
		require.Equal(t, e.MediaType, got.header.Get("Content-Type"))
		other := stranger.do("GET", "/shared/"+book.Secret+"/"+e.Name, nil)
		require.Equal(t, strings.HasPrefix(e.Name, "handbook"), other.status == 200, "a link to a handbook shows nothing else: %s", e.Name)
	}
	require.Contains(t, string(stranger.do("GET", "/shared/"+whole.Secret+"/template", nil).body), `"Piccolo"`)
	require.NotContains(t, string(stranger.do("GET", "/shared/"+book.Secret, nil).body), "dawproject")
	require.Equal(t, 404, stranger.do("GET", "/shared/"+whole.Secret+"/aaf", nil).status)
	require.Equal(t, 404, stranger.do("GET", "/shared/x", nil).status)
	require.Equal(t, 404, stranger.do("GET", "/delivery/"+whole.Secret, nil).status)
	require.Equal(t, 401, stranger.do("GET", path, nil).status, "nothing else is open to them")

	// What it is now, not what it was.
	require.Equal(t, 200, ada.do("POST", path+"/import?take=true", []byte(strings.ReplaceAll(list, "Piccolo", "Ocarina"))).status)
	require.Contains(t, string(stranger.do("GET", "/shared/"+book.Secret+"/handbook-html", nil).body), "Ocarina")

	links := as[[]openLink](t, ada.do("GET", "/api/links", nil))
	require.Len(t, links, 2)
	require.Equal(t, openLink{book.ID, "handbook", "Salt", "the players", "ada", 1}, links[0])
	require.Equal(t, openLink{whole.ID, "template", "Salt", "Nell", "ada", 1}, links[1])
	require.Empty(t, as[[]openLink](t, s.signedIn(t, "eve").do("GET", "/api/links", nil)))
	require.Equal(t, 404, s.signedIn(t, "eve").do("DELETE", "/api/links/"+whole.ID, nil).status)
	reader := s.comes(t, ada, "rita", people.Reader)
	require.Equal(t, 403, reader.do("DELETE", "/api/links/"+whole.ID, nil).status)

	require.Equal(t, 204, ada.do("DELETE", "/api/links/"+whole.ID, nil).status)
	gone := stranger.do("GET", "/shared/"+whole.Secret, nil)
	require.Equal(t, 404, gone.status)
	require.Contains(t, string(gone.body), "no longer works")
	require.Equal(t, 404, stranger.do("GET", "/shared/"+whole.Secret+"/template", nil).status)
	_, err := s.store.Pool.Exec(context.Background(), "update shares set ends_at = now() - interval '1 minute'")
	require.NoError(t, err)
	require.Equal(t, 404, stranger.do("GET", "/shared/"+book.Secret, nil).status, "it has ended by its day")
	require.Empty(t, as[[]openLink](t, ada.do("GET", "/api/links", nil)))
	require.Contains(t, string(ada.do("GET", "/api/notes", nil).body), `"what":"shared by a link"`)
	for body, says := range map[string]map[string]any{"say who it is for": {"kind": "template", "to": " ", "days": 7}, "days": {"kind": "template", "to": "x", "days": 0}, "kind": {"kind": "all", "to": "x", "days": 7}} {
		refused := ada.do("POST", path+"/links", says)
		require.Equal(t, 422, refused.status)
		require.Contains(t, string(refused.body), body)
	}
}
