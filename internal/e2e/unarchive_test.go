package e2e_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/go-rod/rod"
	"github.com/stretchr/testify/require"
)

// A cue is archived and opened again: a production of its own, with the stems as they were, which
// are heard there. (It stands in the last file, since what it opens stays in the studio.)
func TestAnArchiveIsOpened(t *testing.T) {
	p := enter(t, 1280, 800)
	const number = "1M06"
	p.shortMusic(number)
	p.printed(number)
	p.film("The Salt Lantern")
	p.click(`[data-cue-row="` + number + `"] span`)
	require.NoError(t, p.see(`[aria-label=Production]`).Select([]string{"^Archive"}, true, rod.SelectorTypeRegex))
	link, err := p.page.Timeout(patience()).ElementR("[role=dialog] a", number+".*alone$")
	require.NoError(t, err)
	data := p.fetch(*link.MustAttribute("href"))
	isWhole(t, data)
	name := filepath.Join(t.TempDir(), "cue archive.zip")
	require.NoError(t, os.WriteFile(name, data, 0o600))
	p.see(`[role=dialog] [aria-label="Archive file"]`).MustSetFiles(name)
	p.press("Open it")
	p.gone(`[role=dialog]`)
	p.seeJust(`[data-cue-row]`, 1)
	made := p.page.MustEval(`async () => {
		const film = (await (await fetch("/api/productions")).json()).find((p) => p.name.startsWith("The Salt Lantern, archived")).id;
		const cue = (await (await fetch("/api/productions/" + film)).json()).cues[0];
		const { prints } = await (await fetch("/api/templates/" + cue.template + "/prints")).json();
		const whole = await (await fetch("/api/prints/" + prints[0].id)).json();
		const sound = await fetch("/api/prints/" + prints[0].id + "/sound?files=" + whole.files.find((f) => f.role === "mix").number + "&from=96000&frames=48000");
		return [prints.length, prints[0].line, (await sound.arrayBuffer()).byteLength];
	}`)
	require.Equal(t, 1, made.Arr()[0].Int())
	require.Contains(t, made.Arr()[1].Str(), "32 stems add up to the mix")
	require.Equal(t, 8*48_000, made.Arr()[2].Int())
}
