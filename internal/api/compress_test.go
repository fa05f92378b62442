package api_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/require"
)

// What goes over a network is packed; what stays on the machine is not.
func TestOnlyWhatLeavesTheMachineIsPacked(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	for through, packed := range map[string]string{"": "", "10.0.0.7": "gzip"} {
		r, err := http.NewRequest("GET", s.URL+path, nil)
		require.NoError(t, err)
		r.Header.Set("Accept-Encoding", "gzip")
		if through != "" {
			r.Header.Set("X-Forwarded-For", through)
		}
		answer, err := c.http.Do(r)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		require.Equal(t, 200, answer.StatusCode)
		require.Equal(t, packed, answer.Header.Get("Content-Encoding"))
	}
}
