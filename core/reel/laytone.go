package reel

import (
	"fmt"

	"blendseam/core/gain"
)

// LayTone lays room tone in a free place of a track: in a gap, with blends to
// what it meets, or by itself, with fades at its ends. With a second tone it
// glides from the one to the other.
type LayTone struct {
	Track  ID      `json:"track"` // 0 for a new one, beside the tone that is there
	From   int64   `json:"from"`  // the place; with To 0 any sample of a gap on the track, which is filled
	To     int64   `json:"to"`
	Tone   Tone    `json:"tone"`
	GainDB float64 `json:"gainDB,omitempty"`
	Into   *Tone   `json:"into,omitempty"` // what it glides to
	IntoDB float64 `json:"intoDB,omitempty"`
	Blend  int64   `json:"blend,omitempty"` // longest blend with a clip that it meets, in samples
	Fade   int64   `json:"fade,omitempty"`  // fade of an end that meets nothing
	Name   string  `json:"name,omitempty"`
}

// toneLead is how far into a bed a clip of it begins, in seconds, so that it
// has a handle ahead of its head.
const toneLead = 60

// Names implements Edit.
func (e *LayTone) Names() []ID {
	if e.Track == 0 {
		return []ID{e.Tone.Source}
	}
	return []ID{e.Track, e.Tone.Source}
}

// On implements Timed.
func (e *LayTone) On() []ID {
	if e.Track == 0 {
		return nil
	}
	return []ID{e.Track}
}

// Apply implements Edit.
func (e *LayTone) Apply(r *Reel) (*Done, error) {
	if e.Track == 0 {
		wide, id, err := r.toneTrack()
		if err != nil {
			return nil, err
		}
		own := *e
		own.Track = id
		return own.Apply(wide)
	}
	track, err := r.open(e.Track)
	if err == nil && track.Role == PictureRole {
		no := refuse("%s is for pictures; it has no sound.", track.Name)
		no.Possible = "Use a sound track for room tone."
		err = no
	}
	if err == nil {
		err = invalid(gain.CheckDB(e.GainDB), gain.CheckDB(e.IntoDB))
	}
	if err != nil {
		return nil, err
	}
	if e.Blend < 0 || e.Fade < 0 {
		return nil, refuse("A fade cannot be negative.")
	}
	from, to := e.From, e.To
	if to == 0 {
		g, ok := r.GapAt(e.Track, from)
		if !ok {
			no := refuse("There is no gap on %s at %s to fill.", track.Name, r.Props.at(max(from, 0)))
			no.Possible = "Put the playhead between two clips of the track, or mark a span."
			return nil, no
		}
		from, to = g.From, g.To
	}
	if err := r.inReel(from, to); err != nil {
		return nil, err
	}
	if hit := r.under(from, to, map[ID]bool{e.Track: true}); len(hit) > 0 {
		no := refuse("“%s” is there on %s.", hit[0].Name, track.Name)
		no.Possible = "Room tone needs a free stretch. Use another track to run it underneath."
		return nil, no
	}
	out := *r
	o := Outcome{}
	parts := []struct {
		tone     Tone
		gain     float64
		from, to int64
	}{{e.Tone, e.GainDB, from, to}}
	if e.Into != nil && to-from >= 2 {
		parts[0].to = from + (to-from)/2
		parts = append(parts, parts[0])
		parts[1].tone, parts[1].gain, parts[1].from, parts[1].to = *e.Into, e.IntoDB, parts[0].to, to
	}
	var laid []Clip
	for _, p := range parts {
		src, err := out.grown(p.tone)
		if err != nil {
			return nil, err
		}
		name := e.Name
		if name == "" {
			name = src.Name
		}
		if name, err = CleanName(name); err != nil {
			return nil, err
		}
		lead := min(toneLead*int64(r.Props.SampleRate), r.day()-(p.to-p.from)) / 2
		c := Clip{ID: out.take(), Track: e.Track, Source: src.ID, Name: name, Start: p.from, Offset: lead, Length: p.to - p.from, GainDB: p.gain, FadeIn: NoFade, FadeOut: NoFade}
		out.Clips = with(out.Clips, c)
		laid = append(laid, c)
		o.Made = append(o.Made, c.ID)
	}
	prev, next := r.beside(Clip{Track: e.Track, Start: from, Length: to - from})
	first, last := laid[0], laid[len(laid)-1]
	out.joinTone(prev, first, from, e, Head)
	out.joinTone(next, last, to, e, Tail)
	if len(laid) == 2 {
		// The glide takes what the blends at the ends leave.
		if room := out.BlendRoom(laid[0], laid[1]); room.Across > 1 {
			b := Blend{ID: out.take(), Left: laid[0].ID, Right: laid[1].ID, Before: room.Across / 2, After: room.Across / 2, Law: gain.ConstantPower, Lean: gain.Even}
			out.Blends = with(out.Blends, b)
		}
	}
	o.Label = fmt.Sprintf("add %s of room tone on %s", r.Props.distance(to-from), track.Name)
	o.Says = []string{r.Props.say(to-from) + " of “" + first.Name + "”"}
	if len(laid) == 2 {
		o.Says = append(o.Says, "gliding into “"+last.Name+"”")
	}
	return r.finish(&out, o)
}

// toneTrack is the reel with a new track for room tone: below the others of its
// kind, or else below the dialogue.
func (r *Reel) toneTrack() (*Reel, ID, error) {
	done, err := (&AddTrack{Name: "Bed", Role: RoomTone}).Apply(r)
	if err != nil {
		return nil, 0, err
	}
	id, to := done.Made[0], len(r.Tracks)
	for _, role := range []Role{Dialogue, RoomTone} { // the last that is found counts
		for i, t := range r.Order() {
			if t.Role == role {
				to = i + 1
			}
		}
	}
	if done, err = (&MoveTrack{Track: id, To: to}).Apply(done.Reel); err != nil {
		return nil, 0, err
	}
	return done.Reel, id, nil
}

// joinTone blends an end of laid tone with the clip that it meets there, or
// fades it. The blend lies inside the other clip, where the tone has as much
// handle as is wanted and nothing is pulled in from the other's.
func (r *Reel) joinTone(other, tone Clip, at int64, e *LayTone, end End) {
	tone, _ = r.Clip(tone.ID)
	meets := other.ID != 0 && (end == Head && other.End() == at || end == Tail && other.Start == at)
	// That end of the other may be blended already, with a clip on another track.
	head, tail := r.BlendAt(other.ID)
	if meets && (end == Head && tail.ID != 0 || end == Tail && head.ID != 0) {
		meets = false
	}
	if !meets {
		if n := min(e.Fade, tone.Length/2); n > 0 {
			f := Fade{Length: n, Shape: gain.QuarterSine, Bend: gain.Even}
			if end == Head {
				tone.FadeIn = f
			} else {
				tone.FadeOut = f
			}
			r.Clips = with(r.Clips, tone)
		}
		return
	}
	left, right := other, tone
	if end == Tail {
		left, right = tone, other
	}
	want := e.Blend
	if faded := map[End]int64{Head: other.FadeOut.Length, Tail: other.FadeIn.Length}[end]; faded > 0 {
		want = max(want, faded) // the blend takes the place of the fade that was there
	}
	room := r.BlendRoom(left, right)
	b := Blend{Left: left.ID, Right: right.ID, Law: gain.ConstantPower, Lean: gain.Even}
	if end == Head {
		other.FadeOut = NoFade
		room = r.BlendRoom(other, tone)
		b.Before = min(want, room.Before)
	} else {
		other.FadeIn = NoFade
		room = r.BlendRoom(tone, other)
		b.After = min(want, room.After)
	}
	if b.Length() < 1 {
		return
	}
	r.Clips = with(r.Clips, other)
	b.ID = r.take()
	r.Blends = with(r.Blends, b)
}
