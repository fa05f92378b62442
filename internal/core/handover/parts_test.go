package handover_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/handover"
	"fanfold/internal/core/template"
	"fanfold/internal/demo"
)

// What a file does not hold is counted, and said in words.
func TestWhatIsLeftOut(t *testing.T) {
	lantern, err := demo.Template()
	require.NoError(t, err)
	audio, routed := 0, 0
	for _, i := range lantern.Instruments {
		if i.Kind == template.Guide || i.Kind == template.Input {
			audio++
		} else if len(i.Routes) > 0 {
			routed++
		}
	}
	song := handover.LeftOfSong(lantern)
	require.Contains(t, song, fmt.Sprintf("guides and live inputs (%d)", audio))
	require.Contains(t, song, fmt.Sprintf("routes of rows (%d)", routed))
	require.Contains(t, song, fmt.Sprintf("sections (%d)", len(lantern.Sections)))
	require.Contains(t, handover.LeftOfScore(lantern), fmt.Sprintf("buses, levels and seats (%d)", len(lantern.Buses)))
	empty := template.New("x", "Empty")
	require.Equal(t, []string{"buses (2)"}, handover.LeftOfSong(empty))
}
