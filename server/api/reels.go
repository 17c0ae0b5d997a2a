package api

import (
	"context"
	"fmt"
	"net/http"

	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/core/treat"
	"blendseam/server/answer"
	"blendseam/store"
)

func (s *API) reelRoutes() {
	get(s, "/reels", "listReels", "The reels on the shelf, the last changed first", s.listReels)
	create(s, "/reels", "createReel", "Make a reel with the tracks that one begins with", s.createReel)
	get(s, "/reels/{reel}", "getReel", "A reel as it is now", s.getReel)
	act(s, http.MethodDelete, "/reels/{reel}", "removeReel", "Remove a reel; it can be restored", func(ctx context.Context, in *OfReel) error {
		return s.Store.Remove(ctx, in.Reel)
	})
	act(s, http.MethodPost, "/reels/{reel}/restore", "restoreReel", "Restore a removed reel", func(ctx context.Context, in *OfReel) error {
		return s.Store.Restore(ctx, in.Reel)
	})
	create(s, "/reels/{reel}/copy", "copyReel", "Copy a reel under another name", s.copyReel)
	get(s, "/reels/{reel}/timecode", "getTimecode", "Read a timecode and tell where in the reel it lies", s.getTimecode)
	post(s, "/reels/{reel}/excerpts", "postExcerpt", "Copy clips, or what lies on tracks in a span, for a paste. Nothing is changed", s.postExcerpt)
}

// ReelList are reels on the shelf.
type ReelList struct {
	Reels []store.Entry `json:"reels"`
}

func (s *API) listReels(ctx context.Context, in *struct {
	Removed bool `query:"removed" doc:"those that were removed instead"`
}) (ReelList, error) {
	reels, err := s.Store.Shelf(ctx, in.Removed)
	return ReelList{some(reels)}, err
}

// NewReel is what a reel is made from.
type NewReel struct {
	Name       string        `json:"name"`
	SampleRate int           `json:"sampleRate,omitempty" doc:"48000 where it is left out"`
	FrameRate  timecode.Rate `json:"frameRate"`
	Start      string        `json:"start,omitempty" doc:"timecode of the first sample"`
}

// createReel makes a reel with the tracks that one begins with.
func (s *API) createReel(ctx context.Context, in *struct{ Body NewReel }) (*Made, error) {
	n := in.Body
	if n.SampleRate == 0 {
		n.SampleRate = sound.DefaultRate
	}
	if err := n.FrameRate.Check(); err != nil {
		return nil, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	props := reel.Props{Name: n.Name, SampleRate: n.SampleRate, FrameRate: n.FrameRate}
	if n.Start != "" {
		start, err := n.FrameRate.Parse(n.Start)
		if err != nil || start < 0 {
			return nil, answer.Bad(fmt.Sprintf("The start %q is not a timecode at %s frames a second.", n.Start, n.FrameRate))
		}
		props.StartFrame = start
	}
	doc, err := reel.New(props, reel.Starter)
	if err != nil {
		return nil, err
	}
	id, err := s.Store.Create(ctx, doc)
	return made(id, fmt.Sprintf("/api/v1/reels/%d", id)), err
}

// ReelNow is a reel as it is now, with what counts where it says nothing itself.
type ReelNow struct {
	store.Version
	Usual Defaults `json:"usual"`
}

// Defaults are what counts unless a reel or a track says otherwise, and what there is to
// choose from.
type Defaults struct {
	Target     reel.Target        `json:"target"`
	Targets    []reel.NamedTarget `json:"targets"`
	Duck       reel.Ducking       `json:"duck"`
	Expander   treat.Expander     `json:"expander"`
	Treatment  treat.Settings     `json:"treatment" doc:"what its fields hold at first"`
	Treatments []treat.Named      `json:"treatments"`
}

func (s *API) getReel(ctx context.Context, in *OfReel) (ReelNow, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return ReelNow{}, err
	}
	doc := *v.Reel
	doc.Tracks, doc.Sources, doc.Clips, doc.Blends, doc.Markers = some(doc.Tracks), some(doc.Sources), some(doc.Clips), some(doc.Blends), some(doc.Markers)
	v.Reel = &doc
	return ReelNow{v, Defaults{reel.UsualTarget, reel.Targets, reel.UsualDuck(doc.Props), treat.UsualExpander, treat.Start, treat.Usual}}, nil
}

func (s *API) copyReel(ctx context.Context, in *nameInput) (*Made, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return nil, err
	}
	if _, err = (&reel.SetReel{Name: &in.Body.Name}).Apply(v.Reel); err != nil {
		return nil, err
	}
	id, err := s.Store.Copy(ctx, v.ID, in.Body.Name)
	return made(id, fmt.Sprintf("/api/v1/reels/%d", id)), err
}

// Place is a timecode and where in the reel it lies.
type Place struct {
	Sample int64  `json:"sample"`
	Text   string `json:"text"`
}

// getTimecode reads a timecode and tells where in the reel it lies.
func (s *API) getTimecode(ctx context.Context, in *struct {
	OfReel
	Text string `query:"text" required:"true"`
}) (Place, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return Place{}, err
	}
	p := v.Reel.Props
	frame, err := p.FrameRate.Parse(in.Text)
	if err != nil {
		return Place{}, answer.Bad(answer.UpperFirst(err.Error()) + ".")
	}
	if frame < p.StartFrame {
		return Place{}, answer.Bad(fmt.Sprintf("The reel starts at %s; that is before it.", p.FrameRate.Format(p.StartFrame)))
	}
	return Place{p.FrameRate.Sample(frame-p.StartFrame, p.SampleRate), p.FrameRate.Format(frame)}, nil
}

// ExcerptRequest names clips, or tracks and a span.
type ExcerptRequest struct {
	Clips  []reel.ID `json:"clips,omitempty"`
	From   int64     `json:"from,omitempty"`
	To     int64     `json:"to,omitempty"`
	Tracks []reel.ID `json:"tracks,omitempty"`
}

// postExcerpt copies clips, or what sounds on tracks in a span, for a paste.
// The reel stays as it is.
func (s *API) postExcerpt(ctx context.Context, in *struct {
	OfReel
	Body ExcerptRequest
}) (reel.Excerpt, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return reel.Excerpt{}, err
	}
	if len(in.Body.Clips) > 0 {
		return v.Reel.CopyClips(in.Body.Clips)
	}
	return v.Reel.CopySpan(in.Body.From, in.Body.To, in.Body.Tracks)
}
