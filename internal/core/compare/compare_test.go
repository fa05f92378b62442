package compare_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/seating"
	"fanfold/internal/core/template"
)

// Two versions of one template: what was added, removed and changed is told in
// words; what is only spoken of by another name is not.
func TestTwoVersionsSideBySide(t *testing.T) {
	then := coretest.Orchestra(12, 1)
	then = coretest.Must(then, seating.Everyone(then, seating.Options{}).Change())
	first, second := then.Instruments[0], then.Instruments[1]
	level, notes, keep := -8.0, "keep an eye on it", true
	section := *then.Sections[0]
	section.Name = "Woods"
	now := coretest.Must(then,
		change.Edit{Edits: []change.Fields{{ID: first.ID, GainDB: &level, Notes: &notes, Keep: &keep}}},
		change.Delete{IDs: []template.ID{second.ID}},
		change.Seat{Seats: []change.Seating{{ID: then.Instruments[4].ID}}},
		change.Put{Sections: []change.Entry[template.Section]{change.Append(&section)}, Calls: []change.Entry[template.Call]{change.Append(&template.Call{ID: "new", Name: "1M01", Instruments: []template.ID{first.ID}})}},
	)
	list := compare.Pair(then, now)
	told := map[string][]compare.Field{}
	for _, d := range list {
		told[string(d.How)+" "+string(d.Noun)+" "+d.Name] = d.Fields
	}
	require.Len(t, list, 5)
	require.Equal(t, []compare.Field{{Name: "level", Here: "0 dB", There: "-8 dB"}, {Name: "keep mark", Here: "no", There: "yes"}, {Name: "notes", There: notes}}, told["changed row "+first.Name])
	require.Contains(t, told, "removed row "+second.Name)
	require.Contains(t, told, "added call 1M01")
	require.Equal(t, []compare.Field{{Name: "name", Here: "Winds", There: "Woods"}}, told["changed section Woods"])
	require.Equal(t, "Machine 1, riser 1, port 1, channel 2, pair 3", told["changed row "+then.Instruments[4].Name][0].Here)
	require.Empty(t, compare.Pair(now, now))
}

// Taking every difference makes one version the other; what is taken can be
// undone.
func TestTakingAllMakesThemAlike(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		here := coretest.Orchestra(rapid.IntRange(2, 24).Draw(r, "rows"), 1)
		there := here
		for range rapid.IntRange(1, 6).Draw(r, "changes") {
			if len(there.Instruments) < 2 {
				break
			}
			if after, _, err := change.Apply(there, coretest.Any(there).Draw(r, "change")); err == nil {
				there = after
			}
		}
		list := compare.Pair(here, there)
		if len(list) == 0 {
			return
		}
		var picks []compare.Pick
		for _, d := range list {
			picks = append(picks, compare.Pick{Noun: d.Noun, ID: d.ID})
		}
		c, err := compare.Take(here, there, picks, coretest.Mint())
		require.NoError(r, err)
		now, undo, err := change.Apply(here, c)
		require.NoError(r, err)
		for _, d := range compare.Pair(now, there) { // a bus that goes hands its feeders on
			require.Equal(r, compare.Changed, d.How, "%s %s", d.Noun, d.Name)
		}
		back, _, err := change.Apply(now, undo)
		require.NoError(r, err)
		require.Empty(r, compare.Pair(back, here))
	})
}

// An emblem's picture is told in a few letters, another one in others.
func TestPicturesAreToldApart(t *testing.T) {
	base := coretest.Orchestra(4, 1)
	with := func(data []byte) *template.Template {
		l := *base.Libraries[0]
		l.Emblem = &template.Emblem{Picture: data}
		now := base.Clone()
		now.Libraries = append([]*template.Library{&l}, base.Libraries[1:]...)
		return now
	}
	first := compare.Pair(base, with([]byte("one")))
	require.Len(t, first, 1)
	require.Regexp(t, "^a picture, [0-9a-f]{8}$", first[0].Fields[0].There)
	second := compare.Pair(with([]byte("one")), with([]byte("two")))
	require.Len(t, second, 1)
	require.NotEqual(t, second[0].Fields[0].Here, second[0].Fields[0].There)
	require.Empty(t, compare.Pair(with([]byte("one")), with([]byte("one"))))
}

// Of a row that both have, one field can be taken and the others left.
func TestOneFieldIsTaken(t *testing.T) {
	here := coretest.Orchestra(16, 1)
	here = coretest.Must(here, seating.Everyone(here, seating.Options{}).Change())
	row, other := here.Instruments[0], here.Instruments[1]
	name, gain := "Lead", -6.0
	free := *row.Seat
	free.Port = 8
	there := coretest.Must(here,
		change.Edit{Edits: []change.Fields{{ID: row.ID, Name: &name, GainDB: &gain}, {ID: other.ID, Name: &name}}},
		change.AssignStem{IDs: []template.ID{row.ID}, Stem: here.StemsOf("fold-fine")[3].ID},
		change.Seat{Seats: []change.Seating{{ID: row.ID, Seat: &free}, {ID: other.ID}}})
	take := func(of *template.Instrument, fields ...string) (*template.Instrument, error) {
		var picks []compare.Pick
		for _, f := range fields {
			picks = append(picks, compare.Pick{Noun: compare.Row, ID: of.ID, Field: f})
		}
		c, err := compare.Take(here, there, picks, coretest.Mint())
		if err != nil {
			return nil, err
		}
		return coretest.Must(here, c).Instrument(of.ID), nil
	}
	want := row.Clone()
	want.Routes = there.Instruments[0].Routes
	got, err := take(row, "routes")
	require.NoError(t, err)
	require.Equal(t, want, got)
	want.GainDB, want.Seat = gain, &free
	got, err = take(row, "routes", "seat", "level")
	require.NoError(t, err)
	require.Equal(t, want, got)
	got, err = take(other, "seat")
	require.NoError(t, err)
	require.Nil(t, got.Seat, "that it has none is taken, too")
	_, err = take(row, "notes")
	require.ErrorContains(t, err, "compare again")

	here = coretest.Must(here, change.Seat{Seats: []change.Seating{{ID: here.Instruments[2].ID, Seat: &free}}})
	_, err = take(row, "seat")
	require.ErrorContains(t, err, "the seat of Lead cannot be taken")
}

// A section of another template that has nothing in common comes over with its
// patches, players, libraries and its whole way to the mix; what is here already
// by name is used, and a seat that is taken is left out.
func TestASectionComesOverWithItsRoutes(t *testing.T) {
	there := coretest.Orchestra(32, 1)
	there = coretest.Must(there, seating.Everyone(there, seating.Options{}).Change())
	here := template.New("here", "Here")
	here = coretest.Must(here, change.Put{Sections: []change.Entry[template.Section]{change.Append(&template.Section{ID: "own", Name: "Brass"})}})
	var picks []compare.Pick
	want := map[string]string{}
	way := fan.New(there)
	for _, i := range there.Instruments {
		if there.Ancestry(i.Section)[1].Name == "Brass" {
			picks = append(picks, compare.Pick{Noun: compare.Row, ID: i.ID})
			want[i.Name] = way.Stems(i, "fold-fine")[0].Name
		}
	}
	require.Len(t, picks, 8)
	c, err := compare.Take(here, there, picks, coretest.Mint())
	require.NoError(t, err)
	now := coretest.Must(here, c)
	require.Len(t, now.Instruments, 8)
	got := map[string]string{}
	for _, i := range now.Instruments {
		got[i.Name] = fan.New(now).Stems(i, "fold-fine")[0].Name
		require.Equal(t, template.ID("own"), now.Ancestry(i.Section)[1].ID, "its section is the one that is here")
		require.NotNil(t, i.Seat)
	}
	require.Equal(t, want, got)
	require.Len(t, now.Libraries, 1)

	taken := *now.Instruments[0].Seat
	other := coretest.Must(now, change.Delete{IDs: []template.ID{now.Instruments[0].ID}}, change.Seat{Seats: []change.Seating{{ID: now.Instruments[1].ID, Seat: &taken}}})
	c, err = compare.Take(other, there, picks[:1], coretest.Mint())
	require.NoError(t, err)
	again := coretest.Must(other, c)
	require.Len(t, again.Instruments, 8)
	require.Nil(t, again.Instruments[7].Seat, "somebody sits there")
	_, err = compare.Take(again, there, []compare.Pick{{Noun: compare.Row, ID: "nobody"}}, coretest.Mint())
	require.ErrorContains(t, err, "compare again")
}

func BenchmarkPair10000(b *testing.B) {
	t := coretest.Large(10_000, 200)
	notes := "changed"
	var edit change.Edit
	for _, i := range t.Instruments[:1000] {
		edit.Edits = append(edit.Edits, change.Fields{ID: i.ID, Notes: &notes})
	}
	other := coretest.Must(t, edit)
	for b.Loop() {
		compare.Pair(t, other)
	}
}
