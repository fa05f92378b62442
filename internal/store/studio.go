package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// part is a table as it goes into an archive of a studio.
type part struct {
	table string
	own   string   // which rows are the studio's, $1, by the alias t
	order string   // so that rows come after those that they refer to
	drop  []string // columns that do not go along
}

// studioParts are the tables of a studio's archive, each after those that it refers to. What lets
// somebody in does not go along: passwords, passkeys, codes, links, credentials of hosts.
var studioParts = []part{
	{"studios", "t.id = $1", "1", []string{"ends_at"}},
	{"people", "t.studio_id = $1", "t.created_at, t.id", []string{"password_hash", "code_key", "code_step"}},
	{"documents", "t.studio_id = $1 and (t.of_document is null or t.of_document in (select id from documents where studio_id = $1))", "t.of_document is not null, t.created_at, t.id", []string{"key"}},
	{"snapshots", ofDocument, "t.document_id, t.revision", nil},
	{"changes", ofDocument + byPerson, "t.document_id, t.revision", []string{"key"}},
	{"versions", ofDocument + byPerson, "t.created_at, t.id", nil},
	{"looks", ofDocument + " and t.person_id in (select id from people where studio_id = $1)", "t.document_id, t.person_id", nil},
	{"calls_used", ofDocument, "t.document_id, t.call_id", nil},
	{"paces", "t.studio_id = $1", "t.machine", nil},
	{"recordings", "t.studio_id = $1", "t.created_at, t.id", nil},
	{"recording_parts", "t.recording_id in (select id from recordings where studio_id = $1)", "t.recording_id, t.part", nil},
	{"scanned_files", "t.studio_id = $1", "t.folder, t.file, t.policy", nil},
	{"prints", "t.studio_id = $1 and t.state = 'done' and " + ofTemplate, "t.created_at, t.id", []string{"job_id", "owner", "beat_at"}},
	{"print_files", ofPrint, "t.print_id, t.number", nil},
	{"print_matches", ofTemplate, "t.template, t.key", nil},
	{"deliveries", "t.studio_id = $1 and " + ofTemplate, "t.created_at, t.id", []string{"token"}},
	{"delivery_prints", ofPrint + " and t.delivery_id in (select id from deliveries where studio_id = $1)", "t.delivery_id, t.place", nil},
	{"session_files", "t.studio_id = $1 and " + ofTemplate, "t.created_at, t.id", nil},
	{"notes", "t.studio_id = $1", "t.id", []string{"id"}},
}

const (
	ofDocument = "t.document_id in (select id from documents where studio_id = $1)"
	ofTemplate = "t.template in (select id from documents where studio_id = $1)"
	ofPrint    = "t.print_id in (select id from prints where studio_id = $1 and state = 'done')"
	byPerson   = " and t.author_id in (select id from people where studio_id = $1)"
)

// StudioTables are the tables of a studio's archive, in the order in which they are brought in.
func StudioTables() []string {
	var out []string
	for _, p := range studioParts {
		out = append(out, p.table)
	}
	return out
}

// StudioWrite writes what the database has of a studio, as of one moment: for each table what into
// gives for it is written a line of JSON for every row.
func (s *Store) StudioWrite(ctx context.Context, studio uuid.UUID, into func(table string) (io.Writer, error)) error {
	tx, err := s.Pool.BeginTx(ctx, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly})
	if err != nil {
		return fmt.Errorf("read a studio: %w", err)
	}
	defer func() { _ = tx.Rollback(context.WithoutCancel(ctx)) }() // nothing is written
	for _, p := range studioParts {
		w, err := into(p.table)
		if err != nil {
			return err
		}
		drop := p.drop
		if drop == nil {
			drop = []string{}
		}
		rows, err := tx.Query(ctx, "select (to_jsonb(t) - $2::text[])::text from "+p.table+" t where "+p.own+" order by "+p.order, studio, drop)
		if err != nil {
			return fmt.Errorf("read %s: %w", p.table, err)
		}
		for rows.Next() {
			var line []byte
			if err = rows.Scan(&line); err == nil {
				_, err = w.Write(append(line, '\n'))
			}
			if err != nil {
				rows.Close()
				return fmt.Errorf("read %s: %w", p.table, err)
			}
		}
		if err := rows.Err(); err != nil {
			return fmt.Errorf("read %s: %w", p.table, err)
		}
	}
	return nil
}

// TablesState is the state of the tables that this program brings a database to.
func TablesState() (int64, error) {
	files, err := migrations.ReadDir("migrations")
	if err != nil {
		return 0, err
	}
	var n int64
	_, err = fmt.Sscanf(files[len(files)-1].Name(), "%d_", &n)
	return n, err
}

// ErrStudioHere is returned where a studio is to be brought in that is here.
var ErrStudioHere = errors.New("this studio is on this server already")

// EmailTaken is the error of a studio of which somebody is in another studio of the server.
type EmailTaken struct{ Detail string }

func (e *EmailTaken) Error() string {
	return "somebody of this studio is in another studio of this server, and a person is in one: " + e.Detail
}

// mostLine bounds a row of an archive, bytes.
const mostLine = 1 << 30

// StudioBring brings a studio in: lines is what StudioWrite has written of a table. All of it is
// brought in or nothing. Rows that would belong to another studio are refused.
func (s *Store) StudioBring(ctx context.Context, studio uuid.UUID, lines func(table string) (io.ReadCloser, error)) error {
	there, err := s.q.StudioIsThere(ctx, studio)
	if err != nil {
		return fmt.Errorf("look for the studio: %w", err)
	}
	if there {
		return ErrStudioHere
	}
	return s.Tx(ctx, func(tx pgx.Tx) error {
		for _, p := range studioParts {
			r, err := lines(p.table)
			if err == nil {
				err = errors.Join(p.bring(ctx, tx, studio, r), r.Close())
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

func (p part) bring(ctx context.Context, tx pgx.Tx, studio uuid.UUID, r io.Reader) error {
	known, err := p.columns(ctx, tx)
	if err != nil {
		return err
	}
	rows := json.NewDecoder(io.LimitReader(r, mostLine))
	for n := 1; ; n++ {
		var line json.RawMessage
		err := rows.Decode(&line)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("%s, row %d cannot be read: %w", p.table, n, err)
		}
		if err := p.insert(ctx, tx, studio, line, known); err != nil {
			return fmt.Errorf("%s, row %d: %w", p.table, n, err)
		}
	}
}

// columns are those of the table that rows may bring.
func (p part) columns(ctx context.Context, tx pgx.Tx) ([]string, error) {
	rows, err := tx.Query(ctx, "select column_name::text from information_schema.columns where table_schema = current_schema() and table_name = $1 and not column_name = any($2::text[])", p.table, append([]string{}, p.drop...))
	if err != nil {
		return nil, fmt.Errorf("read the columns of %s: %w", p.table, err)
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (p part) insert(ctx context.Context, tx pgx.Tx, studio uuid.UUID, line json.RawMessage, known []string) error {
	var row map[string]json.RawMessage
	if err := json.Unmarshal(line, &row); err != nil {
		return err
	}
	var columns []string
	for _, name := range known {
		if _, has := row[name]; has {
			columns = append(columns, pgx.Identifier{name}.Sanitize())
		}
	}
	own := p.own
	if p.table == "people" { // who comes has to be let in first
		columns = append(columns, "password_hash")
		row["password_hash"] = json.RawMessage(`""`)
		var err error
		if line, err = json.Marshal(row); err != nil {
			return err
		}
	}
	slices.Sort(columns)
	list := strings.Join(columns, ", ")
	tag, err := tx.Exec(ctx, "insert into "+p.table+" ("+list+") select "+list+" from jsonb_populate_record(null::"+p.table+", $2::jsonb) t where "+own, studio, []byte(line))
	var refused *pgconn.PgError
	switch {
	case errors.As(err, &refused) && refused.ConstraintName == "people_email":
		return &EmailTaken{refused.Detail}
	case err != nil:
		return err
	case tag.RowsAffected() != 1:
		return errors.New("it does not belong to the studio")
	}
	return nil
}

// StudioRemove deletes a studio that has ended, audio first: what fails is done again the next time.
func (s *Store) StudioRemove(ctx context.Context, studio uuid.UUID) error {
	if s.audio != nil {
		if err := s.audio.DeleteAll(ctx, studio.String()); err != nil {
			return err
		}
	}
	return s.Tx(ctx, func(tx pgx.Tx) error {
		for _, do := range []string{
			"delete from documents where studio_id = $1", // with all their changes, which have authors
			"delete from scans where studio_id = $1",
			"delete from studios where id = $1",
		} {
			if _, err := tx.Exec(ctx, do, studio); err != nil {
				return fmt.Errorf("delete a studio: %w", err)
			}
		}
		return nil
	})
}
