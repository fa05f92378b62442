package e2e_test

import (
	"path/filepath"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// The demo's cue is followed bar by bar: what each machine holds in each bar is drawn, every row
// that plays is called before it enters, and the steps go out as MIDI.
func TestMemoryByBar(t *testing.T) {
	p := enter(t, 1280, 800)
	p.unfold("calls")
	p.menu("More", "Memory by bar")
	file, err := filepath.Abs("../../docs/music/1m2 The lamp is lit.mid")
	require.NoError(t, err)
	p.see(`[role=dialog] [aria-label="Music"]`).MustSetFiles(file)
	p.seeText(`[data-part=by-bar]`, `^\d+ bars\. Everything that plays fits at once`)
	p.seeText(`[data-part=steps]`, "before")
	require.NoError(t, p.page.Timeout(patience()).Wait(rod.Eval(`() => document.querySelectorAll("[role=dialog] [data-machine] rect").length > 0`)))
	p.keys(input.Escape)
	p.gone(`[role=dialog]`)
}
