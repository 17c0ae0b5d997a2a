package store

import (
	"context"
	"database/sql"
	"embed"
	"fmt"
	"io/fs"
	"log/slog"
	"time"

	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// MariaDB commits every change of a table by itself, so a start that is cut
// off leaves some of them done. Each statement of the migrations can therefore
// be run again, and so can each step below; what was begun is begun anew.

// migrate brings the tables up to date. One process does at a time, whichever
// are started at once: the others wait for it.
func migrate(ctx context.Context, db *sql.DB) error {
	let, err := migrationLock(ctx, db)
	if err != nil {
		return fmt.Errorf("waiting for another server that brings the tables up to date: %w", err)
	}
	defer let()
	p, err := migrator(db)
	if err != nil {
		return err
	}
	if err := prepareVersions(ctx, db); err != nil {
		return err
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("bringing the tables up to date: %w", err)
	}
	return mendOnce(ctx, db)
}

// mendOnce looks once through all reels for damage that earlier versions did:
// an undo that moved a clip which it had just brought back, and a version gone
// to that lost the sources of its room tone. It stands apart from the
// migrations as it reads the tables as they are in the end.
func mendOnce(ctx context.Context, db *sql.DB) error {
	if _, err := db.ExecContext(ctx, "CREATE TABLE IF NOT EXISTS tasks (name VARCHAR(80) NOT NULL PRIMARY KEY, done_at DATETIME(3) NOT NULL) ENGINE=InnoDB"); err != nil {
		return err
	}
	var n int
	if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM tasks WHERE name = 'mend reels'").Scan(&n); err != nil || n > 0 {
		return err
	}
	if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM reels").Scan(&n); err != nil {
		return err
	}
	if n > 0 {
		slog.Info("all reels are looked through once, for damage that earlier versions did", "reels", n)
	}
	s := &Store{db: db, cache: map[int64]*slot{}}
	err := s.Verify(ctx, true, func(f Finding) {
		slog.Warn("a reel was not what its journal says", "reel", f.Reel, "name", f.Name, "found", f.What, "mended", f.Mended)
	})
	if err != nil {
		return fmt.Errorf("looking through the reels: %w", err)
	}
	_, err = db.ExecContext(ctx, "INSERT IGNORE INTO tasks (name, done_at) VALUES ('mend reels', ?)", time.Now().UTC())
	return err
}

// keysVersion is the migration that adds foreign keys between the tables of a
// reel, each after it was looked whether it is there.
const keysVersion = 7

func migrator(db *sql.DB) (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectMySQL, db, files, goose.WithDisableGlobalRegistry(true), goose.WithGoMigrations(
		goose.NewGoMigration(keysVersion, &goose.GoFunc{RunDB: addKeys}, &goose.GoFunc{RunDB: dropKeys}),
	))
}

// migrationLock waits until no other process changes the tables. The lock is a
// row that a transaction holds: it goes with its connection, however that ends.
func migrationLock(ctx context.Context, db *sql.DB) (let func(), err error) {
	for _, query := range []string{
		"CREATE TABLE IF NOT EXISTS migration_lock (id INT NOT NULL PRIMARY KEY) ENGINE=InnoDB",
		"INSERT IGNORE INTO migration_lock (id) VALUES (1)",
	} {
		if _, err := db.ExecContext(ctx, query); err != nil {
			return nil, err
		}
	}
	for {
		tx, err := db.BeginTx(ctx, nil)
		if err != nil {
			return nil, err
		}
		var id int
		err = tx.QueryRowContext(ctx, "SELECT id FROM migration_lock WHERE id = 1 FOR UPDATE").Scan(&id)
		if err == nil {
			return func() { _ = tx.Rollback() }, nil
		}
		_ = tx.Rollback()
		if number(err) != errLockWait && number(err) != errDeadlock || ctx.Err() != nil {
			return nil, err
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// prepareVersions makes the table in which goose counts, with its first row: a
// start that is cut off between the two would leave it without.
func prepareVersions(ctx context.Context, db *sql.DB) error {
	for _, query := range []string{
		"CREATE TABLE IF NOT EXISTS goose_db_version (id BIGINT(20) UNSIGNED NOT NULL AUTO_INCREMENT, version_id BIGINT NOT NULL, is_applied BOOLEAN NOT NULL, tstamp DATETIME NULL DEFAULT CURRENT_TIMESTAMP, PRIMARY KEY (id))",
		"INSERT INTO goose_db_version (version_id, is_applied) SELECT 0, TRUE FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM goose_db_version WHERE version_id = 0)",
	} {
		if _, err := db.ExecContext(ctx, query); err != nil {
			return fmt.Errorf("preparing the table of versions: %w", err)
		}
	}
	return nil
}

// foreignKey holds rows of a reel to rows of the same reel.
type foreignKey struct{ name, table, column, to string }

var foreignKeys = []foreignKey{
	{"clip_track", "clips", "track", "tracks"},
	{"clip_source", "clips", "source", "sources"},
	{"fade_clip", "fades", "clip", "clips"},
	{"blend_left", "blends", "left_clip", "clips"},
	{"blend_right", "blends", "right_clip", "clips"},
	{"strike_clip", "strikes", "clip", "clips"},
	{"strike_cover", "strikes", "cover", "sources"},
	{"swatch_source", "swatches", "source", "sources"},
	{"tie_shot", "ties", "shot", "clips"},
	{"tie_clip", "ties", "clip", "clips"},
}

func (k foreignKey) there(ctx context.Context, q querier) (bool, error) {
	var n int
	err := q.QueryRowContext(ctx, "SELECT COUNT(*) FROM information_schema.TABLE_CONSTRAINTS WHERE CONSTRAINT_SCHEMA = DATABASE() AND TABLE_NAME = ? AND CONSTRAINT_NAME = ? AND CONSTRAINT_TYPE = 'FOREIGN KEY'", k.table, k.name).Scan(&n)
	return n > 0, err
}

// addKeys adds the foreign keys that are not there yet. Rows that were there
// before are not tried by them: a reel that could not be mended must not keep
// all others from being opened. Verify finds it.
func addKeys(ctx context.Context, db *sql.DB) error {
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	if _, err := conn.ExecContext(ctx, "SET SESSION foreign_key_checks = 0"); err != nil {
		return err
	}
	defer func() { _, _ = conn.ExecContext(context.WithoutCancel(ctx), "SET SESSION foreign_key_checks = 1") }()
	for _, k := range foreignKeys {
		have, err := k.there(ctx, conn)
		if err != nil {
			return err
		}
		if have {
			continue
		}
		query := fmt.Sprintf("ALTER TABLE %s ADD CONSTRAINT %s FOREIGN KEY (reel_id, %s) REFERENCES %s (reel_id, id)", k.table, k.name, k.column, k.to)
		if _, err := conn.ExecContext(ctx, query); err != nil {
			if now, again := k.there(ctx, conn); again == nil && now {
				continue // what a start that was cut off had begun came to its end meanwhile
			}
			return fmt.Errorf("foreign key %s: %w", k.name, err)
		}
	}
	return nil
}

func dropKeys(ctx context.Context, db *sql.DB) error {
	for _, k := range foreignKeys {
		if _, err := db.ExecContext(ctx, fmt.Sprintf("ALTER TABLE %s DROP FOREIGN KEY IF EXISTS %s", k.table, k.name)); err != nil {
			return err
		}
	}
	return nil
}
