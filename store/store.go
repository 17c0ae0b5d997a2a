// Package store keeps reels in MariaDB.
//
// Each edit is one transaction: the changed rows, a row in the journal and the
// reel's new revision. What Do has returned survives the death of this process
// and of the database. Undo, redo and history come from the journal.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"

	"blendseam/core/reel"
)

// Store is safe for concurrent use. Several processes may share a database.
type Store struct {
	db    *sql.DB
	pulse pulse

	mu    sync.Mutex
	cache map[int64]*slot
}

// slot holds the newest known version of a reel. Who changes the reel waits
// for its turn; who reads it never waits for them.
type slot struct {
	turn chan struct{} // holds one token while nobody changes the reel

	mu      sync.Mutex
	version Version
}

// take waits for the turn to change the reel, or for the context to end.
func (c *slot) take(ctx context.Context) (give func(), err error) {
	select {
	case <-c.turn:
		return func() { c.turn <- struct{}{} }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// known is the version that is kept, when it is of the revision.
func (c *slot) known(revision int64) (Version, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.version, c.version.Reel != nil && c.version.Revision == revision
}

// keep keeps a version unless a newer one is kept; one without a reel forgets.
func (c *slot) keep(v Version) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if v.Reel == nil || v.Revision >= c.version.Revision {
		c.version = v
	}
}

// Version is a reel at a revision.
type Version struct {
	ID       int64      `json:"id"`
	UID      string     `json:"uid"` // names the reel in whichever database it lies
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
	cfg.Timeout = 2 * time.Second
	cfg.Logger = silent{} // what it would print comes back as an error as well
	if err := createDatabase(ctx, cfg); err != nil {
		return nil, err
	}
	// A change of a large table takes as long as it takes.
	patient, err := connect(cfg, 4)
	if err != nil {
		return nil, err
	}
	err = migrate(ctx, patient)
	_ = patient.Close()
	if err != nil {
		return nil, err
	}
	// No answer takes so long, nor does one wait so long for a reel that another
	// process holds.
	cfg.ReadTimeout, cfg.WriteTimeout = queryTime, queryTime
	if cfg.Params == nil {
		cfg.Params = map[string]string{}
	}
	if _, set := cfg.Params["innodb_lock_wait_timeout"]; !set {
		cfg.Params["innodb_lock_wait_timeout"] = "8"
	}
	db, err := connect(cfg, 16)
	if err != nil {
		return nil, err
	}
	return &Store{db: db, pulse: pulse{began: time.Now()}, cache: map[int64]*slot{}}, nil
}

type silent struct{}

func (silent) Print(...any) {}

// queryTime is the longest that one packet of an answer is waited for.
const queryTime = 30 * time.Second

func connect(cfg *mysql.Config, conns int) (*sql.DB, error) {
	connector, err := mysql.NewConnector(cfg)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(conns)
	db.SetMaxIdleConns(conns)
	db.SetConnMaxIdleTime(5 * time.Minute)
	return db, nil
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
	soon, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	if err := db.PingContext(soon); err != nil {
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
		if n := number(err); n == errDenied || n == errNoRight {
			return nil // an account without that right can still use a database that exists
		}
		return err
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
		c = &slot{turn: make(chan struct{}, 1)}
		c.turn <- struct{}{}
		s.cache[id] = c
	}
	return c
}

// Load gives the newest version of a reel.
func (s *Store) Load(ctx context.Context, id int64) (v Version, err error) {
	defer s.guard(&ctx, &err)()
	var revision int64
	err = s.db.QueryRowContext(ctx, "SELECT revision FROM reels WHERE id = ? AND removed_at IS NULL", id).Scan(&revision)
	if errors.Is(err, sql.ErrNoRows) {
		return Version{}, ErrNoReel
	}
	if err != nil {
		return Version{}, err
	}
	c := s.slot(id)
	if v, ok := c.known(revision); ok {
		return v, nil
	}
	// One transaction reads all tables as they were at one moment.
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return Version{}, err
	}
	defer tx.Rollback()
	v, err = readVersion(ctx, tx, id)
	if err == nil {
		c.keep(v)
	}
	return v, err
}

// Anew reads a reel from its tables alone, also one that was removed.
func (s *Store) Anew(ctx context.Context, id int64) (v Version, err error) {
	defer s.guard(&ctx, &err)()
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return Version{}, err
	}
	defer tx.Rollback()
	v, err = readVersion(ctx, tx, id)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNoReel
	}
	return v, err
}

// querier is a database or a transaction.
type querier interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}
