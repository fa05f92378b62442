package template_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/core/template"
)

// What is delivered keeps its invariants, and says where they break.
func TestDeliveryInvariants(t *testing.T) {
	loud := 30.0
	stem := func(x *template.Template) *template.Bus { return x.StemsOf("fold-fine")[0] }
	rule := func(edit func(*template.StemRule)) func(*template.Template) {
		return func(x *template.Template) {
			r := &template.StemRule{ID: "r", Stem: stem(x).ID}
			edit(r)
			x.Rules = []*template.StemRule{r}
		}
	}
	set := func(e template.ReturnEffect) func(*template.Template) {
		return func(x *template.Template) {
			x.ReturnSets = []*template.ReturnSet{{ID: "s", Name: "Set", Effects: []template.ReturnEffect{e}}}
		}
	}
	for name, tc := range map[string]struct {
		edit         func(*template.Template)
		path, reason string
	}{
		"a group rule":      {func(x *template.Template) { x.Settings.Deliver.Groups = "most" }, "settings.deliver.groups", "not a rule for groups"},
		"a position":        {func(x *template.Template) { x.Settings.Deliver.Position = "off" }, "settings.deliver.position", "neither listen nor print"},
		"a length":          {func(x *template.Template) { x.Settings.Deliver.Minutes = -1 }, "settings.deliver.minutes", "outside 0 to 6000"},
		"a number twice":    {func(x *template.Template) { x.Buses[0].Number, x.Buses[1].Number = 7, 7 }, "buses[1].number", "has the number 7 already"},
		"a number too high": {func(x *template.Template) { x.Buses[0].Number = 10000 }, "buses[0].number", "outside 1 to 9999"},
		"a mix that is dry": {func(x *template.Template) { x.TheMix().Carries = template.CarriesDry }, "", "only stems carry"},
		"no such set":       {func(x *template.Template) { stem(x).Returns = "gone" }, "", "no return set"},
		"a group's effect":  {func(x *template.Template) { x.FindBus(template.Group, "Winds group 1").Effect = "e" }, "", "only returns run an effect"},
		"a rule without id": {rule(func(r *template.StemRule) { r.ID = "" }), "rules[0].id", "used once"},
		"a rule's stem":     {rule(func(r *template.StemRule) { r.Stem = "bus-mix" }), "rules[0].stem", "no stem has the id"},
		"a rule's section":  {rule(func(r *template.StemRule) { r.Section = "gone" }), "rules[0].section", "no section"},
		"a rule's library":  {rule(func(r *template.StemRule) { r.Library = "gone" }), "rules[0].library", "no library"},
		"a rule's family":   {rule(func(r *template.StemRule) { r.Family = "loud" }), "rules[0].family", "not a family"},
		"a rule's register": {rule(func(r *template.StemRule) { r.Register = "mid" }), "rules[0].register", "neither low nor high"},
		"a rule for guides": {rule(func(r *template.StemRule) { r.Kind = template.Guide }), "rules[0].kind", "goes to no stem"},
		"a rule into wet": {func(x *template.Template) {
			stem(x).Carries = template.CarriesWet
			rule(func(*template.StemRule) {})(x)
		}, "rules[0].stem", "carries returns alone"},
		"an effect's name":   {set(template.ReturnEffect{ID: "e"}), "returnSets[0].effects[0].name", "empty"},
		"an effect's amount": {set(template.ReturnEffect{ID: "e", Name: "Hall", MidDB: &loud}), "returnSets[0].effects[0]", "outside -96 to 24 dB"},
		"a depth":            {func(x *template.Template) { x.Sections[0].Depth = "deep" }, "sections[0].depth", "depths are near"},
		"a section's send":   {func(x *template.Template) { x.Sections[0].Sends = []template.Send{{Effect: "gone", Tap: template.Pre}} }, "sections[0].sends", "no effect"},
		"a way in print": {func(x *template.Template) {
			x.Instruments[0].Routes[0].At = template.AtPrint
		}, "instruments[0].routes[0].at", "only a bus's way to the speakers"},
	} {
		t.Run(name, func(t *testing.T) {
			x := whole()
			require.NoError(t, x.Validate())
			tc.edit(x)
			err := x.Validate()
			var invalid *template.Invalid
			require.True(t, errors.As(err, &invalid), "%v", err)
			if tc.path != "" {
				require.Equal(t, tc.path, invalid.Path)
			}
			require.Contains(t, invalid.Reason, tc.reason)
		})
	}
}

// Depths and amounts are inherited; a section's own go before its parent's.
func TestWhatASectionSends(t *testing.T) {
	level := func(db float64) *float64 { return &db }
	hall := &template.ReturnEffect{ID: "hall", NearDB: level(-18), FarDB: level(-8)}
	x := template.New("t", "T")
	x.Sections = []*template.Section{
		{ID: "a", Name: "A"}, {ID: "b", Parent: "a", Name: "B", Depth: template.Near}, {ID: "c", Parent: "b", Name: "C"},
		{ID: "d", Parent: "b", Name: "D", Sends: []template.Send{{Effect: "hall", GainDB: -1, Tap: template.Post}}}, {ID: "e", Parent: "d", Name: "E", Sends: []template.Send{{Effect: "hall", Off: true, Tap: template.Pre}}},
	}
	for section, want := range map[template.ID]*float64{"a": nil, "b": level(-18), "c": level(-18), "d": level(-1), "e": nil} {
		s, sends := x.SendOf(section, hall)
		require.Equal(t, want != nil, sends, section)
		if sends {
			require.Equal(t, *want, s.GainDB, section)
		}
	}
	require.Equal(t, template.Pre, hall.Tap())
	require.Equal(t, template.Post, (&template.ReturnEffect{Delay: true}).Tap())
}
