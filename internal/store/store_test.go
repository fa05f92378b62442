package store_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"fanfold/internal/core/change"
	"fanfold/internal/core/coretest"
	"fanfold/internal/core/template"
	"fanfold/internal/rig"
	"fanfold/internal/store"
	"fanfold/internal/store/db"
	"fanfold/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var ctx = context.Background()

type kept struct {
	*store.Store
	t      *testing.T
	person db.Person
	id     uuid.UUID
	now    *template.Template
	at     int64
}

// keep writes a template of 12 rows for a person of a new studio.
func keep(t *testing.T) *kept {
	s := storetest.Open(t)
	p, err := s.AccountEnsure(ctx, "Studio", "ada@studio.example", "Ada", "a long password")
	require.NoError(t, err)
	k := &kept{Store: s, t: t, person: p, now: coretest.Orchestra(12, 1)}
	row, err := s.TemplateCreate(ctx, p.StudioID, k.now)
	require.NoError(t, err)
	require.Zero(t, row.Revision)
	k.id = row.ID
	return k
}

// note writes one change: a note on the first row.
func (k *kept) note(text string) {
	k.t.Helper()
	c := change.Edit{Edits: []change.Fields{{ID: k.now.Instruments[0].ID, Notes: &text}}}
	after, inverse, err := change.Apply(k.now, c)
	require.NoError(k.t, err)
	e := store.Entry{Revision: k.at + 1, Author: k.person.ID, Role: store.Do, Label: "Note", Change: c, Inverse: inverse}
	require.NoError(k.t, k.ChangeAppend(ctx, k.id, e, after))
	k.now, k.at = after, e.Revision
}

func asJSON(t *testing.T, x any) string {
	data, err := json.Marshal(x)
	require.NoError(t, err)
	return string(data)
}

// What is loaded is what was written, through snapshots and the changes after
// them; the changes come along for undo.
func TestATemplateIsRebuilt(t *testing.T) {
	k := keep(t)
	for n := range store.SnapshotEvery + 3 {
		k.note(fmt.Sprintf("note %d", n))
		if at := n + 1; at == 1 || at == store.SnapshotEvery || at == store.SnapshotEvery+3 {
			loaded, err := k.TemplateLoad(ctx, k.person.StudioID, k.id)
			require.NoError(t, err)
			require.Equal(t, k.at, loaded.Revision)
			require.Equal(t, asJSON(t, k.now), asJSON(t, loaded.Template))
			require.Len(t, loaded.Log, at, "every change since the last snapshot but one")
			require.Equal(t, k.person.ID, loaded.Log[0].Author)
		}
	}
	var snapshots int
	require.NoError(t, k.Pool.QueryRow(ctx, "select count(*) from snapshots").Scan(&snapshots))
	require.Equal(t, 2, snapshots, "at the start, and after the two hundredth change")
}

// Two servers that write one revision: one is told that it is stale, and
// nothing of its change is kept.
func TestOneRevisionIsWrittenOnce(t *testing.T) {
	k := keep(t)
	k.note("first")
	text := "from elsewhere"
	c := change.Edit{Edits: []change.Fields{{ID: k.now.Instruments[1].ID, Notes: &text}}}
	after, inverse, err := change.Apply(k.now, c)
	require.NoError(t, err)
	for _, revision := range []int64{1, 3, 0} {
		err = k.ChangeAppend(ctx, k.id, store.Entry{Revision: revision, Author: k.person.ID, Role: store.Do, Change: c, Inverse: inverse}, after)
		require.ErrorIs(t, err, store.ErrStale)
	}
	loaded, err := k.TemplateLoad(ctx, k.person.StudioID, k.id)
	require.NoError(t, err)
	require.EqualValues(t, 1, loaded.Revision)
	require.Equal(t, asJSON(t, k.now), asJSON(t, loaded.Template))

	var wait sync.WaitGroup
	won := make(chan error, 8)
	for range 8 { // all at once
		wait.Go(func() {
			won <- k.ChangeAppend(ctx, k.id, store.Entry{Revision: 2, Author: k.person.ID, Role: store.Do, Change: c, Inverse: inverse}, after)
		})
	}
	wait.Wait()
	close(won)
	good := 0
	for err := range won {
		if err == nil {
			good++
			continue
		}
		require.ErrorIs(t, err, store.ErrStale)
	}
	require.Equal(t, 1, good)
}

// A change that can not be written whole leaves neither itself nor the next
// revision number.
func TestAFailedWriteLeavesNothing(t *testing.T) {
	k := keep(t)
	text := "x"
	c := change.Edit{Edits: []change.Fields{{ID: k.now.Instruments[0].ID, Notes: &text}}}
	after, inverse, err := change.Apply(k.now, c)
	require.NoError(t, err)
	e := store.Entry{Revision: 1, Author: uuid.New(), Role: store.Do, Change: c, Inverse: inverse} // nobody by that id
	require.ErrorContains(t, k.ChangeAppend(ctx, k.id, e, after), "write change 1")
	e.Author, e.Role = k.person.ID, "guess"
	require.Error(t, k.ChangeAppend(ctx, k.id, e, after))
	loaded, err := k.TemplateLoad(ctx, k.person.StudioID, k.id)
	require.NoError(t, err)
	require.Zero(t, loaded.Revision)
	k.note("goes on")
}

func TestAnotherStudioLoadsNothing(t *testing.T) {
	k := keep(t)
	_, err := k.TemplateLoad(ctx, uuid.New(), k.id)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = k.TemplateLoad(ctx, k.person.StudioID, uuid.New())
	require.ErrorIs(t, err, store.ErrNotFound)
}

// A snapshot nobody can read is an error that names it, not an empty template.
func TestADamagedSnapshotIsNamed(t *testing.T) {
	k := keep(t)
	_, err := k.Pool.Exec(ctx, "update snapshots set body = $1", bytes.Repeat([]byte("x"), 9))
	require.NoError(t, err)
	_, err = k.TemplateLoad(ctx, k.person.StudioID, k.id)
	require.ErrorContains(t, err, "load template at revision 0")
}

func TestAccountsAreMadeOnce(t *testing.T) {
	s := storetest.Open(t)
	first, err := s.AccountEnsure(ctx, "Studio", "Ada@Studio.example", "Ada", "a long password")
	require.NoError(t, err)
	again, err := s.AccountEnsure(ctx, "Another", "ada@studio.EXAMPLE", "Somebody", "another password")
	require.NoError(t, err)
	require.Equal(t, first.ID, again.ID)
	require.True(t, store.CheckPassword(again.PasswordHash, "a long password"), "the password stays")
}

// Only the whole token opens: its id and its secret; the secret itself is not
// kept.
func TestHostCredentials(t *testing.T) {
	k := keep(t)
	secret := rig.NewSecret()
	row, err := k.Queries().CredentialInsert(ctx, db.CredentialInsertParams{StudioID: k.person.StudioID, Machine: "Birch", TokenHash: rig.Hash(secret)})
	require.NoError(t, err)
	require.NotContains(t, string(row.TokenHash), secret)
	host, ok := k.HostLookup(ctx, row.ID.String(), secret)
	require.True(t, ok)
	require.Equal(t, rig.Host{Credential: row.ID.String(), Studio: k.person.StudioID.String(), Machine: "Birch"}, host)
	for _, try := range [][2]string{{row.ID.String(), rig.NewSecret()}, {uuid.NewString(), secret}, {"nonsense", secret}, {row.ID.String(), ""}} {
		_, ok := k.HostLookup(ctx, try[0], try[1])
		require.False(t, ok, try)
	}
}

// What shall be ready is added and removed, each once, and all or nothing.
func TestWanted(t *testing.T) {
	k := keep(t)
	require.NoError(t, k.WantedChange(ctx, k.id, []string{"a", "b"}, nil))
	require.NoError(t, k.WantedChange(ctx, k.id, []string{"b", "c"}, []string{"a", "z"}))
	gone, cancel := context.WithCancel(ctx)
	cancel()
	require.ErrorContains(t, k.WantedChange(gone, k.id, []string{"d"}, []string{"b"}), "write what shall be ready")
	require.Error(t, k.WantedChange(ctx, uuid.New(), []string{"d"}, []string{"b"}), "no such template")
	list, err := k.Queries().WantedList(ctx, k.id)
	require.NoError(t, err)
	require.ElementsMatch(t, []string{"b", "c"}, list)
}

func TestOpeningSaysWhatIsWrong(t *testing.T) {
	_, err := store.Open(ctx, "postgres://nobody@127.0.0.1:1/none?connect_timeout=1")
	require.ErrorContains(t, err, "bring the database up to date")
	_, err = store.Open(ctx, "not an address")
	require.ErrorContains(t, err, "open database")
}
