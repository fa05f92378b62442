package template_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
)

// What an edit leaves is valid as a whole wherever its parts are: checking only
// what was touched misses nothing, over every kind of change.
func TestValidPartsAreAValidWhole(t *testing.T) {
	base := coretest.Must(coretest.Orchestra(16, 2), coretest.Spare())
	rapid.Check(t, func(r *rapid.T) {
		now := base
		for range rapid.IntRange(1, 8).Draw(r, "steps") {
			if len(now.Instruments) < 6 || len(now.Machines) == 0 {
				break
			}
			c := coretest.Anything(now).Draw(r, "change")
			after, inverse, err := change.Apply(now, c)
			if err != nil {
				continue
			}
			require.NoError(r, after.Validate(), change.Describe(c))
			back, _, err := change.Apply(after, inverse)
			require.NoError(r, err, change.Describe(c))
			require.NoError(r, back.Validate())
			require.Nil(r, change.Between(now, back), "%s is taken back whole", change.Describe(c))
			now = after
		}
	})
}
