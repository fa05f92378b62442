package api_test

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/api"
)

// A page elsewhere that gives its own name this server's address reaches nothing; the
// server's own names, numeric addresses and those that were said do.
func TestOnlyOwnNamesAreAnswered(t *testing.T) {
	s := serve(t)
	for host, status := range map[string]int{
		"127.0.0.1:7070": 401, "localhost:7070": 401, "LOCALHOST": 401, "[::1]:7070": 401, "192.168.1.20:7070": 401,
		"evil.example": 421, "evil.example:7070": 421, "localhost.evil.example": 421, "127.0.0.1.evil.example": 421, "": 421,
	} {
		r, err := http.NewRequest("GET", s.URL+"/api/templates", nil)
		require.NoError(t, err)
		if r.Host = host; host == "" {
			r.Host = "-"
		}
		answer := s.client(t).send(r)
		require.Equal(t, status, answer.status, "%q: %s", host, answer.body)
		require.Equal(t, "application/problem+json", answer.header.Get("Content-Type"))
		if status == 421 {
			require.Equal(t, "this server does not go by that name; start it with --name to add one", answer.field(t, "detail"))
		}
	}
}

// One click signs in under loopback names, on the demo's own machine, alone.
func TestOneClickIsForThisMachine(t *testing.T) {
	s := serve(t)
	ask := func(host, through string) int {
		r, err := http.NewRequest("POST", s.URL+"/api/session/demo", nil)
		require.NoError(t, err)
		r.Host = host
		if through != "" {
			r.Header.Set("X-Forwarded-For", through)
		}
		return s.client(t).send(r).status
	}
	require.Equal(t, 200, ask("127.0.0.1", ""))
	require.Equal(t, 200, ask("localhost:7070", ""))
	require.Equal(t, 403, ask("192.168.1.20", ""))
	require.Equal(t, 403, ask("127.0.0.1", "10.0.0.7"))
}

// Texts with NUL are refused at the door, whatever they are for, and nobody is disturbed.
func TestNULIsRefused(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	answer := c.do("POST", "/api/templates", map[string]any{"name": "a\x00b"})
	require.Equal(t, 422, answer.status)
	require.Contains(t, answer.field(t, "detail"), "NUL")
	require.Equal(t, 422, c.do("POST", path+"/changes", map[string]any{"base": 0, "change": map[string]any{"kind": "set-sections", "sections": []any{map[string]any{"id": "s", "name": "S", "note": "\x00"}}}}).status)
	require.Equal(t, 422, c.do("GET", path+"/history?before=%00", nil).status)
	require.Equal(t, 201, c.do("POST", "/api/templates", map[string]any{"name": `a\u0000b`}).status, "which says so, and is none")
}

// A body that trickles is cut off, one that makes progress is not. The server's own times
// are made short here.
func TestTrickledBodiesAreCutOff(t *testing.T) {
	defer api.HurryBodies(300*time.Millisecond, 1<<10)()
	server := httptest.NewServer(api.Unhurried(func(w http.ResponseWriter, r *http.Request) error {
		n, err := io.Copy(io.Discard, r.Body)
		if err == nil {
			fmt.Fprintf(w, "%d", n)
		}
		return err
	}))
	defer server.Close()
	send := func(parts int, each string, pause time.Duration) string {
		conn, err := net.Dial("tcp", server.Listener.Addr().String())
		require.NoError(t, err)
		defer conn.Close()
		fmt.Fprintf(conn, "POST / HTTP/1.1\r\nHost: localhost\r\nContent-Length: %d\r\n\r\n", parts*len(each))
		for range parts {
			time.Sleep(pause)
			if _, err := io.WriteString(conn, each); err != nil {
				break
			}
		}
		line, _ := bufio.NewReader(conn).ReadString('\n')
		return line
	}
	require.Contains(t, send(40, "x", 50*time.Millisecond), "408")
	require.Contains(t, send(20, strings.Repeat("x", 1<<10), 50*time.Millisecond), "200")
}

// Files of one studio are read two at a time, the others wait in line, and who leaves the
// line lets the next go on.
func TestFilesAreReadInTurn(t *testing.T) {
	x := api.NewReadings()
	studio := uuid.New()
	first, err := x.Take(t.Context(), studio)
	require.NoError(t, err)
	second, err := x.Take(t.Context(), studio)
	require.NoError(t, err)
	gone, stop := context.WithCancel(t.Context())
	var left atomic.Bool
	done := make(chan struct{})
	go func() {
		defer close(done)
		_, err := x.Take(gone, studio)
		left.Store(err != nil)
	}()
	other, err := x.Take(t.Context(), uuid.New())
	require.NoError(t, err, "another studio has its own line")
	other()
	stop()
	<-done
	require.True(t, left.Load())
	first()
	third, err := x.Take(t.Context(), studio)
	require.NoError(t, err)
	second()
	third()
	require.Zero(t, x.Lines())
}
