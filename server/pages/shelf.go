package pages

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/store"
)

// shelf lists the reels.
func (s *Pages) shelf(w http.ResponseWriter, r *http.Request) {
	reels, err := s.Store.Shelf(r.Context(), false)
	var removed []store.Entry
	if err == nil {
		removed, err = s.Store.Shelf(r.Context(), true)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	shown, err := s.mapped(r.Context(), reels)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	until := func(e *store.Entry) string {
		if s.Days == 0 || e.RemovedAt == nil {
			return ""
		}
		return e.RemovedAt.AddDate(0, 0, s.Days).Format("2 Jan")
	}
	var just *store.Entry // what was removed a moment ago, to put it back
	for i, e := range removed {
		if fmt.Sprint(e.ID) == r.URL.Query().Get("removed") {
			just = &removed[i]
		}
	}
	s.page(w, r, http.StatusOK, "shelf", map[string]any{
		"Just": just, "Days": s.Days, "Until": until,
		"Title": "Reels", "Reels": shown, "Removed": pointers(removed), "FrameRates": timecode.Rates, "SampleRates": sound.Rates, "DefaultRate": sound.DefaultRate,
	})
}

func pointers[T any](all []T) []*T {
	out := make([]*T, len(all))
	for i := range all {
		out[i] = &all[i]
	}
	return out
}

// shelved is a reel with a small map of its clips.
type shelved struct {
	store.Entry
	Map *reelMap
}

// reelMap draws clips as strips, a row a track, over a width of 1000.
type reelMap struct {
	Height int
	Strips []strip
}

type strip struct {
	Role     reel.Role
	X, Width string
	Y        int
}

// mappedReels is how many reels get a map, and mappedClips the most it draws.
const (
	mappedReels = 12
	mappedClips = 400
)

func (s *Pages) mapped(ctx context.Context, reels []store.Entry) ([]shelved, error) {
	out := make([]shelved, len(reels))
	for i, e := range reels {
		out[i].Entry = e
		if i >= mappedReels || e.Length == 0 || e.Clips > mappedClips {
			continue
		}
		v, err := s.Store.Load(ctx, e.ID)
		if err != nil {
			return nil, err
		}
		m := &reelMap{}
		place := func(n int64) string { return strconv.FormatFloat(float64(n)/float64(e.Length)*1000, 'f', 1, 64) }
		for _, t := range v.Reel.Order() {
			for _, c := range v.Reel.OnTrack(t.ID) {
				m.Strips = append(m.Strips, strip{t.Role, place(c.Start), place(max(c.Length-e.Length/1000, e.Length/1000)), m.Height})
			}
			m.Height += 9
		}
		out[i].Map = m
	}
	return out, nil
}
