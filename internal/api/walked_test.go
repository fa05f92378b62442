package api_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"net/url"
	"os"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/require"
)

func theContract(t *testing.T) *openapi3.T {
	data, err := os.ReadFile("openapi.yaml")
	require.NoError(t, err)
	doc, err := openapi3.NewLoader().LoadFromData(data)
	require.NoError(t, err)
	return doc
}

// maker makes values of the contract's schemas: the least that is good, or, where odd is
// set, now and then one that is not.
type maker struct {
	r   *rand.Rand
	odd bool
	ids []string
}

// oddities are values of every kind that no schema asks for.
var oddities = []any{
	nil, true, -1, 0, math.MaxInt64, math.MinInt64, 1e308, 0.5, "", "x", "-9223372036854775808", strings.Repeat("é", 3000), "a\x00b", "\ufffd\u202e",
	"../../etc/passwd", []any{}, []any{nil}, map[string]any{}, map[string]any{"kind": nil}, []any{[]any{[]any{[]any{1}}}},
}

func (m maker) of(s *openapi3.Schema, depth int) any {
	if m.odd && m.r.IntN(12) == 0 {
		return oddities[m.r.IntN(len(oddities))]
	}
	if depth > 6 {
		return nil
	}
	if one := slices.Concat(s.OneOf, s.AnyOf); len(one) > 0 {
		return m.of(one[m.pick(len(one))].Value, depth+1)
	}
	switch {
	case len(s.Enum) > 0:
		return s.Enum[m.pick(len(s.Enum))]
	case s.Type.Is("object"):
		out := map[string]any{}
		for name, p := range s.Properties {
			if slices.Contains(s.Required, name) || m.odd && m.r.IntN(3) == 0 {
				out[name] = m.of(p.Value, depth+1)
			}
		}
		return out
	case s.Type.Is("array"):
		out := []any{}
		for range max(int(s.MinItems), m.pick(4)) {
			out = append(out, m.of(s.Items.Value, depth+1))
		}
		return out
	case s.Type.Is("boolean"):
		return m.pick(2) == 1
	case s.Type.Is("integer"), s.Type.Is("number"):
		low, high := 0.0, 10.0
		if s.Min != nil {
			low = *s.Min
		}
		if s.Max != nil {
			high = *s.Max
		}
		x := max(low, min(high, 0))
		if m.odd {
			x = []float64{low, high, low + math.Floor((high-low)/2), x}[m.r.IntN(4)]
		}
		return math.Trunc(x)
	case s.Format == "uuid":
		return "00000000-0000-4000-8000-000000000000"
	}
	if m.odd && len(m.ids) > 0 {
		return m.ids[m.r.IntN(len(m.ids))]
	}
	return strings.Repeat("x", max(1, int(s.MinLength)))
}

func (m maker) pick(n int) int {
	if !m.odd {
		return 0
	}
	return m.r.IntN(n)
}

// body makes one for an operation; nil where it takes none.
func (m maker) body(o *openapi3.Operation) any {
	if o.RequestBody == nil {
		return nil
	}
	for media, x := range o.RequestBody.Value.Content {
		if strings.HasPrefix(media, "application/json") {
			return m.of(x.Schema.Value, 0)
		}
	}
	return []byte("section,instrument\nWinds,Flute\n")
}

// The contract, walked at random with values good, odd and at the ends of their ranges:
// no request is answered as a failure of the server, every refusal is a problem, and
// memory stays where it was.
func TestTheContractIsWalked(t *testing.T) {
	doc := theContract(t)
	c := serve(t).signedIn(t, "ada")
	mine := c.newTemplate("Walked")
	require.Equal(t, 200, c.do("POST", mine+"/import?take=true", []byte(list)).status)
	m := maker{r: rand.New(rand.NewPCG(16, 16)), odd: true}
	var whole struct{ Template map[string]json.RawMessage }
	require.NoError(t, json.Unmarshal(c.do("GET", mine, nil).body, &whole))
	for _, name := range []string{"instruments", "sections", "buses", "machines", "patches", "players", "libraries", "folds"} {
		var things []struct{ ID string }
		require.NoError(t, json.Unmarshal(whole.Template[name], &things))
		for _, x := range things {
			m.ids = append(m.ids, x.ID)
		}
	}
	type ask struct {
		method, path string
		operation    *openapi3.Operation
		item         *openapi3.PathItem
	}
	var asks []ask
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			if strings.HasPrefix(path, "/api/session") || strings.HasPrefix(path, "/api/events") {
				continue // the walker stays signed in
			}
			asks = append(asks, ask{method, path, o, item})
		}
	}
	slices.SortFunc(asks, func(a, b ask) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	seen := map[int]int{}
	for n := range 3000 {
		a := asks[m.r.IntN(len(asks))]
		path := strings.Replace(a.path, "{id}", mine[len("/api/templates/"):], 1)
		if !strings.HasPrefix(a.path, "/api/templates/") {
			path = a.path
		}
		query := url.Values{}
		for _, p := range slices.Concat(a.item.Parameters, a.operation.Parameters) {
			value := fmt.Sprint(m.of(p.Value.Schema.Value, 3))
			switch {
			case p.Value.In == "path":
				path = strings.Replace(path, "{"+p.Value.Name+"}", url.PathEscape(strings.ReplaceAll(value, "/", "")+"x"), 1)
			case m.r.IntN(2) == 0:
				query.Set(p.Value.Name, value)
			}
		}
		if a.method == "DELETE" && a.path == "/api/templates/{id}" {
			continue // the walker keeps its template
		}
		if len(query) > 0 {
			path += "?" + query.Encode()
		}
		answer := c.do(a.method, path, m.body(a.operation))
		seen[answer.status/100]++
		require.Less(t, answer.status, 500, "request %d, %s %s: %s", n, a.method, path, answer.body)
		if answer.status >= 400 {
			require.Equal(t, "application/problem+json", answer.header.Get("Content-Type"), "%s %s: %d %.200s", a.method, path, answer.status, answer.body)
		}
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	t.Logf("answers by kind: %v", seen)
	require.Less(t, int64(after.HeapAlloc)-int64(before.HeapAlloc), int64(64<<20))
	require.Greater(t, seen[2], 50, "some of it is good")
	require.Equal(t, 200, c.do("GET", mine, nil).status, "and the template is there still")
}

// Every number that a request may hold has its range in the contract, so that no handler
// sees one outside it.
func TestEveryNumberHasARange(t *testing.T) {
	doc := theContract(t)
	var missing []string
	seen := map[*openapi3.Schema]bool{}
	var walk func(where string, s *openapi3.Schema)
	walk = func(where string, s *openapi3.Schema) {
		if s == nil || seen[s] {
			return
		}
		seen[s] = true
		if (s.Type.Is("integer") || s.Type.Is("number")) && (s.Min == nil || s.Max == nil) {
			missing = append(missing, where)
		}
		for name, p := range s.Properties {
			walk(where+"."+name, p.Value)
		}
		if s.Items != nil {
			walk(where+"[]", s.Items.Value)
		}
		if s.AdditionalProperties.Schema != nil {
			walk(where+"{}", s.AdditionalProperties.Schema.Value)
		}
		for _, x := range slices.Concat(s.OneOf, s.AnyOf, s.AllOf) {
			walk(where, x.Value)
		}
	}
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			for _, p := range slices.Concat(item.Parameters, o.Parameters) {
				walk(method+" "+path+" "+p.Value.Name, p.Value.Schema.Value)
			}
			if o.RequestBody != nil {
				for _, media := range o.RequestBody.Value.Content {
					if media.Schema != nil {
						walk(method+" "+path, media.Schema.Value)
					}
				}
			}
		}
	}
	require.Empty(t, missing)
}
