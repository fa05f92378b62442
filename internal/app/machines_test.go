package app_test

import (
	"slices"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/app"
	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
)

func put(m *template.Machine) change.Change {
	return change.Put{Machines: []change.Entry[template.Machine]{change.Append(m)}}
}

// A machine that gets another name keeps its host, its credential, what is called
// there and what was learned of it; libraries that are installed there follow, in the
// studio's catalogue and in templates, and undo brings the name back everywhere.
func TestAMachineIsRenamed(t *testing.T) {
	f := setUp(t)
	_, err := f.app.MakeCredential(ctx, f.ada, "machine-1", 0)
	require.NoError(t, err)
	library := *f.hot.View().Template.Libraries[0]
	library.Machines = []string{"Machine 2", "machine 1"}
	cat, err := f.app.Catalogue(ctx, f.ada)
	require.NoError(t, err)
	other := template.Library{ID: "library-bells", Name: "Bells", Code: "BL", Machines: []string{"Machine 1"}}
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{Libraries: []change.Entry[template.Library]{change.Append(&library)}})
	require.NoError(t, err)
	_, err = cat.ApplyFrom(ctx, f.ada, cat.View().Revision, change.Put{Libraries: []change.Entry[template.Library]{change.Append(&other)}})
	require.NoError(t, err)
	m := f.hot.View().Template.Index().Machines["machine-1"]
	f.report(m)
	rows := slices.DeleteFunc(ids(f.hot.View().Template), func(id template.ID) bool {
		return f.hot.View().Template.Instrument(id).Seat.Machine != m.ID
	})
	require.NoError(t, f.hot.Call(ctx, rows[:2], app.CallThem, false))
	loads := f.rig.names("machine-1")
	require.Len(t, loads, 2)

	named := *m
	named.Name, named.Cores = "Rowan", 32
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, put(&named))
	require.NoError(t, err)
	for _, h := range []*app.Hot{f.hot, cat} {
		now := h.View().Template.Index()
		require.Equal(t, "Rowan", now.Machines["machine-1"].Name)
		require.Equal(t, 32, now.Machines["machine-1"].Cores)
		require.Equal(t, []string{"Machine 2", "Rowan"}, now.Libraries[library.ID].Machines)
	}
	require.Equal(t, []string{"Rowan"}, cat.View().Template.Index().Libraries["library-bells"].Machines, "one the template does not play")
	v, err := f.app.Host(ctx, f.ada, "machine-1")
	require.NoError(t, err)
	require.True(t, v.Online)
	require.Len(t, v.Credentials, 1)
	require.Equal(t, loads, f.rig.names("machine-1"))
	require.Len(t, f.hot.HeldOn("machine-1"), 2)

	taken := named
	taken.Name = "machine 2"
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, put(&taken))
	require.ErrorContains(t, err, "the studio has a machine called Machine 2 already; choose another name")

	_, err = f.hot.Undo(ctx, f.ada)
	require.NoError(t, err)
	for _, h := range []*app.Hot{f.hot, cat} {
		require.Equal(t, "Machine 1", h.View().Template.Index().Machines["machine-1"].Name)
		require.True(t, h.View().Template.Index().Libraries[library.ID].InstalledOn("Machine 1"))
	}
	require.True(t, cat.View().Template.Index().Libraries["library-bells"].InstalledOn("Machine 1"))
}

// A template that is brought back to an earlier revision sits on the machines as they
// are now: neither their names nor their memory go back for the whole studio.
func TestRestoringLeavesMachinesAsTheyAre(t *testing.T) {
	f := setUp(t)
	library := *f.hot.View().Template.Libraries[0]
	library.Machines = []string{"Machine 1"}
	then, err := f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, change.Put{Libraries: []change.Entry[template.Library]{change.Append(&library)}})
	require.NoError(t, err)
	row := f.hot.View().Template.Instruments[0]
	m := *f.hot.View().Template.Index().Machines["machine-1"]
	m.Name, m.MemoryMiB = "Rowan", 2*m.MemoryMiB
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, put(&m))
	require.NoError(t, err)
	_, err = f.hot.ApplyFrom(ctx, f.ada, f.hot.View().Revision, rename(row.ID, "Other"))
	require.NoError(t, err)
	_, err = f.hot.Restore(ctx, f.ada, then)
	require.NoError(t, err)
	now := f.hot.View().Template
	require.Equal(t, row.Name, now.Instrument(row.ID).Name)
	require.Equal(t, m, *now.Index().Machines["machine-1"])
	require.Equal(t, []string{"Rowan"}, now.Index().Libraries[library.ID].Machines)
	cat, err := f.app.Catalogue(ctx, f.ada)
	require.NoError(t, err)
	require.Equal(t, m, *cat.View().Template.Index().Machines["machine-1"])
	_, err = f.hot.Restore(ctx, f.ada, then)
	require.ErrorContains(t, err, "it is as it was")
}

// A template that does not sit on a machine of the studio cannot take its name.
func TestTheStudiosNamesAreTaken(t *testing.T) {
	f := setUp(t)
	row, err := f.app.Create(ctx, f.ada, template.New("small", "Small"))
	require.NoError(t, err)
	small, err := f.app.Open(ctx, f.ada, row.ID)
	require.NoError(t, err)
	lone := template.Machine{ID: "lone", Name: "Lone", MemoryMiB: 64 << 10, Cores: 8, DiskMiBs: 1000}
	_, err = small.ApplyFrom(ctx, f.ada, small.View().Revision, put(&lone))
	require.NoError(t, err)
	taken := lone
	taken.Name = "Machine 1"
	_, err = small.ApplyFrom(ctx, f.ada, small.View().Revision, put(&taken))
	require.ErrorContains(t, err, "the studio has a machine called Machine 1 already; choose another name")
	require.Equal(t, "Lone", small.View().Template.Machines[0].Name)
}

// A studio of an earlier version: hosts are known by their machine's name, and a
// template sits on a machine of the studio's name that has an ID of its own. Both
// come to the studio's machine when the template is opened.
func TestHostsAndTemplatesComeToTheStudiosMachines(t *testing.T) {
	f := setUp(t)
	own := coretest.Must(coretest.Orchestra(8, 1), change.Seat{Seats: []change.Seating{{ID: "instrument-1", Seat: &template.Seat{Machine: "machine-1", Riser: 1, Port: 1, Channel: 1, Pair: 1}}}})
	row, err := f.app.Create(ctx, f.ada, own)
	require.NoError(t, err)
	second, err := f.app.Open(ctx, f.ada, row.ID)
	require.NoError(t, err)
	_, err = second.ApplyFrom(ctx, f.ada, second.View().Revision, change.Between(second.View().Template, elsewhere(second.View().Template)))
	require.NoError(t, err)
	require.Equal(t, template.ID("machine-1"), second.View().Template.Machines[0].ID, "at once, after such a change")
	require.Equal(t, template.ID("machine-1"), second.View().Template.Instrument("instrument-1").Seat.Machine)
	cat, err := f.app.Catalogue(ctx, f.ada)
	require.NoError(t, err)
	require.Len(t, cat.View().Template.Machines, 2, "the studio has not one more")

	_, err = f.store.Pool.Exec(ctx, "insert into host_credentials (studio_id, machine, token_hash) values ($1, 'Machine 1', 'a'), ($1, 'Nowhere', 'b')", f.ada.Studio)
	require.NoError(t, err)
	_, err = f.store.Pool.Exec(ctx, "insert into paces (studio_id, machine, computed, measured, loads) values ($1, 'Machine 1', 2, 3, 1)", f.ada.Studio)
	require.NoError(t, err)
	desk := &quietRig{wanted: map[string][]rig.Load{}}
	again := app.New(app.Config{Store: f.store, Rig: desk})
	stop, err := again.Start(ctx)
	require.NoError(t, err)
	defer stop()
	v, err := again.Host(ctx, f.ada, "machine-1")
	require.NoError(t, err)
	require.Empty(t, v.Credentials)
	_, err = again.Open(ctx, f.ada, f.id)
	require.NoError(t, err)
	v, err = again.Host(ctx, f.ada, "machine-1")
	require.NoError(t, err)
	require.Len(t, v.Credentials, 1)
	require.InDelta(t, 1.5, v.Pace.Factor(), 0.5)
	require.Equal(t, 1, v.Pace.Loads)
	require.Contains(t, desk.known(), rig.Host{Credential: v.Credentials[0].ID.String(), Studio: f.ada.Studio.String(), Machine: "machine-1"})
	left, err := f.store.Queries().CredentialsNamed(ctx)
	require.NoError(t, err)
	require.Equal(t, []uuid.UUID{f.ada.Studio}, left, "one whose machine nobody has")
}

// elsewhere is a template whose machines have IDs of its own.
func elsewhere(t *template.Template) *template.Template {
	out := t.Clone()
	out.Machines = nil
	for _, m := range t.Machines {
		c := *m
		c.ID = "own-" + m.ID
		out.Machines = append(out.Machines, &c)
	}
	out.Instruments = nil
	for _, i := range t.Instruments {
		c := i.Clone()
		if c.Seat != nil {
			c.Seat.Machine = "own-" + c.Seat.Machine
		}
		out.Instruments = append(out.Instruments, c)
	}
	return out
}

// A server that starts knows what a host should hold before it hears the host: one that
// was heard first would be told to rest everything.
func TestHostsAreHeardOnceTheirLoadsAreKnown(t *testing.T) {
	f := setUp(t)
	ids := f.rows(3)
	m := f.machineOf(ids[0])
	_, err := f.app.MakeCredential(ctx, f.ada, m.ID, 0)
	require.NoError(t, err)
	require.NoError(t, f.hot.Call(ctx, ids, app.CallThem, false))
	desk := &quietRig{wanted: map[string][]rig.Load{}}
	stop, err := app.New(app.Config{Store: f.store, Rig: desk}).Start(ctx)
	require.NoError(t, err)
	defer stop()
	require.NotEmpty(t, desk.known())
	desk.mu.Lock()
	defer desk.mu.Unlock()
	for _, loads := range desk.holding {
		require.Equal(t, 3, loads)
	}
}
