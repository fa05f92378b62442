package store

import (
	"context"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
)

// Examined is what a database is like, without changing it.
type Examined struct {
	Version      int           // such as 170004 for 17.4
	Encoding     string        // of its text
	Tables       int64         // the state of the tables; 0 for none yet
	Newest       int64         // the state that this program brings them to
	MayCreate    bool          // tables can be made and changed
	Connections  int           // that may be open at most
	Ahead        time.Duration // how much its clock is ahead of this machine's
	Encrypted    bool          // the line to it is
	EndSoon      int           // credentials of hosts that end within thirty days
	WithoutOwner int           // studios that nobody owns
}

// Examine looks at a database.
func Examine(ctx context.Context, url string) (x Examined, err error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return x, fmt.Errorf("read the database's address: %w", err)
	}
	db := stdlib.OpenDB(*config)
	defer db.Close()
	asked := time.Now()
	var at time.Time
	err = db.QueryRowContext(ctx, `select current_setting('server_version_num')::int, pg_encoding_to_char(encoding), has_schema_privilege(current_schema(), 'CREATE'),
		current_setting('max_connections')::int, clock_timestamp(), coalesce((select ssl from pg_stat_ssl where pid = pg_backend_pid()), false)
		from pg_database where datname = current_database()`).Scan(&x.Version, &x.Encoding, &x.MayCreate, &x.Connections, &at, &x.Encrypted)
	if err != nil {
		return x, fmt.Errorf("ask the database: %w", err)
	}
	x.Ahead = at.Sub(asked.Add(time.Since(asked) / 2)).Round(time.Millisecond)
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return x, err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files)
	if err != nil {
		return x, fmt.Errorf("read migrations: %w", err)
	}
	sources := provider.ListSources()
	x.Newest = sources[len(sources)-1].Version
	var made bool
	if err = db.QueryRowContext(ctx, "select to_regclass('goose_db_version') is not null").Scan(&made); err == nil && made {
		err = db.QueryRowContext(ctx, "select coalesce(max(version_id), 0) from goose_db_version where is_applied").Scan(&x.Tables)
	}
	if err == nil && x.Tables == x.Newest {
		err = db.QueryRowContext(ctx, `select (select count(*) from host_credentials where ends_at < now() + interval '30 days'),
			(select count(*) from studios s where not exists (select from people p where p.studio_id = s.id and p.role = 'owner' and p.left_at is null))`).Scan(&x.EndSoon, &x.WithoutOwner)
	}
	if err != nil {
		return x, fmt.Errorf("ask the database for the state of its tables: %w", err)
	}
	return x, nil
}
