package api_test

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/api"
)

// Whatever the body of a request, the contract lets it by or refuses it with a problem.
func FuzzBodies(f *testing.F) {
	door, routes := api.Door()
	slices.Sort(routes)
	for n := range routes {
		f.Add(n, []byte(`{}`))
	}
	for _, text := range []string{`null`, `[`, `{"ids":[null]}`, `{"base":-9223372036854775808}`, `{"name":"\u0000"}`, `{"name":"\\u0000"}`, `{"keyLow":1e400}`} {
		f.Add(0, []byte(text))
	}
	f.Fuzz(func(t *testing.T, n int, body []byte) {
		route := routes[((n%len(routes))+len(routes))%len(routes)]
		r := httptest.NewRequest(http.MethodPost, route, bytes.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		door.ServeHTTP(w, r)
		if w.Code != http.StatusNoContent {
			require.Less(t, w.Code, 500, "%s: %s", route, w.Body)
			require.Equal(t, "application/problem+json", w.Header().Get("Content-Type"))
		}
	})
}
