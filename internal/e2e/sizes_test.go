package e2e_test

import (
	"fmt"
	"testing"

	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// Every leaf, alone and beside another, fits windows of four widths, and a text of twice its size: nothing is
// wider than the window, and no button of a leaf's head is cut at its edge.
func TestLeavesFitTheWindow(t *testing.T) {
	p := enter(t, 1280, 800)
	size := func(width int, scale float64) {
		require.NoError(t, p.page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: int(float64(width) / scale), Height: int(800 / scale), DeviceScaleFactor: scale}))
	}
	fits := func(where string) {
		t.Helper()
		said := p.page.MustEval(`() => {
			const out = [];
			if (document.documentElement.scrollWidth > innerWidth) out.push("the page is " + document.documentElement.scrollWidth + " wide in " + innerWidth);
			for (const b of document.querySelectorAll("body header button")) {
				const at = b.getBoundingClientRect();
				if (at.width > 0 && (at.left < -1 || at.right > innerWidth + 1)) out.push((b.textContent || b.ariaLabel) + " is outside of the window");
			}
			for (const leaf of document.querySelectorAll("[data-leaf]")) {
				const room = leaf.getBoundingClientRect();
				for (const b of leaf.querySelectorAll("header button, header select, header a")) {
					const at = b.getBoundingClientRect();
					if (at.width > 0 && (at.left < room.left - 1 || at.right > room.right + 1)) out.push(leaf.dataset.leaf + ": " + (b.textContent || b.ariaLabel) + " is cut");
				}
			}
			return out.join("; ");
		}`).Str()
		require.Empty(t, said, where)
	}
	leaves := []string{"deliver", "library", "orchestra", "seating", "routing", "balance", "calls", "cues", "print"}
	for _, at := range []struct {
		width int
		scale float64
	}{{1024, 1}, {1280, 1}, {1920, 1}, {2560, 1}, {2560, 2}, {1600, 2}} {
		size(at.width, at.scale)
		for n, leaf := range leaves {
			p.unfold(leaf)
			p.see(`[data-leaf="` + leaf + `"] header`)
			fits(fmt.Sprintf("%s at %d, %g times", leaf, at.width, at.scale))
			beside := leaves[(n+1)%len(leaves)]
			if leaf == "library" {
				beside = "orchestra"
			}
			p.unfold(leaf, beside)
			p.see(`[data-leaf="` + beside + `"] header`)
			fits(fmt.Sprintf("%s beside %s at %d, %g times", leaf, beside, at.width, at.scale))
		}
	}
}
