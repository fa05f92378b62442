package calls_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/calls"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// Whatever two calls hold: nothing is counted twice or lost, going there and
// back exchanges what loads and what rests, the memory meets, and both together
// rest nothing.
func TestComparingTwoCalls(t *testing.T) {
	base := coretest.ToSeat(60, 2, 6, 0.5, 1)
	base = coretest.Must(base, seating.Everyone(base, seating.Options{}).Change())
	rapid.Check(t, func(r *rapid.T) {
		some := func(label string) []template.ID {
			var out []template.ID
			for _, i := range base.Instruments {
				if rapid.Bool().Draw(r, label) {
					out = append(out, i.ID)
				}
			}
			return out
		}
		a, b := some("a"), some("b")
		there, back := calls.Compare(base, calls.Going{Before: a, After: b}), calls.Compare(base, calls.Going{Before: b, After: a})
		require.Equal(r, there.Loads, back.Rests)
		require.Equal(r, there.Rests, back.Loads)
		require.Equal(r, there.Stays, back.Stays)
		require.Equal(r, len(a), len(there.Stays)+len(there.Rests))
		require.Equal(r, len(b), len(there.Stays)+len(there.Loads))
		loads := 0
		for n, e := range there.Estimates {
			loads += len(e.Order)
			require.InDelta(r, e.AfterMiB, back.Estimates[n].BeforeMiB, 1e-6)
		}
		require.Equal(r, len(there.Loads), loads)
		both := calls.Combine(base, a, b)
		require.Empty(r, calls.Compare(base, calls.Going{Before: a, After: both}).Rests)
		require.Empty(r, calls.Compare(base, calls.Going{Before: b, After: both}).Rests)
		require.Len(r, both, len(there.Loads)+len(there.Rests)+len(there.Stays))
		require.True(r, slices.Equal(both, calls.Combine(base, b, a)))
	})
	gone := calls.Compare(base, calls.Going{Before: []template.ID{"nobody"}, After: []template.ID{"i-1"}})
	require.Len(t, gone.Loads, 1)
	require.Empty(t, gone.Rests)
}
