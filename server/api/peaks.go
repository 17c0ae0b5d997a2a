package api

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/level"
	"blendseam/core/reel"
	"blendseam/server/answer"
)

// ClipPeak is how high a clip peaks with its gain.
type ClipPeak struct {
	Clip reel.ID  `json:"clip"`
	DBFS *float64 `json:"dbfs" doc:"its largest sample in dBFS; null for silence"`
	Over bool     `json:"over" doc:"at full scale or above"`
}

// Peaks are those of some clips.
type Peaks struct {
	Clips []ClipPeak `json:"clips"`
	Words string     `json:"words" doc:"tells of the highest"`
	Over  bool       `json:"over" doc:"one of them is at full scale or above"`
}

// mostPeaked bounds one answer: each may mean to listen to a whole recording.
const mostPeaked = 500

func (s *API) levelRoutes() {
	post(s, "/reels/{reel}/match", "postMatch", "Which gains bring clips to one loudness of speech. Nothing is changed", s.postMatch)
	get(s, "/reels/{reel}/loudness", "getLoudness", "How loud a span of a reel is, against its target", s.getLoudness)
	post(s, "/reels/{reel}/even-out", "postEvenOut", "Which gains bring the speech of many clips to one loudness, row by row. Nothing is changed", s.postEvenOut)
	post(s, "/reels/{reel}/duck", "postDuck", "How a track would go down under speech and come back. Nothing is changed", s.postDuck)
	post(s, "/reels/{reel}/treatment", "postTreatment", "What a treatment does to what sounds. Nothing is changed", s.postTreatment)
	post(s, "/reels/{reel}/match-tone", "postMatchTone", "Which tones bring the speech of clips to that of another. Nothing is changed", s.postTone)
	get(s, "/reels/{reel}/speech", "getSpeech", "Where something is said on the dialogue tracks", s.getSpeech)
	get(s, "/reels/{reel}/peaks", "getPeaks", "How high clips peak with their gain", s.getPeaks)
}

func (s *API) getPeaks(ctx context.Context, in *struct {
	OfReel
	Clips []int64 `query:"clips" doc:"ids with commas"`
}) (Peaks, error) {
	out := Peaks{Clips: []ClipPeak{}}
	if len(in.Clips) > mostPeaked {
		return out, answer.Bad(fmt.Sprintf("Ask for the peaks of at most %d clips.", mostPeaked))
	}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	var ids []reel.ID
	for _, id := range in.Clips {
		ids = append(ids, reel.ID(id))
	}
	return s.peaks(ctx, v.Reel, ids)
}

// peaks are those of some clips of a reel; clips that are gone are left out.
func (s *API) peaks(ctx context.Context, r *reel.Reel, clips []reel.ID) (Peaks, error) {
	out := Peaks{Clips: []ClipPeak{}}
	highest, name := math.Inf(-1), ""
	for _, id := range clips {
		c, ok := r.Clip(id)
		if !ok {
			continue
		}
		peak, err := s.Peaks.Of(ctx, r, c)
		if err != nil {
			return out, err
		}
		one := ClipPeak{Clip: id}
		db := level.ClipPeak(c, peak)
		if !math.IsInf(db, -1) && !math.IsNaN(db) {
			one.DBFS, one.Over = &db, db >= 0
		}
		if db > highest {
			highest, name = db, c.Name
		}
		out.Clips = append(out.Clips, one)
	}
	if len(out.Clips) < 2 {
		name = ""
	}
	out.Words, out.Over = level.PeakWords(name, highest), highest >= 0
	return out, nil
}
