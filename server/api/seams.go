package api

import (
	"context"
	"encoding/hex"
	"fmt"
	"net/http"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/server/answer"
	"blendseam/store"
	"blendseam/work"
)

func (s *API) seamRoutes() {
	get(s, "/reels/{reel}/seams", "getSeams", "All seams with what is known of them; the others are measured", s.getSeams)
	get(s, "/reels/{reel}/closeup", "getCloseUp", "One seam with all that is drawn and said of it", s.getCloseUp)
	act(s, http.MethodPost, "/reels/{reel}/accept", "postAccept", "Accept a seam as it sounds, or take that back", s.postAccept)
	post(s, "/reels/{reel}/sweep", "postSweep", "Propose for many seams what would mend them. Nothing is changed", s.postSweep)
	get(s, "/reels/{reel}/better", "getBetter", "Better cuts near one", s.getBetter)
	get(s, "/reels/{reel}/spectrum", "getSpectrum", "Third-octave levels of both sides of a seam", s.getSpectrum)
	get(s, "/reels/{reel}/leads", "getLeads", "How the sound of a seam can lead or lag its picture", s.getLeads)
}

// OfSeam is a request about a seam.
type OfSeam struct {
	OfReel
	Left  reel.ID `query:"left" doc:"clip before the seam, 0 for none"`
	Right reel.ID `query:"right" doc:"clip after the seam, 0 for none; the strike of a struck span"`
}

// in is the seam and its reel.
func (q OfSeam) in(ctx context.Context, s *API) (store.Version, reel.Seam, error) {
	v, err := s.Store.Load(ctx, q.Reel)
	if err != nil {
		return v, reel.Seam{}, err
	}
	one, err := findSeam(v.Reel, q.Left, q.Right)
	return v, one, err
}

func findSeam(r *reel.Reel, left, right reel.ID) (reel.Seam, error) {
	for _, s := range r.Seams() {
		if s.Left == left && s.Right == right {
			return s, nil
		}
	}
	return reel.Seam{}, answer.Bad("That seam is gone: its clips are no longer there, or no longer meet.")
}

// SeamList are the seams of a revision.
type SeamList struct {
	Revision int64             `json:"revision"`
	Length   int64             `json:"length" doc:"of the reel, in samples"`
	Seams    []work.ListedSeam `json:"seams"`
	Off      []work.OffSync    `json:"off" doc:"sound that stands off its picture"`
}

// getSeams sends all seams with what is known of them, and has the others
// measured.
func (s *API) getSeams(ctx context.Context, in *OfReel) (SeamList, error) {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return SeamList{}, err
	}
	accepted, err := s.Store.Accepted(ctx, v.ID)
	if err != nil {
		return SeamList{}, err
	}
	out := SeamList{Revision: v.Revision, Length: v.Reel.Length(), Off: work.Off(v.Reel)}
	var missing bool
	if out.Seams, missing = s.Measuring.Listed(v, accepted); missing {
		s.Measuring.Want(v)
	}
	return out, nil
}

// AcceptRequest marks a seam as heard and found good, as it sounds by its print.
type AcceptRequest struct {
	Print string `json:"print"`
	Good  bool   `json:"good"`
}

func (s *API) postAccept(ctx context.Context, in *struct {
	OfReel
	Body AcceptRequest
}) error {
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return err
	}
	if b, bad := hex.DecodeString(in.Body.Print); bad != nil || len(b) != 16 {
		return answer.Bad("A seam is accepted by the print that was read with it.")
	}
	if err = s.Store.Accept(ctx, v.ID, in.Body.Print, in.Body.Good); err == nil {
		s.Live.Tell(v.ID, "accepted", in.Body)
	}
	return err
}

// BetterCut is a place near a cut, with the edit that goes there.
type BetterCut struct {
	By    int64   `json:"by" doc:"samples that the cut moves"`
	Slip  int64   `json:"slip" doc:"samples that what comes in slips"`
	Level float64 `json:"level"`
	Gap   float64 `json:"gap"`
	Jump  float64 `json:"jump"`
	R     float64 `json:"r"`
	Click float64 `json:"click"`
	Word  bool    `json:"word"`
	Edit  *Edit   `json:"edit,omitempty"`
}

// BetterList are places near a cut, the best first.
type BetterList struct {
	Revision int64       `json:"revision"`
	Places   []BetterCut `json:"places"`
}

// getBetter looks for a better cut near one.
func (s *API) getBetter(ctx context.Context, in *struct {
	OfSeam
	Frames int64 `query:"frames" default:"4" doc:"how far to look, 1 to 12"`
}) (BetterList, error) {
	out := BetterList{Places: []BetterCut{}}
	v, one, err := in.in(ctx, s)
	if err != nil {
		return out, err
	}
	if one.Kind != reel.CutSeam {
		return out, answer.Bad("Select a seam where two clips meet to look for a better cut.")
	}
	out.Revision = v.Revision
	p := v.Reel.Props
	found, err := seam.New(v.Reel, s.opener(p.SampleRate)).Better(ctx, one, p.FrameRate.Sample(min(max(in.Frames, 1), 12), p.SampleRate))
	for _, b := range found {
		c := BetterCut{By: b.By, Slip: b.Slip, Level: b.Level, Gap: b.Gap, Jump: b.Jump, R: b.R, Click: b.Click, Word: b.Word}
		if c.Edit, err = written(b.Edit); err != nil {
			return out, err
		}
		out.Places = append(out.Places, c)
	}
	return out, err
}

// getSpectrum sends the third-octave levels of both sides of a seam.
func (s *API) getSpectrum(ctx context.Context, in *OfSeam) (seam.Spectra, error) {
	v, one, err := in.in(ctx, s)
	if err != nil {
		return seam.Spectra{}, err
	}
	return seam.New(v.Reel, s.opener(v.Reel.Props.SampleRate)).Spectra(ctx, one)
}

// maxSweep bounds the seams of one sweep.
const maxSweep = 5000

// SweepRequest names the seams of a sweep, and how its progress is told.
type SweepRequest struct {
	Seams []SeamName `json:"seams"`
	Name  string     `json:"name,omitempty" doc:"under which progress is told to those who watch"`
}

// SeamName names a seam by its clips.
type SeamName struct {
	Left  reel.ID `json:"left"`
	Right reel.ID `json:"right"`
}

// SweepRow is a seam of a sweep, before and after.
type SweepRow struct {
	Left   reel.ID         `json:"left"`
	Right  reel.ID         `json:"right"`
	Before seam.Judgement  `json:"before"`
	After  *seam.Judgement `json:"after,omitempty"`
	Says   string          `json:"says"`
	Why    string          `json:"why"`
	Worse  bool            `json:"worse"`
	Edit   *Edit           `json:"edit,omitempty"`
}

// Sweep is what is proposed for many seams.
type Sweep struct {
	Revision int64      `json:"revision"`
	Rows     []SweepRow `json:"rows"`
}

// postSweep proposes for many seams what would mend them. It changes nothing.
func (s *API) postSweep(ctx context.Context, in *struct {
	OfReel
	Body SweepRequest
}) (Sweep, error) {
	out := Sweep{Rows: []SweepRow{}}
	v, err := s.Store.Load(ctx, in.Reel)
	if err != nil {
		return out, err
	}
	q := in.Body
	if len(q.Seams) == 0 || len(q.Seams) > maxSweep || len(q.Name) > maxSearchName {
		return out, answer.Bad(fmt.Sprintf("A sweep goes over 1 to %d seams.", maxSweep))
	}
	out.Revision = v.Revision
	chosen := map[SeamName]bool{}
	for _, p := range q.Seams {
		chosen[p] = true
	}
	var seams []reel.Seam
	for _, one := range v.Reel.Seams() {
		if chosen[SeamName{one.Left, one.Right}] {
			seams = append(seams, one)
		}
	}
	rows, err := seam.Sweep(ctx, v.Reel, s.opener(v.Reel.Props.SampleRate), seams, s.progress(v.ID, "sweep", q.Name))
	if err != nil {
		return out, err
	}
	for _, row := range rows {
		one := SweepRow{Left: row.Before.Left, Right: row.Before.Right, Before: row.Before, After: row.After, Says: row.Plan.Says, Why: row.Plan.Why, Worse: row.Worse}
		if one.Edit, err = written(row.Plan.Edit); err != nil {
			return out, err
		}
		out.Rows = append(out.Rows, one)
	}
	return out, nil
}

// maxSearchName bounds the names under which progress is told, in bytes.
const maxSearchName = 80

// progress tells those who watch a reel how far something is that one of them
// has named; nothing without a name.
func (s *API) progress(id int64, event, name string) func(float64) {
	told := -1.0
	return func(p float64) {
		if p >= told+0.02 && name != "" {
			told = p
			s.Live.Tell(id, event, map[string]any{"name": name, "progress": p})
		}
	}
}

// SplitOffer is a split edit that is suggested.
type SplitOffer struct {
	Frames float64        `json:"frames"`
	Words  string         `json:"words"`
	Why    string         `json:"why"`
	Edit   *Edit          `json:"edit"`
	After  seam.Judgement `json:"after"`
}

// LeadWarning is what happens beyond a lead or a lag.
type LeadWarning struct {
	Beyond float64          `json:"beyond" doc:"frames"`
	Kind   seam.WarningKind `json:"kind"`
	Says   string           `json:"says"`
}

// Leads are how the sound of a seam can lead or lag its picture.
type Leads struct {
	Revision int64         `json:"revision"`
	Frames   float64       `json:"frames" doc:"that it leads now; negative where it lags"`
	Words    string        `json:"words"`
	MostLead float64       `json:"mostLead" doc:"frames"`
	MostLag  float64       `json:"mostLag" doc:"frames"`
	Offers   []SplitOffer  `json:"offers"`
	Warnings []LeadWarning `json:"warnings"`
}

// getLeads tells how the sound of a seam can lead or lag its picture.
func (s *API) getLeads(ctx context.Context, in *OfSeam) (Leads, error) {
	v, one, err := in.in(ctx, s)
	if err != nil {
		return Leads{}, err
	}
	if one.Cut.Left == 0 {
		return Leads{}, answer.Bad("No picture cut here. Tie the clips to their shots, or move the cut to the picture cut.")
	}
	got, err := seam.New(v.Reel, s.opener(v.Reel.Props.SampleRate)).Leads(ctx, v.Reel, one)
	if err != nil {
		return Leads{}, err
	}
	out := Leads{
		Revision: v.Revision, Frames: got.Frames, Words: reel.LeadWords(got.Frames), MostLead: got.MostLead, MostLag: got.MostLag,
		Offers: []SplitOffer{}, Warnings: []LeadWarning{},
	}
	for _, o := range got.Offers {
		edit, err := written(o.Edit)
		if err != nil {
			return Leads{}, err
		}
		out.Offers = append(out.Offers, SplitOffer{o.Frames, reel.LeadWords(o.Frames), o.Why, edit, o.After})
	}
	for _, w := range got.Warnings {
		out.Warnings = append(out.Warnings, LeadWarning{w.Beyond, w.Kind, w.Says})
	}
	return out, nil
}
