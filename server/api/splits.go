package api

import (
	"encoding/json"
	"net/http"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/interchange"
	"blendseam/server/answer"
)

// SplitOffer is a split edit that is suggested.
type SplitOffer struct {
	Frames float64         `json:"frames"`
	Words  string          `json:"words"`
	Why    string          `json:"why"`
	Edit   json.RawMessage `json:"edit"`
	After  seam.Judgement  `json:"after"`
}

// getLeads tells how the sound of a seam can lead or lag its picture.
func (s *API) getLeads(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	var one reel.Seam
	if err == nil {
		one, err = seamOf(r, v)
	}
	if err == nil && one.Cut.Left == 0 {
		err = answer.Bad("No picture cut here. Tie the clips to their shots, or move the cut to the picture cut.")
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	m := seam.New(v.Reel, s.opener(v.Reel.Props.SampleRate))
	got, err := m.Leads(r.Context(), v.Reel, one)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	offers := make([]SplitOffer, 0, len(got.Offers))
	for _, o := range got.Offers {
		text, err := reel.Encode(o.Edit)
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		offers = append(offers, SplitOffer{o.Frames, reel.LeadWords(o.Frames), o.Why, text, o.After})
	}
	warnings := []map[string]any{}
	for _, warn := range got.Warnings {
		warnings = append(warnings, map[string]any{"beyond": warn.Beyond, "kind": warn.Kind, "says": warn.Says})
	}
	answer.JSON(w, http.StatusOK, map[string]any{
		"revision": v.Revision, "frames": got.Frames, "words": reel.LeadWords(got.Frames), "mostLead": got.MostLead, "mostLag": got.MostLag, "offers": offers, "warnings": warnings,
	})
}

// MissingSource is a source that is known by name alone, and what of the reel's
// recordings it could be.
type MissingSource struct {
	reel.Source
	Clips int             `json:"clips"`
	From  int64           `json:"from"` // timecode that is needed of it, in samples
	To    int64           `json:"to"`
	Match reel.ID         `json:"match,omitempty"`
	Edit  json.RawMessage `json:"edit,omitempty"`
}

// getMissing lists what is missing, with the recording that each is by its
// name, where there is one.
func (s *API) getMissing(w http.ResponseWriter, r *http.Request) {
	v, err := s.version(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	out := []MissingSource{}
	for _, src := range v.Reel.Sources {
		if !src.Missing() || src.Unlisted {
			continue
		}
		m := MissingSource{Source: src, From: -1}
		for _, c := range v.Reel.UsedBy(src.ID) {
			if from := max(src.StartTC, 0) + c.Offset; m.From < 0 || from < m.From {
				m.From = from
			}
			m.To = max(m.To, max(src.StartTC, 0)+c.Offset+c.Length)
			m.Clips++
		}
		if m.Clips == 0 {
			continue
		}
		var could []reel.Source
		for _, o := range v.Reel.Sources {
			if o.Missing() || o.Bed.Grown() || o.Unlisted || o.Shows() != src.Shows() || !interchange.Same(o.Name, src.Name) && !interchange.Same(o.Name, src.Tape) && !interchange.Same(o.Tape, src.Tape) {
				continue
			}
			could = append(could, o)
		}
		if e, ok := v.Reel.LinkTo(src, could, m.From); ok {
			m.Match = e.To
			if m.Edit, err = reel.Encode(e); err != nil {
				s.Fail(w, r, err)
				return
			}
		}
		out = append(out, m)
	}
	answer.JSON(w, http.StatusOK, map[string]any{"revision": v.Revision, "missing": out})
}
