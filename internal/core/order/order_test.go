package order_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/intake"
	"fanfold/internal/core/order"
	"fanfold/internal/core/sound"
	"fanfold/internal/core/template"
)

// sheet is a template of rows given as section, name, library, low and high key
// and articulations; without a library it is a spare row.
func sheet(t *testing.T, rows ...[]any) *template.Template {
	t.Helper()
	var list []intake.Row
	for n, r := range rows {
		row := intake.Row{Line: n + 2, Section: r[0].(string), Instrument: r[1].(string), Stem: "All"}
		if row.Library, _ = r[2].(string); row.Library == "" {
			row.Kind = "spare"
		} else {
			low, high := r[3].(int), r[4].(int)
			row.KeyLow, row.KeyHigh, row.Articulations = &low, &high, intake.Split(r[5].(string))
		}
		list = append(list, row)
	}
	batch, _, problems := intake.Plan(template.New("t", "T"), list, intake.Sequence(), intake.StandardDefaults())
	require.Empty(t, problems)
	return coretest.Must(template.New("t", "T"), batch)
}

func names(t *template.Template) []string {
	var out []string
	for _, i := range t.ScoreOrder() {
		out = append(out, t.SectionPath(i.Section)+": "+i.Name)
	}
	return out
}

func tops(t *template.Template) []string {
	var out []string
	for _, s := range t.SectionsInOrder() {
		if s.Parent == "" {
			out = append(out, s.Name)
		}
	}
	return out
}

func mixedUp(t *testing.T) *template.Template {
	return sheet(t,
		[]any{"Strings / Violins 2", "Violins 2 short", "Strings lib", 55, 90, "staccato"},
		[]any{"Strings / Violins 2", "Violins 2 long", "Strings lib", 55, 90, "long"},
		[]any{"Strings / Soloists", "Solo violin", "Solo lib", 55, 96, "long"},
		[]any{"Strings / Basses", "Basses long", "Strings lib", 28, 60, "long"},
		[]any{"Strings / Violins 1", "Violins 1 long", "Strings lib", 55, 96, "long"},
		[]any{"Voices", "Choir", "Voice lib", 40, 80, "long"},
		[]any{"Percussion", "Timpani", "Perc lib", 38, 60, "hit"},
		[]any{"Brass", "Trumpet 10", "Brass lib", 52, 86, "long"},
		[]any{"Brass", "", "", 0, 0, ""},
		[]any{"Brass", "Trumpet 2 short", "Brass lib", 52, 86, "staccato"},
		[]any{"Brass", "Trumpet 2 long", "Brass lib", 52, 86, "long"},
		[]any{"Brass", "Horn 1", "Brass lib", 34, 77, "long"},
		[]any{"Keys", "Harp", "Keys lib", 23, 103, "long"},
		[]any{"Winds", "Bassoon", "Wind lib", 34, 75, "long"},
		[]any{"Winds", "Oboe", "Wind lib", 58, 93, "long"},
		[]any{"Winds", "Piccolo", "Other lib", 74, 108, "long"},
	)
}

// Score order as published full scores have it: woodwinds, brass, percussion,
// harp and keyboards, soloists, voices, strings; flutes before oboes before
// bassoons, horns before trumpets (from memory: the order of the parts in scores
// of the large orchestra).
func TestScoreOrder(t *testing.T) {
	plan, err := order.Arrange(mixedUp(t), "", order.Score, coretest.Mint())
	require.NoError(t, err)
	require.Equal(t, []string{"Winds", "Brass", "Percussion", "Keys", "Voices", "Strings"}, tops(plan.After))
	require.Equal(t, []string{
		"Winds: Piccolo", "Winds: Oboe", "Winds: Bassoon",
		"Brass: Horn 1", "Brass: Trumpet 2 long", "Brass: Trumpet 2 short", "Brass: Trumpet 10", "Brass: Spare",
		"Percussion: Timpani", "Keys: Harp", "Voices: Choir",
		"Strings / Violins 1: Violins 1 long", "Strings / Violins 2: Violins 2 long", "Strings / Violins 2: Violins 2 short",
		"Strings / Basses: Basses long", "Strings / Soloists: Solo violin",
	}, names(plan.After))
	again, err := order.Arrange(plan.After, "", order.Score, coretest.Mint())
	require.NoError(t, err)
	require.Nil(t, again.Change, "it stands so already")
	require.Zero(t, again.Moved)
}

// In stage order strings are in front and the choir at the back, unless somebody
// said where a section sits; low to high goes by the middle of the range.
func TestStageOrderAndLowToHigh(t *testing.T) {
	base := mixedUp(t)
	plan, err := order.Arrange(base, "", order.Stage, coretest.Mint())
	require.NoError(t, err)
	require.Equal(t, []string{"Strings", "Keys", "Winds", "Brass", "Percussion", "Voices"}, tops(plan.After))
	for _, s := range base.Sections {
		if s.Name == "Voices" {
			near := *s
			near.Depth = template.Near
			base = coretest.Must(base, change.Put{Sections: []change.Entry[template.Section]{change.Append(&near)}})
		}
	}
	plan, err = order.Arrange(base, "", order.Stage, coretest.Mint())
	require.NoError(t, err)
	require.Equal(t, []string{"Strings", "Voices", "Keys", "Winds", "Brass", "Percussion"}, tops(plan.After))

	var brass template.ID
	for _, s := range base.Sections {
		if s.Name == "Winds" {
			brass = s.ID
		}
	}
	plan, err = order.Arrange(base, brass, order.LowToHigh, coretest.Mint())
	require.NoError(t, err)
	require.Equal(t, tops(base), tops(plan.After), "only one section is put in order")
	require.Equal(t, []string{"Winds: Bassoon", "Winds: Oboe", "Winds: Piccolo"}, names(plan.After)[13:])
}

// One section by library and another by role; what has no patch stays, sections
// nobody stands in go, and back again by instrument.
func TestGatheringRows(t *testing.T) {
	base := mixedUp(t)
	id := func(tm *template.Template, name string) template.ID {
		return tm.Sections[slices.IndexFunc(tm.Sections, func(s *template.Section) bool { return s.Name == name })].ID
	}
	plan, err := order.Arrange(base, id(base, "Strings"), order.Role, coretest.Mint())
	require.NoError(t, err)
	require.Equal(t, []string{
		"Strings / High long: Violins 2 long", "Strings / High long: Solo violin", "Strings / High long: Violins 1 long",
		"Strings / High short: Violins 2 short", "Strings / Low long: Basses long",
	}, names(plan.After)[:5])
	require.Equal(t, []string{"High long", "High short", "Low long"}, plan.Made)
	require.Equal(t, []string{"Strings / Violins 2", "Strings / Soloists", "Strings / Basses", "Strings / Violins 1"}, plan.Gone)

	both, err := order.Arrange(plan.After, id(base, "Brass"), order.Library, coretest.Mint())
	require.NoError(t, err)
	require.Contains(t, names(both.After), "Brass / Brass lib: Horn 1")
	require.Contains(t, names(both.After), "Brass: Spare", "it plays nothing, and stays")
	require.Contains(t, names(both.After), "Strings / High short: Violins 2 short")

	whole, err := order.Arrange(both.After, "", order.Instrument, coretest.Mint())
	require.NoError(t, err)
	require.Contains(t, names(whole.After), "Strings / Violins 1: Violins 1 long")
	require.Contains(t, names(whole.After), "Brass / Horns: Horn 1")
	sorted, err := order.Arrange(whole.After, "", order.Score, coretest.Mint())
	require.NoError(t, err)
	require.Equal(t, []string{"Winds", "Brass", "Percussion", "Keys and harp", "Voices", "Strings"}, tops(sorted.After))
}

// What has no place in the order is gathered last, and has nobody's colour.
func TestOthersGoLast(t *testing.T) {
	base := mixedUp(t)
	name, empty := "Creak", ""
	first := base.ScoreOrder()[0]
	patch := *base.PatchesOf(first)[0]
	patch.Name, patch.Sound = name, empty
	base = coretest.Must(base, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&patch)}}, change.Edit{Edits: []change.Fields{{ID: first.ID, Name: &name}}})
	plan, err := order.Arrange(base, "", order.Instrument, coretest.Mint())
	require.NoError(t, err)
	all := tops(plan.After)
	require.Equal(t, "Others", all[len(all)-1])
	last := plan.After.SectionsInOrder()
	require.Equal(t, "grey", plan.After.TintOf(last[len(last)-1].ID))
	require.Equal(t, "Others: Creak", names(plan.After)[len(plan.After.Instruments)-1])
}

// A section that a stem rule speaks of stays though it is empty, and the plan
// says how many rows the rules would treat otherwise.
func TestRulesKeepTheirSections(t *testing.T) {
	base := mixedUp(t)
	stem := base.StemsOf(base.Folds[0].ID)[0]
	base = coretest.Must(base, change.SetRules{Rules: []*template.StemRule{{ID: "rule", Section: base.Instrument(base.ScoreOrder()[3].ID).Section, Stem: stem.ID}}})
	plan, err := order.Arrange(base, "", order.Library, coretest.Mint())
	require.NoError(t, err)
	require.Equal(t, []string{"Strings / Basses"}, plan.Kept)
	require.Equal(t, 1, plan.Stems)
}

// Whatever is ordered, whichever way: routes, seats, faders and all else of every
// row stay as they are, it reaches the same stems, and undo brings back the same
// template.
func TestOrderTouchesNothingElse(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		base := coretest.Orchestra(rapid.IntRange(1, 80).Draw(r, "rows"), 1)
		for range rapid.IntRange(0, 6).Draw(r, "mixing") {
			if after, _, err := change.Apply(base, coretest.Any(base).Draw(r, "change")); err == nil && len(after.Instruments) > 0 {
				base = after
			}
		}
		within := template.ID("")
		if rapid.Bool().Draw(r, "one section") {
			within = rapid.SampledFrom(base.Sections).Draw(r, "section").ID
		}
		plan, err := order.Arrange(base, within, rapid.SampledFrom(order.Ways).Draw(r, "way"), coretest.Mint())
		require.NoError(r, err)
		require.NoError(r, plan.After.Validate())
		require.Len(r, plan.After.Instruments, len(base.Instruments))
		before, after := fan.New(base), fan.New(plan.After)
		for _, i := range base.Instruments {
			now := plan.After.Instrument(i.ID)
			same := *now.Clone()
			same.Section = i.Section
			require.Equal(r, *i.Clone(), same)
			for _, f := range base.Folds {
				require.Equal(r, len(before.Stems(i, f.ID)), len(after.Stems(now, f.ID)))
			}
		}
		if plan.Change == nil {
			return
		}
		now, undo, err := change.Apply(base, plan.Change)
		require.NoError(r, err)
		back, _, err := change.Apply(now, undo)
		require.NoError(r, err)
		require.Equal(r, base.Instruments, back.Instruments)
		require.Equal(r, base.Sections, back.Sections)
		require.Equal(r, base.Buses, back.Buses)
	})
}

// Rows are put in order between the dividers, which stay where they are; gathered, they stay in
// their section.
func TestDividersStay(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		base := coretest.Orchestra(rapid.IntRange(2, 60).Draw(r, "rows"), 1)
		var lines []template.ID
		for n := range rapid.IntRange(1, 5).Draw(r, "dividers") {
			at := rapid.IntRange(1, len(base.Instruments)).Draw(r, "at")
			line := &template.Instrument{ID: template.ID(rune('a' + n)), Section: base.Instruments[at-1].Section, Kind: template.Divider}
			base = coretest.Must(base, change.Add{Instruments: []change.Placed{{At: at, Instrument: line}}})
			lines = append(lines, line.ID)
		}
		way := rapid.SampledFrom(order.Ways).Draw(r, "way")
		plan, err := order.Arrange(base, "", way, coretest.Mint())
		require.NoError(r, err)
		for _, id := range lines {
			was, now := base.Instrument(id), plan.After.Instrument(id)
			require.Equal(r, was.Section, now.Section)
			if slices.Contains([]order.By{order.Score, order.Stage, order.LowToHigh}, way) {
				require.Equal(r, above(base, id), above(plan.After, id), "the same rows above it")
			}
		}
	})
}

// above are the rows of a divider's section that stand above it, by name.
func above(t *template.Template, id template.ID) []template.ID {
	var out []template.ID
	for _, i := range t.Instruments {
		if i.ID == id {
			break
		}
		if i.Section == t.Instrument(id).Section {
			out = append(out, i.ID)
		}
	}
	slices.Sort(out)
	return out
}

func BenchmarkScoreOrder10000(b *testing.B) {
	t := coretest.Large(10_000, 200)
	for b.Loop() {
		_, _ = order.Arrange(t, "", order.Score, coretest.Mint())
	}
}

// By role over the whole orchestra: flutes and violins do not meet in one high long
// section, unless that is asked for.
func TestRolesStayWithinFamilies(t *testing.T) {
	base := mixedUp(t)
	plan, err := order.Arrange(base, "", order.Role, coretest.Mint())
	require.NoError(t, err)
	for _, i := range plan.After.Instruments {
		id := sound.ByName(i.Name)
		if i.Kind != template.Sampled || id == nil {
			continue
		}
		path := strings.Split(plan.After.SectionPath(i.Section), template.PathSeparator)
		require.Len(t, path, 2, i.Name)
		require.Equal(t, sound.Family(id.ID), path[0], i.Name)
	}
	require.Contains(t, plan.Made, "Strings / High long")
	all, err := order.Arrange(base, "", order.RoleOfAll, coretest.Mint())
	require.NoError(t, err)
	require.Contains(t, all.Made, "High long")
	require.NotContains(t, all.Made, "Strings / High long")
}
