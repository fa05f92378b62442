package app_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/patch"
	"fanfold/internal/core/template"
	"fanfold/internal/format/wav"
	"fanfold/internal/scan"
	"fanfold/internal/store/db"
)

// scannedFolder is a folder of two samples and a patch of them, scanned as a
// library.
func (f *fixture) scannedFolder(t *testing.T, library, name string) {
	dir := t.TempDir()
	sample := func(file string, frames int) {
		w, err := os.Create(filepath.Join(dir, file))
		require.NoError(t, err)
		require.NoError(t, wav.Write16(w, 48000, 1, make([]int16, frames)))
		require.NoError(t, w.Close())
	}
	sample("low.wav", 600_000)
	sample("high.wav", 300_000)
	require.NoError(t, os.WriteFile(filepath.Join(dir, name+".sfz"), []byte("<region> sample=low.wav lokey=40 hikey=59\n<region> sample=high.wav lokey=60 hikey=80\n"), 0o644))
	require.NoError(t, f.app.AllowScans(dir))
	result, err := scan.Folder(ctx, os.DirFS(dir), scan.Options{Policy: patch.DefaultPolicy()})
	require.NoError(t, err)
	row, err := f.store.Queries().ScanInsert(ctx, db.ScanInsertParams{StudioID: f.ada.Studio, AuthorID: f.ada.ID, Folder: dir, Library: library, PreloadKib: 64, ZoneBytes: 512})
	require.NoError(t, err)
	require.NoError(t, f.store.ScannedKeep(ctx, row, "x", result.Measured))
}

// What the notes of a cue touch is what must stay; trimming frees the rest on
// the machine in one undoable change, and loading whole brings it back.
func TestTrimmingToTheMusic(t *testing.T) {
	f := setUp(t)
	ids := f.rows(2)
	v := f.hot.View().Template
	first := v.Instrument(ids[0])
	p := v.PatchesOf(first)[0]
	f.scannedFolder(t, v.Index().Libraries[p.Library].Name, p.Name)
	put := func(music string, keys ...template.UsedKey) {
		call := &template.Call{ID: "cue", Name: "1M01", Instruments: ids, Uses: []template.Use{
			{Instrument: ids[0], Keys: keys, Notes: len(keys), Music: music}, {Instrument: ids[1], Music: "z", Notes: 1, Keys: []template.UsedKey{{Key: 60, Low: 1, High: 1}}},
		}}
		_, err := f.hot.Apply(ctx, f.ada, func(*template.Template) (change.Change, error) {
			return change.Put{Calls: []change.Entry[template.Call]{change.Append(call)}}, nil
		})
		require.NoError(t, err)
	}
	_, err := f.hot.Trimmings(ctx, "cue")
	require.ErrorContains(t, err, "no longer there")
	put("x", template.UsedKey{Key: 64, Low: 80, High: 90})
	list, err := f.hot.Trimmings(ctx, "cue")
	require.NoError(t, err)
	require.Len(t, list, 2)
	require.Equal(t, []int{1, 2}, []int{list[0].Zones, list[0].Of})
	require.InDelta(t, (64*1024+512)/float64(1<<20), list[0].TrimmedMiB, 1e-9, "one sample's beginning and one zone")
	require.Equal(t, p.PreloadMiB, list[0].PreloadMiB)
	require.Contains(t, list[1].Why, "was not scanned")

	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	m := f.machineOf(ids[0])
	ordered := func() float64 {
		for _, l := range f.rig.wanted[string(m.ID)] {
			if l.Name == first.Name {
				return l.Patches[0].PreloadMiB
			}
		}
		return -1
	}
	require.Equal(t, p.PreloadMiB, ordered())
	_, err = f.hot.Apply(ctx, f.ada, app.TrimTo(list))
	require.NoError(t, err)
	require.InDelta(t, list[0].TrimmedMiB, ordered(), 1e-9)
	now := f.hot.View()
	require.NotNil(t, now.Template.Instrument(ids[0]).Trim)
	require.Nil(t, now.Template.Instrument(ids[1]).Trim, "what is not known stays whole")
	for _, fact := range now.Facts {
		if fact.ID == ids[0] {
			require.InDelta(t, list[0].TrimmedMiB, fact.ReadyMiB, 1e-9)
		}
	}
	require.False(t, now.Template.TrimStale(now.Template.Instrument(ids[0])))
	put("y", template.UsedKey{Key: 50, Low: 1, High: 127}, template.UsedKey{Key: 64, Low: 1, High: 1})
	now = f.hot.View()
	require.True(t, now.Template.TrimStale(now.Template.Instrument(ids[0])), "its notes are others now")

	list, err = f.hot.Trimmings(ctx, "cue")
	require.NoError(t, err)
	require.Equal(t, 2, list[0].Zones)
	_, err = f.hot.Apply(ctx, f.ada, app.LoadWhole(list))
	require.NoError(t, err)
	require.Equal(t, p.PreloadMiB, ordered())
	_, err = f.hot.Apply(ctx, f.ada, app.LoadWhole(list))
	require.ErrorContains(t, err, "none of them is trimmed")
	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	require.NotNil(t, f.hot.View().Template.Instrument(ids[0]).Trim)
}

// Rows that feed one player share its patch: it is trimmed to the notes of all
// of them, those the cue leaves out included, and the host hears one set of keys.
func TestRowsOfOnePlayerAreTrimmedTogether(t *testing.T) {
	f := setUp(t)
	ids := f.rows(3)
	v := f.hot.View().Template
	p := v.PatchesOf(v.Instrument(ids[0]))[0]
	f.scannedFolder(t, v.Index().Libraries[p.Library].Name, p.Name)
	spread, player, patches := template.SpreadOut, template.ID("one-player"), []template.ID{p.ID}
	seat := *v.Instrument(ids[0]).Seat
	var edit change.Edit
	seats := change.Seat{}
	for n, id := range ids {
		edit.Edits = append(edit.Edits, change.Fields{ID: id, Layout: &spread, Spread: &player, Patches: &patches})
		at := seat
		at.Port, at.Channel = 8, 1+n
		seats.Seats = append(seats.Seats, change.Seating{ID: id, Seat: &at})
	}
	call := &template.Call{ID: "cue", Name: "1M01", Instruments: ids[:2], Uses: []template.Use{
		{Instrument: ids[0], Music: "x", Notes: 1, Keys: []template.UsedKey{{Key: 64, Low: 80, High: 90}}},
		{Instrument: ids[1], Music: "y", Notes: 1, Keys: []template.UsedKey{{Key: 70, Low: 1, High: 1}}},
	}}
	_, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Batch{Changes: []change.Change{seats, edit, change.Put{Calls: []change.Entry[template.Call]{change.Append(call)}}}})
	require.NoError(t, err)
	list, err := f.hot.Trimmings(ctx, "cue")
	require.NoError(t, err)
	require.Len(t, list, 1, "one player, one trim")
	require.Len(t, list[0].Beside, 2)
	require.Equal(t, []int{1, 2}, []int{list[0].Zones, list[0].Of}, "both notes lie in the upper zone")
	_, err = f.hot.Apply(ctx, f.ada, app.TrimTo(list))
	require.NoError(t, err)
	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	now := f.hot.View().Template
	for _, l := range f.rig.wanted[string(f.machineOf(ids[0]).ID)] {
		require.InDelta(t, list[0].TrimmedMiB, l.Patches[0].PreloadMiB, 1e-9, l.Name)
		require.Equal(t, "64:80-90 70:1-1", l.Patches[0].Trim, l.Name)
	}
	for _, id := range ids {
		require.NotNil(t, now.Instrument(id).Trim)
		require.False(t, now.TrimStale(now.Instrument(id)))
	}
	require.False(t, list[0].Stale(now))

	call.Instruments, call.Uses = ids, append(call.Uses, template.Use{Instrument: ids[2], Music: "z", Notes: 1, Keys: []template.UsedKey{{Key: 50, Low: 1, High: 1}}})
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{Calls: []change.Entry[template.Call]{change.Append(call)}})
	require.NoError(t, err)
	list, err = f.hot.Trimmings(ctx, "cue")
	require.NoError(t, err)
	require.True(t, list[0].Stale(f.hot.View().Template), "the third row plays now")
	require.Equal(t, 2, list[0].Zones)
	_, err = f.hot.Apply(ctx, f.ada, app.LoadWhole(list))
	require.NoError(t, err)
	for _, id := range ids {
		require.Nil(t, f.hot.View().Template.Instrument(id).Trim)
	}
}
