package handover_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
)

func TestSlug(t *testing.T) {
	for name, want := range map[string]string{
		"Flute 1 long": "flute-1-long", "  Low / high  ": "low-high", "1M05 Lamp room": "1m05-lamp-room", "Größe": "gr-e", "***": "",
	} {
		require.Equal(t, want, handover.Slug(name))
	}
	rapid.Check(t, func(rt *rapid.T) {
		s := handover.Slug(rapid.String().Draw(rt, "name"))
		require.NotContains(rt, s, "--")
		require.False(rt, strings.ContainsAny(s, " #*,/?[]{}"), "what Open Sound Control 1.0 forbids in an address: %q", s)
		require.Equal(rt, s, handover.Slug(s))
	})
}

// Every note of a call's file stands for one of its instruments, in order, and
// for no other; the banks are the call's place in the list.
func TestTheNotesOfACallAreItsInstruments(t *testing.T) {
	base := coretest.Orchestra(300, 2)
	var ids []template.ID
	for _, i := range base.Instruments {
		ids = append(ids, i.ID)
	}
	call := &template.Call{ID: "second", Name: "Big", Instruments: ids}
	base.Calls = []*template.Call{{ID: "first", Name: "Small"}, call}
	w := handover.NewWake(base, call)
	require.Equal(t, "Big", w.Name)
	var woken []template.ID
	last := int64(0)
	for n, m := range w.Messages {
		require.GreaterOrEqual(t, m.Tick, last)
		last = m.Tick
		switch {
		case n < 2:
			require.Equal(t, []int{0, 32}[n], m.Data1)
			require.Equal(t, []int{0, 1}[n], m.Data2)
		case m.Status == articulation.NoteOn:
			woken = append(woken, handover.Woken(call, m.Channel, m.Data1))
		}
	}
	require.Equal(t, ids, woken)
	require.Empty(t, handover.Woken(call, 14, 127), "beyond the last")
	require.Empty(t, handover.Woken(base.Calls[0], 16, 0))
}
