package deliver_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/deliver"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/template"
)

func groupsAre(t *template.Template, rule template.GroupRule) *template.Template {
	set := t.Settings
	set.Deliver.Groups = rule
	return coretest.Must(t, change.Configure{Name: t.Name, Settings: set})
}

// dryAtMix is the level of every instrument's dry sound at the mix.
func dryAtMix(t *template.Template) map[template.ID]float64 {
	f, out := fan.New(t), map[template.ID]float64{}
	for n, i := range t.Instruments {
		for _, r := range f.FromRow(n) {
			if f.Bus(r).Kind == template.Mix && r.Chain == fan.Dry {
				out[i.ID] = r.Gain
			}
		}
	}
	return out
}

func count(t *template.Template, kind template.BusKind) int {
	n := 0
	for _, b := range t.Buses {
		if b.Kind == kind {
			n++
		}
	}
	return n
}

// Whatever was wired before, the groups that come out are as many as there are
// different stems (or sections within stems) and none feeds two stems; nothing
// changes its level; what adds up before adds up after; and a second run finds
// nothing to do.
func TestGroupsAreTheFewestThatKeepStemsApart(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		now := coretest.Orchestra(rapid.IntRange(4, 40).Draw(r, "rows"), 1)
		for range rapid.IntRange(0, 8).Draw(r, "moves") {
			fine := now.StemsOf("fold-fine")
			i := rapid.SampledFrom(now.Instruments).Draw(r, "row")
			fader := rapid.Float64Range(-12, 6).Draw(r, "fader")
			now = coretest.Must(now,
				change.AssignStem{IDs: []template.ID{i.ID}, Stem: rapid.SampledFrom(fine).Draw(r, "stem").ID},
				change.Edit{Edits: []change.Fields{{ID: i.ID, GainDB: &fader}}})
			for _, b := range now.Buses { // group faders are levels, too
				if b.Kind == template.Group && rapid.IntRange(0, 9).Draw(r, "trim") == 0 {
					b = b.Clone()
					b.GainDB = rapid.Float64Range(-6, 6).Draw(r, "group")
					now = coretest.Must(now, change.Put{Buses: []change.Entry[template.Bus]{change.Append(b)}})
				}
			}
		}
		rule := rapid.SampledFrom(template.GroupRules).Draw(r, "rule")
		now = groupsAre(now, rule)
		before := dryAtMix(now)
		c, err := deliver.Wire(now, coretest.Mint())
		require.NoError(r, err)
		after := coretest.Must(now, c)
		require.NoError(r, after.Validate())
		got := dryAtMix(after)
		require.Len(r, got, len(before))
		for id, gain := range before {
			require.InDelta(r, gain, got[id], 1e-9*math.Max(1, gain), "the level of %s", id)
		}
		f := fan.New(after)
		for _, fold := range after.Folds {
			require.True(r, f.Sum(fold).AddsUp())
		}
		classes := map[[2]template.ID]bool{}
		for n, i := range after.Instruments {
			stems := f.StemsIn(f.FromRow(n), "fold-fine")
			require.Len(r, stems, 1)
			key := [2]template.ID{stems[0].ID}
			if rule == template.GroupsSections {
				key[1] = i.Section
			}
			classes[key] = true
		}
		want := map[template.GroupRule]int{template.GroupsFewest: len(classes), template.GroupsSections: len(classes), template.GroupsNone: 0}
		if rule != template.GroupsAsTheyAre {
			used := map[template.ID]bool{}
			for _, i := range after.Instruments {
				for _, route := range i.Routes {
					if after.Index().Buses[route.To].Kind == template.Group {
						used[route.To] = true
					}
				}
			}
			require.Len(r, used, want[rule])
		}
		again, err := deliver.Wire(after, coretest.Mint())
		require.NoError(r, err)
		require.Equal(r, asJSON(r, after), asJSON(r, coretest.Must(after, again)))
	})
}

// hall is a return set with a hall and a delay.
func hall() change.SetReturns {
	level := func(db float64) *float64 { return &db }
	return change.SetReturns{Sets: []*template.ReturnSet{{ID: "set", Name: "Hall", Effects: []template.ReturnEffect{
		{ID: "hall", Name: "Hall", Process: "Hall 2 s", NearDB: level(-18), MidDB: level(-14), FarDB: level(-10)},
		{ID: "delay", Name: "Delay", Process: "400 ms", Delay: true, MidDB: level(-20)},
	}}}}
}

// inHall gives stems a return set, and says what they carry.
func inHall(t *template.Template, carries template.Carries, stems ...*template.Bus) change.Put {
	var put change.Put
	for _, b := range stems {
		b = t.Index().Buses[b.ID].Clone()
		b.Returns, b.Carries = "set", carries
		put.Buses = append(put.Buses, change.Append(b))
	}
	return put
}

func settle(t testing.TB, now *template.Template, c change.Change) *template.Template {
	t.Helper()
	return apply(t, now, func(x *template.Template) (change.Change, error) { return deliver.Settle(x, c, coretest.Mint()) })
}

func sends(t *template.Template, id template.ID) map[string]template.Route {
	out := map[string]template.Route{}
	for _, r := range t.Instrument(id).Routes {
		if b := t.Index().Buses[r.To]; b.Kind == template.Return {
			out[b.Name] = r
		}
	}
	return out
}

// Every stem with the set gets a return of its own for each effect; halls are
// sent to before the fader, delays after it, by depth; what a person set by
// hand stays when its section changes.
func TestReturnsAndSends(t *testing.T) {
	now := settle(t, coretest.Orchestra(16, 1), hall())
	stems := now.StemsOf("fold-fine")
	now = settle(t, now, inHall(now, template.CarriesBoth, stems[0], stems[1]))
	require.Equal(t, 4, count(now, template.Return))
	f := fan.New(now)
	require.Empty(t, deliver.SharedReturns(now, f, "fold-fine"))
	for _, fold := range now.Folds {
		require.True(t, f.Sum(fold).AddsUp(), fold.Name)
	}
	var row *template.Instrument
	for _, i := range now.Instruments {
		if f.Stems(i, "fold-fine")[0].ID == stems[0].ID {
			row = i
		}
	}
	hallName, delayName := "Hall, "+stems[0].Name, "Delay, "+stems[0].Name
	require.Equal(t, template.Route{To: sends(now, row.ID)[hallName].To, GainDB: -14, Tap: template.Pre}, sends(now, row.ID)[hallName])
	require.Equal(t, template.Post, sends(now, row.ID)[delayName].Tap)

	section := *now.Index().Sections[row.Section]
	section.Depth = template.Far
	far := settle(t, now, change.Put{Sections: []change.Entry[template.Section]{change.Append(&section)}})
	require.Equal(t, -10.0, sends(far, row.ID)[hallName].GainDB)
	require.NotContains(t, sends(far, row.ID), delayName, "the delay takes nothing from far away")

	section.Sends = []template.Send{{Effect: "hall", GainDB: -3, Tap: template.Post}}
	own := settle(t, now, change.Put{Sections: []change.Entry[template.Section]{change.Append(&section)}})
	require.Equal(t, -3.0, sends(own, row.ID)[hallName].GainDB)

	byHand := coretest.Must(now, change.Connect{Wires: []change.Wire{{From: row.ID, To: sends(now, row.ID)[hallName].To, Level: &change.WireSetting{GainDB: -7, Tap: template.Pre, Hand: true}}}})
	kept := settle(t, byHand, change.Put{Sections: []change.Entry[template.Section]{change.Append(&section)}})
	require.Equal(t, -7.0, sends(kept, row.ID)[hallName].GainDB)
	back := apply(t, kept, func(x *template.Template) (change.Change, error) {
		return deliver.Obey(x, []template.ID{row.ID}, true, coretest.Mint())
	})
	require.Equal(t, -3.0, sends(back, row.ID)[hallName].GainDB)

	moved := apply(t, now, func(x *template.Template) (change.Change, error) {
		return deliver.ByHand(x, []template.ID{row.ID}, stems[1].ID, coretest.Mint())
	})
	require.Contains(t, sends(moved, row.ID), "Hall, "+stems[1].Name, "its sends move with it")
	require.NotContains(t, sends(moved, row.ID), hallName)

	gone := settle(t, now, change.SetReturns{})
	require.Zero(t, count(gone, template.Return))
	require.Empty(t, sends(gone, row.ID))
}

// Stems delivered dry share the returns of the stem that carries their wet
// sound: the wet one beside them, or the one they belong to.
func TestDryStemsShareTheirReturns(t *testing.T) {
	now := settle(t, coretest.Orchestra(16, 1), hall())
	coarse := now.StemsOf("fold-sections")[0]
	var dry []*template.Bus
	for _, b := range now.StemsOf("fold-fine") {
		if now.ParentStem(b).ID == coarse.ID {
			dry = append(dry, b)
		}
	}
	require.Greater(t, len(dry), 1)
	shared := settle(t, now, inHall(now, template.CarriesDry, dry...))
	require.Equal(t, 2, count(shared, template.Return), "a hall and a delay for all of them")
	f := fan.New(shared)
	require.True(t, f.Sum(shared.Folds[1]).AddsUp())
	require.True(t, f.Sum(shared.Folds[0]).AddsUp(), "their wet sound is not asked for here")
	require.Empty(t, deliver.SharedReturns(shared, f, "fold-fine"))

	leaky := coretest.Must(shared, change.Connect{Wires: []change.Wire{{From: returnInto(shared, coarse.ID).ID, To: dry[0].ID, Level: &change.WireSetting{Tap: template.Post}}}})
	require.False(t, fan.New(leaky).Sum(leaky.Folds[0]).AddsUp(), "wet sound in a dry stem is a mismatch")

	wet := dry[0].Clone()
	wet.ID, wet.Name, wet.Carries = "wet", "Wet", template.CarriesWet
	beside := settle(t, coretest.Must(shared, change.Put{Buses: []change.Entry[template.Bus]{change.Append(wet)}}), change.Batch{})
	require.Equal(t, 2, count(beside, template.Return))
	require.NotNil(t, returnInto(beside, "wet"))
	for _, fold := range beside.Folds {
		require.True(t, fan.New(beside).Sum(fold).AddsUp(), fold.Name)
	}
}

func returnInto(t *template.Template, stem template.ID) *template.Bus {
	for _, b := range t.Buses {
		if b.Kind == template.Return && b.Routes[0].To == stem {
			return b
		}
	}
	return nil
}

// The case of practice: one hall, made by hand, that two stems share. It is
// found, and split into one for each with the same settings (common practice,
// no source).
func TestAHallSharedByTwoStemsIsSplit(t *testing.T) {
	now := coretest.Orchestra(16, 1)
	stems := now.StemsOf("fold-fine")
	f := fan.New(now)
	wires := change.Connect{}
	for _, i := range now.Instruments {
		if s := f.Stems(i, "fold-fine")[0]; s == stems[0] || s == stems[1] {
			wires.Wires = append(wires.Wires, change.Wire{From: i.ID, To: "hall", Level: &change.WireSetting{GainDB: -14, Tap: template.Pre}})
		}
	}
	now = coretest.Must(now, change.Put{Buses: []change.Entry[template.Bus]{change.Append(&template.Bus{ID: "hall", Kind: template.Return, Name: "Hall", Process: "Hall 2 s", Routes: []template.Route{{To: stems[0].ID, Tap: template.Post}}})}}, wires)
	shared := deliver.SharedReturns(now, fan.New(now), "fold-fine")
	require.Len(t, shared, 1)
	require.Len(t, shared[0].Stems, 2)
	after := apply(t, now, func(x *template.Template) (change.Change, error) { return deliver.Wire(x, coretest.Mint()) })
	require.Empty(t, deliver.SharedReturns(after, fan.New(after), "fold-fine"))
	require.Equal(t, 2, count(after, template.Return))
	for _, b := range after.Buses {
		if b.Kind == template.Return {
			require.Equal(t, "Hall 2 s", b.Process)
		}
	}
}

// One row sent elsewhere by hand, with what follows, at 10,000 instruments and
// 500 buses. Nothing a person does should wait more than a tenth of a second.
func BenchmarkByHand10000(b *testing.B) {
	now := groupsAre(coretest.Large(10_000, 500), template.GroupsFewest)
	c, err := deliver.Wire(now, coretest.Mint())
	require.NoError(b, err)
	now = coretest.Must(now, c)
	ids, stem := []template.ID{now.Instruments[5].ID}, now.StemsOf("fold-fine")[3].ID
	for b.Loop() {
		c, err := deliver.ByHand(now, ids, stem, coretest.Mint())
		require.NoError(b, err)
		coretest.Must(now, c)
	}
}
