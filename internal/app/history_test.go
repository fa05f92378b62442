package app_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/compare"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
	"fanfold/internal/store"
)

func (f *fixture) rename(t *testing.T, id template.ID, name string) int64 {
	t.Helper()
	revision, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Edit{Edits: []change.Fields{{ID: id, Name: &name}}})
	require.NoError(t, err)
	return revision
}

// One earlier change is taken back alone where nothing later depends on it, and
// otherwise what does is named; that can be undone like any change.
func TestOneEarlierChangeIsTakenBack(t *testing.T) {
	f := setUp(t)
	rows := f.rows(2)
	was := f.hot.View().Template.Instrument(rows[0]).Name
	first := f.rename(t, rows[0], "One")
	f.rename(t, rows[1], "Other")
	_, err := f.hot.TakeBackOne(ctx, f.ben, first)
	require.NoError(t, err, "somebody else may, too")
	now := f.hot.View().Template
	require.Equal(t, []string{was, "Other"}, []string{now.Instrument(rows[0]).Name, now.Instrument(rows[1]).Name})
	_, err = f.hot.TakeBackOne(ctx, f.ada, first)
	require.ErrorContains(t, err, "was taken back already")
	_, err = f.hot.Undo(ctx, f.ben)
	require.NoError(t, err)
	require.Equal(t, "One", f.hot.View().Template.Instrument(rows[0]).Name)

	last := f.rename(t, rows[0], "Two")
	var depends *app.DependsError
	_, err = f.hot.TakeBackOne(ctx, f.ada, first)
	require.ErrorAs(t, err, &depends)
	require.Len(t, depends.Later, 1)
	require.Equal(t, last, depends.Later[0].Revision)
	require.ErrorContains(t, err, "Set name of One (revision")
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	_, err = f.hot.TakeBackOne(ctx, f.ada, first)
	require.NoError(t, err, "what was undone depends on nothing")
	require.Equal(t, was, f.hot.View().Template.Instrument(rows[0]).Name)
	_, err = f.hot.TakeBackOne(ctx, f.ada, 999)
	require.ErrorIs(t, err, store.ErrNotFound)

	past, err := f.hot.History(ctx, 0)
	require.NoError(t, err)
	require.Equal(t, f.hot.View().Revision, past[0].Revision)
	require.Equal(t, "Take back: Set name of "+was, past[0].Label)
	older, err := f.hot.History(ctx, past[1].Revision)
	require.NoError(t, err)
	require.Equal(t, past[2], older[0])
}

// A version is looked at without being changed, restored as one change that can
// be undone, and branched; a locked template refuses every change.
func TestVersionsAreKept(t *testing.T) {
	f := setUp(t)
	rows := f.rows(3)
	v, err := f.hot.NameVersion(ctx, f.ada, app.Present, "Before the cut", "all seated")
	require.NoError(t, err)
	then := asJSON(t, f.hot.View().Template)
	f.rename(t, rows[0], "Renamed")
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Delete{IDs: rows[1:2]})
	require.NoError(t, err)
	now := asJSON(t, f.hot.View().Template)

	row, err := f.hot.LookAt(ctx, v.Revision)
	require.NoError(t, err)
	again, err := f.hot.LookAt(ctx, v.Revision)
	require.NoError(t, err)
	require.Equal(t, row.ID, again.ID)
	old, err := f.app.Open(ctx, f.ada, row.ID)
	require.NoError(t, err)
	require.Equal(t, then, asJSON(t, old.View().Template))
	of, at := old.OfVersion()
	require.Equal(t, f.id, of)
	require.Equal(t, v.Revision, at)
	var locked *app.LockedError
	_, err = old.ApplyFrom(ctx, f.ada, 0, change.Delete{IDs: rows[:1]})
	require.ErrorAs(t, err, &locked)
	require.ErrorAs(t, old.Call(ctx, rows, app.CallThem, false), &locked, "it takes no memory from the present")
	require.ErrorAs(t, old.Lock(ctx, false), &locked)
	listed, err := f.app.Templates(ctx, f.ada)
	require.NoError(t, err)
	require.Len(t, listed, 1, "a version is not a template of its own")

	_, err = f.hot.Restore(ctx, f.ada, v.Revision)
	require.NoError(t, err)
	require.Equal(t, then, asJSON(t, f.hot.View().Template))
	_, err = f.hot.Restore(ctx, f.ada, v.Revision)
	require.ErrorContains(t, err, "already")
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, now, asJSON(t, f.hot.View().Template))

	copied, err := f.hot.Branch(ctx, f.ada, v.Revision, "A copy")
	require.NoError(t, err)
	branch, err := f.app.Open(ctx, f.ada, copied.ID)
	require.NoError(t, err)
	require.Equal(t, "A copy", branch.View().Template.Name)
	require.Len(t, branch.View().Template.Instruments, len(f.hot.View().Template.Instruments)+1)

	require.NoError(t, branch.Lock(ctx, true))
	_, err = branch.ApplyFrom(ctx, f.ada, 0, change.Delete{IDs: rows[:1]})
	require.ErrorContains(t, err, "A copy is locked; unlock it, or work on a copy")
	require.NoError(t, branch.Lock(ctx, false))
	_, err = branch.ApplyFrom(ctx, f.ada, branch.View().Revision, change.Delete{IDs: rows[:1]})
	require.NoError(t, err)
	require.NoError(t, f.hot.ForgetVersion(ctx, v.ID))
	require.ErrorIs(t, f.hot.ForgetVersion(ctx, v.ID), store.ErrNotFound)
}

// A row that was deleted is taken back from a version, with its seat and routes.
func TestADifferenceIsTakenAcross(t *testing.T) {
	f := setUp(t)
	row := f.hot.View().Template.Instruments[2]
	was := f.hot.View().Revision
	_, err := f.hot.ApplyFrom(ctx, f.ada, was, change.Delete{IDs: []template.ID{row.ID}})
	require.NoError(t, err)
	f.rename(t, f.rows(1)[0], "Something else")
	then := app.Other{Template: f.id, Revision: was}
	list, err := f.hot.CompareWith(ctx, f.ada, then)
	require.NoError(t, err)
	require.Len(t, list, 2)
	_, err = f.hot.TakeFrom(ctx, f.ada, then, []compare.Pick{{Noun: compare.Row, ID: row.ID}})
	require.NoError(t, err)
	require.Equal(t, row, f.hot.View().Template.Instrument(row.ID))
	list, err = f.hot.CompareWith(ctx, f.ada, then)
	require.NoError(t, err)
	require.Len(t, list, 1)

	other, err := f.app.Create(ctx, f.ada, coretest.Orchestra(4, 1))
	require.NoError(t, err)
	list, err = f.hot.CompareWith(ctx, f.ada, app.Other{Template: other.ID, Revision: app.Present})
	require.NoError(t, err)
	require.NotEmpty(t, list)
}
