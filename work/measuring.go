package work

import (
	"context"
	"log/slog"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/store"
)

// Measuring measures the seams of reels in the background, and keeps what it
// found by the print of each seam, so that an edit measures anew only what it
// touched.
type Measuring struct {
	reels Reels
	open  Opener
	news  News
	crew  *Crew
	log   *slog.Logger

	known    *lru.Cache[key, seam.Measure]
	prints   *lru.Cache[int64, printed]
	told     *lru.Cache[int64, printed] // the lists that those who watch have
	owed     *lru.Cache[key, struct{}]  // seams that were told of without a verdict
	patching sync.Mutex                 // one list at a time is compared with the one before
	mu       sync.Mutex
	watched  map[int64]*watched
	oneByOne chan struct{} // measuring leaves a core to those who listen
}

// key is a print within a reel.
type key struct {
	reel  int64
	print string
}

// printed are the prints of a revision of a reel.
type printed struct {
	revision   int64
	seams      []reel.Seam
	prints     map[Pair]string
	recordings map[string]bool // that are heard in it
	limits     reel.Tolerances
}

// watched is a reel whose seams are being measured.
type watched struct{ wanted int64 } // revision

// Pair names a seam by its two clips, 0 for none.
type Pair struct {
	Left  reel.ID `json:"left"`
	Right reel.ID `json:"right"`
}

const (
	mostKnown   = 30_000 // measures, about 30 MB; far more than a day's work
	mostPrinted = 16     // reels whose prints are kept
)

// NewMeasuring measures with a crew.
func NewMeasuring(crew *Crew, reels Reels, open Opener, news News, log *slog.Logger) *Measuring {
	m := &Measuring{reels: reels, open: open, news: news, crew: crew, log: log, watched: map[int64]*watched{}, oneByOne: make(chan struct{}, 1)}
	m.known, _ = lru.New[key, seam.Measure](mostKnown) // it fails for sizes below one
	m.prints, _ = lru.New[int64, printed](mostPrinted)
	m.told, _ = lru.New[int64, printed](mostPrinted)
	m.owed, _ = lru.New[key, struct{}](mostKnown)
	return m
}

// printed are the seams of a version with their prints, found once for each
// revision.
func (m *Measuring) printed(v store.Version) printed {
	if p, ok := m.prints.Get(v.ID); ok && p.revision == v.Revision {
		return p
	}
	meter := seam.New(v.Reel, m.open(v.Reel.Props.SampleRate))
	p := printed{revision: v.Revision, seams: v.Reel.Seams(), recordings: map[string]bool{}, limits: v.Reel.Props.Limits}
	p.prints = make(map[Pair]string, len(p.seams))
	for _, s := range p.seams {
		p.prints[Pair{s.Left, s.Right}] = meter.Print(s)
	}
	for _, src := range v.Reel.Sources {
		p.recordings[src.Recording] = true
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if now, ok := m.prints.Peek(v.ID); !ok || now.revision <= v.Revision { // one that was read earlier comes late
		m.prints.Add(v.ID, p)
	}
	return p
}

// Known is what was measured at a seam of a reel, by its print.
func (m *Measuring) Known(id int64, print string) (seam.Measure, bool) {
	return m.known.Get(key{id, print})
}

// Forget drops what was measured in reels that use a recording: it was made
// anew, and may hold more than what was left of it.
func (m *Measuring) Forget(recording string) {
	for _, k := range m.known.Keys() {
		// Of reels whose prints are no longer kept it is not known what they use.
		if p, ok := m.prints.Peek(k.reel); !ok || p.recordings[recording] {
			m.known.Remove(k)
		}
	}
}

// Judged measures one seam of a reel, or takes what is known of it.
func (m *Measuring) Judged(ctx context.Context, id int64, r *reel.Reel, s reel.Seam) (seam.Judgement, error) {
	meter := seam.New(r, m.open(r.Props.SampleRate))
	print := meter.Print(s)
	got, ok := m.Known(id, print)
	if !ok {
		var err error
		if got, err = meter.MeasureAs(ctx, s, print); err != nil {
			return seam.Judgement{}, err
		}
		m.known.Add(key{id, got.Print}, got)
	}
	got.Seam = s
	return got.Judge(r.Props.Limits), nil
}

// Want has the seams of a reel measured as they are now.
func (m *Measuring) Want(v store.Version) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if w := m.watched[v.ID]; w != nil {
		w.wanted = max(w.wanted, v.Revision)
		return
	}
	w := &watched{v.Revision}
	m.watched[v.ID] = w
	m.crew.Go(func(ctx context.Context) { m.run(ctx, v.ID, w) })
}

// run measures until nothing newer is wanted.
func (m *Measuring) run(ctx context.Context, id int64, w *watched) {
	select {
	case m.oneByOne <- struct{}{}:
		defer func() { <-m.oneByOne }()
	case <-ctx.Done():
		return
	}
	for {
		v, err := m.reels.Load(ctx, id)
		if err == nil {
			err = m.measure(ctx, v, w)
		}
		if err != nil && ctx.Err() == nil {
			m.log.Error("measuring failed", "reel", id, "error", err)
		}
		m.mu.Lock()
		if err != nil || w.wanted <= v.Revision {
			delete(m.watched, id)
			m.mu.Unlock()
			return
		}
		m.mu.Unlock()
	}
}

// Measured tells those who watch a reel what was found.
type Measured struct {
	Revision int64       `json:"revision"`
	Done     int         `json:"done"`
	Total    int         `json:"total"`
	Seams    []RatedSeam `json:"seams"`
}

// RatedSeam is what was found of one seam.
type RatedSeam struct {
	Left  reel.ID `json:"left"`
	Right reel.ID `json:"right"`
	Rated
}

// telling is how long what was found waits to be told together.
const telling = 150 * time.Millisecond

func (m *Measuring) measure(ctx context.Context, v store.Version, w *watched) error {
	p := m.printed(v)
	seams, prints := p.seams, p.prints
	accepted, err := m.reels.Accepted(ctx, v.ID)
	if err != nil {
		return err
	}
	var missing []reel.Seam
	news := Measured{Revision: v.Revision, Total: len(seams)}
	for _, s := range seams {
		k := key{v.ID, prints[Pair{s.Left, s.Right}]}
		if got, ok := m.known.Get(k); !ok {
			missing = append(missing, s)
		} else if m.owed.Contains(k) {
			// One who looked at it was faster than this: those who have the list do not know yet.
			got.Seam = s
			news.Seams = append(news.Seams, RatedSeam{s.Left, s.Right, Rate(got.Judge(v.Reel.Props.Limits), accepted)})
		}
	}
	tell := func(done int) {
		// Those who read a later list before this was known of are told by the
		// measuring of that one.
		if now, ok := m.prints.Peek(v.ID); !ok || now.revision <= v.Revision {
			for _, s := range news.Seams {
				m.owed.Remove(key{v.ID, s.Print})
			}
		}
		news.Done = done
		m.news.Tell(v.ID, "measured", news)
		news.Seams = nil
	}
	if len(news.Seams) > 0 {
		tell(len(seams) - len(missing))
	}
	meter := seam.New(v.Reel, m.open(v.Reel.Props.SampleRate))
	told := time.Now()
	for i, s := range missing {
		m.mu.Lock()
		stale := w.wanted > v.Revision
		m.mu.Unlock()
		if stale {
			return nil
		}
		got, err := meter.MeasureAs(ctx, s, prints[Pair{s.Left, s.Right}])
		if err != nil {
			return err
		}
		m.known.Add(key{v.ID, got.Print}, got)
		news.Seams = append(news.Seams, RatedSeam{s.Left, s.Right, Rate(got.Judge(v.Reel.Props.Limits), accepted)})
		if last := i == len(missing)-1; last || time.Since(told) > telling {
			tell(len(seams) - len(missing) + i + 1)
			told = time.Now()
		}
	}
	return nil
}
