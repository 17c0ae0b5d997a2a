package reel

import (
	"context"
	"fmt"
	"math"
	"strconv"
)

// SoundCut names a seam of sound by its clips; Left is 0 at a head, Right at a
// tail.
type SoundCut struct {
	Left  ID `json:"left"`
	Right ID `json:"right"`
}

// Lead makes split edits: it moves the sound's cut so that it stands a number
// of frames before the cut of its picture, which stays, as does sync.
type Lead struct {
	Cuts []SoundCut `json:"cuts"`
	// Frames by which the sound leads (a J-cut); negative where it lags (an
	// L-cut), 0 for a straight cut. Parts of a frame are possible.
	Frames float64 `json:"frames"`
	// Remake puts blends of the usual shape on the cuts, as long as fits, where
	// it is given; else blends go along as they are.
	Remake *Usual `json:"remake,omitempty"`
}

// Usual is a blend that is put as far as there is room for it.
type Usual struct {
	Length int64    `json:"length"` // samples
	Blend  SetBlend `json:"blend"`  // its law and lean; the rest does not count
}

// maxLead is as far as a split edit can go, in frames.
const maxLead = 36000

// Names implements Edit.
func (e *Lead) Names() []ID {
	var out []ID
	for _, c := range e.Cuts {
		out = append(out, c.Left, c.Right)
	}
	return out
}

// Apply implements Edit.
func (e *Lead) Apply(r *Reel) (*Done, error) { return e.apply(context.Background(), r) }

// apply is Apply until the context ends.
func (e *Lead) apply(ctx context.Context, r *Reel) (*Done, error) {
	if len(e.Cuts) == 0 {
		return nil, refuse("No cut is selected.")
	}
	if !(e.Frames >= -maxLead && e.Frames <= maxLead) {
		return nil, refuse("A split edit is at most %d frames long.", maxLead)
	}
	out, o := r, Outcome{}
	shots := r.shotIndex() // the pictures stay: found once for all cuts
	var could []SoundCut
	var first *Refusal
	for _, c := range e.Cuts {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		done, err := e.one(out, c, shots)
		if no, ok := err.(*Refusal); ok {
			if first == nil {
				first = no
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		out = done.Reel
		could = append(could, c)
		o.Says = append(o.Says, done.Says...)
		o.join(done.Outcome)
	}
	if first != nil {
		no := *first
		if len(could) > 0 {
			no.Possible = fmt.Sprintf("%d of the %d cuts can.", len(could), len(e.Cuts))
			no.Offer = &Lead{Cuts: could, Frames: e.Frames, Remake: e.Remake}
		}
		return nil, &no
	}
	o.Label = "straight cut"
	if e.Frames != 0 {
		o.Label = "sound " + LeadWords(e.Frames)
	}
	if n := len(e.Cuts); n > 1 {
		o.Label += " at " + count(n, "cut")
		o.Says = nil
	}
	return &Done{out, o}, nil
}

// LeadWords says how sound stands to its picture cut: "leads 12 frames",
// "lags 1 frame", "straight".
func LeadWords(frames float64) string {
	if frames == 0 {
		return "straight"
	}
	word, n := "leads", frames
	if frames < 0 {
		word, n = "lags", -frames
	}
	text := strconv.FormatFloat(n, 'f', 1, 64)
	if k := len(text); text[k-2:] == ".0" {
		text = text[:k-2]
	}
	return word + " " + text + " " + map[bool]string{true: "frame", false: "frames"}[text == "1"]
}

// leadOf is by how many frames the sound of a picture cut leads; negative where
// it lags. What rounding comes to is none.
func (p Props) leadOf(c PictureCut) float64 {
	if max(c.Lag, -c.Lag) <= slack {
		return 0
	}
	// From frame to frame it is a whole number at every rate.
	at := c.At + c.Lag
	if n := p.nearest(at); max(p.sample(n)-at, at-p.sample(n)) <= slack {
		return float64(p.nearest(c.At) - n)
	}
	return -p.frames(c.Lag)
}

// one moves one cut of sound.
func (e *Lead) one(r *Reel, s SoundCut, shots *shotIndex) (*Done, error) {
	cut, ok := shots.of(r.seamOf(s.Left, s.Right))
	if !ok {
		name := ""
		for _, id := range []ID{s.Right, s.Left} {
			if c, there := r.Clip(id); there {
				name = c.Name
			}
		}
		if name == "" {
			return nil, refuse("A clip of this seam is gone.")
		}
		no := refuse("No picture cut at “%s”.", name)
		no.Possible = "Tie the clips to their shots, or move the cut to the picture cut."
		return nil, no
	}
	p := r.Props
	whole := int64(e.Frames)
	to := p.sample(p.nearest(cut.At) - whole)
	if part := e.Frames - float64(whole); part != 0 {
		to -= int64(math.Round(part * float64(p.SampleRate) * float64(p.FrameRate.Den) / float64(p.FrameRate.Num)))
	}
	by := to - cut.At - cut.Lag
	done, err := r.shift(s, by)
	if no, isNo := err.(*Refusal); isNo {
		most := *e
		most.Cuts = []SoundCut{s}
		if no.Limit != 0 || no.Offer != nil {
			// As far as it goes, in whole frames towards the picture.
			at := cut.At + cut.Lag + no.Limit
			n := p.nearest(cut.At) - p.nearest(at)
			for _, f := range []int64{n, n - 1, n + 1} {
				if most.Frames = float64(f); nearer(most.Frames, e.Frames, cut.Lead) && most.works(r) {
					no.Offer = &most
					no.Possible = "At most it " + LeadWords(most.Frames) + "."
					if f == 0 {
						no.Possible = "Only a straight cut is possible."
					}
					break
				}
			}
		}
		return nil, no
	}
	if err != nil {
		return nil, err
	}
	done.Says = append([]string{"sound " + LeadWords(e.Frames)}, done.Says...)
	if e.Remake != nil && s.Left != 0 && s.Right != 0 {
		done.Reel = done.Reel.remake(s, *e.Remake)
	}
	return done, nil
}

// nearer reports whether a lead lies between the one there is and the one wanted.
func nearer(lead, want, now float64) bool {
	return lead != want && (want > now) == (lead > now) && (want > lead) == (want > now)
}

func (e *Lead) works(r *Reel) bool {
	cut, ok := r.CutOf(e.Cuts[0].Left, e.Cuts[0].Right)
	if !ok {
		return false
	}
	to := r.Props.sample(r.Props.nearest(cut.At) - int64(e.Frames))
	_, err := r.shift(e.Cuts[0], to-cut.At-cut.Lag)
	return err == nil
}

// shift moves a cut, or an end, of sound by so many samples.
func (r *Reel) shift(s SoundCut, by int64) (*Done, error) {
	switch {
	case by == 0:
		return &Done{r, Outcome{}}, nil
	case s.Left == 0:
		return (&Trim{Clips: []ID{s.Right}, End: Head, By: by}).Apply(r)
	case s.Right == 0:
		return (&Trim{Clips: []ID{s.Left}, End: Tail, By: by}).Apply(r)
	}
	return (&Roll{Left: s.Left, Right: s.Right, By: by}).apply(r)
}

// remake puts a usual blend on a cut, as long as fits: across it, or else on
// the side that has more room.
func (r *Reel) remake(s SoundCut, u Usual) *Reel {
	left, _ := r.Clip(s.Left)
	right, _ := r.Clip(s.Right)
	room := r.BlendRoom(left, right)
	b := u.Blend
	b.Left, b.Right = s.Left, s.Right
	b.Before = min(u.Length/2, room.Across/2)
	b.After = b.Before
	if b.Before == 0 {
		b.Before, b.After = 0, min(u.Length, room.After)
		if room.Before > room.After {
			b.Before, b.After = min(u.Length, room.Before), 0
		}
	}
	if next, err := b.Apply(r); err == nil {
		return next.Reel
	}
	return r
}
