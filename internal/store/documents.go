package store

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"
	"golang.org/x/sync/errgroup"

	"fanfold/internal/document"
	"fanfold/internal/store/db"
)

// SnapshotEvery is the number of changes after which a document is written
// whole again, so that few have to be replayed.
const SnapshotEvery = 200

// Codec tells how the documents of one kind are written and read.
type Codec[S, C any] struct {
	WriteState  func(io.Writer, S) error
	ReadState   func(io.Reader) (S, error) // of what WriteState wrote, here or in an earlier version
	WriteChange func(C) ([]byte, error)    // as JSON
	ReadChange  func([]byte) (C, error)
	Apply       func(S, C) (S, error)
	About       func(S) any // what is told of a document without opening it; becomes JSON
	Name        func(S) string
	Holds       func(kind string) bool // which kinds of document are such; nil holds all
}

// Documents keeps the documents of one kind. It is a document.Log.
type Documents[S, C any] struct {
	s     *Store
	codec Codec[S, C]
}

// DocumentsOf returns the documents that a codec is for.
func DocumentsOf[S, C any](s *Store, codec Codec[S, C]) *Documents[S, C] {
	return &Documents[S, C]{s, codec}
}

// NewDocument is a document to be made.
type NewDocument struct {
	ID       uuid.UUID // nil for one of its own
	Studio   uuid.UUID
	Kind     string
	Locked   bool
	Of       uuid.UUID // the document it holds as it was; nil when it is not a version
	Revision int64     // the revision it holds that at
	Key      uuid.UUID // nil for one of its own
}

// Create writes a new document at revision 0. One that was made with the same
// key before is returned instead.
func (d *Documents[S, C]) Create(ctx context.Context, n NewDocument, state S) (db.Document, error) {
	about, err := json.Marshal(d.codec.About(state))
	if err != nil {
		return db.Document{}, fmt.Errorf("create %s %s: %w", n.Kind, d.codec.Name(state), err)
	}
	body, err := d.written(state)
	if err != nil {
		return db.Document{}, err
	}
	params := db.DocumentInsertParams{ID: some(n.ID), StudioID: n.Studio, Name: d.codec.Name(state), Kind: n.Kind, About: about, Locked: n.Locked, OfDocument: some(n.Of), Key: some(n.Key)}
	if n.Of != uuid.Nil {
		params.OfRevision = &n.Revision
	}
	var row db.Document
	err = d.s.Tx(ctx, func(tx pgx.Tx) error {
		q := d.s.q.WithTx(tx)
		if row, err = q.DocumentInsert(ctx, params); err != nil {
			return err
		}
		return q.SnapshotInsert(ctx, db.SnapshotInsertParams{DocumentID: row.ID, Body: body})
	})
	if taken(err, "documents_key_key") {
		row, err = d.s.q.DocumentByKey(ctx, db.DocumentByKeyParams{Key: some(n.Key), StudioID: n.Studio})
	}
	if err != nil {
		return db.Document{}, fmt.Errorf("create %s %s: %w", n.Kind, params.Name, NotFound(err))
	}
	return row, nil
}

// some is a value of a column that may be empty.
func some(id uuid.UUID) pgtype.UUID { return pgtype.UUID{Bytes: id, Valid: id != uuid.Nil} }

// taken tells whether an error says that a unique value is in use.
func taken(err error, index string) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505" && pg.ConstraintName == index
}

func (d *Documents[S, C]) written(state S) ([]byte, error) {
	var body bytes.Buffer
	if err := d.codec.WriteState(&body, state); err != nil {
		return nil, fmt.Errorf("write %s: %w", d.codec.Name(state), err)
	}
	return body.Bytes(), nil
}

// Only returns the id of the one document of a kind that a studio has, making it
// with the given content when there is none.
func (d *Documents[S, C]) Only(ctx context.Context, studio uuid.UUID, kind string, fresh func() S) (uuid.UUID, error) {
	find := db.DocumentOnlyParams{StudioID: studio, Kind: kind}
	row, err := d.s.q.DocumentOnly(ctx, find)
	if err == nil {
		return row.ID, nil
	}
	if !errors.Is(err, pgx.ErrNoRows) {
		return uuid.Nil, fmt.Errorf("find the %s: %w", kind, err)
	}
	made, err := d.Create(ctx, NewDocument{Studio: studio, Kind: kind}, fresh())
	if err != nil {
		if again, lost := d.s.q.DocumentOnly(ctx, find); lost == nil {
			return again.ID, nil // somebody else was quicker
		}
		return uuid.Nil, err
	}
	return made.ID, nil
}

// Load implements document.Log. The changes shortly before the last snapshot
// can be read later, for undo.
func (d *Documents[S, C]) Load(ctx context.Context, studio, id uuid.UUID) (out document.Loaded[S, C], err error) {
	row, err := d.s.q.DocumentGet(ctx, db.DocumentGetParams{ID: id, StudioID: studio})
	if err != nil {
		return out, NotFound(err)
	}
	if d.codec.Holds != nil && !d.codec.Holds(row.Kind) {
		return out, document.ErrNotFound
	}
	out.Head = headOf(row)
	last, err := d.s.q.SnapshotLast(ctx, id)
	if err != nil {
		return out, fmt.Errorf("find a snapshot: %w", NotFound(err))
	}
	out.Earlier = func(ctx context.Context) ([]document.Entry[C], error) {
		return d.Entries(ctx, id, max(0, last-SnapshotEvery), last)
	}
	var state S
	var at int64
	both, beside := errgroup.WithContext(ctx)
	both.Go(func() (err error) {
		state, at, err = d.snapshotBefore(beside, id, last)
		return err
	})
	both.Go(func() (err error) {
		out.Log, err = d.Entries(beside, id, last, math.MaxInt64)
		return err
	})
	if err := both.Wait(); err != nil {
		return out, err
	}
	begun := time.Now()
	if out.State, out.Revision, err = d.replay(state, at, out.Log); err == nil && time.Since(begun) > longReplay {
		d.s.beside.Go(func() { d.keepSnapshot(id, out.Revision, out.State) })
	}
	return out, err
}

// longReplay is how long changes may take to be replayed: what took longer is written
// whole, to be loaded at once the next time.
const longReplay = 20 * time.Millisecond

// replay takes a state at a revision on by those changes that come after it.
func (d *Documents[S, C]) replay(state S, at int64, log []document.Entry[C]) (S, int64, error) {
	var err error
	for _, e := range log {
		if e.Revision <= at {
			continue
		}
		if state, err = d.codec.Apply(state, e.Change); err != nil {
			return state, at, fmt.Errorf("replay change %d: %w", e.Revision, err)
		}
		at = e.Revision
	}
	return state, at, nil
}

func (d *Documents[S, C]) snapshotBefore(ctx context.Context, id uuid.UUID, revision int64) (state S, at int64, err error) {
	snap, err := d.s.q.SnapshotBefore(ctx, db.SnapshotBeforeParams{DocumentID: id, Revision: revision})
	if err != nil {
		return state, 0, fmt.Errorf("find a snapshot: %w", NotFound(err))
	}
	if state, err = d.codec.ReadState(bytes.NewReader(snap.Body)); err != nil {
		return state, 0, fmt.Errorf("read the snapshot of revision %d: %w", snap.Revision, err)
	}
	return state, snap.Revision, nil
}

func headOf(row db.Document) document.Head {
	h := document.Head{ID: row.ID, Studio: row.StudioID, Kind: row.Kind, Name: row.Name, Revision: row.Revision, Locked: row.Locked, Of: row.OfDocument.Bytes}
	if row.OfRevision != nil {
		h.At = *row.OfRevision
	}
	return h
}

// Since implements document.Log.
func (d *Documents[S, C]) Since(ctx context.Context, studio, id uuid.UUID, revision int64) (document.Head, []document.Entry[C], error) {
	row, err := d.s.q.DocumentGet(ctx, db.DocumentGetParams{ID: id, StudioID: studio})
	if err != nil {
		return document.Head{}, nil, NotFound(err)
	}
	entries, err := d.Entries(ctx, id, revision, math.MaxInt64)
	return headOf(row), entries, err
}

// Entries implements document.Log.
func (d *Documents[S, C]) Entries(ctx context.Context, id uuid.UUID, after, upto int64) ([]document.Entry[C], error) {
	rows, err := d.s.q.ChangesBetween(ctx, db.ChangesBetweenParams{DocumentID: id, After: after, Upto: upto})
	if err != nil {
		return nil, fmt.Errorf("read changes: %w", err)
	}
	out := make([]document.Entry[C], len(rows))
	for n, row := range rows {
		e := &out[n]
		e.Revision, e.Author, e.By, e.Role, e.Label, e.Key = row.Revision, row.AuthorID, row.Author, document.Role(row.Role), row.Label, row.Key.Bytes
		if row.Target != nil {
			e.Target = *row.Target
		}
		if e.Change, err = d.codec.ReadChange(row.Change); err != nil {
			return nil, fmt.Errorf("read change %d: %w", row.Revision, err)
		}
		if e.Inverse, err = d.codec.ReadChange(row.Inverse); err != nil {
			return nil, fmt.Errorf("read inverse of change %d: %w", row.Revision, err)
		}
	}
	return out, nil
}

// ByKey implements document.Log.
func (d *Documents[S, C]) ByKey(ctx context.Context, id, key uuid.UUID) (int64, error) {
	row, err := d.s.q.ChangeByKey(ctx, some(key))
	if err == nil && row.DocumentID != id {
		return 0, document.ErrNotFound
	}
	return row.Revision, NotFound(err)
}

// SetLocked implements document.Log.
func (d *Documents[S, C]) SetLocked(ctx context.Context, studio, id uuid.UUID, on bool) error {
	n, err := d.s.q.DocumentLock(ctx, db.DocumentLockParams{ID: id, StudioID: studio, Locked: on})
	if err != nil {
		return fmt.Errorf("lock the document: %w", err)
	}
	if n == 0 {
		return document.ErrNotFound
	}
	return nil
}

// unfit tells whether the database can never hold what it was given: errors of the
// classes 22, data, and 54, limits of the program (PostgreSQL 15, appendix A).
func unfit(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && (strings.HasPrefix(pg.Code, "22") || strings.HasPrefix(pg.Code, "54"))
}

// appendChange takes the document to its next revision and writes the change
// that makes it, as one: nothing is written when the revision is not the next,
// or the document is locked.
const appendChange = `with head as (
  update documents set revision = revision + 1, name = $3, about = $4
  where id = $1 and revision = $2 - 1 and not locked returning id
)
insert into changes (document_id, revision, author_id, role, target, label, change, inverse, key)
select id, $2, $5, $6, $7, $8, $9, $10, $11 from head`

// Append implements document.Log. A change and its inverse are written with the
// next revision number in one transaction, together with what is beside.
func (d *Documents[S, C]) Append(ctx context.Context, h document.Head, e document.Entry[C], after S, beside document.Beside) error {
	forward, err := d.codec.WriteChange(e.Change)
	if err != nil {
		return err
	}
	inverse, err := d.codec.WriteChange(e.Inverse)
	if err != nil {
		return err
	}
	about, err := json.Marshal(d.codec.About(after))
	if err != nil {
		return fmt.Errorf("write change %d: %w", e.Revision, err)
	}
	var target *int64
	if e.Target > 0 {
		target = &e.Target
	}
	args := []any{h.ID, e.Revision, d.codec.Name(after), about, e.Author, string(e.Role), target, e.Label, forward, inverse, some(e.Key)}
	write := func(x db.DBTX) error {
		done, err := x.Exec(ctx, appendChange, args...)
		if err == nil && done.RowsAffected() == 0 {
			return document.ErrStale
		}
		return err
	}
	if beside == nil {
		err = write(d.s.pool)
	} else {
		err = d.s.Tx(ctx, func(tx pgx.Tx) error {
			if err := write(tx); err != nil {
				return err
			}
			return beside(ctx, tx)
		})
	}
	switch {
	case taken(err, "changes_key"):
		err = document.ErrTwice
	case unfit(err):
		err = fmt.Errorf("%w (%w)", document.ErrUnfit, err)
	}
	if err != nil {
		return fmt.Errorf("write change %d: %w", e.Revision, err)
	}
	if e.Revision%SnapshotEvery == 0 {
		d.s.beside.Go(func() { d.keepSnapshot(h.ID, e.Revision, after) })
	}
	return nil
}

// snapshotWithin bounds writing a snapshot, which only makes loading faster.
const snapshotWithin = time.Minute

// keepSnapshot writes a document whole, beside the work.
func (d *Documents[S, C]) keepSnapshot(id uuid.UUID, revision int64, state S) {
	ctx, stop := context.WithTimeout(context.Background(), snapshotWithin)
	defer stop()
	if err := d.Snapshot(ctx, id, revision, state); err != nil {
		slog.Warn("could not keep a snapshot; the next one will be kept", "document", id, "revision", revision, "error", err)
	}
}

// Snapshot writes a document whole, so that it loads without replaying changes.
func (d *Documents[S, C]) Snapshot(ctx context.Context, id uuid.UUID, revision int64, state S) error {
	body, err := d.written(state)
	if err != nil {
		return err
	}
	return d.s.q.SnapshotInsert(ctx, db.SnapshotInsertParams{DocumentID: id, Revision: revision, Body: body})
}

// At rebuilds a document as it was at a revision, from the snapshot before it
// and the changes since. ErrNotFound when it has not come so far.
func (d *Documents[S, C]) At(ctx context.Context, studio, id uuid.UUID, revision int64) (state S, err error) {
	row, err := d.s.q.DocumentGet(ctx, db.DocumentGetParams{ID: id, StudioID: studio})
	if err != nil {
		return state, NotFound(err)
	}
	if revision < 0 || revision > row.Revision {
		return state, document.ErrNotFound
	}
	state, at, err := d.snapshotBefore(ctx, id, revision)
	if err != nil {
		return state, err
	}
	log, err := d.Entries(ctx, id, at, revision)
	if err != nil {
		return state, err
	}
	state, _, err = d.replay(state, at, log)
	return state, err
}

// Version is the locked document that holds another as it was at a revision; it
// is made when it is first asked for.
func (d *Documents[S, C]) Version(ctx context.Context, studio, of uuid.UUID, revision int64) (db.Document, error) {
	find := db.VersionDocumentParams{OfDocument: some(of), OfRevision: &revision}
	row, err := d.s.q.VersionDocument(ctx, find)
	if err == nil || !errors.Is(err, pgx.ErrNoRows) {
		return row, err
	}
	then, err := d.At(ctx, studio, of, revision)
	if err != nil {
		return db.Document{}, err
	}
	row, err = d.Create(ctx, NewDocument{Studio: studio, Kind: "version", Locked: true, Of: of, Revision: revision}, then)
	if err != nil {
		if again, failed := d.s.q.VersionDocument(ctx, find); failed == nil {
			return again, nil // somebody else made it meanwhile
		}
		return db.Document{}, fmt.Errorf("keep revision %d to look at: %w", revision, err)
	}
	return row, nil
}
