package store

import (
	"context"
	"fmt"
	"strings"
)

// A change of tens of thousands of clips is longer than what some servers take
// in one packet (max_allowed_packet), and so is the reel as a version. Such a
// text is kept in parts: the first in its row, the others in a table beside.

// partBytes is the longest part. A packet carries a few, and the least that a
// server is likely to be set to is a megabyte. A variable for tests.
var partBytes = 512 << 10

// split cuts a text into parts, between characters.
func split(text []byte) (first string, rest []string) {
	cut := func() string {
		n := min(partBytes, len(text))
		for n < len(text) && text[n]&0xC0 == 0x80 {
			n--
		}
		part := string(text[:n])
		text = text[n:]
		return part
	}
	first = cut()
	for len(text) > 0 {
		rest = append(rest, cut())
	}
	return first, rest
}

// parts is a table that texts go on in.
type parts struct {
	table string
	keys  []string
}

var (
	journalParts = parts{"journal_parts", []string{"reel_id", "revision"}}
	versionParts = parts{"version_parts", []string{"version_id"}}
)

func (p parts) write(ctx context.Context, q querier, rest []string, key ...any) error {
	for i, body := range rest {
		query := fmt.Sprintf("INSERT INTO %s (%s, part, body) VALUES (?%s)", p.table, strings.Join(p.keys, ", "), strings.Repeat(", ?", len(key)+1))
		if _, err := q.ExecContext(ctx, query, append(append([]any{}, key...), i, body)...); err != nil {
			return err
		}
	}
	return nil
}

// whole is a text of so many further parts.
func (p parts) whole(ctx context.Context, q querier, first []byte, n int, key ...any) ([]byte, error) {
	for i := range n {
		var body []byte
		query := fmt.Sprintf("SELECT body FROM %s WHERE %s = ? AND part = ?", p.table, strings.Join(p.keys, " = ? AND "))
		if err := q.QueryRowContext(ctx, query, append(append([]any{}, key...), i)...).Scan(&body); err != nil {
			return nil, fmt.Errorf("part %d of %d of %s %v: %w", i+1, n, p.table, key, err)
		}
		first = append(first, body...)
	}
	return first, nil
}
