package deliver_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

// apply makes a change and applies it.
func apply(t testing.TB, now *template.Template, make func(*template.Template) (change.Change, error)) *template.Template {
	t.Helper()
	c, err := make(now)
	require.NoError(t, err)
	if c == nil {
		return now
	}
	after, _, err := change.Apply(now, c)
	require.NoError(t, err)
	require.NoError(t, after.Validate())
	return after
}

// strings makes a small section of strings with ranges and articulations, as a
// handbook gives them (from memory), and a stem for each of its quarters.
func stringSection(testing.TB) *template.Template {
	now := template.New("t", "Strings")
	put := change.Put{
		Sections:  []change.Entry[template.Section]{change.Append(&template.Section{ID: "strings", Name: "Strings"}), change.Append(&template.Section{ID: "cellos", Parent: "strings", Name: "Cellos"}), change.Append(&template.Section{ID: "winds", Name: "Winds"})},
		Libraries: []change.Entry[template.Library]{change.Append(&template.Library{ID: "lib", Name: "Wren & Vale Strings", Code: "WV"})},
		Players:   []change.Entry[template.Player]{change.Append(&template.Player{ID: "player", Name: "Lamp", Sounds: 16, Outputs: 16})},
	}
	for _, name := range []string{"High long", "High short", "Low long", "Low short"} {
		put.Buses = append(put.Buses, change.Append(&template.Bus{ID: template.ID(name), Kind: template.Stem, Name: name, Fold: "fold-fine", Section: "strings", Routes: []template.Route{{To: "bus-mix", Tap: template.Post}}}))
	}
	var add change.Add
	for _, x := range []struct {
		name, section, plays string
		low, high            int
	}{
		{"Violins", "strings", "long;legato;spiccato", 55, 100}, {"Violins short", "strings", "spiccato;staccato", 55, 100},
		{"Cellos", "cellos", "legato;long", 36, 84}, {"Cellos short", "cellos", "pizzicato", 36, 84}, {"Bassoon", "winds", "staccato", 34, 75},
		{"Unknown", "strings", "long", 0, 127},
	} {
		id := template.ID("patch " + x.name)
		put.Patches = append(put.Patches, change.Append(&template.Patch{ID: id, Library: "lib", Player: "player", Name: x.name, KeyLow: x.low, KeyHigh: x.high, Roles: []string{"section"}}))
		add.Instruments = append(add.Instruments, change.Placed{At: -1, Instrument: &template.Instrument{
			ID: template.ID(x.name), Section: template.ID(x.section), Name: x.name, Kind: template.Sampled, Patches: []template.ID{id}, Articulations: strings.Split(x.plays, ";"),
		}})
	}
	add.Instruments = append(add.Instruments, change.Placed{At: -1, Instrument: &template.Instrument{ID: "Dialogue", Section: "strings", Name: "Dialogue", Kind: template.Guide}})
	return coretest.Must(now, put, add)
}

func withRules(t *template.Template, rules ...template.StemRule) *template.Template {
	var set change.SetRules
	for n, r := range rules {
		r.ID = template.ID(fmt.Sprintf("rule-%d", n))
		set.Rules = append(set.Rules, &r)
	}
	return coretest.Must(t, set)
}

// The example of the design: section within Strings, register low, family
// short goes to Low short. The first rule that is met wins.
func TestTheFirstRuleWins(t *testing.T) {
	now := withRules(stringSection(t),
		template.StemRule{Stem: "Low short", Section: "strings", Register: template.Low, Family: template.Short},
		template.StemRule{Stem: "Low long", Section: "strings", Register: template.Low},
		template.StemRule{Stem: "High short", Section: "strings", Family: template.Short},
		template.StemRule{Stem: "High long", Section: "strings", Register: template.High, Family: template.Long})
	want := map[string]template.ID{"Violins": "High long", "Violins short": "High short", "Cellos": "Low long", "Cellos short": "Low short", "Bassoon": "", "Unknown": ""}
	verdicts := deliver.NewSorter(now, now.Rules).Sort(fan.New(now))
	require.Len(t, verdicts, len(want), "guides are never asked about")
	for _, v := range verdicts {
		got := template.ID("")
		if v.Stem != nil {
			got = v.Stem.ID
		}
		require.Equal(t, want[v.Instrument.Name], got, v.Instrument.Name)
		require.Equal(t, got != "", v.Moves(), v.Instrument.Name)
	}
	require.Equal(t, "stands in Strings; short, as pizzicato is; low: C2 to C6", verdicts[3].Why())
	require.Equal(t, []template.Family{template.Short}, verdicts[0].Also, "it plays short too, and goes along")

	after := apply(t, now, func(x *template.Template) (change.Change, error) { return deliver.ApplyRules(x, coretest.Mint()) })
	for _, v := range deliver.NewSorter(after, after.Rules).Sort(fan.New(after)) {
		require.False(t, v.Moves(), "nothing moves a second time: %s", v.Instrument.Name)
	}
	require.True(t, fan.New(after).Sum(after.Folds[0]).AddsUp())
}

func TestEveryCondition(t *testing.T) {
	for name, tc := range map[string]struct {
		rule template.StemRule
		want []string
	}{
		"everything": {template.StemRule{}, []string{"Violins", "Violins short", "Cellos", "Cellos short", "Bassoon", "Unknown"}},
		"section":    {template.StemRule{Section: "cellos"}, []string{"Cellos", "Cellos short"}},
		"deeper":     {template.StemRule{Section: "strings"}, []string{"Violins", "Violins short", "Cellos", "Cellos short", "Unknown"}},
		"legato":     {template.StemRule{Family: template.Legato}, []string{"Cellos"}},
		"long":       {template.StemRule{Family: template.Long}, []string{"Violins", "Cellos", "Unknown"}},
		"high":       {template.StemRule{Register: template.High}, []string{"Violins", "Violins short"}},
		"library":    {template.StemRule{Library: "lib", Section: "winds"}, []string{"Bassoon"}},
		"kind":       {template.StemRule{Kind: template.Input}, nil},
		"role":       {template.StemRule{Role: "Section", Section: "winds"}, []string{"Bassoon"}},
		"no role":    {template.StemRule{Role: "solo"}, nil},
		"part":       {template.StemRule{Name: "SHORT"}, []string{"Violins short", "Cellos short"}},
		"pattern":    {template.StemRule{Name: "?iolins*"}, []string{"Violins", "Violins short"}},
		"literal":    {template.StemRule{Name: "V.olins*"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			tc.rule.Stem = "High long"
			now := withRules(stringSection(t), tc.rule)
			var got []string
			for _, v := range deliver.NewSorter(now, now.Rules).Sort(fan.New(now)) {
				if v.Rule >= 0 {
					got = append(got, v.Instrument.Name)
				}
			}
			require.Equal(t, tc.want, got)
			require.NotEmpty(t, deliver.Text(now, now.Rules[0]))
		})
	}
}

// What a person sends elsewhere stays there, until it is let follow again.
func TestExceptionsStay(t *testing.T) {
	now := withRules(stringSection(t), template.StemRule{Stem: "Low long", Section: "cellos"})
	now = apply(t, now, func(x *template.Template) (change.Change, error) { return deliver.ApplyRules(x, coretest.Mint()) })
	now = apply(t, now, func(x *template.Template) (change.Change, error) {
		return deliver.ByHand(x, []template.ID{"Cellos"}, "High long", coretest.Mint())
	})
	require.True(t, now.Instrument("Cellos").StemByHand)
	again := apply(t, now, func(x *template.Template) (change.Change, error) { return deliver.ApplyRules(x, coretest.Mint()) })
	require.Equal(t, "High long", stemName(again, "Cellos"))

	back := apply(t, now, func(x *template.Template) (change.Change, error) {
		return deliver.Obey(x, []template.ID{"Cellos"}, false, coretest.Mint())
	})
	require.False(t, back.Instrument("Cellos").StemByHand)
	require.Equal(t, "Low long", stemName(back, "Cellos"))

	same := apply(t, now, func(x *template.Template) (change.Change, error) {
		return deliver.ByHand(x, []template.ID{"Cellos"}, "Low long", coretest.Mint())
	})
	require.False(t, same.Instrument("Cellos").StemByHand, "where the rules agree it is not an exception")

	_, err := deliver.ByHand(now, []template.ID{"Dialogue"}, "Low long", coretest.Mint())
	require.ErrorContains(t, err, "guides go straight to the speakers")
}

func stemName(t *template.Template, id template.ID) string {
	f := fan.New(t)
	var names []string
	for _, s := range f.Stems(t.Instrument(id), t.Folds[0].ID) {
		names = append(names, s.Name)
	}
	return strings.Join(names, ", ")
}

// New instruments follow the rules at birth; those that have a stem keep it,
// and a spare row that is filled keeps its routes.
func TestNewInstrumentsFollowTheRules(t *testing.T) {
	now := withRules(stringSection(t), template.StemRule{Stem: "Low long", Section: "cellos"})
	add := func(id template.ID, routes ...template.Route) change.Add {
		return change.Add{Instruments: []change.Placed{{At: -1, Instrument: &template.Instrument{ID: id, Section: "cellos", Name: string(id), Kind: template.Sampled, Routes: routes}}}}
	}
	born := func(c change.Change, anew bool) *template.Template {
		return apply(t, now, func(x *template.Template) (change.Change, error) { return deliver.Born(x, c, anew, coretest.Mint()) })
	}
	require.Equal(t, "Low long", stemName(born(add("new"), false), "new"))
	wired := add("new", template.Route{To: "High long", Tap: template.Post})
	require.Equal(t, "High long", stemName(born(wired, false), "new"))
	require.Equal(t, "Low long", stemName(born(wired, true), "new"), "a neighbour's way gives way to the rules")

	sampled := template.Sampled
	spare := &template.Instrument{ID: "spare", Section: "cellos", Name: "Spare", Kind: template.Spare, Routes: []template.Route{{To: "High short", Tap: template.Post}}}
	now = coretest.Must(now, change.Add{Instruments: []change.Placed{{At: -1, Instrument: spare}}})
	filled := born(change.Edit{Edits: []change.Fields{{ID: "spare", Kind: &sampled}}}, true)
	require.Equal(t, "High short", stemName(filled, "spare"))
}

// Forty rules over 10,000 instruments, with why. The goal is 50 ms.
func BenchmarkStemRules10000(b *testing.B) {
	now := coretest.Large(10_000, 500)
	var set change.SetRules
	stems := now.StemsOf("fold-fine")
	for n := range 40 {
		r := &template.StemRule{ID: template.ID(fmt.Sprintf("rule-%d", n)), Stem: stems[n%len(stems)].ID, Section: now.Sections[n%len(now.Sections)].ID}
		switch n % 4 {
		case 0:
			r.Register = template.Low
		case 1:
			r.Family = template.Short
		case 2:
			r.Name = "*9*"
		}
		set.Rules = append(set.Rules, r)
	}
	now = coretest.Must(now, set)
	f := fan.New(now)
	for b.Loop() {
		deliver.NewSorter(now, now.Rules).Sort(f)
	}
}

// A row that sits with another goes that one's way, whatever the rules say of where
// it stands; a stem that is given to it by hand is given to both.
func TestRowsOfOneSeatGoOneWay(t *testing.T) {
	now := coretest.Orchestra(16, 1)
	home, far := now.Instruments[0], now.Instruments[1]
	now = coretest.Must(now, coretest.Again(now, home.ID))
	again := now.Instruments[1].ID
	stems := now.StemsOf("fold-fine")
	now = coretest.Must(now, change.Move{IDs: []template.ID{again}, Section: far.Section}, change.SetRules{Rules: []*template.StemRule{
		{ID: "rule-1", Section: home.Section, Stem: fan.New(now).Stems(home, "fold-fine")[0].ID},
		{ID: "rule-2", Section: far.Section, Stem: stems[3].ID},
	}})
	after := apply(t, now, func(t *template.Template) (change.Change, error) { return deliver.ApplyRules(t, coretest.Mint()) })
	require.Equal(t, fan.New(now).Stems(home, "fold-fine")[0].ID, fan.New(after).Stems(after.Instrument(home.ID), "fold-fine")[0].ID)
	require.True(t, after.Instrument(again).PlaysAs(after.Instrument(home.ID)))
	require.Equal(t, stems[3].ID, fan.New(after).Stems(after.Instrument(far.ID), "fold-fine")[0].ID)

	byHand := apply(t, after, func(t *template.Template) (change.Change, error) {
		return deliver.ByHand(t, []template.ID{again}, stems[2].ID, coretest.Mint())
	})
	for _, id := range []template.ID{home.ID, again} {
		require.Equal(t, stems[2].ID, fan.New(byHand).Stems(byHand.Instrument(id), "fold-fine")[0].ID)
	}
}
