package rig

import (
	"bytes"
	"log/slog"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/render"
)

// What a host says of itself is taken when its figures can be, and else passed over.
func FuzzReport(f *testing.F) {
	for _, text := range []string{`{}`, `{"memoryMib":1024,"usedMib":3,"ready":["a"]}`, `{"memoryMib":-1}`, `{"memoryMib":1e308}`, `{"generation":-9223372036854775808}`, `[]`, `null`} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := readReport(data)
		if err != nil {
			return
		}
		for _, x := range []float64{r.MemoryMiB, r.UsedMiB, r.DiskMiBs, float64(r.Cores), float64(r.Generation)} {
			require.True(t, x >= 0 && x <= mostFigure, "%g", x)
		}
	})
}

// Whatever a server says of a credential, a host keeps none but one of its own.
func FuzzRenewal(f *testing.F) {
	for _, text := range []string{`{}`, `{"token":"c1.another"}`, `{"token":"c2.another"}`, `{"token":"c1."}`, `{"ends":"2026-11-28T00:00:00Z"}`, `[]`, `{"token":7}`} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		kept := ""
		h := &holder{line: &Line{Keep: func(token string) error { kept = token; return nil }}, id: "c1", token: "c1.secret"}
		is := h.told(data, slog.New(slog.DiscardHandler))
		require.Equal(t, is, kept != "")
		if !is {
			require.Equal(t, "c1.secret", h.now())
			return
		}
		id, secret, err := SplitToken(h.now())
		require.NoError(t, err)
		require.Equal(t, "c1", id)
		require.NotEmpty(t, secret)
		require.Equal(t, kept, h.now())
	})
}

// A credential is taken apart into what it was joined of, or refused.
func FuzzSplitToken(f *testing.F) {
	f.Add("id.secret")
	f.Add(".")
	f.Fuzz(func(t *testing.T, token string) {
		id, secret, err := SplitToken(token)
		if err != nil {
			return
		}
		require.NotEmpty(t, id)
		require.NotEmpty(t, secret)
		require.False(t, strings.Contains(id, "."))
		require.Equal(t, token, Token(id, secret))
	})
}

// A block that is none is not taken for one; one that is comes back as it was.
func FuzzReadBlock(f *testing.F) {
	f.Add([]byte("0123456789012345 and more"))
	f.Add(SoundBlock{Number: 3, Count: render.Count{Voices: 2, Stolen: 70_000, Dry: 1}, Idle: true, Lanes: []*render.Block{nil, {{.5}, {-1}}}}.bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		if b, ok := readBlock(data); ok {
			require.LessOrEqual(t, len(b.Lanes), MostLanes)
			again, ok := readBlock(b.bytes())
			require.True(t, ok)
			require.True(t, bytes.Equal(b.bytes(), again.bytes())) // a sample may be no number
		}
	})
}

// An answer that is none is refused; one that is gives no more than it holds.
func FuzzReadPerformed(f *testing.F) {
	f.Add([]byte("\x02\x00\x00\x00{}"))
	f.Add([]byte("\x1f\x00\x00\x00{\"lanes\":2,\"there\":[[],[1],[0]]} and too little"))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := readPerformed(data)
		if err != nil {
			return
		}
		require.LessOrEqual(t, len(p.Blocks), MostPerformBlocks)
		for _, b := range p.Blocks {
			require.LessOrEqual(t, len(b), MostPerformLanes)
		}
	})
}
