// Package store keeps reels in MariaDB.
//
// Each edit is one transaction: the changed rows, a row in the journal and the
// reel's new revision. What Do has returned survives the death of this process
// and of the database. Undo, redo and history come from the journal.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"

	"blendseam/core/reel"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is safe for concurrent use. Several processes may share a database.
type Store struct {
	db *sql.DB

	mu    sync.Mutex
	cache map[int64]*slot
}

// slot holds the newest known version of a reel.
type slot struct {
	mu      sync.Mutex
	version Version
}

// Version is a reel at a revision.
type Version struct {
	ID       int64      `json:"id"`
	Revision int64      `json:"revision"`
	Reel     *reel.Reel `json:"reel"`
	Undo     string     `json:"undo"` // name of the step that undo would take back, "" for none
	Redo     string     `json:"redo"`
}

// ErrNoReel is returned for a reel that is not there or was removed.
var ErrNoReel = errors.New("there is no such reel")

// Open connects to the database of a data source name and brings its tables up
// to date. The database is made when it is missing and the account may.
func Open(ctx context.Context, dsn string) (*Store, error) {
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the data source name is not understood: %w", err)
	}
	if cfg.DBName == "" {
		cfg.DBName = "blendseam"
	}
	cfg.ParseTime, cfg.Loc, cfg.InterpolateParams = true, time.UTC, true
	cfg.Collation = "utf8mb4_bin"
	if err := createDatabase(ctx, cfg); err != nil {
		return nil, err
	}
	connector, err := mysql.NewConnector(cfg)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(16)
	db.SetMaxIdleConns(16)
	db.SetConnMaxIdleTime(5 * time.Minute)
	if err := migrate(ctx, db); err != nil {
		db.Close()
		return nil, err
	}
	return &Store{db: db, cache: map[int64]*slot{}}, nil
}

func createDatabase(ctx context.Context, cfg *mysql.Config) error {
	bare := cfg.Clone()
	bare.DBName = ""
	connector, err := mysql.NewConnector(bare)
	if err != nil {
		return err
	}
	db := sql.OpenDB(connector)
	defer db.Close()
	if err := db.PingContext(ctx); err != nil {
		return fmt.Errorf("MariaDB at %s does not answer: %w", cfg.Addr, err)
	}
	// A name cannot be a parameter; quoting doubles the quote sign in it.
	name := ""
	for _, c := range cfg.DBName {
		if c == '`' {
			name += "`"
		}
		name += string(c)
	}
	if _, err := db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+name+"` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"); err != nil {
		var denied *mysql.MySQLError
		if errors.As(err, &denied) && (denied.Number == 1044 || denied.Number == 1227) {
			return nil // an account without that right can still use a database that exists
		}
		return err
	}
	return nil
}

func migrate(ctx context.Context, db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectMySQL, db, files)
	if err != nil {
		return err
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("bringing the tables up to date: %w", err)
	}
	return nil
}

// Close ends all connections.
func (s *Store) Close() error { return s.db.Close() }

// Ping tells whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

func (s *Store) slot(id int64) *slot {
	s.mu.Lock()
	defer s.mu.Unlock()
	c, ok := s.cache[id]
	if !ok {
		c = &slot{}
		s.cache[id] = c
	}
	return c
}

// Load gives the newest version of a reel.
func (s *Store) Load(ctx context.Context, id int64) (Version, error) {
	c := s.slot(id)
	c.mu.Lock()
	defer c.mu.Unlock()
	var revision int64
	err := s.db.QueryRowContext(ctx, "SELECT revision FROM reels WHERE id = ? AND removed_at IS NULL", id).Scan(&revision)
	if errors.Is(err, sql.ErrNoRows) {
		return Version{}, ErrNoReel
	}
	if err != nil {
		return Version{}, err
	}
	return s.current(ctx, c, s.db, id, revision)
}

// current is the slot's version, read anew when it is not of the revision.
func (s *Store) current(ctx context.Context, c *slot, q querier, id, revision int64) (Version, error) {
	if c.version.Reel != nil && c.version.Revision == revision {
		return c.version, nil
	}
	// One transaction reads all tables as they were at one moment.
	if db, ok := q.(*sql.DB); ok {
		tx, err := db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
		if err != nil {
			return Version{}, err
		}
		defer tx.Rollback()
		q = tx
	}
	v, err := readVersion(ctx, q, id)
	if err == nil {
		c.version = v
	}
	return v, err
}

// querier is a database or a transaction.
type querier interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}
