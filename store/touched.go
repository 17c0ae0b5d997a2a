package store

import (
	"context"
	"time"

	"blendseam/core/reel"
)

// Touch is the last step that altered a clip, or what lies on it.
type Touch struct {
	Revision int64
	Label    string
	At       time.Time
}

// mostTouches is how many steps are looked through, the newest first.
const mostTouches = 5000

// Touched tells for each clip of a reel which step of those that stand altered it last, its
// blends, strikes and gain lines among it; not that it moved along with others.
func (s *Store) Touched(ctx context.Context, id int64) (out map[reel.ID]Touch, err error) {
	defer s.guard(&ctx, &err)()
	times := map[int64]time.Time{}
	made, err := s.db.QueryContext(ctx, "SELECT revision, made_at FROM journal WHERE reel_id = ? AND kind = 'step' AND state = 'done' ORDER BY revision DESC LIMIT ?", id, mostTouches)
	if err != nil {
		return nil, err
	}
	defer made.Close()
	for made.Next() {
		var revision int64
		var at time.Time
		if err := made.Scan(&revision, &at); err != nil {
			return nil, err
		}
		times[revision] = at
	}
	if err := made.Err(); err != nil {
		return nil, err
	}
	out = map[reel.ID]Touch{}
	err = each(ctx, s.db, id, rows{where: "kind = 'step' AND state = 'done'", desc: true, limit: mostTouches}, func(e entry) error {
		for _, clip := range altered(e.change) {
			if _, later := out[clip]; !later {
				out[clip] = Touch{e.revision, e.label, times[e.revision]}
			}
		}
		return nil
	})
	return out, err
}

// altered are the clips that a change is about.
func altered(c reel.Change) (out []reel.ID) {
	for _, p := range c.Clips {
		out = append(out, either(p).ID)
	}
	for _, p := range c.Blends {
		b := either(p)
		out = append(out, b.Left, b.Right)
	}
	for _, p := range c.Strikes {
		out = append(out, either(p).Clip)
	}
	for _, p := range c.Points {
		if clip := either(p).Clip; clip != 0 {
			out = append(out, clip)
		}
	}
	return out
}

// either is what a thing is after a change, or was before.
func either[T any](p reel.Pair[T]) T {
	if p.After != nil {
		return *p.After
	}
	return *p.Before
}
