package api_test

import (
	"encoding/json"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// delivered is what a template says of its stems and rows.
type delivered struct {
	Revision int64
	Template struct {
		Instruments []struct {
			ID, Name, Section string
			StemByHand        bool
			Routes            []struct {
				To     string
				GainDb float64
				Hand   bool
			}
		}
		Sections []struct{ ID, Name, Parent string }
		Buses    []struct {
			ID, Kind, Name, Fold string
			Number               int
			Routes               []struct{ To string }
		}
		Folds []struct{ ID, Name string }
	}
	Proof struct{ Marks int }
}

func (c *client) delivered(path string) delivered {
	c.t.Helper()
	var o delivered
	require.NoError(c.t, json.Unmarshal(c.do("GET", path, nil).body, &o))
	return o
}

func (o delivered) bus(name string) string {
	for _, b := range o.Template.Buses {
		if b.Name == name {
			return b.ID
		}
	}
	return ""
}

func decode[T any](t *testing.T, g got) T {
	t.Helper()
	require.Equal(t, 200, g.status, "%s", g.body)
	var out T
	require.NoError(t, json.Unmarshal(g.body, &out))
	return out
}

type report struct {
	Folds, Made, Kept, Moved, Removed, Staying []string
	Rules                                      int
	Revision                                   int64
}

// From a pasted list to stems that are fed by rules and add up: what a person
// does on Deliver.
func TestFromAStemListToAWiredTemplate(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	stems := []byte("Winds\n  High winds\n  Low winds\nEverything: Winds apart\n")

	asked := decode[report](t, c.do("POST", path+"/deliver/stems", stems))
	require.Equal(t, []string{"Everything", "Low winds", "Winds apart"}, asked.Made)
	require.Zero(t, asked.Revision, "it is only told")
	bad := c.do("POST", path+"/deliver/stems", []byte("Winds\nwinds"))
	require.Equal(t, 422, bad.status)
	require.Contains(t, bad.field(t, "detail"), "line 2")
	require.Equal(t, 422, c.do("POST", path+"/deliver/stems?start=Nothing", []byte("")).status)

	done := decode[report](t, c.do("POST", path+"/deliver/stems?take=true", stems))
	require.Positive(t, done.Revision)
	require.Len(t, decode[[]map[string]string](t, c.do("GET", path+"/deliver/starts", nil)), 5)

	o := c.delivered(path)
	rule := map[string]any{"id": "r1", "stem": o.bus("Winds apart"), "name": "pic*"}
	type verdict struct {
		ID, Stem, Why    string
		Moves, Exception bool
		Rule             int
	}
	try := decode[[]verdict](t, c.do("POST", path+"/deliver/rules", map[string]any{"rules": []any{rule}}))
	require.Len(t, try, 2)
	moving := slices.IndexFunc(try, func(v verdict) bool { return v.Moves })
	require.Contains(t, try[moving].Why, `its name matches "pic*"`)
	wrong := c.do("POST", path+"/deliver/rules", map[string]any{"rules": []any{map[string]any{"id": "r", "stem": "gone"}}})
	require.Equal(t, 422, wrong.status)

	change := func(x map[string]any) map[string]any {
		return map[string]any{"base": c.delivered(path).Revision, "change": x}
	}
	require.Equal(t, 200, c.do("POST", path+"/changes", change(map[string]any{"kind": "set-rules", "rules": []any{rule}})).status)
	require.Equal(t, 200, c.do("POST", path+"/deliver/wire", map[string]any{"what": "rules"}).status)
	again := decode[[]verdict](t, c.do("POST", path+"/deliver/rules", map[string]any{"rules": []any{rule}}))
	require.False(t, slices.ContainsFunc(again, func(v verdict) bool { return v.Moves }))

	// by hand it is an exception, until it is let follow again
	piccolo := try[moving].ID
	require.Equal(t, 200, c.do("POST", path+"/assign", map[string]any{"base": c.delivered(path).Revision, "ids": []string{piccolo}, "field": "stem", "value": "Low winds"}).status)
	require.True(t, c.row(path, piccolo).StemByHand)
	require.Equal(t, 200, c.do("POST", path+"/deliver/obey", map[string]any{"ids": []string{piccolo}}).status)
	require.False(t, c.row(path, piccolo).StemByHand)

	// a new row of that name is born with its stem
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte("section,instrument\nWinds / Flutes,Piccolo 2\n")).status)
	require.NotEmpty(t, c.delivered(path).Template.Instruments[2].Routes)

	// a return set, with what follows
	set := map[string]any{"id": "set", "name": "Hall", "effects": []any{map[string]any{"id": "e", "name": "Hall", "process": "Hall 2 s", "middleDb": -14}}}
	require.Equal(t, 200, c.do("POST", path+"/deliver/settle", change(map[string]any{"kind": "set-returns", "sets": []any{set}})).status)
	for _, b := range c.delivered(path).Template.Buses {
		if b.Name == "High winds" {
			value := map[string]any{"id": b.ID, "kind": "stem", "name": b.Name, "fold": b.Fold, "gainDb": 0, "returns": "set", "routes": []any{map[string]any{"to": b.Routes[0].To, "gainDb": 0, "tap": "post"}}}
			require.Equal(t, 200, c.do("POST", path+"/deliver/settle", change(map[string]any{"kind": "put", "buses": []any{map[string]any{"at": -1, "value": value}}})).status)
		}
	}
	require.NotEmpty(t, c.delivered(path).bus("Hall, High winds"))

	require.Equal(t, 200, c.do("POST", path+"/deliver/nest", map[string]any{"stems": []string{o.bus("Winds apart")}, "parent": o.bus("Winds")}).status)
	require.Equal(t, 200, c.do("POST", path+"/deliver/folds", map[string]any{"name": "whole", "at": 2}).status)
	folds := c.delivered(path).Template.Folds
	require.Equal(t, "whole", folds[2].Name)
	require.Equal(t, 200, c.do("DELETE", path+"/deliver/folds/"+folds[2].ID, nil).status)
	require.Equal(t, 200, c.do("POST", path+"/deliver/wire", map[string]any{"what": "numbers", "first": 101, "gap": 1}).status)
	require.Equal(t, 200, c.do("POST", path+"/deliver/wire", map[string]any{"what": "everything"}).status)
	cost := c.do("GET", path+"/deliver/cost?minutes=1", nil)
	require.Equal(t, cost.field(t, "files").(float64)*17.28e6, cost.field(t, "bytes"))
	require.Equal(t, 422, c.do("GET", path+"/deliver/cost?minutes=-1", nil).status)
	for range 40 { // everything is taken back, step by step
		if c.do("POST", path+"/undo", nil).status != 200 {
			break
		}
	}
	require.Empty(t, c.delivered(path).Template.Instruments)
}

func (c *client) row(path, id string) (out struct {
	ID, Name, Section string
	StemByHand        bool
	Routes            []struct {
		To     string
		GainDb float64
		Hand   bool
	}
}) {
	for _, i := range c.delivered(path).Template.Instruments {
		if i.ID == id {
			return i
		}
	}
	return out
}

// The routing as drawn, traced both ways; what hangs on a bus; and print.
func TestRoutingIsDrawnAndTraced(t *testing.T) {
	c := serve(t).signedIn(t, "ada")
	path := c.newTemplate("Salt")
	require.Equal(t, 200, c.do("POST", path+"/import?take=true", []byte(list)).status)
	o := c.delivered(path)
	type picture struct {
		Places  []struct{ ID, Kind, Name string }
		Ribbons []struct{ From, To, Count int }
		Height  float64
		Sums    []struct {
			AddsUp     bool
			Mismatches int
			Differ     []struct {
				Name    string
				StemsDb float64
			}
		}
	}
	p := decode[picture](t, c.do("GET", path+"/routing?room=500", nil))
	require.GreaterOrEqual(t, p.Height, 500.0)
	require.NotEmpty(t, p.Ribbons)
	flutes := o.Template.Instruments[0].Section
	open := decode[picture](t, c.do("GET", path+"/routing?toggled="+flutes+"&fold="+o.Template.Folds[1].ID, nil))
	require.True(t, slices.ContainsFunc(open.Places, func(x struct{ ID, Kind, Name string }) bool { return x.Kind == "instrument" && x.Name == "Piccolo" }))
	require.False(t, slices.ContainsFunc(open.Places, func(x struct{ ID, Kind, Name string }) bool { return x.Name == "High winds" }), "stems of another fold")

	reach := decode[[]struct {
		Bus, Chain string
		GainDb     float64
		Wet        bool
	}](t, c.do("GET", path+"/reach/"+o.Template.Instruments[0].ID, nil))
	require.Len(t, reach, 5, "group, stem, section, mix and speakers")
	require.Equal(t, "dry", reach[0].Chain)
	require.Equal(t, 422, c.do("GET", path+"/reach/gone", nil).status)
	require.Contains(t, string(c.do("GET", path+"/trace/bus/"+o.bus("High winds"), nil).body), "2 instruments dry")
	require.Equal(t, 422, c.do("GET", path+"/trace/bus/gone", nil).status)

	hang := c.do("GET", path+"/buses/"+o.bus("High winds")+"/dependants", nil)
	require.Len(t, hang.field(t, "orphaned"), 2)
	require.Equal(t, o.bus("Winds"), hang.field(t, "offers").([]any)[0])

	wires := []any{map[string]any{"from": o.bus("High winds"), "to": o.bus("Winds"), "level": map[string]any{"gainDb": -3, "tap": "post"}}}
	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": o.Revision, "change": map[string]any{"kind": "connect", "wires": wires}}).status)
	p = decode[picture](t, c.do("GET", path+"/routing", nil))
	require.False(t, p.Sums[0].AddsUp)
	require.Equal(t, 2, p.Sums[0].Mismatches)
	require.Equal(t, "Piccolo", p.Sums[0].Differ[0].Name)

	require.Equal(t, 200, c.do("POST", path+"/changes", map[string]any{"base": o.Revision + 1, "change": map[string]any{"kind": "set-position", "position": "print"}}).status)
	require.NotEmpty(t, c.delivered(path).bus("Print"))
	for _, format := range []string{"routing-pdf", "ribbons", "routing"} {
		require.Equal(t, 200, c.do("GET", path+"/export/"+format, nil).status, format)
	}
}

// Rows go from one template into another with their routes; buses without a
// counterpart are asked about; another studio's template is closed.
func TestPastingIntoAnotherTemplate(t *testing.T) {
	s := serve(t)
	c := s.signedIn(t, "ada")
	from, to := c.newTemplate("From"), c.newTemplate("To")
	require.Equal(t, 200, c.do("POST", from+"/import?take=true", []byte(list)).status)
	o := c.delivered(from)
	id := from[len("/api/templates/"):]
	ask := map[string]any{"from": id, "ids": []string{o.Template.Instruments[0].ID}}
	questions := decode[struct {
		Questions []struct{ Bus, Name, Kind string }
		Revision  int64
	}](t, c.do("POST", to+"/paste", ask))
	require.Equal(t, "Flutes", questions.Questions[0].Name)
	require.Zero(t, questions.Revision)
	answers := map[string]any{}
	for range 5 { // each answer can raise a further question
		for _, q := range questions.Questions {
			answers[q.Bus] = map[string]any{"make": true}
		}
		ask["answers"] = answers
		questions = decode[struct {
			Questions []struct{ Bus, Name, Kind string }
			Revision  int64
		}](t, c.do("POST", to+"/paste", ask))
	}
	require.Positive(t, questions.Revision)
	pasted := c.delivered(to)
	require.Equal(t, "Piccolo", pasted.Template.Instruments[0].Name)
	require.NotEmpty(t, pasted.bus("High winds"))
	require.Equal(t, 404, s.signedIn(t, "eve").do("POST", to+"/paste", ask).status)
	eves := s.signedIn(t, "eve")
	require.Equal(t, 404, eves.do("POST", eves.newTemplate("Eve's")+"/paste", ask).status)

	section := o.Template.Instruments[0].Section
	done := c.do("POST", from+"/sections/"+section+"/duplicate", nil)
	require.Len(t, done.field(t, "added"), 2)
}
