package store

import (
	"context"
	"database/sql"
	"errors"

	"blendseam/core/timecode"
)

// Picture is a file whose frames are in the library.
type Picture struct {
	Hash       string        `json:"hash"`
	FileName   string        `json:"fileName"`
	Format     string        `json:"format"`
	Bytes      int64         `json:"bytes"`
	Rate       timecode.Rate `json:"rate"`
	Frames     int64         `json:"frames"` // 0 for a still
	Width      int           `json:"width"`
	Height     int           `json:"height"`
	StartFrame int64         `json:"startFrame"` // timecode of the first, −1 when not known
	Note       string        `json:"note,omitempty"`
}

// SavePicture keeps what is known of a file's frames.
func (s *Store) SavePicture(ctx context.Context, p Picture) (err error) {
	defer s.guard(&ctx, &err)()
	_, err = s.db.ExecContext(ctx, "REPLACE INTO pictures (hash, file_name, format, bytes, rate_num, rate_den, rate_drop, frames, width, height, start_frame, note) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		p.Hash, clip(p.FileName, 255), clip(p.Format, 255), p.Bytes, p.Rate.Num, p.Rate.Den, p.Rate.Drop, p.Frames, p.Width, p.Height, p.StartFrame, clip(p.Note, 1000))
	return err
}

// Picture gives what is known of a file's frames; not ok when there are none.
func (s *Store) Picture(ctx context.Context, hash string) (p Picture, ok bool, err error) {
	defer s.guard(&ctx, &err)()
	err = s.db.QueryRowContext(ctx, "SELECT hash, file_name, format, bytes, rate_num, rate_den, rate_drop, frames, width, height, start_frame, note FROM pictures WHERE hash = ?", hash).
		Scan(&p.Hash, &p.FileName, &p.Format, &p.Bytes, &p.Rate.Num, &p.Rate.Den, &p.Rate.Drop, &p.Frames, &p.Width, &p.Height, &p.StartFrame, &p.Note)
	if errors.Is(err, sql.ErrNoRows) {
		return p, false, nil
	}
	return p, err == nil, err
}
