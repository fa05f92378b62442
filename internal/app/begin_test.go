package app_test

import (
	"slices"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/fan"
	"fanfold/internal/core/proof"
	"fanfold/internal/core/template"
)

// A template begins with nothing, a line, the whole of another, or one section of
// it: then its rows come with patches, seats and their way to the mix.
func TestATemplateBegins(t *testing.T) {
	f := setUp(t)
	begin := func(from app.From) *template.Template {
		t.Helper()
		row, err := f.app.Begin(ctx, f.ada, "Fresh", from)
		require.NoError(t, err)
		h, err := f.app.Open(ctx, f.ada, row.ID)
		require.NoError(t, err)
		require.Equal(t, "Fresh", h.View().Template.Name)
		return h.View().Template
	}
	require.Empty(t, begin(app.From{}).Instruments)
	line := begin(app.From{Line: "2 2 2 2 - 4 2 3 1 - tmp+2 - hp - str"})
	require.Len(t, line.Instruments, 2*(8+10+1+5)+2+1, "two for each desk, one for each percussionist and the harp")
	require.Zero(t, proof.Check(line, "").Counts()["orphan"])
	there := f.hot.View().Template
	require.Len(t, begin(app.From{Template: f.id}).Instruments, len(there.Instruments))

	brass := there.Sections[slices.IndexFunc(there.Sections, func(s *template.Section) bool { return s.Name == "Brass" })]
	one := begin(app.From{Template: f.id, Sections: []template.ID{brass.ID}})
	require.Len(t, one.Instruments, len(there.Instruments)/4)
	was, now := fan.New(there), fan.New(one)
	for _, i := range one.Instruments {
		old := there.Instrument(i.ID)
		require.Equal(t, old.Seat, i.Seat)
		for _, fold := range there.Folds {
			require.Equal(t, was.Stems(old, fold.ID)[0].Name, now.Stems(i, fold.ID)[0].Name)
		}
	}
	require.Len(t, one.Libraries, 1, "what it needs, and no more")

	chosen := []template.ID{there.Instruments[3].ID, there.Instruments[len(there.Instruments)-1].ID}
	small := begin(app.From{Template: f.id, Rows: chosen})
	require.Len(t, small.Instruments, 2, "some rows, as they were")
	require.True(t, small.Calls[0].Opening)
	require.ElementsMatch(t, chosen, small.Calls[0].Instruments)
	require.Equal(t, there.Settings.Palette, small.Settings.Palette)
	here := fan.New(small)
	for _, id := range chosen {
		i := small.Instrument(id)
		old := there.Instrument(i.ID)
		require.Equal(t, old.Seat, i.Seat)
		require.NotNil(t, small.Index().Machines[i.Seat.Machine])
		for _, fold := range there.Folds {
			require.Equal(t, was.Stems(old, fold.ID)[0].Name, here.Stems(i, fold.ID)[0].Name)
		}
	}
	for _, m := range proof.Check(small, "").Marks {
		require.Contains(t, proof.Check(there, "").Counts(), m.Code, "nothing new is wrong with it")
	}
	_, err := f.app.Begin(ctx, f.ada, "Fresh", app.From{Template: uuid.New()})
	require.Error(t, err)
	_, err = f.app.Begin(ctx, f.ada, "Fresh", app.From{Line: "-"})
	require.ErrorContains(t, err, "the line cannot be read")
	_, err = f.app.Begin(ctx, f.ada, "Fresh", app.From{Template: f.id, Rows: []template.ID{"nobody"}})
	require.ErrorContains(t, err, "no longer in")
	_, err = f.app.Begin(ctx, f.ada, " ", app.From{})
	require.ErrorContains(t, err, "the name is empty")
}
