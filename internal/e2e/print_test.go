package e2e_test

import (
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/stretchr/testify/require"
)

// printed has the music of 1M02 printed, and waits until it is proved.
func (p *person) printed() {
	p.t.Helper()
	p.unfold("print")
	p.press("Print cues…")
	p.seeText(`[role=dialog] h2`, "Print cues")
	p.clickOn("the cue", func() (*rod.Element, error) {
		return p.page.Timeout(patience()).ElementR(`[role=dialog] li label`, "1M02 The lamp is lit")
	})
	p.press("Print 1 cue")
	p.gone(`[role=dialog]`)
	p.see(`[aria-label=Prints] [data-print="1M02 The lamp is lit"]`)
	_, err := p.page.Timeout(8*patience()).ElementR(`[data-part=print-line]`, "32 stems add up to the mix, residual -1[0-9][0-9] dBFS")
	require.NoError(p.t, err, "it was never proved")
}

// The music of a cue is printed: every stem and the mix; one line says that they add up; a stem
// is heard by itself, from any place.
func TestACueIsPrintedAndProved(t *testing.T) {
	p := enter(t, 1280, 800)
	p.printed()
	time.Sleep(time.Second)
	p.look("print")
}
