package demo_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/proof"
	"fanfold/internal/core/sound"
	"fanfold/internal/demo"
)

// The scenario of the product's design: about 430 instruments, 1,200
// articulations, three machines, 18 to 32 stems.
func TestTheSaltLantern(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	articulations := 0
	for _, i := range lantern.Instruments {
		articulations += len(i.Articulations)
	}
	stems := len(lantern.StemsOf("fold-fine"))
	t.Logf("%d instruments, %d articulations, %d stems, marks %v", len(lantern.Instruments), articulations, stems, proof.Check(lantern, "").Counts())
	require.InDelta(t, 430, len(lantern.Instruments), 60)
	require.InDelta(t, 1200, articulations, 150)
	require.True(t, stems >= 18 && stems <= 32)
	require.Len(t, lantern.Machines, 3)
	require.Equal(t, map[string]int{"shared-return": 1}, proof.Check(lantern, "").Counts())
}

// The made-up words of the demo are its own: the table of the trade does not know
// them.
func TestTheTradeDoesNotKnowTheDemosWords(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	dunes := 0
	for _, i := range lantern.Instruments {
		if i.Name != "Dunes ensemble" {
			continue
		}
		dunes++
		require.Nil(t, sound.ByName(i.Name))
		require.Equal(t, "drum.taiko", lantern.PatchesOf(i)[0].Sound, "the demo's catalogue says what they are")
	}
	require.Positive(t, dunes)
	for _, word := range []string{"dunes", "felt upright piano of the keeper", "salt", "brine", "lantern", "lighthouse"} {
		if s := sound.ByName(word); s != nil {
			require.NotContains(t, s.Names, word)
		}
	}
}
