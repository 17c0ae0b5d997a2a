package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"strings"

	"blendseam/core/reel"
	"blendseam/core/treat"
)

// table says how things of one kind lie in the database.
type table[T any] struct {
	name    string
	columns []string // after reel_id; the first is the id
	values  func(T) []any
	scan    func(*T) []any
}

var tracks = table[reel.Track]{
	"tracks", []string{"id", "name", "role", "place", "gain_db", "pan", "mute", "solo", "locked", "stays", "colour", "height", "duck_json"},
	func(t reel.Track) []any {
		return []any{t.ID, t.Name, t.Role, t.Place, t.GainDB, t.Pan, t.Mute, t.Solo, t.Locked, t.Stays, t.Colour, t.Height, jsonText[reel.Ducking]{&t.Duck}}
	},
	func(t *reel.Track) []any {
		return []any{&t.ID, &t.Name, &t.Role, &t.Place, &t.GainDB, &t.Pan, &t.Mute, &t.Solo, &t.Locked, &t.Stays, &t.Colour, &t.Height, jsonText[reel.Ducking]{&t.Duck}}
	},
}

var sources = table[reel.Source]{
	"sources", []string{"id", "recording", "name", "ch_left", "ch_right", "length", "start_tc", "unlisted", "bed_json", "tape", "picture_num", "picture_den", "picture_drop", "picture_frames", "picture_width", "picture_height", "former_json", "fit_json", "pace_json", "folder"},
	func(s reel.Source) []any {
		p := s.Picture
		return []any{s.ID, s.Recording, s.Name, s.Left, s.Right, s.Length, s.StartTC, s.Unlisted, bedText{&s.Bed}, s.Tape, p.Rate.Num, p.Rate.Den, p.Rate.Drop, p.Frames, p.Width, p.Height, s.Former, jsonText[reel.Fit]{&s.Fit}, jsonText[reel.Pace]{&s.Picture.Pace}, s.Folder}
	},
	func(s *reel.Source) []any {
		p := &s.Picture
		return []any{&s.ID, &s.Recording, &s.Name, &s.Left, &s.Right, &s.Length, &s.StartTC, &s.Unlisted, bedText{&s.Bed}, &s.Tape, &p.Rate.Num, &p.Rate.Den, &p.Rate.Drop, &p.Frames, &p.Width, &p.Height, &s.Former, jsonText[reel.Fit]{&s.Fit}, jsonText[reel.Pace]{&p.Pace}, &s.Folder}
	},
}

var clips = table[reel.Clip]{
	"clips", []string{"id", "track", "source", "name", "start", "source_offset", "length", "gain_db", "balance", "right_db"},
	func(c reel.Clip) []any {
		return []any{c.ID, c.Track, c.Source, c.Name, c.Start, c.Offset, c.Length, c.GainDB, c.Balance, c.RightDB}
	},
	func(c *reel.Clip) []any {
		return []any{&c.ID, &c.Track, &c.Source, &c.Name, &c.Start, &c.Offset, &c.Length, &c.GainDB, &c.Balance, &c.RightDB}
	},
}

var blends = table[reel.Blend]{
	"blends", []string{"id", "left_clip", "right_clip", "before_cut", "after_cut", "law", "lean", "out_shape", "out_bend", "in_shape", "in_bend"},
	func(b reel.Blend) []any {
		return []any{b.ID, b.Left, b.Right, b.Before, b.After, b.Law, b.Lean, b.Out.Shape, b.Out.Bend, b.In.Shape, b.In.Bend}
	},
	func(b *reel.Blend) []any {
		return []any{&b.ID, &b.Left, &b.Right, &b.Before, &b.After, &b.Law, &b.Lean, &b.Out.Shape, &b.Out.Bend, &b.In.Shape, &b.In.Bend}
	},
}

var markers = table[reel.Marker]{
	"markers", []string{"id", "at_sample", "text"},
	func(m reel.Marker) []any { return []any{m.ID, m.At, m.Text} },
	func(m *reel.Marker) []any { return []any{&m.ID, &m.At, &m.Text} },
}

var strikes = table[reel.Strike]{
	"strikes", []string{"id", "clip", "from_sample", "to_sample", "fall_length", "fall_shape", "fall_bend", "rise_length", "rise_shape", "rise_bend", "lower_db", "cover", "cover_db"},
	func(s reel.Strike) []any {
		return []any{s.ID, s.Clip, s.From, s.To, s.Fall.Length, s.Fall.Shape, s.Fall.Bend, s.Rise.Length, s.Rise.Shape, s.Rise.Bend, s.LowerDB, orNone{&s.Cover.Source}, s.Cover.GainDB}
	},
	func(s *reel.Strike) []any {
		return []any{&s.ID, &s.Clip, &s.From, &s.To, &s.Fall.Length, &s.Fall.Shape, &s.Fall.Bend, &s.Rise.Length, &s.Rise.Shape, &s.Rise.Bend, &s.LowerDB, orNone{&s.Cover.Source}, &s.Cover.GainDB}
	},
}

var points = table[reel.Point]{
	"points", []string{"id", "clip", "track", "at_sample", "db", "eased", "duck"},
	func(p reel.Point) []any {
		return []any{p.ID, orNone{&p.Clip}, orNone{&p.Track}, p.At, p.DB, p.Eased, p.Duck}
	},
	func(p *reel.Point) []any {
		return []any{&p.ID, orNone{&p.Clip}, orNone{&p.Track}, &p.At, &p.DB, &p.Eased, &p.Duck}
	},
}

var treatments = table[reel.Treatment]{
	"treatments", []string{"id", "clip", "track", "alone", "bypassed", "settings_json"},
	func(t reel.Treatment) []any {
		return []any{t.ID, orNone{&t.Clip}, orNone{&t.Track}, t.Alone, t.Off, jsonText[treat.Settings]{&t.Does}}
	},
	func(t *reel.Treatment) []any {
		return []any{&t.ID, orNone{&t.Clip}, orNone{&t.Track}, &t.Alone, &t.Off, jsonText[treat.Settings]{&t.Does}}
	},
}

var swatches = table[reel.Swatch]{
	"swatches", []string{"id", "name", "source", "from_sample", "to_sample"},
	func(s reel.Swatch) []any { return []any{s.ID, s.Name, s.Source, s.From, s.To} },
	func(s *reel.Swatch) []any { return []any{&s.ID, &s.Name, &s.Source, &s.From, &s.To} },
}

var ties = table[reel.Tie]{
	"ties", []string{"id", "shot", "clip", "sync"},
	func(t reel.Tie) []any { return []any{t.ID, t.Shot, t.Clip, t.Sync} },
	func(t *reel.Tie) []any { return []any{&t.ID, &t.Shot, &t.Clip, &t.Sync} },
}

// orNone is an id as the database holds it: NULL for none, which its foreign
// keys understand.
type orNone struct{ id *reel.ID }

// Value implements driver.Valuer.
func (o orNone) Value() (driver.Value, error) {
	if *o.id == 0 {
		return nil, nil
	}
	return int64(*o.id), nil
}

// Scan implements sql.Scanner.
func (o orNone) Scan(v any) error {
	var n sql.NullInt64
	err := n.Scan(v)
	*o.id = reel.ID(n.Int64)
	return err
}

// bedText is a bed as the database holds it: JSON, or nothing for none.
type bedText struct{ bed *reel.Bed }

// Value implements driver.Valuer.
func (b bedText) Value() (driver.Value, error) {
	if !b.bed.Grown() {
		return "", nil
	}
	return json.Marshal(b.bed)
}

// Scan implements sql.Scanner.
func (b bedText) Scan(v any) error {
	return scanJSON(v, b.bed)
}

// scanJSON reads what is written as JSON, or as nothing.
func scanJSON[T any](v any, into *T) error {
	var none T
	*into = none
	text, ok := v.([]byte)
	if !ok {
		return fmt.Errorf("a %T is text, not %T", none, v)
	}
	if len(text) == 0 {
		return nil
	}
	return json.Unmarshal(text, into)
}

// read gives all rows of a reel, by id.
func (t table[T]) read(ctx context.Context, q querier, reelID int64) ([]T, error) {
	rows, err := q.QueryContext(ctx, "SELECT "+strings.Join(t.columns, ", ")+" FROM "+t.name+" WHERE reel_id = ? ORDER BY "+t.columns[0], reelID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []T
	for rows.Next() {
		var v T
		if err := rows.Scan(t.scan(&v)...); err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, rows.Err()
}

// batch is how many rows one statement carries.
const batch = 400

// put writes rows, over those with the same key. Rows that others point to stay
// where they are while they are written over.
func (t table[T]) put(ctx context.Context, q querier, reelID int64, things []T) error {
	one := "(?" + strings.Repeat(", ?", len(t.columns)) + ")"
	over := make([]string, len(t.columns))
	for i, c := range t.columns {
		over[i] = c + " = VALUES(" + c + ")"
	}
	for len(things) > 0 {
		part := things[:min(batch, len(things))]
		things = things[len(part):]
		args := make([]any, 0, len(part)*(len(t.columns)+1))
		for _, v := range part {
			args = append(append(args, reelID), t.values(v)...)
		}
		query := "INSERT INTO " + t.name + " (reel_id, " + strings.Join(t.columns, ", ") + ") VALUES " + one + strings.Repeat(", "+one, len(part)-1) +
			" ON DUPLICATE KEY UPDATE " + strings.Join(over, ", ")
		if _, err := q.ExecContext(ctx, query, args...); err != nil {
			return err
		}
	}
	return nil
}

// remove deletes the rows of the ids.
func (t table[T]) remove(ctx context.Context, q querier, reelID int64, ids []reel.ID) error {
	for len(ids) > 0 {
		part := ids[:min(batch, len(ids))]
		ids = ids[len(part):]
		args := []any{reelID}
		for _, id := range part {
			args = append(args, id)
		}
		query := "DELETE FROM " + t.name + " WHERE reel_id = ? AND " + t.columns[0] + " IN (?" + strings.Repeat(", ?", len(part)-1) + ")"
		if _, err := q.ExecContext(ctx, query, args...); err != nil {
			return err
		}
	}
	return nil
}

// readVersion reads a reel from its tables.
func readVersion(ctx context.Context, q querier, id int64) (Version, error) {
	v := Version{ID: id, Reel: &reel.Reel{}}
	r, p := v.Reel, &v.Reel.Props
	var limits []byte
	err := q.QueryRowContext(ctx, "SELECT uid, name, sample_rate, fps_num, fps_den, fps_drop, start_frame, limits_json, target_json, next_id, revision FROM reels WHERE id = ?", id).
		Scan(&v.UID, &p.Name, &p.SampleRate, &p.FrameRate.Num, &p.FrameRate.Den, &p.FrameRate.Drop, &p.StartFrame, &limits, jsonText[reel.Target]{&p.Target}, &r.NextID, &v.Revision)
	if err != nil {
		return v, err
	}
	if err := json.Unmarshal(limits, &p.Limits); err != nil {
		return v, err
	}
	for _, k := range kinds {
		if err := k.read(ctx, q, id, r); err != nil {
			return v, err
		}
	}
	v.Undo, v.Redo, err = readLine(ctx, q, id)
	return v, err
}

// jsonText is a value as the database holds it: JSON, or nothing for its zero.
type jsonText[T comparable] struct{ v *T }

// Value implements driver.Valuer.
func (t jsonText[T]) Value() (driver.Value, error) {
	var none T
	if *t.v == none {
		return "", nil
	}
	return json.Marshal(t.v)
}

// Scan implements sql.Scanner.
func (t jsonText[T]) Scan(v any) error { return scanJSON(v, t.v) }
