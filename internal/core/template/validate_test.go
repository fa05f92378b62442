package template_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
)

// whole returns a valid template that nobody shares, with one of everything.
func whole() *template.Template {
	t := coretest.Orchestra(4, 1)
	c := t.Clone()
	c.Instruments = nil
	for _, i := range t.Instruments {
		c.Instruments = append(c.Instruments, i.Clone())
	}
	c.Buses = nil
	for _, b := range t.Buses {
		c.Buses = append(c.Buses, b.Clone())
	}
	c.Sections = copies(t.Sections)
	c.Libraries, c.Players, c.Patches = copies(t.Libraries), copies(t.Players), copies(t.Patches)
	c.Machines = copies(t.Machines)
	c.Instruments[0].Seat = &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: 1, Pair: 2}
	c.Calls = []*template.Call{{ID: "call-1", Name: "Opening", Instruments: []template.ID{c.Instruments[0].ID}}}
	return c
}

func copies[T any](list []*T) []*T {
	out := make([]*T, len(list))
	for n, v := range list {
		c := *v
		out[n] = &c
	}
	return out
}

func TestAWholeTemplateIsValid(t *testing.T) {
	require.NoError(t, whole().Validate())
	require.NoError(t, template.New("t", "Empty").Validate())
}

// Every invariant, broken one at a time, is named with its place.
func TestValidateNamesThePlaceAndTheReason(t *testing.T) {
	first := func(t *template.Template) *template.Instrument { return t.Instruments[0] }
	for name, tc := range map[string]struct {
		spoil     func(*template.Template)
		path, why string
	}{
		"a sightline's key twice": {func(t *template.Template) {
			t.Sightlines = []*template.Sightline{{ID: "a", Name: "A", Key: 1}, {ID: "b", Name: "B", Key: 1}}
		}, "sightlines[1].key", "two sightlines have the key 1"},
		"a sightline's id twice": {func(t *template.Template) {
			t.Sightlines = []*template.Sightline{{ID: "a", Name: "A"}, {ID: "a", Name: "B"}}
		}, "sightlines[1].id", "is used once"},
		"no name":                    {func(t *template.Template) { t.Name = " " }, "name", "the name is empty"},
		"no ports":                   {func(t *template.Template) { t.Settings.RiserPorts = 0 }, "settings.riserPorts", "0 is outside 1 to 64"},
		"first pair beyond":          {func(t *template.Template) { t.Settings.FirstPair = 65 }, "settings.firstPair", "65 is outside 1 to 64"},
		"tempo that is not a number": {func(t *template.Template) { t.Settings.TempoBPM = math.NaN() }, "settings.tempoBpm", "NaN is outside 4 to 999"},
		"memory rule":                {func(t *template.Template) { t.Settings.MemoryRule = "hope" }, "settings.memoryRule", `"hope" is neither`},
		"a port of the system":       {func(t *template.Template) { t.Settings.RemotePort = 80 }, "settings.remotePort", "80 is outside 1024 to 65535"},
		"a recording of no name":     {func(t *template.Template) { first(t).Printed = &template.Printed{} }, "instruments[0].printed.file", "empty"},
		"a recording of a week":      {func(t *template.Template) { first(t).Printed = &template.Printed{File: "a.wav", Seconds: 7 * 86400} }, "instruments[0].printed.seconds", "604800 s is outside 0 to 86400 s"},
		"a use of nobody":            {func(t *template.Template) { t.Calls[0].Uses = []template.Use{{Instrument: "x"}} }, "calls[0].uses[0].instrument", `no instrument "x"`},
		"keys out of order": {func(t *template.Template) {
			t.Calls[0].Uses = []template.Use{{Instrument: first(t).ID, Keys: []template.UsedKey{{Key: 61, Low: 1, High: 2}, {Key: 60, Low: 1, High: 2}}}}
		}, "calls[0].uses[0].keys", "rising order"},
		"middle C":                 {func(t *template.Template) { t.Settings.MiddleC = 6 }, "settings.middleC", "C3, C4 or C5, not C6"},
		"a room":                   {func(t *template.Template) { t.Libraries[0].Room = "cave" }, "libraries[0].room", "rooms are dry, stage and hall"},
		"a machine without a name": {func(t *template.Template) { t.Libraries[0].Machines = []string{""} }, "libraries[0].machines", "the name is empty"},
		"banks":                    {func(t *template.Template) { t.Players[0].Banks = 129 }, "players[0].banks", "outside 0 to 128"},
		"dynamics":                 {func(t *template.Template) { t.Patches[0].Dynamics = "shouting" }, "patches[0].dynamics", "not a kind of dynamics"},
		"a switch zone":            {func(t *template.Template) { t.Patches[0].SwitchZone = &template.KeyZone{Low: 9, High: 3} }, "patches[0].switchZone", "low before high"},
		"a microphone's size":      {func(t *template.Template) { t.Patches[0].Mics = []template.Mic{{Name: "close", PreloadMiB: -1}} }, "patches[0].mics", "-1 MiB is outside"},
		"round robins":             {func(t *template.Template) { t.Patches[0].RoundRobins = -1 }, "patches[0].roundRobins", "outside 0 to 1024"},
		"mapped twice": {func(t *template.Template) {
			t.Patches[0].Map = []template.Mapping{{Articulation: "long"}, {Articulation: " Long"}}
		}, "patches[0].map", "is mapped twice"},
		"a lead": {func(t *template.Template) {
			t.Patches[0].Map = []template.Mapping{{Articulation: "long", LeadMs: 1001}}
		}, "patches[0].map", "the lead is 0 to 1000 ms"},
		"a kind of switch": {func(t *template.Template) { t.Instruments[0].Map = mapped(template.Switch{Kind: "pedal"}) }, "instruments[0].map", "not a kind of switch"},
		"a relative channel": {func(t *template.Template) {
			t.Instruments[0].Map = mapped(template.Switch{Kind: template.ByChannel, Number: 16, Relative: true})
		}, "instruments[0].map", "a relative channel is -15 to 15, not 16"},
		"a band": {func(t *template.Template) {
			t.Instruments[0].Map = mapped(template.Switch{Kind: template.ByVelocity, Low: 9, High: 3})
		}, "instruments[0].map", "low before high"},
		"a layout":           {func(t *template.Template) { t.Instruments[0].Layout = "sideways" }, "instruments[0].layout", "is not a layout"},
		"spread with nobody": {func(t *template.Template) { t.Instruments[0].Layout = template.SpreadOut }, "instruments[0].spread", "with whom it shares its player"},
		"a family":           {func(t *template.Template) { t.Vocabulary = []*template.Term{{ID: "w", Name: "peck", Family: "odd"}} }, "vocabulary[0].family", "families are long, short, legato and effect"},
		"natural of no group": {func(t *template.Template) {
			t.Vocabulary = []*template.Term{{ID: "w", Name: "peck", Family: template.Short, Natural: true}}
		}, "vocabulary[0].natural", "only one of an either/or group"},
		"a word twice": {func(t *template.Template) {
			t.Vocabulary = []*template.Term{{ID: "w", Name: "peck", Family: template.Short}, {ID: "x", Name: "Peck", Family: template.Short}}
		}, "vocabulary[1].name", "in the vocabulary twice"},
		"a preference": {func(t *template.Template) {
			t.Castings = []*template.CastingList{{ID: "k", Name: "List", Entries: []template.Preference{{Kind: "whim"}}}}
		}, "castings[0].entries", "not a kind of preference"},
		"a set of nothing": {func(t *template.Template) {
			t.Castings = []*template.CastingList{{ID: "k", Name: "List", Entries: []template.Preference{{Kind: template.FromSet, Patches: []template.ID{"gone"}}}}}
		}, "castings[0].entries", "no patch has the id"},
		"a channel mode message":   {func(t *template.Template) { t.Settings.Upbeat = []template.Controller{{Number: 123, Value: 0}} }, "settings.upbeat[0]", "controllers are 0 to 119"},
		"parent that is not there": {func(t *template.Template) { t.Sections[1].Parent = "gone" }, "sections[1].parent", `no section has the id "gone"`},
		"section within itself":    {func(t *template.Template) { t.Sections[0].Parent = t.Sections[0].ID }, "sections[0].parent", "lies in itself"},
		"unknown tint":             {func(t *template.Template) { t.Sections[0].Tint = "neon" }, "sections[0].tint", `has no colour "neon"; it has moss`},
		"two mixes":                {func(t *template.Template) { t.Buses[1].Kind = template.Mix }, "buses", "exactly one mix, this one has 2"},
		"unknown kind of bus":      {func(t *template.Template) { t.Buses[2].Kind, t.Buses[2].Fold = "magic", "" }, "buses[2].kind", "not a kind of bus"},
		"stem without a fold":      {func(t *template.Template) { t.StemsOf("fold-fine")[0].Fold = "gone" }, "fold", "belongs to no fold"},
		"mix in a fold":            {func(t *template.Template) { t.TheMix().Fold = "fold-fine" }, "buses[0].fold", "only stems belong to a fold"},
		"too loud":                 {func(t *template.Template) { t.Buses[0].GainDB = 25 }, "buses[0].gainDb", "25 dB is outside -96 to 24 dB"},
		"bus feeds itself":         {func(t *template.Template) { t.Buses[0].Routes[0].To = t.Buses[0].ID }, "buses[0].routes[0].to", "cannot feed itself"},
		"library that is not here": {func(t *template.Template) { t.Patches[0].Library = "gone" }, "patches[0].library", "no library"},
		"player that is not here":  {func(t *template.Template) { t.Patches[0].Player = "gone" }, "patches[0].player", "no player"},
		"keys upside down":         {func(t *template.Template) { t.Patches[0].KeyLow, t.Patches[0].KeyHigh = 70, 60 }, "patches[0].keyHigh", "60 is outside 70 to 127"},
		"seventeen sounds":         {func(t *template.Template) { t.Players[0].Sounds = 17 }, "players[0].sounds", "17 is outside 1 to 16"},
		"reserve above memory":     {func(t *template.Template) { t.Machines[0].ReserveMiB = 1 << 20 }, "machines[0].reserveMib", "1048576 MiB is outside 0 to 131072 MiB"},
		"an id twice":              {func(t *template.Template) { t.Instruments[1].ID = t.Instruments[0].ID }, "instruments[1].id", "is used twice"},
		"an id of another noun":    {func(t *template.Template) { t.Machines[0].ID = t.Patches[0].ID }, "machines[0].id", "is used twice"},
		"an id too long":           {func(t *template.Template) { first(t).ID = template.ID(strings.Repeat("x", 65)) }, "instruments[0].id", "1 to 64 characters"},
		"name with a line break":   {func(t *template.Template) { first(t).Name = "a\nb" }, "instruments[0].name", "control character"},
		"name too long":            {func(t *template.Template) { first(t).Name = strings.Repeat("ä", 201) }, "instruments[0].name", "longer than 200 characters"},
		"name that is not UTF-8":   {func(t *template.Template) { first(t).Name = "\xff" }, "instruments[0].name", "not UTF-8"},
		"section that is gone":     {func(t *template.Template) { first(t).Section = "gone" }, "instruments[0].section", "no section"},
		"unknown kind":             {func(t *template.Template) { first(t).Kind = "ghost" }, "instruments[0].kind", "not a kind of instrument"},
		"patch that is gone":       {func(t *template.Template) { first(t).Patches = []template.ID{"gone"} }, "instruments[0].patches[0]", "no patch"},
		"articulation with ;":      {func(t *template.Template) { first(t).Articulations = []string{"a;b"} }, "instruments[0].articulations", "nor hold ';'"},
		"unknown colour":           {func(t *template.Template) { first(t).Colour = "puce" }, "instruments[0].colour", `has no colour "puce"`},
		"notes too long":           {func(t *template.Template) { first(t).Notes = strings.Repeat("x", 4001) }, "instruments[0].notes", "at most 4000 bytes"},
		"wish for no machine":      {func(t *template.Template) { first(t).Style.Machine = "gone" }, "instruments[0].style.machine", "no machine"},
		"route to nowhere":         {func(t *template.Template) { first(t).Routes[0].To = "gone" }, "instruments[0].routes[0].to", "no bus"},
		"route with no tap":        {func(t *template.Template) { first(t).Routes[0].Tap = "" }, "instruments[0].routes[0].tap", "is neither"},
		"route too quiet":          {func(t *template.Template) { first(t).Routes[0].GainDB = math.Inf(-1) }, "instruments[0].routes[0].gainDb", "outside -96 to 24 dB"},
		"routes out of order":      {func(t *template.Template) { first(t).Routes = append(first(t).Routes, first(t).Routes[0]) }, "instruments[0].routes[1].to", "each one once"},
		"channel 17":               {func(t *template.Template) { first(t).Seat.Channel = 17 }, "instruments[0].seat.channel", "17 is outside 1 to 16"},
		"seat on no machine":       {func(t *template.Template) { first(t).Seat.Machine = "gone" }, "instruments[0].seat.machine", "no machine"},
		"a guide on a seat":        {func(t *template.Template) { first(t).Kind = template.Guide }, "instruments[0].seat", "takes no seat"},
		"call of nobody":           {func(t *template.Template) { t.Calls[0].Instruments[0] = "gone" }, "calls[0].instruments[0]", "no instrument"},
	} {
		t.Run(name, func(t *testing.T) {
			spoilt := whole()
			tc.spoil(spoilt)
			var invalid *template.Invalid
			require.ErrorAs(t, spoilt.Validate(), &invalid)
			require.Contains(t, invalid.Path, tc.path)
			require.Contains(t, invalid.Error(), tc.why)
		})
	}
}

func TestTooManyInstruments(t *testing.T) {
	big := whole()
	big.Instruments = make([]*template.Instrument, template.MaxInstruments+1)
	for n := range big.Instruments {
		big.Instruments[n] = &template.Instrument{}
	}
	require.ErrorContains(t, big.Validate(), "a template holds 50000 at most")
}

func TestSectionTree(t *testing.T) {
	tree := template.New("t", "T")
	tree.Sections = []*template.Section{
		{ID: "f", Name: "Flutes", Parent: "w"}, {ID: "b", Name: "Brass", Tint: "plum"},
		{ID: "w", Name: "Winds"}, {ID: "p", Name: "Piccolos", Parent: "f"},
	}
	require.NoError(t, tree.Validate())
	var order []string
	for _, s := range tree.SectionsInOrder() {
		order = append(order, tree.SectionPath(s.ID))
	}
	require.Equal(t, []string{"Brass", "Winds", "Winds / Flutes", "Winds / Flutes / Piccolos"}, order, "depth first, a parent before its children")
	require.Equal(t, "Winds", tree.TopSection("p").Name)
	require.Nil(t, tree.TopSection("gone"))
	require.Empty(t, tree.Ancestry("gone"))
	tree.Instruments = []*template.Instrument{{ID: "1", Section: "p"}, {ID: "2", Section: "w"}, {ID: "3", Section: "b"}, {ID: "4", Section: "p"}}
	var ids []template.ID
	for _, i := range tree.ScoreOrder() {
		ids = append(ids, i.ID)
	}
	require.Equal(t, []template.ID{"3", "2", "1", "4"}, ids, "sections first, then as they stand")
}

func TestTintsByName(t *testing.T) {
	for name, want := range map[string]string{
		"Winds": "moss", "Low brass": "plum", "Percussion": "clay", "Keys and harp": "stone", "Choir": "rose",
		"STRINGS": "petrol", "Hybrid textures": "heather", "Guides": "grey", "": "grey",
	} {
		require.Equal(t, want, template.TintFor(name), name)
	}
}

// Equal templates are equal byte for byte, however their parts were given.
func TestNormaliseOrdersWhatHasNoOrder(t *testing.T) {
	loose := template.New("t", "T")
	loose.Calls, loose.Folds[0].Name = nil, "fine"
	loose.Buses[0].Routes = append(loose.Buses[0].Routes, template.Route{To: "a"})
	loose.Instruments = []*template.Instrument{{ID: "1", Routes: []template.Route{{To: "z"}, {To: "a"}}}}
	loose.Normalise()
	require.NotNil(t, loose.Calls)
	require.Equal(t, template.ID("a"), loose.Instruments[0].Routes[0].To)
	require.Equal(t, template.ID("a"), loose.Buses[0].Routes[0].To)
	require.Equal(t, []template.ID{}, loose.Instruments[0].Patches)
}

func TestSettingsEqual(t *testing.T) {
	a, b := template.DefaultSettings(), template.DefaultSettings()
	require.True(t, a.Equal(b))
	b.Upbeat[0].Value = 1
	require.False(t, a.Equal(b))
	b = template.DefaultSettings()
	b.CoreShare = 0.5
	require.False(t, a.Equal(b))
}

func TestSeatsNameTheirOutputs(t *testing.T) {
	require.Equal(t, "3-4", template.Seat{Pair: 2}.Outputs(), "the first pair in use by default")
	require.Equal(t, "127-128", template.Seat{Pair: 64}.Outputs(), "the last of 64 pairs")
	a := template.Seat{Machine: "m", Riser: 1, Port: 2, Channel: 3, Pair: 4}
	b := a
	b.Pair = 9
	require.True(t, a.SamePlace(b))
	b.Channel = 4
	require.False(t, a.SamePlace(b))
}

// Gains and decibels undo each other (IEC 60027-3: 20 log10).
func TestGainAndDecibels(t *testing.T) {
	for _, db := range []float64{-96, -14, -8, -6.0206, 0, 3, 24} {
		require.InDelta(t, db, template.Decibels(template.Gain(db)), 1e-9)
	}
	require.InDelta(t, 1, template.Gain(0), 0)
	require.True(t, math.IsInf(template.Decibels(0), -1))
	require.InDelta(t, 6.02, template.Decibels(2*template.Gain(0)), 0.005, "two identical signals")
	require.InDelta(t, 6.02, 10*math.Log10(4), 0.005, "four equal unrelated noises")
}

func TestWhatABusDoesToAChain(t *testing.T) {
	for kind, want := range map[template.BusKind]bool{template.Return: true, template.Group: true, template.Stem: true, template.Mix: false, template.Speakers: false} {
		require.Equal(t, want, (&template.Bus{Kind: kind, Process: "tape"}).Processed(), kind)
	}
	require.False(t, (&template.Bus{Kind: template.Group}).Processed(), "a bus that only sums starts no chain")
	require.True(t, (&template.Bus{Kind: template.Return}).Processed(), "a return always does")
}

func TestFindingByIDAndName(t *testing.T) {
	w := whole()
	require.Equal(t, w.Instruments[2], w.Instrument(w.Instruments[2].ID))
	require.Nil(t, w.Instrument("gone"))
	require.Equal(t, w.TheMix(), w.FindBus(template.Mix, " mix "))
	require.Nil(t, w.FindBus(template.Stem, "Mix"))
	require.Equal(t, "Winds library", w.LibraryOf(w.Instruments[0]).Name)
	require.Equal(t, 16, w.PlayerOf(w.Instruments[0]).Sounds)
	spare := &template.Instrument{Kind: template.Spare}
	require.Nil(t, w.LibraryOf(spare))
	require.Nil(t, w.PlayerOf(spare))
	require.False(t, spare.NeedsSeat())
}

func mapped(s template.Switch) []template.Mapping {
	return []template.Mapping{{Articulation: "long", Switches: []template.Switch{s}}}
}
