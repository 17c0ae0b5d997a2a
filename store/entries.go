package store

import (
	"context"
	"encoding/json"
	"fmt"

	"blendseam/core/reel"
)

// entry is a row of the journal.
type entry struct {
	revision, target   int64
	kind, state, label string
	change             reel.Change
}

// rows say which of a reel's journal are read, and in what order.
type rows struct {
	where string
	args  []any
	desc  bool // the newest first
	limit int  // 0 for all
}

// page is how many rows are held at a time: a row may hold a reel.
const page = 64

// each reads rows of a reel's journal one after the other. What do does may
// ask the database in turn.
func each(ctx context.Context, q querier, id int64, which rows, do func(entry) error) error {
	order, past := "ASC", "revision > ?"
	at := int64(-1)
	if which.desc {
		order, past = "DESC", "revision < ?"
		at = 1 << 62
	}
	where := ""
	if which.where != "" {
		where = " AND (" + which.where + ")"
	}
	left := which.limit
	for {
		n := page
		if which.limit > 0 {
			n = min(n, left)
		}
		part, texts, counts, err := readPage(ctx, q, "SELECT revision, kind, state, target, label, change_json, parts FROM journal WHERE reel_id = ?"+where+" AND "+past+" ORDER BY revision "+order+" LIMIT ?",
			append(append([]any{id}, which.args...), at, n))
		if err != nil {
			return err
		}
		for i, e := range part {
			text, err := journalParts.whole(ctx, q, texts[i], counts[i], id, e.revision)
			if err != nil {
				return err
			}
			texts[i] = nil
			err = json.Unmarshal(text, &e.change)
			if err == nil {
				err = e.change.Check()
			}
			if err != nil {
				return fmt.Errorf("step %d of reel %d: %w", e.revision, id, err)
			}
			if err := do(e); err != nil {
				return err
			}
			at = e.revision
		}
		if left -= len(part); len(part) < n || which.limit > 0 && left <= 0 {
			return nil
		}
	}
}

func readPage(ctx context.Context, q querier, query string, args []any) (out []entry, texts [][]byte, parts []int, err error) {
	found, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, nil, nil, err
	}
	defer found.Close()
	for found.Next() {
		var e entry
		var text []byte
		var n int
		if err := found.Scan(&e.revision, &e.kind, &e.state, &e.target, &e.label, &text, &n); err != nil {
			return nil, nil, nil, err
		}
		out, texts, parts = append(out, e), append(texts, text), append(parts, n)
	}
	return out, texts, parts, found.Err()
}
