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

const pictureColumns = "hash, file_name, format, bytes, rate_num, rate_den, rate_drop, frames, width, height, start_frame, note"

func (p *Picture) fields() []any {
	return []any{&p.Hash, &p.FileName, &p.Format, &p.Bytes, &p.Rate.Num, &p.Rate.Den, &p.Rate.Drop, &p.Frames, &p.Width, &p.Height, &p.StartFrame, &p.Note}
}

// Picture gives what is known of a file's frames; not ok when there are none.
func (s *Store) Picture(ctx context.Context, hash string) (p Picture, ok bool, err error) {
	defer s.guard(&ctx, &err)()
	err = s.db.QueryRowContext(ctx, "SELECT "+pictureColumns+" FROM pictures WHERE hash = ?", hash).Scan(p.fields()...)
	if errors.Is(err, sql.ErrNoRows) {
		return p, false, nil
	}
	return p, err == nil, err
}

// PicturesOf is what is known of the frames of a reel's sources, by hash.
func (s *Store) PicturesOf(ctx context.Context, reelID int64) (out map[string]Picture, err error) {
	defer s.guard(&ctx, &err)()
	rows, err := s.db.QueryContext(ctx, "SELECT "+pictureColumns+" FROM pictures WHERE hash IN (SELECT recording FROM sources WHERE reel_id = ?)", reelID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out = map[string]Picture{}
	for rows.Next() {
		var p Picture
		if err := rows.Scan(p.fields()...); err != nil {
			return nil, err
		}
		out[p.Hash] = p
	}
	return out, rows.Err()
}

// FilesOf are the names of the files that a reel's sources came from, by hash;
// of a picture that has sound too it is the name of the picture.
func (s *Store) FilesOf(ctx context.Context, reelID int64) (map[string]string, error) {
	recordings, err := s.RecordingsOf(ctx, reelID)
	if err != nil {
		return nil, err
	}
	pictures, err := s.PicturesOf(ctx, reelID)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for hash, r := range recordings {
		out[hash] = r.FileName
	}
	for hash, p := range pictures {
		out[hash] = p.FileName
	}
	return out, nil
}
