// Package store keeps studios, people, templates and their changes in
// PostgreSQL. Plain values go in and out; every change of a template is
// written whole in one transaction, together with its inverse and the next
// revision number.
package store

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"fanfold/internal/core/change"
	"fanfold/internal/core/template"
	"fanfold/internal/format/templatefile"
	"fanfold/internal/store/db"
)

//go:embed migrations/*.sql
var migrations embed.FS

// SnapshotEvery is the number of changes after which a template is written
// whole again, so that few have to be replayed.
const SnapshotEvery = 200

// ErrNotFound is returned when there is no such thing in the studio asked.
var ErrNotFound = errors.New("not found")

// ErrStale is returned when another server has already written the revision.
var ErrStale = errors.New("the template has been changed by another server")

// Store is the database.
type Store struct {
	Pool *pgxpool.Pool
	q    *db.Queries
}

// Open connects to a database and brings its tables up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	pool, err := pgxpool.New(ctx, url)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, err
	}
	return &Store{Pool: pool, q: db.New(pool)}, nil
}

func migrate(ctx context.Context, pool *pgxpool.Pool) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	conn := stdlib.OpenDBFromPool(pool)
	defer conn.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, conn, files)
	if err != nil {
		return fmt.Errorf("read migrations: %w", err)
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("bring the database up to date: %w", err)
	}
	return nil
}

// Close gives the connections back.
func (s *Store) Close() { s.Pool.Close() }

// Queries gives the plain queries of studios, people and credentials.
func (s *Store) Queries() *db.Queries { return s.q }

// NotFound turns the driver's "no rows" into ErrNotFound.
func NotFound(err error) error {
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// TemplateCreate writes a new template at revision 0.
func (s *Store) TemplateCreate(ctx context.Context, studio uuid.UUID, t *template.Template) (db.Template, error) {
	var row db.Template
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		var err error
		row, err = q.TemplateInsert(ctx, db.TemplateInsertParams{StudioID: studio, Name: t.Name})
		if err != nil {
			return err
		}
		return snapshot(ctx, q, row.ID, 0, t)
	})
	if err != nil {
		return db.Template{}, fmt.Errorf("create template %s: %w", t.Name, err)
	}
	return row, nil
}

// catalogueKind marks the document that is a studio's catalogue.
const catalogueKind = "catalogue"

// CatalogueEnsure returns the id of the studio's catalogue, making it with the
// given content when there is none.
func (s *Store) CatalogueEnsure(ctx context.Context, studio uuid.UUID, fresh *template.Template) (uuid.UUID, error) {
	row, err := s.q.CatalogueGet(ctx, studio)
	if err == nil {
		return row.ID, nil
	}
	if !errors.Is(err, pgx.ErrNoRows) {
		return uuid.Nil, fmt.Errorf("find the catalogue: %w", err)
	}
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		if row, err = q.CatalogueInsert(ctx, db.CatalogueInsertParams{StudioID: studio, Name: fresh.Name}); err != nil {
			return err
		}
		return snapshot(ctx, q, row.ID, 0, fresh)
	})
	if err != nil {
		if again, lost := s.q.CatalogueGet(ctx, studio); lost == nil {
			return again.ID, nil // somebody else was quicker
		}
		return uuid.Nil, fmt.Errorf("make the catalogue: %w", err)
	}
	return row.ID, nil
}

func snapshot(ctx context.Context, q *db.Queries, id uuid.UUID, revision int64, t *template.Template) error {
	var body bytes.Buffer
	if err := templatefile.Write(&body, t); err != nil {
		return err
	}
	return q.SnapshotInsert(ctx, db.SnapshotInsertParams{TemplateID: id, Revision: revision, Body: body.Bytes()})
}

// Entry is one change in a template's log.
type Entry struct {
	Revision int64
	Author   uuid.UUID
	Role     Role
	Target   int64 // the revision that an undo or redo takes back
	Label    string
	Change   change.Change
	Inverse  change.Change
}

// Role says how a change came about.
type Role string

// The roles of a change.
const (
	Do   Role = "do"
	Undo Role = "undo"
	Redo Role = "redo"
	// Follow is a change that only follows one made elsewhere; it is nobody's
	// to undo.
	Follow Role = "follow"
)

// ChangeAppend writes a change and its inverse as the next revision, in one
// transaction. after is the template with the change. ErrStale means that the
// revision was already taken.
func (s *Store) ChangeAppend(ctx context.Context, id uuid.UUID, e Entry, after *template.Template) error {
	forward, err := change.Marshal(e.Change)
	if err != nil {
		return err
	}
	inverse, err := change.Marshal(e.Inverse)
	if err != nil {
		return err
	}
	params := db.ChangeInsertParams{
		TemplateID: id, Revision: e.Revision, AuthorID: e.Author, Role: string(e.Role),
		Label: e.Label, Change: forward, Inverse: inverse,
	}
	if e.Target > 0 {
		params.Target = &e.Target
	}
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		n, err := q.TemplateAdvance(ctx, db.TemplateAdvanceParams{Base: e.Revision - 1, Name: after.Name, ID: id})
		if err != nil {
			return err
		}
		if n == 0 {
			return ErrStale
		}
		if err := q.ChangeInsert(ctx, params); err != nil {
			return err
		}
		if e.Revision%SnapshotEvery == 0 {
			return snapshot(ctx, q, id, e.Revision, after)
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("write change %d: %w", e.Revision, err)
	}
	return nil
}

// WantedChange writes which instruments shall be ready from now on, and which
// no longer, as one.
func (s *Store) WantedChange(ctx context.Context, id uuid.UUID, add, remove []string) error {
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		q := s.q.WithTx(tx)
		if err := q.WantedRemove(ctx, db.WantedRemoveParams{TemplateID: id, InstrumentIds: remove}); err != nil {
			return err
		}
		return q.WantedAdd(ctx, db.WantedAddParams{TemplateID: id, InstrumentIds: add})
	})
	if err != nil {
		return fmt.Errorf("write what shall be ready: %w", err)
	}
	return nil
}

// Loaded is a template as it stands, with its log since the last snapshot.
type Loaded struct {
	Template  *template.Template
	Catalogue bool      // it is the studio's catalogue
	Locked    bool      // against change
	Of        uuid.UUID // the template that it holds as it was; nil when it is no version
	At        int64     // the revision it holds that template at
	Revision  int64
	Log       []Entry
}

// TemplateLoad rebuilds a template from its last snapshot and the changes
// after it. The changes shortly before the snapshot come along, for undo.
func (s *Store) TemplateLoad(ctx context.Context, studio, id uuid.UUID) (Loaded, error) {
	head, err := s.q.TemplateGet(ctx, db.TemplateGetParams{ID: id, StudioID: studio})
	if err != nil {
		return Loaded{}, NotFound(err)
	}
	snap, err := s.q.SnapshotLatest(ctx, id)
	if err != nil {
		return Loaded{}, fmt.Errorf("load template: %w", err)
	}
	t, err := templatefile.Trusted(bytes.NewReader(snap.Body))
	if err != nil {
		return Loaded{}, fmt.Errorf("load template at revision %d: %w", snap.Revision, err)
	}
	rows, err := s.q.ChangesAfter(ctx, db.ChangesAfterParams{TemplateID: id, Revision: max(0, snap.Revision-SnapshotEvery)})
	if err != nil {
		return Loaded{}, fmt.Errorf("load changes: %w", err)
	}
	out := Loaded{Template: t, Catalogue: head.Kind == catalogueKind, Locked: head.Locked, Of: head.OfTemplate.Bytes, Revision: snap.Revision}
	if head.OfRevision != nil {
		out.At = *head.OfRevision
	}
	for _, row := range rows {
		e, err := entry(row)
		if err != nil {
			return Loaded{}, err
		}
		out.Log = append(out.Log, e)
		if e.Revision <= out.Revision {
			continue
		}
		if out.Template, _, err = change.Apply(out.Template, e.Change); err != nil {
			return Loaded{}, fmt.Errorf("replay change %d: %w", e.Revision, err)
		}
		out.Revision = e.Revision
	}
	return out, nil
}

func entry(row db.Change) (Entry, error) {
	e := Entry{Revision: row.Revision, Author: row.AuthorID, Role: Role(row.Role), Label: row.Label}
	if row.Target != nil {
		e.Target = *row.Target
	}
	var err error
	if e.Change, err = change.Unmarshal(row.Change); err != nil {
		return e, fmt.Errorf("read change %d: %w", row.Revision, err)
	}
	if e.Inverse, err = change.Unmarshal(row.Inverse); err != nil {
		return e, fmt.Errorf("read inverse of change %d: %w", row.Revision, err)
	}
	return e, nil
}
