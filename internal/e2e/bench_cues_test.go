package e2e_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"
)

// The size of a series that is scored: ten reels of 20 minutes at 25 frames a second, each of 400
// shots and 20 cues with four hits.
const (
	manyReels, cuesOfReel, shotsOfReel = 10, 20, 400
	reelFrames                         = 20 * 60 * 25
)

func postJSON(t testing.TB, c *http.Client, path, kind string, body []byte) map[string]any {
	answer, err := c.Post(studio.address+path, kind, bytes.NewReader(body))
	require.NoError(t, err)
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.Less(t, answer.StatusCode, 300, "%s: %s", path, data)
	out := map[string]any{}
	require.NoError(t, json.Unmarshal(data, &out))
	return out
}

func code25(frame int) string {
	return fmt.Sprintf("%02d:%02d:%02d:%02d", frame/90_000, frame/1500%60, frame/25%60, frame%25)
}

// series makes a production of that size and is its name.
func series(t testing.TB, name string) string {
	c := client(t)
	made := postJSON(t, c, "/api/productions", "application/json", fmt.Appendf(nil, `{"name":%q,"rate":"25"}`, name))
	path := "/api/productions/" + made["id"].(string)
	cut := ""
	var cues strings.Builder
	cues.WriteString("number,title,start,end\n")
	for reel := range manyReels {
		begin := (reel + 1) * 90_000
		var edl strings.Builder
		edl.WriteString("TITLE: R\nFCM: NON-DROP FRAME\n")
		for n := range shotsOfReel {
			from, long := begin+n*reelFrames/shotsOfReel, reelFrames/shotsOfReel
			fmt.Fprintf(&edl, "%03d  A%03d V C %s %s %s %s\n* FROM CLIP NAME: Shot %d\n", n+1, n/4, code25(n*200), code25(n*200+long), code25(from), code25(from+long), n+1)
		}
		query := "?name=Cut+1"
		if cut != "" {
			query = "?cut=" + cut
		}
		cut = postJSON(t, c, path+"/cuts"+query, "application/octet-stream", []byte(edl.String()))["cut"].(string)
		for n := range cuesOfReel {
			from := begin + n*reelFrames/cuesOfReel + 100
			fmt.Fprintf(&cues, "%dM%02d,Cue %d,%s,%s\n", reel+1, n+1, n+1, code25(from), code25(from+1100))
		}
	}
	postJSON(t, c, path+"/spotting?take=true", "application/octet-stream", []byte(cues.String()))
	answer, err := c.Get(studio.address + path)
	require.NoError(t, err)
	defer answer.Body.Close()
	var film struct {
		Revision int64
		Cues     []struct {
			ID    string
			Start int64
		}
	}
	require.NoError(t, json.NewDecoder(answer.Body).Decode(&film))
	require.Len(t, film.Cues, manyReels*cuesOfReel)
	ops := []any{}
	for _, x := range film.Cues {
		hits := []any{}
		for k := range int64(4) {
			hits = append(hits, map[string]any{"frame": x.Start + 200*k + 50, "weight": 1, "tolerance": 2})
		}
		ops = append(ops, map[string]any{"kind": "cue", "id": x.ID, "set": map[string]any{"hits": hits}})
	}
	body, err := json.Marshal(map[string]any{"base": film.Revision, "change": map[string]any{"ops": ops}})
	require.NoError(t, err)
	postJSON(t, c, path+"/changes", "application/json", body)
	return name
}

// Opening a production of 200 cues and 10 reels in the browser: from choosing it to all strips with
// their shots and the first cues of the sheet. The goal is half a second.
func BenchmarkOpen200Cues(b *testing.B) {
	name := series(b, "Opened series")
	p := visit(b, 1280, 800)
	p.press("Open the demo studio")
	p.see(`[data-leaf="orchestra"] [role=row]`)
	sum, n := 0.0, 0
	for b.Loop() {
		p.film("The Salt Lantern")
		sum += p.page.MustEval(`async (name, reels, shots) => {
			const list = document.querySelector("[aria-label=Production]");
			const began = performance.now();
			Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(list, [...list.options].find((o) => o.textContent === name).value);
			list.dispatchEvent(new Event("change", { bubbles: true }));
			return new Promise((done) => {
				const look = () => {
					const strips = [...document.querySelectorAll("[data-strip]")];
					const whole = strips.length === reels && strips.every((s) => s.querySelectorAll("[data-cue]").length > 0 && s.querySelector("[data-shots]"));
					whole && document.querySelector("[data-cue-row='1M01']") ? done(performance.now() - began) : requestAnimationFrame(look);
				};
				look();
			});
		}`, name, manyReels, shotsOfReel).Num()
		n++
	}
	b.ReportMetric(sum/float64(n), "ms/open")
	b.ReportMetric(0, "ns/op")
}

// Dragging a cue along its strip among 200, snapping, for 120 frames of the screen: how they came.
// The goal is 60 a second, as a blank page gives them.
func BenchmarkDragACueOf200(b *testing.B) {
	name := series(b, "Dragged series")
	p := visit(b, 1280, 800)
	p.press("Open the demo studio")
	p.see(`[data-leaf="orchestra"] [role=row]`)
	p.film(name)
	require.NoError(b, p.page.Timeout(patience()).Wait(rod.Eval(`n => document.querySelectorAll("[data-strip]").length === n`, manyReels)))
	p.seeMany(`[data-shots]`, 6*manyReels)
	var got struct {
		Mean, Worst float64
		Late, Tasks int
	}
	require.NoError(b, proto.PerformanceEnable{}.Call(p.page))
	work := map[string]float64{}
	for b.Loop() {
		before := spent(b, p)
		require.NoError(b, json.Unmarshal([]byte(p.page.MustEval(`async () => {
			const strip = document.querySelector("[data-strip='1']");
			const block = strip.querySelector("[data-cue] rect");
			const box = block.getBoundingClientRect();
			const y = box.top + 8;
			const send = (type, x) => block.dispatchEvent(new PointerEvent(type, { bubbles: true, clientX: x, clientY: y, pointerId: 1, isPrimary: true, buttons: 1 }));
			Element.prototype.setPointerCapture = () => undefined;
			const x = box.left + box.width / 2;
			const gaps = [];
			let tasks = 0;
			const watch = new PerformanceObserver((list) => { tasks += list.getEntries().length; });
			await new Promise((done) => setTimeout(done, 500));
			watch.observe({ type: "longtask" });
			send("pointerdown", x);
			await new Promise((done) => {
				let last;
				const step = (now) => {
					if (last) gaps.push(now - last);
					last = now;
					send("pointermove", x + 40 * Math.sin(gaps.length / 10));
					gaps.length < 120 ? requestAnimationFrame(step) : done();
				};
				requestAnimationFrame(step);
			});
			send("pointermove", x);
			send("pointerup", x);
			return JSON.stringify({ Mean: gaps.reduce((a, g) => a + g) / gaps.length, Worst: Math.max(...gaps), Late: gaps.filter((g) => g > 25).length, Tasks: tasks });
		}`).Str()), &got))
		for name, ms := range spent(b, p) {
			work[name] = (ms - before[name]) / 120
		}
	}
	for name, ms := range work {
		b.ReportMetric(ms, name+"-ms/frame")
	}
	b.ReportMetric(got.Mean, "ms/frame")
	b.ReportMetric(got.Worst, "ms/worst-frame")
	b.ReportMetric(float64(got.Late), "dropped")
	b.ReportMetric(float64(got.Tasks), "long-tasks")
	b.ReportMetric(0, "ns/op")
}
