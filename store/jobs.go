package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"
)

// Job is work that outlives a request, and who works at it.
type Job struct {
	ID       int64           `json:"id"`
	Kind     string          `json:"kind"`
	Reel     int64           `json:"reel"` // 0 where it is of none
	Name     string          `json:"name"`
	Settings json.RawMessage `json:"settings"`
	State    JobState        `json:"state"`
	Stopping bool            `json:"stopping"` // it was cancelled and is about to end
	Tries    int             `json:"tries"`    // how often it was begun
	Progress float64         `json:"progress"` // 0…1
	Detail   string          `json:"detail"`   // why it failed, or what is worth knowing
	Result   json.RawMessage `json:"result,omitempty"`
	Bytes    int64           `json:"bytes"` // of its file, 0 where it has none
	MadeAt   time.Time       `json:"madeAt"`
	BegunAt  *time.Time      `json:"begunAt,omitempty"`
	EndedAt  *time.Time      `json:"endedAt,omitempty"`
	// KeptUntil is when its file may go; nil where it has none any more.
	KeptUntil *time.Time `json:"keptUntil,omitempty"`

	worker string
}

// JobState is how a job stands.
type JobState string

// States of a job.
const (
	Waiting   JobState = "waiting"
	Working   JobState = "working"
	Done      JobState = "done"
	Failed    JobState = "failed"
	Cancelled JobState = "cancelled"
)

// Ended reports whether nothing more happens to a job.
func (s JobState) Ended() bool { return s == Done || s == Failed || s == Cancelled }

// MostTries is how often a job is begun whose workers die of it.
const MostTries = 3

// Errors about jobs.
var (
	// ErrNoJob: there is no such job.
	ErrNoJob = errors.New("no such job")
	// ErrNotMine: the lease of a job ended and another may work at it.
	ErrNotMine = errors.New("another works at this job")
	// ErrJobRuns: the job has not ended.
	ErrJobRuns = errors.New("the job has not ended")
	// ErrNoFile: a job has no file, or has it no more.
	ErrNoFile = errors.New("the job has no file")
)

const jobColumns = "id, kind, reel_id, name, settings_json, state, stopping, tries, worker, progress, detail, result_json, bytes, made_at, begun_at, ended_at, kept_until"

func (j *Job) fields() []any {
	return []any{&j.ID, &j.Kind, &j.Reel, &j.Name, (*[]byte)(&j.Settings), &j.State, &j.Stopping, &j.Tries, &j.worker, &j.Progress, &j.Detail, (*[]byte)(&j.Result), &j.Bytes, &j.MadeAt, &j.BegunAt, &j.EndedAt, &j.KeptUntil}
}

// AddJob puts a job on the list, once for each request, and returns its id.
func (s *Store) AddJob(ctx context.Context, j Job) (id int64, err error) {
	defer s.guard(&ctx, &err)()
	return s.make(ctx, j.Reel, func(ctx context.Context, tx *sql.Tx) (int64, error) {
		res, err := tx.ExecContext(ctx, "INSERT INTO jobs (kind, reel_id, name, settings_json, state, made_at) VALUES (?, ?, ?, ?, 'waiting', UTC_TIMESTAMP(3))",
			j.Kind, j.Reel, clip(j.Name, 255), string(j.Settings))
		if err != nil {
			return 0, err
		}
		return res.LastInsertId()
	})
}

// BeginJob puts a job on the list that its maker works at already.
func (s *Store) BeginJob(ctx context.Context, j Job, worker string, lease time.Duration) (_ Job, err error) {
	defer s.guard(&ctx, &err)()
	res, err := s.db.ExecContext(ctx, `INSERT INTO jobs (kind, reel_id, name, settings_json, state, tries, worker, lease_until, made_at, begun_at)
		VALUES (?, ?, ?, ?, 'working', 1, ?, UTC_TIMESTAMP(3) + INTERVAL ? MICROSECOND, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3))`,
		j.Kind, j.Reel, clip(j.Name, 255), string(j.Settings), worker, lease.Microseconds())
	if err == nil {
		j.ID, err = res.LastInsertId()
	}
	j.State, j.Tries, j.worker = Working, 1, worker
	return j, err
}

// mostJobs is how many jobs are listed at a time.
const mostJobs = 200

// Jobs lists jobs, the newest first: those of a reel, or all where it is 0.
func (s *Store) Jobs(ctx context.Context, reel int64) (out []Job, err error) {
	defer s.guard(&ctx, &err)()
	found, err := s.db.QueryContext(ctx, "SELECT "+jobColumns+" FROM jobs WHERE reel_id = ? OR ? = 0 ORDER BY id DESC LIMIT ?", reel, reel, mostJobs)
	if err != nil {
		return nil, err
	}
	return readJobs(found)
}

// LiveJobs are the jobs that have not ended, and those that ended a moment ago.
func (s *Store) LiveJobs(ctx context.Context) (out []Job, err error) {
	defer s.guard(&ctx, &err)()
	found, err := s.db.QueryContext(ctx, "SELECT "+jobColumns+" FROM jobs WHERE state IN ('waiting', 'working') OR ended_at > UTC_TIMESTAMP(3) - INTERVAL 20 SECOND ORDER BY id DESC LIMIT ?", mostJobs)
	if err != nil {
		return nil, err
	}
	return readJobs(found)
}

func readJobs(found *sql.Rows) ([]Job, error) {
	defer found.Close()
	out := []Job{}
	for found.Next() {
		var j Job
		if err := found.Scan(j.fields()...); err != nil {
			return nil, err
		}
		out = append(out, j)
	}
	return out, found.Err()
}

// Job gives the job of an id.
func (s *Store) Job(ctx context.Context, id int64) (j Job, err error) {
	defer s.guard(&ctx, &err)()
	return readJob(ctx, s.db, "id = ?", id)
}

func readJob(ctx context.Context, q querier, where string, args ...any) (Job, error) {
	var j Job
	err := q.QueryRowContext(ctx, "SELECT "+jobColumns+" FROM jobs WHERE "+where, args...).Scan(j.fields()...)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNoJob
	}
	return j, err
}

// ClaimJob gives a worker the oldest job of some kinds that waits, or whose
// worker let its lease end; ErrNoJob where there is none. Each is given to one.
// A job whose workers died too often has failed. The time is the database's.
func (s *Store) ClaimJob(ctx context.Context, worker string, kinds []string, lease time.Duration) (j Job, err error) {
	defer s.guard(&ctx, &err)()
	args := make([]any, len(kinds))
	for i, k := range kinds {
		args[i] = k
	}
	among := strings.TrimSuffix(strings.Repeat("?, ", len(kinds)), ", ")
	for {
		tx, err := s.db.BeginTx(ctx, nil)
		if err != nil {
			return j, err
		}
		j, err = readJob(ctx, tx, "(state = 'waiting' OR state = 'working' AND lease_until < UTC_TIMESTAMP(3)) AND kind IN ("+among+") ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED", args...)
		query, left := "", []any{j.ID}
		switch {
		case err != nil:
		case j.Stopping:
			query = "UPDATE jobs SET state = 'cancelled', ended_at = UTC_TIMESTAMP(3), worker = '' WHERE id = ?"
		case j.Tries >= MostTries:
			query = "UPDATE jobs SET state = 'failed', ended_at = UTC_TIMESTAMP(3), worker = '', detail = ? WHERE id = ?"
			left = []any{fmt.Sprintf("It was begun %d times, and each time what worked at it ended before it did. Repeat it, or see the server's log.", j.Tries), j.ID}
		default:
			query = "UPDATE jobs SET state = 'working', tries = tries + 1, worker = ?, progress = 0, begun_at = UTC_TIMESTAMP(3), lease_until = UTC_TIMESTAMP(3) + INTERVAL ? MICROSECOND WHERE id = ?"
			left = []any{worker, lease.Microseconds(), j.ID}
			j.Tries, j.State, j.worker = j.Tries+1, Working, worker
		}
		if err == nil {
			_, err = tx.ExecContext(ctx, query, left...)
		}
		if err == nil {
			err = tx.Commit()
		}
		if err != nil {
			_ = tx.Rollback()
			return j, err
		}
		if j.State == Working && j.worker == worker {
			return j, nil
		}
	}
}

// KeepJob renews the lease of a job and tells how far it is; stopping is told where
// it is to end. ErrNotMine tells that the lease ended and another took it.
func (s *Store) KeepJob(ctx context.Context, j Job, progress float64, lease time.Duration) (stopping bool, err error) {
	defer s.guard(&ctx, &err)()
	err = s.mine(ctx, j, func(tx *sql.Tx, now Job) error {
		stopping = now.Stopping
		_, err := tx.ExecContext(ctx, "UPDATE jobs SET progress = ?, lease_until = UTC_TIMESTAMP(3) + INTERVAL ? MICROSECOND WHERE id = ?", progress, lease.Microseconds(), j.ID)
		return err
	})
	return stopping, err
}

// mine does something to a job whose worker one is.
func (s *Store) mine(ctx context.Context, j Job, do func(tx *sql.Tx, now Job) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	now, err := readJob(ctx, tx, "id = ? FOR UPDATE", j.ID)
	if err == nil && (now.State != Working || now.worker != j.worker || now.Tries != j.Tries) {
		err = ErrNotMine
	}
	if err == nil {
		err = do(tx, now)
	}
	if err != nil {
		return err
	}
	return tx.Commit()
}

// JobEnd is how a job ended.
type JobEnd struct {
	State  JobState
	Detail string
	Result any // what it led to, kept as JSON
	Bytes  int64
	Keep   time.Duration // how long its file is kept; 0 where it has none
}

// EndJob notes how a job ended. Put, where there is one, brings its file to its place,
// while nobody else can work at the job: it may be done again after a commit that did
// not come to its end.
func (s *Store) EndJob(ctx context.Context, j Job, e JobEnd, put func() error) (err error) {
	defer s.guard(&ctx, &err)()
	result := []byte(nil)
	if e.Result != nil {
		if result, err = json.Marshal(e.Result); err != nil {
			return err
		}
	}
	return s.mine(ctx, j, func(tx *sql.Tx, _ Job) error {
		if put != nil {
			if err := put(); err != nil {
				return err
			}
		}
		kept := "NULL"
		args := []any{e.State, clip(e.Detail, 1000), string(result), e.Bytes, e.State == Done}
		if e.Keep > 0 {
			kept = "UTC_TIMESTAMP(3) + INTERVAL ? MICROSECOND"
			args = append(args, e.Keep.Microseconds())
		}
		_, err := tx.ExecContext(ctx, "UPDATE jobs SET state = ?, detail = ?, result_json = ?, bytes = ?, progress = IF(?, 1, progress), worker = '', lease_until = NULL, ended_at = UTC_TIMESTAMP(3), kept_until = "+kept+" WHERE id = ?", append(args, j.ID)...)
		return err
	})
}

// GiveJobBack lets another worker have a job at once. It counts as begun where it was
// tried in earnest.
func (s *Store) GiveJobBack(ctx context.Context, j Job, tried bool) (err error) {
	defer s.guard(&ctx, &err)()
	return s.mine(ctx, j, func(tx *sql.Tx, _ Job) error {
		_, err := tx.ExecContext(ctx, "UPDATE jobs SET state = 'waiting', tries = tries - IF(?, 0, 1), worker = '', lease_until = NULL, progress = 0 WHERE id = ?", tried, j.ID)
		return err
	})
}

// CancelJob ends a job that waits, and asks for the end of one that is worked at.
// One that has ended stays as it is.
func (s *Store) CancelJob(ctx context.Context, id int64) error {
	return s.mark(ctx, id, nil, `UPDATE jobs SET stopping = TRUE,
		ended_at = IF(state = 'waiting', UTC_TIMESTAMP(3), ended_at), state = IF(state = 'waiting', 'cancelled', state)
		WHERE id = ? AND state IN ('waiting', 'working')`, id)
}

// RemoveJob takes a job that has ended off the list.
func (s *Store) RemoveJob(ctx context.Context, id int64) error {
	return s.mark(ctx, id, ErrJobRuns, "DELETE FROM jobs WHERE id = ? AND state NOT IN ('waiting', 'working')", id)
}

// StaleFiles are the jobs whose files may go: what they were kept for has passed.
func (s *Store) StaleFiles(ctx context.Context) (out []Job, err error) {
	defer s.guard(&ctx, &err)()
	found, err := s.db.QueryContext(ctx, "SELECT "+jobColumns+" FROM jobs WHERE kept_until < UTC_TIMESTAMP(3) LIMIT ?", mostJobs)
	if err != nil {
		return nil, err
	}
	return readJobs(found)
}

// FileGone notes that the file of a job was cleared away.
func (s *Store) FileGone(ctx context.Context, id int64) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.db.ExecContext(ctx, "UPDATE jobs SET kept_until = NULL WHERE id = ?", id)
	return err
}

// ForgetJobs drops jobs that ended before a time and have no file.
func (s *Store) ForgetJobs(ctx context.Context, before time.Time) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.db.ExecContext(ctx, "DELETE FROM jobs WHERE ended_at < ? AND kept_until IS NULL", before.UTC())
	return err
}
