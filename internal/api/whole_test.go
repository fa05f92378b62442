package api_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/api"
	"fanfold/internal/app"
	"fanfold/internal/store/storetest"
)

// paths reads every path and method of the contract.
func paths(t *testing.T) [][2]string {
	data, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	var out [][2]string
	path := ""
	for _, line := range strings.Split(string(data), "\n") {
		if m := regexp.MustCompile(`^  (/api/\S+):$`).FindStringSubmatch(line); m != nil {
			path = m[1]
		} else if m := regexp.MustCompile(`^    (get|post|put|delete):$`).FindStringSubmatch(line); m != nil && path != "" {
			out = append(out, [2]string{strings.ToUpper(m[1]), path})
		}
	}
	require.Greater(t, len(out), 20)
	return out
}

// bodies are what each asking path takes, good enough to reach the template.
var bodies = map[string]any{
	"/api/templates/{id}/changes":                   map[string]any{"base": 0, "change": map[string]any{"kind": "delete", "ids": []string{}}},
	"/api/templates/{id}/rows":                      map[string]any{"kind": "sampled", "count": 1},
	"/api/templates/{id}/duplicate":                 map[string]any{"ids": []string{}},
	"/api/templates/{id}/again":                     map[string]any{"ids": []string{}},
	"/api/templates/{id}/own-seats":                 map[string]any{"ids": []string{}},
	"/api/templates/{id}/assign":                    map[string]any{"base": 0, "ids": []string{}, "field": "stem", "value": "x"},
	"/api/templates/{id}/import":                    []byte(list),
	"/api/templates/{id}/marks/mend":                map[string]any{"code": "unseated", "subject": "x", "remedy": 0},
	"/api/templates/{id}/seating":                   map[string]any{"fresh": false},
	"/api/templates/{id}/seating/plan":              map[string]any{"fresh": true},
	"/api/templates/{id}/seating/move":              map[string]any{"ids": []string{}, "to": map[string]any{"machine": "m", "riser": 1, "port": 1, "channel": 1}},
	"/api/templates/{id}/calls":                     map[string]any{"ids": []string{}, "how": "call"},
	"/api/templates/{id}/calls/cost":                map[string]any{"ids": []string{}, "how": "call"},
	"/api/templates/{id}/calls/save":                map[string]any{"name": "x"},
	"/api/templates/{id}/use":                       map[string]any{"patches": []string{"x"}},
	"/api/templates/{id}/swap":                      map[string]any{"ids": []string{}, "patch": "x", "layer": false, "take": false},
	"/api/templates/{id}/sightlines/set":            map[string]any{"sets": []string{"all"}},
	"/api/templates/{id}/order":                     map[string]any{"by": "score"},
	"/api/templates/{id}/versions":                  map[string]any{"name": "x"},
	"/api/templates/{id}/branch":                    map[string]any{"name": "x"},
	"/api/templates/{id}/lock":                      map[string]any{"locked": true},
	"/api/templates/{id}/compare":                   map[string]any{"with": "00000000-0000-0000-0000-000000000000"},
	"/api/templates/{id}/here":                      map[string]any{"browser": "x", "selected": []string{}},
	"/api/templates/{id}/names":                     map[string]any{"ids": []string{"x"}, "pattern": "{name}"},
	"/api/templates/{id}/replace":                   map[string]any{"field": "names", "find": "x", "with": "y"},
	"/api/recordings":                               []byte("x"),
	"/api/palettes":                                 map[string]any{"own": []any{}},
	"/api/palettes/read":                            []byte("GIMP Palette"),
	"/api/templates/{id}/palette/check":             map[string]any{"name": "x", "strength": 1, "tints": []any{}},
	"/api/abbreviations":                            map[string]any{"own": []any{}},
	"/api/templates/{id}/layout":                    map[string]any{"ids": []string{}, "to": "spread"},
	"/api/templates/{id}/compile/{instrument}":      []byte("x"),
	"/api/templates/{id}/compile/{instrument}/midi": []byte("x"),
	"/api/catalogue/list":                           []byte("library,patch"),
	"/api/templates/{id}/cast":                      []byte(""),
	"/api/scans":                                    map[string]any{"folder": "/", "library": "x"},
	"/api/catalogue/patches/edit":                   map[string]any{"base": 0, "ids": []string{}, "set": map[string]any{}},
	"/api/productions":                              map[string]any{"name": "x", "rate": "24"},
	"/api/productions/{id}/changes":                 map[string]any{"base": 0, "change": map[string]any{"ops": []any{}}},
	"/api/productions/{id}/spotting":                []byte("start,end"),
	"/api/productions/{id}/cuts":                    []byte("x"),
	"/api/catalogue/map/check":                      map[string]any{"map": []any{}, "keyLow": 0, "keyHigh": 127},
	"/api/catalogue/map/try":                        map[string]any{"map": []any{}, "keyLow": 0, "keyHigh": 127, "channel": 1, "notes": "C4"},
}

// Every path of the contract is closed without signing in, and answers 404
// for another studio's template.
func TestEveryPathKeepsStudiosApart(t *testing.T) {
	s := serve(t)
	stranger, ada, eve := s.client(t), s.signedIn(t, "ada"), s.signedIn(t, "eve")
	mine := ada.newTemplate("Mine")
	id := mine[len("/api/templates/"):]
	doc := theContract(t)
	for _, p := range paths(t) {
		method, path := p[0], p[1]
		asked := strings.NewReplacer("{id}", id, "{bus}", "bus-mix", "{scan}", id, "{session}", id, "{secret}", "x", "{instrument}", "x", "{cut}", "x", "{reel}", "x", "{cue}", "x", "{audio}", "x", "{revision}", "1", "{version}", id, "{pair}", "1", "{number}", "0", "{before}", id, "palette/{format}", "palette/json", "handbook/{format}", "handbook/pdf", "report/{format}", "report/pdf", "follow/{format}", "follow/midi", "{format}", "smf").Replace(path)
		if strings.HasPrefix(path, "/api/session") {
			continue
		}
		require.Equal(t, 401, stranger.do(method, asked, bodies[path]).status, "%s %s without signing in", method, path)
		if strings.Contains(path, "{id}") {
			body := bodies[path]
			if body == nil {
				if o := doc.Paths.Value(path).Operations()[method]; o.RequestBody != nil {
					body = maker{}.body(o) // the least that is good
				}
			}
			answer := eve.do(method, asked, body)
			require.Equal(t, 404, answer.status, "%s %s for another studio: %s", method, path, answer.body)
			require.Equal(t, "not-found", answer.field(t, "code"))
		}
	}
	credential := map[string]string{"template": id, "machine": "m"}
	require.Equal(t, 404, eve.do("POST", "/api/machines/credential", credential).status)
	require.Equal(t, 404, ada.do("POST", "/api/machines/credential", credential).status, "nor for a machine that is not there")
	require.Len(t, strings.Split(string(eve.do("GET", "/api/templates", nil).body), "name"), 1, "a studio lists its own templates only")
}

// anyRoute is where a route stands among those of its row, which its
// destination's random id decides.
var anyRoute = regexp.MustCompile(`routes\[\d\]`)

// A refused change says which field, and what of it.
func TestProblemsHaveAFieldPath(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	var opened struct {
		Template struct {
			Instruments []struct{ ID string }
			Settings    map[string]any
		}
	}
	require.NoError(t, json.Unmarshal(c.do("GET", path, nil).body, &opened))
	change := func(c map[string]any) map[string]any { return map[string]any{"base": 1, "change": c} }
	row := opened.Template.Instruments[1].ID
	settings := opened.Template.Settings
	settings["tempoBpm"] = 2000
	for field, body := range map[string]map[string]any{
		"instruments[1].name":             change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "name": ""}}}),
		"instruments[1].gainDb":           change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "gainDb": 99}}}),
		"instruments[1].routes[0].to":     change(map[string]any{"kind": "connect", "wires": []any{map[string]any{"from": row, "to": "a-bus", "level": map[string]any{"gainDb": 0, "tap": "post"}}}}),
		"settings.tempoBpm":               change(map[string]any{"kind": "configure", "name": "Salt", "settings": settings}),
		"instruments[1].seat.machine":     change(map[string]any{"kind": "seat", "seats": []any{map[string]any{"id": row, "seat": map[string]any{"machine": "none", "riser": 1, "port": 1, "channel": 1, "pair": 2}}}}),
		"instruments[1].articulations":    change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "articulations": []string{"a;b"}}}}),
		"instruments[1].style.machine":    change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "style": map[string]any{"machine": "none"}}}}),
		"machines[1].cores":               change(map[string]any{"kind": "put", "machines": []any{map[string]any{"at": -1, "value": map[string]any{"id": "m", "name": "M", "memoryMib": 1, "reserveMib": 0, "cores": 0, "diskMibs": 1}}}}),
		"calls[0].instruments[0]":         change(map[string]any{"kind": "put", "calls": []any{map[string]any{"at": -1, "value": map[string]any{"id": "k", "name": "K", "instruments": []string{"nobody"}}}}}),
		"instruments[0].section":          change(map[string]any{"kind": "move", "ids": []string{row}, "section": "none", "before": opened.Template.Instruments[0].ID}),
		"instruments[1].colour":           change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "colour": "pink"}}}),
		"instruments[1].patches[0]":       change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "patches": []string{"none"}}}}),
		"instruments[1].routes[0].tap":    change(map[string]any{"kind": "connect", "wires": []any{map[string]any{"from": row, "to": "bus-mix", "level": map[string]any{"gainDb": 0, "tap": "sideways"}}}}),
		"instruments[1].kind":             change(map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "kind": "ghost"}}}),
		"sections[0].tint":                change(map[string]any{"kind": "put", "sections": []any{map[string]any{"at": 0, "value": map[string]any{"id": "s", "name": "S", "tint": "neon"}}}}),
		"instruments[1].routes[0].gainDb": change(map[string]any{"kind": "connect", "wires": []any{map[string]any{"from": row, "to": "bus-mix", "level": map[string]any{"gainDb": -500, "tap": "post"}}}}),
	} {
		t.Run(field, func(t *testing.T) {
			answer := c.do("POST", path+"/changes", body)
			require.Equal(t, 422, answer.status, "%s", answer.body)
			require.Equal(t, "invalid", answer.field(t, "code"))
			require.Equal(t, field, anyRoute.ReplaceAllString(answer.field(t, "path").(string), "routes[0]"))
		})
	}
	require.EqualValues(t, 1, c.do("GET", path, nil).field(t, "revision"))
}

// Lists are never null, however empty the template: the browser counts on it.
func TestNoListIsNull(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Empty")
	settings := c.do("GET", path, nil).field(t, "template").(map[string]any)["settings"].(map[string]any)
	settings["upbeat"] = nil
	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": 0, "change": map[string]any{"kind": "configure", "name": "Empty", "settings": settings}}).status)
	for _, kind := range []string{"sampled", "spare", "guide", "input"} {
		require.Equal(t, 200, c.do("POST", path+"/rows", map[string]any{"kind": kind, "count": 1}).status)
	}
	for _, ask := range []struct {
		method, path string
		body         any
	}{
		{"POST", path + "/duplicate", map[string]any{"ids": []string{}}}, {"GET", path, nil}, {"GET", path + "/marks", nil}, {"GET", path + "/routing", nil}, {"GET", path + "/seating", nil},
		{"GET", path + "/arriving/bus-mix", nil}, {"GET", path + "/undo", nil}, {"GET", "/api/templates", nil},
		{"POST", path + "/calls/cost", bodies["/api/templates/{id}/calls/cost"]},
		{"POST", path + "/calls", bodies["/api/templates/{id}/calls"]},
		{"POST", path + "/import", []byte("section,instrument\n")},
		{"GET", "/api/catalogue", nil}, {"GET", "/api/catalogue/patches", nil},
		{"POST", "/api/catalogue/map/check", bodies["/api/catalogue/map/check"]}, {"POST", "/api/catalogue/map/try", bodies["/api/catalogue/map/try"]},
	} {
		answer := c.do(ask.method, ask.path, ask.body)
		require.Equal(t, 200, answer.status, "%s %s: %s", ask.method, ask.path, answer.body)
		require.False(t, bytes.Contains(answer.body, []byte("null")), "%s %s", ask.method, ask.path)
	}
}

// A computed clash tells values in words, not as the wire has them.
func TestClashesAreToldInWords(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	require.Equal(t, 200, c.do("POST", path+"/seating", map[string]bool{"fresh": false}).status)
	var opened struct {
		Template struct {
			Instruments []struct{ ID string }
			Machines    []struct{ ID string }
			Buses       []struct {
				ID, Name string
				Routes   []struct{ To string }
			}
		}
	}
	require.NoError(t, json.Unmarshal(c.do("GET", path, nil).body, &opened))
	row, machine := opened.Template.Instruments[0].ID, opened.Template.Machines[0].ID
	seat := func(channel int) map[string]any {
		return map[string]any{"kind": "seat", "seats": []any{map[string]any{"id": row, "seat": map[string]any{"machine": machine, "riser": 1, "port": 2, "channel": channel, "pair": 2}}}}
	}
	wire := func(db float64) map[string]any {
		return map[string]any{"kind": "connect", "wires": []any{map[string]any{"from": row, "to": "bus-mix", "level": map[string]any{"gainDb": db, "tap": "pre"}}}}
	}
	style := func(own bool) map[string]any {
		return map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "articulations": []string{"long", fmt.Sprint(own)}}}}
	}
	for name, tc := range map[string]struct {
		first, second map[string]any
		theirs, yours string
	}{
		"a seat":        {seat(3), seat(4), "Alder, riser 1, port 2, channel 3", "Alder, riser 1, port 2, channel 4"},
		"a route":       {wire(-3), wire(-6), "-3 dB, before the fader", "-6 dB, before the fader"},
		"articulations": {style(true), style(false), "long; true", "long; false"},
		"a fader": {
			map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "gainDb": -8}}},
			map[string]any{"kind": "edit", "edits": []any{map[string]any{"id": row, "gainDb": 2.5}}}, "-8 dB", "+2.5 dB",
		},
	} {
		t.Run(name, func(t *testing.T) {
			base := c.do("GET", path, nil).field(t, "revision")
			ask := func(change map[string]any) got {
				return c.do("POST", path+"/changes", map[string]any{"base": base, "change": change})
			}
			first := ask(tc.first)
			require.Equal(t, 200, first.status, "%s", first.body)
			second := ask(tc.second)
			require.Equal(t, 409, second.status, "%s", second.body)
			require.Equal(t, []any{"clash", tc.theirs, tc.yours}, []any{second.field(t, "code"), second.field(t, "theirs"), second.field(t, "yours")})
		})
	}
}

// Five attempts on one account from one address, thirty from the address
// whatever the account; then slowly again. Other addresses are not held up.
func TestGuessingIsSlowed(t *testing.T) {
	now := time.Unix(1_000_000, 0)
	a := api.NewAttempts(func() time.Time { return now })
	allowed := func(tries int, address string, email func(int) string) (n int) {
		for try := range tries {
			if a.Allow(address, email(try)) {
				n++
			}
		}
		return n
	}
	ada := func(int) string { return "Ada@studio.example" }
	anybody := func(n int) string { return fmt.Sprintf("guess%d@studio.example", n) }
	require.Equal(t, 5, allowed(9, "10.0.0.1:5000", ada))
	require.False(t, a.Allow("10.0.0.1:6000", "ada@STUDIO.example"), "whatever the port and the case")
	require.True(t, a.Allow("10.0.0.2:5000", "ada@studio.example"), "another address is not held up")
	now = now.Add(12 * time.Second)
	require.Equal(t, 1, allowed(3, "10.0.0.1:5000", ada), "one more every twelve seconds")
	now = now.Add(time.Hour)
	require.Equal(t, 30, allowed(50, "10.0.0.1:5000", anybody))
	now = now.Add(10 * time.Second)
	require.Equal(t, 5, allowed(50, "10.0.0.1:5000", anybody), "then one every two seconds")
	require.Equal(t, 30, allowed(50, "no port", anybody))
}

// The page is served with its own scripts only; a path of the application's
// gives the page, built files are kept by browsers, and unknown paths of the
// interface are problems.
func TestPages(t *testing.T) {
	web := fstest.MapFS{"index.html": {Data: []byte("<html>Fanfold</html>")}, "assets/app-1.js": {Data: []byte("1")}}
	s := storetest.Open(t)
	server := httptest.NewServer(api.New(api.Config{App: app.New(app.Config{Store: s, Rig: noRig{}}), Store: s, Web: fs.FS(web)}))
	t.Cleanup(server.Close)
	c := &client{t, server.URL, http.DefaultClient}
	page := c.do("GET", "/some/leaf", nil)
	require.Equal(t, "<html>Fanfold</html>", string(page.body))
	require.Contains(t, page.header.Get("Content-Security-Policy"), "default-src 'self'")
	require.Equal(t, "no-cache", page.header.Get("Cache-Control"))
	require.Contains(t, c.do("GET", "/assets/app-1.js", nil).header.Get("Cache-Control"), "immutable")
	missing := c.do("GET", "/api/nothing", nil)
	require.Equal(t, 401, missing.status, "nothing of the interface is told to strangers")
	require.Equal(t, "application/problem+json", missing.header.Get("Content-Type"))
	require.Equal(t, "no-demo", c.do("POST", "/api/session/demo", nil).field(t, "code"), "a server of one's own has no open door")
}
