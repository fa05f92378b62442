package catalogue_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/articulation"
	"fanfold/internal/core/catalogue"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/intake"
	measure "fanfold/internal/core/patch"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
)

// shelf is a catalogue of one library with strings and a flute.
func shelf() *template.Template {
	return coretest.Must(template.New("catalogue", "Catalogue"), change.Put{
		Libraries: []change.Entry[template.Library]{change.Append(&template.Library{ID: "lib", Name: "Wren & Vale Strings", Code: "WVS", Room: template.Hall})},
		Players:   []change.Entry[template.Player]{change.Append(&template.Player{ID: "pl", Name: "Lamp player", Sounds: 16, Outputs: 8})},
		Patches: []change.Entry[template.Patch]{
			change.Append(patch("vln", "Violins", "strings.violin", "long", "spicc.", "pizz.")),
			change.Append(patch("vla", "Violas", "strings.viola", "long")),
			change.Append(patch("fl", "Flute", "wind.flutes.flute", "long", "flz.")),
		},
	})
}

func patch(id, name, is string, articulations ...string) *template.Patch {
	p := &template.Patch{ID: template.ID(id), Library: "lib", Player: "pl", Name: name, PreloadMiB: 100, KeyLow: 48, KeyHigh: 96, Sound: is}
	for n, a := range articulations {
		p.Map = append(p.Map, template.Mapping{Articulation: a, Switches: []template.Switch{{Kind: template.ByKey, Number: 24 + n}}})
	}
	return p
}

func mint() catalogue.Mint {
	next := intake.Sequence()
	return func(kind string) template.ID { return "new-" + next(kind) }
}

func TestUseMakesAWiredInstrumentInItsSection(t *testing.T) {
	c, err := catalogue.Use(template.New("t", "T"), shelf(), []template.ID{"vln", "fl"}, catalogue.Place{}, mint())
	require.NoError(t, err)
	after := coretest.Must(template.New("t", "T"), c)
	require.Len(t, after.Instruments, 2)
	i := after.Instruments[0]
	require.Equal(t, "Strings / Violins 1", after.SectionPath(i.Section))
	require.Equal(t, []string{"long", "spicc.", "pizz."}, i.Articulations)
	stems := fan.New(after).Stems(i, after.Folds[0].ID)
	require.Len(t, stems, 1)
	require.Equal(t, "Violins 1", stems[0].Name)
	require.Zero(t, proof.Check(after, "").Counts()["orphan"])
}

func TestUseTakesAfterTheNearestOfTheSection(t *testing.T) {
	c, err := catalogue.Use(template.New("t", "T"), shelf(), []template.ID{"vln"}, catalogue.Place{}, mint())
	require.NoError(t, err)
	base := coretest.Must(template.New("t", "T"), c)
	fader, tint := -4.5, "plum"
	base = coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: base.Instruments[0].ID, GainDB: &fader, Colour: &tint}}})
	next := mint()
	for range 9 {
		next("instrument")
	}
	c, err = catalogue.Use(base, shelf(), []template.ID{"vla"}, catalogue.Place{Before: base.Instruments[0].ID}, next)
	require.NoError(t, err)
	after := coretest.Must(base, c)
	require.Equal(t, "Violas", after.Instruments[0].Name, "it stands before the row it was dropped on")
	require.Equal(t, base.Instruments[0].Routes, after.Instruments[0].Routes)
	require.Equal(t, fader, after.Instruments[0].GainDB)
	require.Equal(t, tint, after.Instruments[0].Colour)
}

func TestASpareRowKeepsWhatItHas(t *testing.T) {
	base := coretest.Orchestra(4, 1)
	spare, none, gone := template.Spare, []template.ID{}, "keep me"
	id := base.Instruments[1].ID
	base = coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: id, Kind: &spare, Patches: &none, Notes: &gone}}})
	c, err := catalogue.Use(base, shelf(), []template.ID{"fl"}, catalogue.Place{Onto: id}, mint())
	require.NoError(t, err)
	i := coretest.Must(base, c).Instrument(id)
	require.Equal(t, []template.ID{"fl"}, i.Patches)
	require.Equal(t, template.Sampled, i.Kind)
	require.Equal(t, base.Instrument(id).Routes, i.Routes)
	require.Equal(t, gone, i.Notes)

	_, err = catalogue.Use(base, shelf(), []template.ID{"fl"}, catalogue.Place{Onto: base.Instruments[0].ID}, mint())
	require.ErrorContains(t, err, "only a spare row")
	_, err = catalogue.Use(base, shelf(), []template.ID{"gone"}, catalogue.Place{}, mint())
	require.ErrorContains(t, err, "no longer in the catalogue")
}

func TestSwapKeepsTheWayAndTellsWhatIsLost(t *testing.T) {
	base := coretest.Orchestra(4, 1)
	i := base.Instruments[0]
	list := []string{"sustain", "tremolo"}
	base = coretest.Must(base, change.Edit{Edits: []change.Fields{{ID: i.ID, Articulations: &list}}})
	c, sum, err := catalogue.Swap(base, shelf(), []template.ID{i.ID}, "vln", false)
	require.NoError(t, err)
	require.Equal(t, []string{"tremolo"}, sum.Lost)
	require.Equal(t, []string{"spicc.", "pizz."}, sum.Gained)
	after := coretest.Must(base, c).Instrument(i.ID)
	require.Equal(t, i.Routes, after.Routes)
	require.Equal(t, i.Name, after.Name)
	require.Equal(t, []template.ID{"vln"}, after.Patches)

	c, sum, err = catalogue.Swap(base, shelf(), []template.ID{i.ID}, "vln", true)
	require.NoError(t, err)
	require.Empty(t, sum.Lost)
	layered := coretest.Must(base, c)
	require.Equal(t, []template.ID{i.Patches[0], "vln"}, layered.Instrument(i.ID).Patches)
	_, _, err = catalogue.Swap(layered, shelf(), []template.ID{i.ID}, "vln", true)
	require.ErrorContains(t, err, "plays Violins already")
}

// Whatever a template holds, the catalogue takes in, and it and every copy
// agree afterwards.
func TestCatalogueAndTemplateComeToAgree(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		cat := shelf()
		next := mint()
		tpl := catalogue.Adopt(coretest.Orchestra(rapid.IntRange(1, 9).Draw(r, "n"), 1), cat, next)
		require.NoError(r, tpl.Validate())
		cat = coretest.Must(cat, catalogue.Missing(cat, tpl))
		require.Empty(r, catalogue.Missing(cat, tpl).Keys())
		p := *cat.Patches[rapid.IntRange(0, len(cat.Patches)-1).Draw(r, "which")]
		p.PreloadMiB, p.Library = 7, cat.Libraries[rapid.IntRange(0, len(cat.Libraries)-1).Draw(r, "library")].ID
		cat = coretest.Must(cat, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}})
		tpl = coretest.Must(tpl, catalogue.Behind(tpl, cat))
		require.Empty(r, catalogue.Behind(tpl, cat).Keys())
		for _, x := range tpl.Patches {
			require.Equal(r, cat.Index().Patches[x.ID], x)
		}
	})
}

// What is said of a patch in a template, by a remedy or by hand, is known to
// the catalogue afterwards; what the catalogue knew of others stays.
func TestLearned(t *testing.T) {
	cat := shelf()
	before := coretest.Must(template.New("t", "T"), catalogue.Copies(template.New("t", "T"), cat, cat.Patches[:2]))
	p := *before.Patches[0]
	p.Dynamics = template.DynamicsVolume
	after := coretest.Must(before, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}})
	flute := *cat.Patches[1]
	flute.PreloadMiB = 5
	cat = coretest.Must(cat, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&flute)}})
	got := coretest.Must(cat, catalogue.Learned(cat, before, after))
	require.Equal(t, template.DynamicsVolume, got.Index().Patches[p.ID].Dynamics)
	require.Equal(t, 5.0, got.Index().Patches[flute.ID].PreloadMiB, "the template is behind there, and says nothing new")
}

// A template from elsewhere whose IDs mean other things here gets IDs of its
// own; what is the same by name gets the catalogue's.
func TestAdopt(t *testing.T) {
	elsewhere := coretest.Must(template.New("t", "T"), change.Put{
		Libraries: []change.Entry[template.Library]{change.Append(&template.Library{ID: "other", Name: "wren & vale strings"}), change.Append(&template.Library{ID: "lib", Name: "Tallow Brass"})},
		Players:   []change.Entry[template.Player]{change.Append(&template.Player{ID: "pl", Name: "Lamp player", Sounds: 16, Outputs: 8})},
		Patches: []change.Entry[template.Patch]{
			change.Append(&template.Patch{ID: "1", Library: "other", Player: "pl", Name: "violins", KeyHigh: 127}),
			change.Append(&template.Patch{ID: "vln", Library: "lib", Player: "pl", Name: "Horns", KeyHigh: 127}),
		},
	})
	got := catalogue.Adopt(elsewhere, shelf(), mint())
	require.NoError(t, got.Validate())
	require.EqualValues(t, "lib", got.Libraries[0].ID)
	require.EqualValues(t, "new-library-1", got.Libraries[1].ID)
	require.EqualValues(t, "vln", got.Patches[0].ID)
	require.EqualValues(t, "new-patch-1", got.Patches[1].ID)
	require.EqualValues(t, "new-library-1", got.Patches[1].Library)
	require.EqualValues(t, "pl", got.Players[0].ID)
	require.EqualValues(t, "other", elsewhere.Libraries[0].ID, "the original is left as it was")
}

// A row list that names what the studio owns means just that.
func TestRowsMeanWhatTheStudioOwns(t *testing.T) {
	base := template.New("t", "T")
	rows := []intake.Row{{Line: 2, Section: "Strings", Instrument: "Violins", Library: "Wren & Vale Strings", Patch: "violins"}, {Line: 3, Section: "Strings", Instrument: "Fiddles", Library: "Wren & Vale Strings"}}
	batch, _, problems := intake.Plan(base, rows, mint(), intake.StandardDefaults())
	require.Empty(t, problems)
	after := coretest.Must(base, catalogue.Known(batch, base, shelf()))
	require.Equal(t, []template.ID{"vln"}, after.Instruments[0].Patches)
	require.Len(t, after.Libraries, 1)
	require.EqualValues(t, "lib", after.Libraries[0].ID)
	require.Equal(t, 100.0, after.Index().Patches["vln"].PreloadMiB)
	require.EqualValues(t, "lib", after.Index().Patches[after.Instruments[1].Patches[0]].Library)
}

func TestFinderKnowsAbbreviations(t *testing.T) {
	f := catalogue.NewFinder(nil, shelf())
	for text, want := range map[string][]string{
		"vln spic": {"vln"}, "spiccato": {"vln"}, "wvs": {"vln", "vla", "fl"}, "hall flute": {"fl"}, "flutter": {"fl"}, "archi": {}, "viol": {"vln", "vla"}, "": {"vln", "vla", "fl"},
	} {
		var got []string
		for _, p := range f.Find(catalogue.Query{Text: text}) {
			got = append(got, string(p.ID))
		}
		require.ElementsMatch(t, want, got, text)
	}
	require.Len(t, f.Find(catalogue.Query{Sound: "strings.violin"}), 1)
	require.Empty(t, f.Find(catalogue.Query{Library: "none"}))
	require.EqualValues(t, "fl", f.Find(catalogue.Query{Sort: "name"})[0].ID)
}

func large(n int) *template.Template {
	var put change.Put
	cat := shelf()
	for k := range n {
		put.Patches = append(put.Patches, change.Append(patch(fmt.Sprint("p", k), fmt.Sprintf("Violins %d", k), "strings.violin", "long", "stacc.", "pizz.")))
	}
	return coretest.Must(cat, put)
}

func BenchmarkFind20000(b *testing.B) {
	f := catalogue.NewFinder(nil, large(20_000))
	for b.Loop() {
		f.Find(catalogue.Query{Text: "vln pizz 19"})
	}
}

func BenchmarkFinderAfterOneChange20000(b *testing.B) {
	cat := large(20_000)
	f := catalogue.NewFinder(nil, cat)
	p := *cat.Patches[10]
	after := coretest.Must(cat, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&p)}})
	for b.Loop() {
		catalogue.NewFinder(f, after)
	}
}

// What a scan measured is set; what people said of a patch stays. Two of one
// name are told apart by their folders.
func TestScannedPatchesAreTakenIn(t *testing.T) {
	flute := measure.Measure{KeyLow: 59, KeyHigh: 96, RoundRobins: 3, PreloadMiB: 12, FullMiB: 90, Switches: []int{24, 25}, Labels: map[int]string{25: "stacc."}}
	c, sum, err := catalogue.Scanned(shelf(), "Wren & Vale Strings", []catalogue.Measured{
		scanned("Flute", "Winds/Flute.sfz", 0, flute), scanned("SoloOboe", "Winds/SoloOboe.sfz", 0, flute),
		scanned("hit", "Timpani/hit.sfz", 0, flute), scanned("hit", "Anvil/hit.sfz", 0, flute),
	}, mint())
	require.NoError(t, err)
	require.Equal(t, catalogue.Taken{Added: 3, Updated: 1}, sum)
	after := coretest.Must(shelf(), c)
	old := after.Index().Patches["fl"]
	require.Equal(t, []any{12.0, 59, 3, true}, []any{old.PreloadMiB, old.KeyLow, old.RoundRobins, old.Measured})
	require.Equal(t, "flz.", old.Map[1].Articulation, "its map was made by a person")
	named := map[string]*template.Patch{}
	for _, p := range after.Patches {
		named[p.Name] = p
	}
	require.Equal(t, "wind.reed.oboe", named["SoloOboe"].Sound)
	require.Equal(t, []string{"switch 1", "stacc."}, articulation.Names(named["SoloOboe"].Map))
	require.Equal(t, &template.KeyZone{Low: 24, High: 25}, named["SoloOboe"].SwitchZone)
	require.Equal(t, "drum.timpani", named["Timpani hit"].Sound, "the folder tells what it is")
	require.NotNil(t, named["Anvil hit"])

	_, again, err := catalogue.Scanned(after, "wren & vale strings", []catalogue.Measured{scanned("Flute", "Winds/Flute.sfz", 0, flute)}, mint())
	require.NoError(t, err)
	require.Equal(t, catalogue.Taken{Same: 1}, again)
	_, _, err = catalogue.Scanned(after, " ", nil, mint())
	require.ErrorContains(t, err, "the library cannot have that name")
}

func scanned(name, file string, programme int, m measure.Measure) catalogue.Measured {
	return catalogue.Measured{Name: name, Source: template.Source{File: file, Programme: programme}, Measure: m}
}

// A patch is the same as long as its file and preset are: a scan finds it again
// under the name a person gave it, and one of its old name is another.
func TestAPatchIsKnownByItsSource(t *testing.T) {
	take := func(cat *template.Template, list ...catalogue.Measured) (*template.Template, catalogue.Taken) {
		c, sum, err := catalogue.Scanned(cat, "Font", list, mint())
		require.NoError(t, err)
		return coretest.Must(cat, c), sum
	}
	m := measure.Measure{KeyHigh: 127, PreloadMiB: 1, FullMiB: 2}
	cat, sum := take(shelf(), scanned("Pad", "a.sf2", 1, m), scanned("Pad", "a.sf2", 2, m), scanned("Pad", "b.sf2", 1, m))
	require.Equal(t, 3, sum.Added)
	names := func() (out []string) {
		for _, p := range cat.Patches {
			if p.Source != nil {
				out = append(out, p.Name)
			}
		}
		slices.Sort(out)
		return out
	}
	require.Equal(t, []string{"Pad (a 0:1)", "Pad (a 0:2)", "Pad (b 0:1)"}, names(), "the shortest way that tells all of them apart")
	renamed := *cat.Patches[len(cat.Patches)-1]
	renamed.Name = "Warm bed"
	cat = coretest.Must(cat, change.Put{Patches: []change.Entry[template.Patch]{change.Append(&renamed)}})
	m.PreloadMiB = 9
	found := scanned("Pad", renamed.Source.File, renamed.Source.Programme, m)
	cat, sum = take(cat, found, scanned("Warm bed", "c.sf2", 0, m))
	require.Equal(t, catalogue.Taken{Added: 1, Updated: 1}, sum)
	require.Equal(t, 9.0, cat.Index().Patches[renamed.ID].PreloadMiB)
	require.Contains(t, names(), "Warm bed")
	require.Contains(t, names(), "Warm bed (c)")
}

// However many patches of one name a scan finds, every name is one that a patch may
// have, and none is there twice.
func TestScannedNamesAreDistinct(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		some := rapid.SampledFrom([]string{"Pad", "pad", "", "a/Pad", "Pad 2", "Pad (f)", "\x00", "\xff", strings.Repeat("é", 300)})
		list := rapid.SliceOfN(rapid.Custom(func(r *rapid.T) catalogue.Measured {
			file := rapid.SampledFrom([]string{"f.sf2", "a/f.sf2", "b/f.sf2", "b/g.sfz"}).Draw(r, "file")
			return scanned(some.Draw(r, "name"), file, rapid.IntRange(0, 9).Draw(r, "programme"), measure.Measure{})
		}), 0, 30).Draw(r, "list")
		seen := map[string]bool{}
		for _, m := range catalogue.Distinct(list) {
			require.NoError(r, template.CheckName(m.Name))
			require.False(r, seen[template.FoldName(m.Name)], m.Name)
			seen[template.FoldName(m.Name)] = true
		}
	})
}

// A patch that a list names again: what differs is told, the larger size and the wider
// range are taken, and of the rest what was said first.
func TestAPatchListedTwice(t *testing.T) {
	head := []string{"library", "patch", "player", "preload_mib", "voices", "key_low", "key_high", "dynamics"}
	list := func(lines ...[]string) (*template.Patch, catalogue.Taken) {
		var in []catalogue.Line
		for n, cells := range lines {
			in = append(in, catalogue.Line{Number: n + 2, Cells: cells})
		}
		c, sum, problems := catalogue.Listed(shelf(), head, in, intake.Reading{}, mint())
		require.Empty(t, problems)
		after := coretest.Must(shelf(), c)
		return after.Patches[len(after.Patches)-1], sum
	}
	p, sum := list([]string{"Tallow", "Bell", "One", "100", "8", "40", "90", "velocity"},
		[]string{"Tallow", "bell", "Two", "120", "4", "36", "80", "none"},
		[]string{"Tallow", "Bell", "One", "", "", "", "", ""})
	require.Equal(t, []any{120.0, 8, 36, 90, template.DynamicsVelocity, false}, []any{p.PreloadMiB, p.Voices, p.KeyLow, p.KeyHigh, p.Dynamics, p.Guessed})
	require.Equal(t, 1, sum.Added)
	require.Len(t, sum.Told, 1)
	require.Equal(t, 3, sum.Told[0].Line)
	for _, says := range []string{"preload_mib 100 and 120", "player One and Two", "dynamics velocity and none"} {
		require.Contains(t, sum.Told[0].Reason, says)
	}
	p, sum = list([]string{"Tallow", "Bell", "", "", "", "", "", ""}, []string{"Tallow", "Bell", "", "50", "", "", "", ""})
	require.Equal(t, 50.0, p.PreloadMiB, "what is stated beats what is guessed, though it is less")
	require.False(t, p.Guessed)
	require.Empty(t, sum.Told)
	p, sum = list([]string{"Wren & Vale Strings", "Flute", "", "90", "", "", "", ""}, []string{"Wren & Vale Strings", "Flute", "", "80", "", "", "", ""})
	require.Equal(t, []int{0, 1}, []int{sum.Added, sum.Updated})
	require.Len(t, sum.Told, 1)
	require.NotNil(t, p)
}

// What the studio's catalogue knows, a row list may name; its template gets copies.
func TestAListNamesWhatTheStudioHas(t *testing.T) {
	cat, base := shelf(), template.New("t", "T")
	x := 150.0
	rows := []intake.Row{
		{Line: 2, Section: "Strings", Instrument: "Violins", Library: cat.Index().Libraries["lib"].Name, Patch: cat.Index().Patches["vln"].Name, PreloadMiB: &x},
		{Line: 3, Section: "Strings", Instrument: "Harp", Library: cat.Index().Libraries["lib"].Name, Patch: "Harp"},
	}
	batch, report, problems := intake.Plan(catalogue.Shelf(base, cat), rows, intake.Sequence(), intake.StandardDefaults())
	require.Empty(t, problems)
	require.Empty(t, report.Libraries, "the studio has it")
	require.Equal(t, 1, report.Patches)
	require.Len(t, report.Told, 1)
	require.Contains(t, report.Told[0].Reason, "is 100 so far, 150 in line 2; the larger is taken")
	after := coretest.Must(base, catalogue.Lent(batch, base, cat))
	require.NoError(t, after.Validate())
	require.Equal(t, []template.ID{"vln"}, after.Instruments[0].Patches)
	require.Equal(t, 150.0, after.Index().Patches["vln"].PreloadMiB)
	require.Equal(t, 150.0, coretest.Must(cat, catalogue.Learned(cat, base, after)).Index().Patches["vln"].PreloadMiB, "and the studio learns it")
	require.Empty(t, base.Libraries, "the original is left as it was")
}

// A copy that nothing plays goes with its original; one that is played stays.
func TestGone(t *testing.T) {
	cat := shelf()
	c, err := catalogue.Use(template.New("t", "T"), cat, []template.ID{"vln"}, catalogue.Place{}, mint())
	require.NoError(t, err)
	tpl := coretest.Must(template.New("t", "T"), c)
	tpl = coretest.Must(tpl, catalogue.Copies(tpl, cat, cat.Patches))
	left := coretest.Must(cat, change.Drop{Patches: []template.ID{"vln", "vla"}})
	drop := catalogue.Gone(tpl, cat, left)
	require.Equal(t, change.Drop{Patches: []template.ID{"vla"}}, drop)
	require.Len(t, coretest.Must(tpl, drop).Patches, 2)
}

// Machines are the studio's: a template from elsewhere sits on those it names, a
// change of one is carried to all, and a new template can have them all.
func TestMachinesAreTheStudios(t *testing.T) {
	machine := func(id, name string, gib float64) *template.Machine {
		return &template.Machine{ID: template.ID(id), Name: name, MemoryMiB: gib * 1024, Cores: 8, DiskMiBs: 500}
	}
	cat := coretest.Must(shelf(), change.Put{Machines: []change.Entry[template.Machine]{change.Append(machine("studio-birch", "Birch", 128)), change.Append(machine("machine-1", "Cedar", 64))}})
	elsewhere := coretest.Orchestra(4, 1)
	birch := machine("machine-1", "birch", 32)
	elsewhere = coretest.Must(elsewhere, change.Put{Machines: []change.Entry[template.Machine]{change.Append(birch)}})
	row := elsewhere.Instruments[0].ID
	style := template.SeatStyle{Machine: "machine-1"}
	elsewhere = coretest.Must(elsewhere,
		change.Seat{Seats: []change.Seating{{ID: row, Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: 1, Pair: 2}}}},
		change.Edit{Edits: []change.Fields{{ID: elsewhere.Instruments[1].ID, Style: &style}}},
		change.SetSightlines{Sightlines: []*template.Sightline{{ID: "s", Name: "Birch", Match: template.Match{Machines: []template.ID{"machine-1"}}}}})
	got := catalogue.Adopt(elsewhere, cat, mint())
	require.NoError(t, got.Validate())
	require.EqualValues(t, "studio-birch", got.Machines[0].ID)
	require.EqualValues(t, "studio-birch", got.Instrument(row).Seat.Machine)
	require.EqualValues(t, "studio-birch", got.Instruments[1].Style.Machine)
	require.Equal(t, []template.ID{"studio-birch"}, got.Sightlines[0].Match.Machines)
	require.EqualValues(t, "machine-1", elsewhere.Instrument(row).Seat.Machine, "the original is left as it was")
	require.Empty(t, catalogue.Missing(cat, got).Machines)
	got = coretest.Must(got, catalogue.Behind(got, cat))
	require.Equal(t, 128.0*1024, got.Machines[0].MemoryMiB, "as the studio has it")

	more := *got.Machines[0]
	more.MemoryMiB *= 2
	after := coretest.Must(got, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&more)}})
	cat = coretest.Must(cat, catalogue.Learned(cat, got, after))
	require.Equal(t, 256.0*1024, cat.Index().Machines["studio-birch"].MemoryMiB)
	require.Equal(t, 64.0*1024, cat.Index().Machines["machine-1"].MemoryMiB)

	fresh := coretest.Must(template.New("t", "T"), catalogue.Sit(template.New("t", "T"), cat))
	require.Len(t, fresh.Machines, 2)
	require.Len(t, catalogue.Sit(coretest.Must(template.New("t", "T"), change.Put{Machines: []change.Entry[template.Machine]{change.Append(machine("c", "cedar", 1))}}), cat).Machines, 1, "it has one of that name")
	require.Empty(t, catalogue.Sit(fresh, cat).Keys())

	// A list that names a machine of the studio means that one.
	made := machine("new", "cedar", 1)
	seat := change.Seat{Seats: []change.Seating{{ID: row, Seat: &template.Seat{Machine: "new", Riser: 1, Port: 1, Channel: 2, Pair: 2}}}}
	both := change.Batch{Changes: []change.Change{change.Put{Machines: []change.Entry[template.Machine]{change.Append(made)}}, seat}}
	then := coretest.Must(got, catalogue.Known(both, got, cat))
	require.EqualValues(t, "machine-1", then.Instrument(row).Seat.Machine)
	require.Equal(t, 64.0*1024, then.Index().Machines["machine-1"].MemoryMiB)
}

// Machines of the studio stand for those of a file, and never one for two.
func TestMachinesStandForOthers(t *testing.T) {
	machine := func(id, name string) change.Entry[template.Machine] {
		return change.Append(&template.Machine{ID: template.ID(id), Name: name, MemoryMiB: 1 << 17, Cores: 8, DiskMiBs: 500})
	}
	cat := coretest.Must(shelf(), change.Put{Machines: []change.Entry[template.Machine]{machine("m1", "Birch"), machine("m2", "Cedar")}})
	file := coretest.Orchestra(4, 1)
	row := file.Instruments[0].ID
	file = coretest.Must(file, change.Put{Machines: []change.Entry[template.Machine]{machine("m2", "Hornbeam"), machine("x", "CEDAR")}},
		change.Seat{Seats: []change.Seating{{ID: row, Seat: &template.Seat{Machine: "m2", Riser: 1, Port: 1, Channel: 1, Pair: 2}}}})
	names := func(list []*template.Machine) (out []string) {
		for _, m := range list {
			out = append(out, m.Name)
		}
		return out
	}
	require.Equal(t, []string{"Machine 1", "Hornbeam", "CEDAR"}, names(file.Machines))
	require.Equal(t, []string{"Machine 1", "Hornbeam"}, names(catalogue.Strange(file, cat)))

	require.Equal(t, []template.ID{"m1", "", ""}, catalogue.Propose(file, cat), "the first of theirs on what is free; one that is here is itself")
	more := coretest.Must(cat, change.Put{Machines: []change.Entry[template.Machine]{change.Append(&template.Machine{ID: "m9", Name: "Rowan", MemoryMiB: 1 << 18, Cores: 8, DiskMiBs: 500})}})
	require.Equal(t, []template.ID{"m9", "m1", ""}, catalogue.Propose(file, more), "the largest first")

	stood, err := catalogue.Stand(file, cat, []template.ID{"", "m1", ""})
	require.NoError(t, err)
	got := catalogue.Adopt(stood, cat, mint())
	require.NoError(t, got.Validate())
	require.EqualValues(t, "m1", got.Instrument(row).Seat.Machine)
	require.Equal(t, "Hornbeam", file.Machines[1].Name, "the original is left as it was")
	same, err := catalogue.Stand(file, cat, nil)
	require.NoError(t, err)
	require.Same(t, file, same)

	for stands, why := range map[[3]template.ID]string{
		{"", "m2", ""}:      "Hornbeam",
		{"m1", "m1", ""}:    "Birch cannot stand for both Machine 1 and Hornbeam",
		{"", "nothing", ""}: "the studio no longer has the machine that should stand for Hornbeam",
	} {
		_, err := catalogue.Stand(file, cat, stands[:])
		require.ErrorContains(t, err, why)
	}
	_, err = catalogue.Stand(file, cat, []template.ID{""})
	require.ErrorContains(t, err, "the file has 3 machines, but it is said of 1")
}
