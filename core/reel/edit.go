package reel

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Edit is one step of work on a reel, as a value. It is pure: applied to the
// same reel it gives the same outcome, so that a dry run tells what the edit
// itself would do.
type Edit interface {
	// Apply gives the reel after the edit and what is to be said of it, or a
	// *Refusal that says why not and what would be possible.
	Apply(*Reel) (*Done, error)
	// Names are the things the edit is about. When one of them has changed
	// since the revision the edit was made against, the edit is refused.
	Names() []ID
}

// Timed is an edit about a time on tracks rather than about clips by name. It
// means what lay there when it was made: when a clip on one of the tracks has
// changed since, it is refused.
type Timed interface {
	Edit
	// On are the tracks.
	On() []ID
}

// Done is an edit that was applied: the reel after it and what is to be said.
type Done struct {
	Reel *Reel
	Outcome
}

// Outcome says what an edit did.
type Outcome struct {
	Label string   `json:"label"`           // the name of the step, for undo
	Says  []string `json:"says,omitempty"`  // what it does in numbers, for one who is dragging
	Notes []string `json:"notes,omitempty"` // what happened besides, such as a blend that went
	Opens []Gap    `json:"opens,omitempty"` // gaps that are there now where clips met before
	Made  []ID     `json:"made,omitempty"`  // ids of new things
}

// join adds what a further edit of the same step did besides.
func (o *Outcome) join(further Outcome) {
	o.Notes, o.Opens, o.Made = append(o.Notes, further.Notes...), append(o.Opens, further.Opens...), append(o.Made, further.Made...)
}

// Refusal is an edit that cannot be done.
type Refusal struct {
	Reason   string `json:"reason"`             // what stands in the way
	Possible string `json:"possible,omitempty"` // what would work
	Offer    Edit   `json:"-"`                  // an edit that would work, nearest to what was wanted
	Take     string `json:"take,omitempty"`     // what is done by taking the offer, in words
	Limit    int64  `json:"limit,omitempty"`    // the largest length that fits, the furthest move, or the nearest free place, in samples
}

func (e *Refusal) Error() string {
	if e.Possible == "" {
		return e.Reason
	}
	return e.Reason + " " + e.Possible
}

func refuse(format string, a ...any) *Refusal { return &Refusal{Reason: fmt.Sprintf(format, a...)} }

// invalid turns an error of a value's range into a refusal.
func invalid(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return refuse("%s.", upperFirst(err.Error()))
		}
	}
	return nil
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// kinds are the edits by the name they carry in JSON. It is filled at the
// start, as a step of several edits is itself read by way of it.
var kinds map[string]func() Edit

func init() {
	kinds = map[string]func() Edit{
		"setReel":      func() Edit { return &SetReel{} },
		"addTrack":     func() Edit { return &AddTrack{} },
		"setTrack":     func() Edit { return &SetTrack{} },
		"removeTrack":  func() Edit { return &RemoveTrack{} },
		"moveTrack":    func() Edit { return &MoveTrack{} },
		"place":        func() Edit { return &Place{} },
		"fill":         func() Edit { return &Fill{} },
		"paste":        func() Edit { return &Paste{} },
		"move":         func() Edit { return &Move{} },
		"trim":         func() Edit { return &Trim{} },
		"trimTo":       func() Edit { return &TrimTo{} },
		"roll":         func() Edit { return &Roll{} },
		"slip":         func() Edit { return &Slip{} },
		"slide":        func() Edit { return &Slide{} },
		"split":        func() Edit { return &Split{} },
		"join":         func() Edit { return &Join{} },
		"remove":       func() Edit { return &Remove{} },
		"removeSpan":   func() Edit { return &RemoveSpan{} },
		"keepSpan":     func() Edit { return &KeepSpan{} },
		"closeGap":     func() Edit { return &CloseGap{} },
		"insertTime":   func() Edit { return &InsertTime{} },
		"setClip":      func() Edit { return &SetClip{} },
		"gain":         func() Edit { return &Gain{} },
		"setFade":      func() Edit { return &SetFade{} },
		"setBlend":     func() Edit { return &SetBlend{} },
		"removeBlend":  func() Edit { return &RemoveBlend{} },
		"blendOver":    func() Edit { return &BlendOver{} },
		"dropBlend":    func() Edit { return &DropBlend{} },
		"strike":       func() Edit { return &StrikeSpan{} },
		"setStrike":    func() Edit { return &SetStrike{} },
		"lift":         func() Edit { return &Lift{} },
		"cover":        func() Edit { return &CoverStrike{} },
		"layTone":      func() Edit { return &LayTone{} },
		"setTone":      func() Edit { return &SetTone{} },
		"addPoint":     func() Edit { return &AddPoint{} },
		"movePoints":   func() Edit { return &MovePoints{} },
		"setPoint":     func() Edit { return &SetPoint{} },
		"removePoints": func() Edit { return &RemovePoints{} },
		"rideSpan":     func() Edit { return &RideSpan{} },
		"layDuck":      func() Edit { return &LayDuck{} },
		"liftDuck":     func() Edit { return &LiftDuck{} },
		"endTracks":    func() Edit { return &EndTracks{} },
		"treat":        func() Edit { return &Treat{} },
		"layRide":      func() Edit { return &LayRide{} },
		"addSwatch":    func() Edit { return &AddSwatch{} },
		"setSwatch":    func() Edit { return &SetSwatch{} },
		"removeSwatch": func() Edit { return &RemoveSwatch{} },
		"addMarker":    func() Edit { return &AddMarker{} },
		"setMarker":    func() Edit { return &SetMarker{} },
		"removeMarker": func() Edit { return &RemoveMarker{} },
		"together":     func() Edit { return &Together{} },
		"assemble":     func() Edit { return &Assemble{} },
		"layShot":      func() Edit { return &LayShot{} },
		"link":         func() Edit { return &Link{} },
		"tie":          func() Edit { return &TieUp{} },
		"untie":        func() Edit { return &Untie{} },
		"resync":       func() Edit { return &Resync{} },
		"lead":         func() Edit { return &Lead{} },
		"blendCuts":    func() Edit { return &BlendCuts{} },
		"unmerge":      func() Edit { return &Unmerge{} },
		"fit":          func() Edit { return &FitClip{} },
		"paceShot":     func() Edit { return &PaceShot{} },
		"fitShot":      func() Edit { return &FitShot{} },
		"fitPauses":    func() Edit { return &FitPauses{} },
	}
}

// Kinds are the names of the edits that Decode knows, sorted.
func Kinds() []string {
	var out []string
	for k := range kinds {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// Blank is an edit of a kind with nothing in it, nil for a kind that is not known.
func Blank(kind string) Edit {
	make, ok := kinds[kind]
	if !ok {
		return nil
	}
	return make()
}

// envelope is an edit in JSON: {"do": "setBlend", "with": {…}}.
type envelope struct {
	Do   string          `json:"do"`
	With json.RawMessage `json:"with"`
}

// Decode reads an edit from JSON. Unknown kinds and fields are errors.
func Decode(text []byte) (Edit, error) {
	var e envelope
	if err := strict(text, &e); err != nil {
		return nil, fmt.Errorf("an edit is {\"do\": kind, \"with\": {…}}: %w", err)
	}
	make, ok := kinds[e.Do]
	if !ok {
		return nil, fmt.Errorf("there is no edit %q; there are %s", e.Do, strings.Join(Kinds(), ", "))
	}
	edit := make()
	if err := strict(e.With, edit); err != nil {
		return nil, fmt.Errorf("edit %s: %w", e.Do, err)
	}
	return edit, nil
}

// Encode writes an edit as Decode reads it.
func Encode(edit Edit) ([]byte, error) {
	for name, make := range kinds {
		if fmt.Sprintf("%T", make()) == fmt.Sprintf("%T", edit) {
			with, err := json.Marshal(edit)
			if err != nil {
				return nil, err
			}
			return json.Marshal(envelope{name, with})
		}
	}
	return nil, fmt.Errorf("%T has no name in JSON", edit)
}

func strict(text []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	return d.Decode(into)
}
