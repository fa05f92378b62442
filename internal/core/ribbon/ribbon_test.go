package ribbon_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/ribbon"
	"fanfold/internal/core/template"
)

func draw(t *template.Template, view ribbon.View) ribbon.Drawing {
	return ribbon.Draw(t, fan.New(t), view)
}

func place(t require.TestingT, d ribbon.Drawing, id template.ID) ribbon.Place {
	for _, p := range d.Places {
		if p.ID == id {
			return p
		}
	}
	require.Failf(t, "it is not drawn", "%s", id)
	return ribbon.Place{}
}

// Whatever is wired and unfolded: no place lies over another of its column, all
// lie within the height, every ribbon leaves and arrives within its places, and
// no instrument that goes anywhere is lost or drawn twice.
func TestTheDrawingIsSound(t *testing.T) {
	base := coretest.Large(60, 40)
	rapid.Check(t, func(r *rapid.T) {
		now := base
		for range rapid.IntRange(0, 6).Draw(r, "edits") {
			if after, _, err := change.Apply(now, coretest.Any(now).Draw(r, "change")); err == nil {
				now = after
			}
		}
		toggled := map[template.ID]bool{}
		for _, s := range now.Sections {
			toggled[s.ID] = rapid.IntRange(0, 3).Draw(r, "toggle") == 0
		}
		view := ribbon.View{Toggled: toggled, Room: rapid.Float64Range(0, 2000).Draw(r, "room")}
		view.Fold = rapid.SampledFrom(now.Folds).Draw(r, "fold").ID
		d := draw(now, view)
		require.GreaterOrEqual(r, d.Height, view.Room)
		byColumn := map[int][]ribbon.Place{}
		rows := 0
		for _, p := range d.Places {
			require.GreaterOrEqual(r, p.Y, 0.0)
			require.LessOrEqual(r, p.Y+p.H, d.Height+1e-6)
			require.GreaterOrEqual(r, p.H, 10.0)
			for _, o := range byColumn[p.Column] {
				require.False(r, p.Y < o.Y+o.H-1e-9 && o.Y < p.Y+p.H-1e-9, "%s over %s", p.Name, o.Name)
			}
			byColumn[p.Column] = append(byColumn[p.Column], p)
			if p.Column == 0 {
				rows += p.Count
			}
		}
		want := 0
		for _, i := range now.Instruments {
			if len(i.Routes) > 0 {
				want++
			}
		}
		require.Equal(r, want, rows)
		for _, x := range d.Ribbons {
			from, to := d.Places[x.From], d.Places[x.To]
			require.GreaterOrEqual(r, x.Y1, from.Y-1e-6)
			require.LessOrEqual(r, x.Y1+x.H, from.Y+from.H+1e-6)
			require.GreaterOrEqual(r, x.Y2, to.Y-1e-6)
			require.LessOrEqual(r, x.Y2+x.H, to.Y+to.H+1e-6)
			require.LessOrEqual(r, x.LowDB, x.HighDB)
		}
	})
}

// A section is unfolded into its instruments; a coarser fold takes the levels
// of the stems it passes along.
func TestUnfoldingAndFolds(t *testing.T) {
	now := coretest.Orchestra(32, 1)
	section := now.Instruments[0].Section
	usual := draw(now, ribbon.View{})
	require.Equal(t, ribbon.KindSection, place(t, usual, section).Kind)
	open := draw(now, ribbon.View{Toggled: map[template.ID]bool{section: true}})
	require.Equal(t, section, place(t, open, now.Instruments[0].ID).In)

	stem := now.StemsOf("fold-fine")[0].Clone()
	stem.GainDB, stem.Routes[0].GainDB = -3, -1
	now = coretest.Must(now, change.Put{Buses: []change.Entry[template.Bus]{change.Append(stem)}})
	d := draw(now, ribbon.View{Fold: "fold-sections"})
	for _, x := range d.Ribbons {
		if d.Places[x.To].ID == stem.Routes[0].To && d.Places[x.From].Name == "Winds group 1" {
			require.InDelta(t, -4, x.LowDB, 1e-9)
			return
		}
	}
	require.Fail(t, "the group's ribbon leads to the section's stem")
}

// Many buses are gathered, and unfolded one gathering at a time; the picture of
// 10,000 instruments stays small.
func TestManyAreGathered(t *testing.T) {
	now := coretest.Large(2000, 500)
	d := draw(now, ribbon.View{Room: 700})
	require.Less(t, len(d.Places), 120)
	var gathered ribbon.Place
	for _, p := range d.Places {
		if p.Kind == string(template.Return) {
			gathered = p
		}
	}
	require.Greater(t, gathered.Holds, 60)
	open := draw(now, ribbon.View{Room: 700, Toggled: map[template.ID]bool{gathered.ID: true}})
	require.Len(t, open.Places, len(d.Places)-1+gathered.Holds)
}

func TestThePrintBusIsDrawnWhereItIsHeard(t *testing.T) {
	now := coretest.Must(coretest.Orchestra(8, 1), change.SetPosition{Position: template.AtPrint})
	d := draw(now, ribbon.View{})
	place(t, d, "bus-print")
	for _, x := range d.Ribbons {
		require.False(t, d.Places[x.From].Kind == string(template.Mix), "the mix is not heard")
	}
	for _, p := range draw(coretest.Must(now, change.SetPosition{Position: template.AtListen}), ribbon.View{}).Places {
		require.NotEqual(t, "bus-print", string(p.ID))
	}
}

func BenchmarkDraw10000(b *testing.B) {
	t := coretest.Large(10_000, 500)
	f := fan.New(t)
	for b.Loop() {
		ribbon.Draw(t, f, ribbon.View{Room: 700})
	}
}
