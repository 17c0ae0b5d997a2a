package server

import (
	"context"
	"encoding/hex"
	"net/http"
	"sync"
	"time"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/store"
)

// ledger measures the seams of reels in the background, and keeps what it
// found by the print of each seam, so that an edit measures anew only what it
// touched.
type ledger struct {
	s *Server

	mu       sync.Mutex
	known    map[key]seam.Measure
	reels    map[int64]*watched
	oneByOne chan struct{} // measuring leaves a core to those who listen
}

type key struct {
	reel  int64
	print string
}

// watched is a reel whose seams are measured.
type watched struct {
	busy     bool
	wanted   int64           // revision
	revision int64           // that the prints are of
	prints   map[pair]string // by seam
}

type pair struct{ left, right reel.ID }

// mostKnown bounds what is kept, about 30 MB; far more than a day's work.
const mostKnown = 30_000

func newLedger(s *Server) *ledger {
	return &ledger{s: s, known: map[key]seam.Measure{}, reels: map[int64]*watched{}, oneByOne: make(chan struct{}, 1)}
}

// listedSeam is a seam as the list shows it.
type listedSeam struct {
	reel.Seam
	rated
}

// rated is what is known of a seam. Without a verdict it is still being
// measured.
type rated struct {
	Verdict  seam.Verdict `json:"verdict"`
	Brief    string       `json:"brief"`
	What     string       `json:"what,omitempty"` // the kind of finding that decides
	Score    float64      `json:"score"`
	Accepted bool         `json:"accepted"`
	Print    string       `json:"print"`
}

// seamList are the seams of a revision.
type seamList struct {
	Revision int64        `json:"revision"`
	Length   int64        `json:"length"` // of the reel, in samples
	Seams    []listedSeam `json:"seams"`
	Off      []offSync    `json:"off"` // sound that stands off its picture
}

// offSync is a clip of sound that is not in step with its shot.
type offSync struct {
	Clip  reel.ID `json:"clip"`
	By    int64   `json:"by"`    // samples that it is late; negative where it is early
	Words string  `json:"words"` // in frames
}

// prints are those of a version's seams, found once for each revision.
func (l *ledger) prints(v store.Version, seams []reel.Seam) map[pair]string {
	l.mu.Lock()
	w := l.reels[v.ID]
	if w != nil && w.revision == v.Revision && w.prints != nil {
		defer l.mu.Unlock()
		return w.prints
	}
	l.mu.Unlock()
	m := seam.New(v.Reel, l.s.opener(v.Reel.Props.SampleRate))
	out := make(map[pair]string, len(seams))
	for _, s := range seams {
		out[pair{s.Left, s.Right}] = m.Print(s)
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if w = l.reels[v.ID]; w == nil {
		w = &watched{}
		l.reels[v.ID] = w
	}
	w.revision, w.prints = v.Revision, out
	return out
}

func (l *ledger) look(id int64, print string) (seam.Measure, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	m, ok := l.known[key{id, print}]
	return m, ok
}

func (l *ledger) keep(id int64, m seam.Measure) {
	if m.Lacks != "" {
		return // a recording may be brought in again
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.known) >= mostKnown {
		clear(l.known)
	}
	l.known[key{id, m.Print}] = m
}

// forget drops all that is known: what seams are measured from has changed.
func (l *ledger) forget() {
	l.mu.Lock()
	defer l.mu.Unlock()
	clear(l.known)
}

// judged measures one seam of a version, or takes what is known of it.
func (l *ledger) judged(ctx context.Context, id int64, r *reel.Reel, s reel.Seam) (seam.Judgement, error) {
	m := seam.New(r, l.s.opener(r.Props.SampleRate))
	got, ok := l.look(id, m.Print(s))
	if !ok {
		var err error
		if got, err = m.Measure(ctx, s); err != nil {
			return seam.Judgement{}, err
		}
		l.keep(id, got)
	}
	got.Seam = s
	return got.Judge(r.Props.Limits), nil
}

// want has the seams of a reel measured as they are now.
func (l *ledger) want(v store.Version) {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := l.reels[v.ID]
	if w == nil {
		w = &watched{}
		l.reels[v.ID] = w
	}
	w.wanted = max(w.wanted, v.Revision)
	if w.busy {
		return
	}
	w.busy = true
	l.s.work.Go(func() { l.run(v.ID, w) })
}

// run measures until nothing newer is wanted.
func (l *ledger) run(id int64, w *watched) {
	ctx := l.s.ctx
	select {
	case l.oneByOne <- struct{}{}:
		defer func() { <-l.oneByOne }()
	case <-ctx.Done():
		return
	}
	for ctx.Err() == nil {
		v, err := l.s.store.Load(ctx, id)
		if err == nil {
			err = l.measure(ctx, v, w)
		}
		l.mu.Lock()
		if err != nil || w.wanted <= v.Revision {
			w.busy = false
			l.mu.Unlock()
			if err != nil && ctx.Err() == nil {
				l.s.log.Error("measuring failed", "reel", id, "error", err)
			}
			return
		}
		l.mu.Unlock()
	}
}

// measured tells those who watch a reel what was found.
type measured struct {
	Revision int64       `json:"revision"`
	Done     int         `json:"done"`
	Total    int         `json:"total"`
	Seams    []ratedSeam `json:"seams"`
}

type ratedSeam struct {
	Left  reel.ID `json:"left"`
	Right reel.ID `json:"right"`
	rated
}

// telling is how long what was found waits to be told together.
const telling = 150 * time.Millisecond

func (l *ledger) measure(ctx context.Context, v store.Version, w *watched) error {
	seams := v.Reel.Seams()
	prints := l.prints(v, seams)
	accepted, err := l.s.store.Accepted(ctx, v.ID)
	if err != nil {
		return err
	}
	var missing []reel.Seam
	for _, s := range seams {
		if _, ok := l.look(v.ID, prints[pair{s.Left, s.Right}]); !ok {
			missing = append(missing, s)
		}
	}
	m := seam.New(v.Reel, l.s.opener(v.Reel.Props.SampleRate))
	news := measured{Revision: v.Revision, Total: len(seams)}
	told := time.Now()
	for i, s := range missing {
		l.mu.Lock()
		stale := w.wanted > v.Revision
		l.mu.Unlock()
		if stale {
			return nil
		}
		got, err := m.Measure(ctx, s)
		if err != nil {
			return err
		}
		l.keep(v.ID, got)
		news.Seams = append(news.Seams, ratedSeam{s.Left, s.Right, rate(got.Judge(v.Reel.Props.Limits), accepted)})
		if last := i == len(missing)-1; last || time.Since(told) > telling {
			news.Done = len(seams) - len(missing) + i + 1
			l.s.hub.publish(v.ID, event{"measured", news})
			news.Seams, told = nil, time.Now()
		}
	}
	return nil
}

func rate(j seam.Judgement, accepted map[string]bool) rated {
	return rated{j.Verdict, j.Brief, j.What, j.Score, accepted[j.Print], j.Print}
}

// getSeams sends all seams with what is known of them, and has the others
// measured.
func (s *Server) getSeams(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var accepted map[string]bool
	if err == nil {
		accepted, err = s.store.Accepted(r.Context(), v.ID)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	seams := v.Reel.Seams()
	prints := s.ledger.prints(v, seams)
	out := seamList{Revision: v.Revision, Length: v.Reel.Length(), Seams: make([]listedSeam, 0, len(seams))}
	missing := false
	for _, one := range seams {
		l := listedSeam{Seam: one, rated: rated{Print: prints[pair{one.Left, one.Right}]}}
		if m, ok := s.ledger.look(v.ID, l.Print); ok {
			m.Seam = one
			l.rated = rate(m.Judge(v.Reel.Props.Limits), accepted)
		} else {
			missing = true
		}
		out.Seams = append(out.Seams, l)
	}
	if missing {
		s.ledger.want(v)
	}
	out.Off = []offSync{}
	for _, t := range v.Reel.Ties {
		if by := v.Reel.Off(t); by != 0 {
			out.Off = append(out.Off, offSync{t.Clip, by, v.Reel.Props.Late(by)})
		}
	}
	writeJSON(w, http.StatusOK, out)
}

// postAccept marks a seam as heard and found good, as it sounds by its print.
func (s *Server) postAccept(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Print string `json:"print"`
		Good  bool   `json:"good"`
	}
	v, err := s.version(r)
	if err == nil {
		err = readJSON(w, r, &in)
	}
	if err == nil {
		if b, bad := hex.DecodeString(in.Print); bad != nil || len(b) != 16 {
			err = badRequest{"A seam is accepted by the print that was read with it."}
		}
	}
	if err == nil {
		err = s.store.Accept(r.Context(), v.ID, in.Print, in.Good)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.hub.publish(v.ID, event{"accepted", in})
	w.WriteHeader(http.StatusNoContent)
}
