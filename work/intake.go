package work

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strconv"
	"strings"

	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
)

// Receive takes the bytes of a file, length of them, or as many as come where
// that is not known.
func (m *Imports) Receive(ctx context.Context, j *Incoming, body io.Reader, length int64) (*media.Upload, error) {
	if length > m.library.Limit {
		return nil, m.library.TooLarge(j.Name)
	}
	return m.library.Receive(ctx, j.Name, body, func(n int64) {
		m.set(j, func(j *Incoming) {
			j.Progress = -1
			if length > 0 {
				j.Progress = float64(n) / float64(length)
			}
		})
	})
}

// TakeIn decodes a file that was received, in the background, and lists it in
// its reel, at whose sample rate it is kept.
func (m *Imports) TakeIn(ctx context.Context, j *Incoming, u *media.Upload, rate int) {
	m.set(j, func(j *Incoming) { j.State, j.Progress = "waiting", 0 })
	m.crew.Go(func(home context.Context) {
		defer j.cancel()
		defer u.Discard()
		held := m.hold(ctx, j, u, rate)
		if held != nil {
			m.set(j, func(j *Incoming) { j.onJob = held.Told })
		}
		defer func() { m.settled(home, j, u.Hash, held) }()
		defer func() {
			// One file that trips a decoder must not take the server down.
			if why := recover(); why != nil {
				m.Fail(j, fmt.Errorf("decoder broke: %v", why))
			}
		}()
		if err := m.takeIn(ctx, j, u, rate); err != nil {
			m.Fail(j, err)
		}
	})
}

// takeIn decodes an upload, unless it is known, and lists it in the reel.
func (m *Imports) takeIn(ctx context.Context, j *Incoming, u *media.Upload, rate int) error {
	pictures, sound, err := m.takePicture(ctx, j, u)
	if err != nil {
		return err
	}
	if len(pictures) > 0 || !sound {
		m.set(j, func(j *Incoming) { j.Pictures = pictures })
	}
	if !sound {
		m.set(j, func(j *Incoming) { j.State, j.Progress = "done", 1 })
		return nil
	}
	rec, known, err := m.store.Recording(ctx, u.Hash, rate)
	if err != nil {
		return err
	}
	if known && rec.Missing > 0 {
		known = false // it may have been cut short by what read it
	}
	if known {
		if _, err := m.library.Copy(u.Hash, rate); err != nil {
			known = false // the row is there, the sound is not, or is damaged: make it again
		}
	}
	title := strings.TrimSuffix(u.Name, filepath.Ext(u.Name))
	m.library.Touch(u.Hash)
	if known {
		// What cleans up may have been about to take it.
		_, err := m.library.Copy(u.Hash, rate)
		known = err == nil
	}
	if !known {
		m.set(j, func(j *Incoming) { j.State, j.Progress = "reading", 0 })
		turn, err := m.wait(ctx)
		if err != nil {
			return err
		}
		im, err := m.library.Import(ctx, u, rate, func(p float64) {
			turn.sign()
			m.set(j, func(j *Incoming) { j.Progress = p })
		})
		turn.end()
		if err != nil {
			return err
		}
		m.came(u.Hash)
		title = im.Title
		rec = recordingOf(im, u.Name)
		if err := m.store.SaveRecording(ctx, rec); err != nil {
			return err
		}
	}
	if rec.Channels > 2 {
		m.set(j, func(j *Incoming) {
			j.State, j.Channels, j.taken, j.title = "choose", rec.Channels, rec, title
			if told, err := m.library.Tells(rec.Hash, rate); err == nil {
				j.Tracks = told.Tracks
			}
			j.Detail = "“" + j.Name + "” has " + strconv.Itoa(rec.Channels) + " channels. Choose which to take."
		})
		return nil
	}
	right := -1
	if rec.Channels == 2 {
		right = 1
	}
	return m.list(ctx, j, rec, []Pick{{Left: 0, Right: right, Name: title}})
}

// Pick are channels of a recording that become a source.
type Pick struct {
	Left  int    `json:"left"`
	Right int    `json:"right"` // −1 for mono
	Name  string `json:"name"`
}

// list makes sources of the picked channels.
func (m *Imports) list(ctx context.Context, j *Incoming, rec store.Recording, picks []Pick) error {
	var made []reel.ID
	var names []string
	note := ""
	for _, p := range picks {
		v, err := m.store.Load(ctx, j.reel)
		if err != nil {
			return err
		}
		p.Name = distinctKind(v.Reel, false, p.Name, strings.TrimSuffix(j.Name, filepath.Ext(j.Name)))
		res, err := m.store.Library(store.PartOf(ctx, fmt.Sprint(p.Left, " ", p.Right)), j.reel, &reel.AddSource{Source: reel.Source{
			Recording: rec.Hash, Name: p.Name, Left: p.Left, Right: p.Right, Length: rec.Length, StartTC: rec.StartTC, Folder: j.Folder,
		}})
		var no *reel.Refusal
		if errors.As(err, &no) {
			note = no.Error() // the same sound again: told, not failed
			continue
		}
		if err != nil {
			return err
		}
		m.changed(res)
		made = append(made, res.Outcome.Made...)
		names = append(names, p.Name)
	}
	m.set(j, func(j *Incoming) {
		if note != "" || len(j.Pictures) == 0 {
			j.Detail = note
		}
		j.State, j.Progress, j.Sources = "done", 1, names
		if len(made) > 0 {
			j.Source = made[0]
		}
		seconds := func(n int64, rate int) string {
			return strconv.FormatFloat(float64(n)/float64(rate), 'f', 2, 64) + " s"
		}
		if rec.Missing > 0 {
			j.Kind = "cutShort"
			j.Detail = "“" + j.Name + "” ends early: " + seconds(rec.Missing, rec.NativeRate) + " that its header promises are missing. The " + seconds(rec.Length, rec.Rate) + " that are whole were taken in."
		}
		if rec.Bad > 0 {
			j.Detail += " " + strconv.FormatInt(rec.Bad, 10) + " samples were not numbers and are silent now."
		}
	})
	return nil
}
