package api

import (
	"context"
	"fmt"
	"strings"

	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/server/answer"
)

func (s *API) fillRoutes() {
	get(s, "/reels/{reel}/gaps", "getGaps", "Gaps between clips that room tone could fill", s.getGaps)
	post(s, "/reels/{reel}/fills", "postFills", "Propose room tone for gaps. Nothing is changed", s.postFills)
	get(s, "/reels/{reel}/bed", "getBed", "Room tone to lie under a scene on a track", s.getBed)
	get(s, "/reels/{reel}/pauses", "getPauses", "Where nobody speaks on tracks", s.getPauses)
}

// FillRequest names gaps to fill, or a place in one.
type FillRequest struct {
	Gaps []WantedGap `json:"gaps,omitempty"`
	Here *FillPlace  `json:"here,omitempty" doc:"the gap at a place, instead of those that are named"`
	Tint bool        `json:"tint,omitempty" doc:"colour is brought to the rooms' too"`
}

// FillPlace is a place on tracks, and the seam that is looked at: where the
// place is in no gap, that which the seam opens is meant.
type FillPlace struct {
	At     int64     `json:"at"`
	Tracks []reel.ID `json:"tracks"`
	Left   reel.ID   `json:"left"`
	Right  reel.ID   `json:"right"`
}

// GapScope are the gaps of tracks.
type GapScope struct {
	Tracks []reel.ID  `json:"tracks"`
	Gaps   []reel.Gap `json:"gaps"`
}

// GapScopes are gaps that could be filled: in the span, on the tracks that were
// named as far as they have a room, and on all of dialogue and room tone.
type GapScopes struct {
	Span  *GapScope `json:"span,omitempty"`
	Named GapScope  `json:"named"`
	All   GapScope  `json:"all"`
}

// getGaps lists the gaps that room tone could fill.
func (s *API) getGaps(ctx context.Context, in *struct {
	OfReel
	Tracks []int64 `query:"tracks" maxItems:"1000"`
	From   int64   `query:"from" doc:"of a span"`
	To     int64   `query:"to" doc:"of a span; 0 for none"`
}) (GapScopes, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return GapScopes{}, err
	}
	var named []reel.ID
	for _, t := range in.Tracks {
		named = append(named, reel.ID(t))
	}
	named, all := some(v.Reel.WithRoom(named)), some(v.Reel.WithRoom(nil))
	out := GapScopes{Named: GapScope{named, v.Reel.Gaps(named, 0, 0)}, All: GapScope{all, v.Reel.Gaps(all, 0, 0)}}
	if in.To > in.From {
		out.Span = &GapScope{named, v.Reel.Gaps(named, in.From, in.To)}
	}
	return out, nil
}

// WantedGap is a gap to fill.
type WantedGap struct {
	Track  reel.ID `json:"track"`
	From   int64   `json:"from"`
	To     int64   `json:"to"`
	Choice int     `json:"choice,omitempty" doc:"which of the candidates, the likest first"`
}

// Filled is what is proposed for one gap.
type Filled struct {
	Track  reel.ID `json:"track"`
	From   int64   `json:"from"`
	To     int64   `json:"to"`
	Says   string  `json:"says,omitempty"`
	Why    string  `json:"why,omitempty" doc:"why nothing is proposed"`
	Glides bool    `json:"glides"`
	Before float64 `json:"before" doc:"the room before the gap, dBFS"`
	After  float64 `json:"after" doc:"the room after the gap, dBFS"`
	Edit   *Edit   `json:"edit,omitempty"`
}

// FillList is what is proposed for gaps.
type FillList struct {
	Revision int64    `json:"revision"`
	Fills    []Filled `json:"fills"`
}

// mostFills bounds the gaps of one request.
const mostFills = 2000

// postFills proposes tone for gaps. It changes nothing.
func (s *API) postFills(ctx context.Context, in *struct {
	OfReel
	Body FillRequest
}) (FillList, error) {
	out := FillList{Fills: []Filled{}}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	if h := in.Body.Here; h != nil {
		in.Body.Gaps = nil
		if g, ok := v.Reel.GapNear(h.Tracks, h.At, h.Left, h.Right); ok {
			in.Body.Gaps = []WantedGap{{Track: g.Track, From: g.From, To: g.To}}
		}
	}
	if in.Body.Here == nil && len(in.Body.Gaps) == 0 || len(in.Body.Gaps) > mostFills {
		return out, answer.Bad(fmt.Sprintf("1 to %d gaps are filled at once.", mostFills))
	}
	out.Revision = v.Revision
	open, finder, others := s.opener(v.Reel.Props.SampleRate), s.Quiet.Finder(v.Reel), s.others(v.Reel)
	for _, g := range in.Body.Gaps {
		f, err := roomtone.ForGap(ctx, v.Reel, open, finder, reel.Gap{Track: g.Track, From: g.From, To: g.To}, others, max(g.Choice, 0), in.Body.Tint)
		if err != nil {
			return out, err
		}
		one := Filled{Track: g.Track, From: g.From, To: g.To, Why: f.Why, Glides: f.Glides, Before: f.Before.Level, After: f.After.Level}
		if f.Edit != nil {
			one.Says = f.Tone.Says
			if !strings.Contains(one.Says, f.Tone.Name) {
				one.Says = f.Tone.Name + ", " + one.Says
			}
			if one.Edit, err = written(f.Edit); err != nil {
				return out, err
			}
		}
		out.Fills = append(out.Fills, one)
	}
	return out, nil
}

// BedList is tone to lie under a scene.
type BedList struct {
	Revision int64     `json:"revision"`
	Beds     []Offered `json:"beds"`
	Level    float64   `json:"level" doc:"the room of the scene, dBFS"`
}

// getBed ranks tone to lie under a scene on a track.
func (s *API) getBed(ctx context.Context, in *struct {
	OfReel
	Track reel.ID `query:"track" doc:"0 for a new one"`
	From  int64   `query:"from"`
	To    int64   `query:"to"`
	Tint  bool    `query:"tint"`
}) (BedList, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return BedList{}, err
	}
	if in.To <= in.From {
		return BedList{}, answer.Bad("A scene begins before it ends.")
	}
	rate := v.Reel.Props.SampleRate
	all, room, err := roomtone.ForScene(ctx, v.Reel, s.opener(rate), s.Quiet.Finder(v.Reel), in.Track, in.From, in.To, s.others(v.Reel), in.Tint)
	if err != nil {
		return BedList{}, err
	}
	out, err := offers(all, func(c roomtone.Candidate) reel.Edit { return c.Bed(in.Track, in.From, in.To, rate) })
	return BedList{v.Revision, out, room.Level}, err
}

// StruckPause is a pause, with the edit that strikes it.
type StruckPause struct {
	roomtone.Pause
	Edit *Edit `json:"edit"`
}

// PauseList are pauses.
type PauseList struct {
	Revision int64         `json:"revision"`
	Pauses   []StruckPause `json:"pauses"`
}

// getPauses finds where nobody speaks on tracks.
func (s *API) getPauses(ctx context.Context, in *struct {
	OfReel
	Tracks  []int64 `query:"tracks" maxItems:"1000"`
	From    int64   `query:"from"`
	To      int64   `query:"to" default:"-1" doc:"the end of the reel where it is left out"`
	Breaths bool    `query:"breaths" doc:"breaths are pauses too"`
}) (PauseList, error) {
	out := PauseList{Pauses: []StruckPause{}}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	out.Revision = v.Revision
	if in.To < 0 {
		in.To = v.Reel.Length()
	}
	rate := v.Reel.Props.SampleRate
	for _, t := range in.Tracks {
		found, err := roomtone.Pauses(ctx, v.Reel, s.opener(rate), reel.ID(t), in.From, in.To, in.Breaths)
		if err != nil {
			return out, err
		}
		for _, p := range found {
			edit, err := written(p.Strike(rate))
			if err != nil {
				return out, err
			}
			out.Pauses = append(out.Pauses, StruckPause{p, edit})
		}
	}
	return out, nil
}
