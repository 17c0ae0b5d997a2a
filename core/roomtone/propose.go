package roomtone

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Usual lengths, in seconds.
const (
	joinBlend  = 0.08 // of laid tone with a clip that it meets
	closeBlend = 0.01 // with one that sounds right to its edge
	endFade    = 0.5  // of tone that meets nothing
	sameRoom   = 2.0  // dB: rooms that differ by less are one
)

// mostOffered bounds the candidates of a place.
const mostOffered = 12

// ForStrike ranks tone to cover a struck span with: of the same recording
// nearby, then of what there is besides: kept swatches, made-up rooms. With tint their colour is
// brought to the room's, gently.
func ForStrike(ctx context.Context, r *reel.Reel, open mix.Open, find Finder, s reel.Strike, others []Sample, tint bool) ([]Candidate, error) {
	c, ok := r.Clip(s.Clip)
	if !ok {
		return nil, fmt.Errorf("the clip of that struck span is gone")
	}
	src, _ := r.Source(c.Source)
	room, err := BesideStrike(r, open, s)
	if err != nil {
		return nil, err
	}
	from, to := s.Reach()
	samples, err := samplesNear(ctx, r, open, find, src, from, to, false)
	if err != nil {
		return nil, err
	}
	return offer(samples, others, room, channelsOf(src), tint), nil
}

func channelsOf(s reel.Source) int {
	if s.Right >= 0 {
		return 2
	}
	return 1
}

// offer ranks what was found together with what there is besides: kept swatches
// and made-up rooms.
func offer(samples, others []Sample, room Room, channels int, tint bool) []Candidate {
	for _, o := range others {
		dup := false
		for i, s := range samples {
			if o.Room == "" && s.Source == o.Source && s.From == o.From && s.To == o.To {
				samples[i].Name, samples[i].Kept, dup = o.Name, o.Kept, true
			}
		}
		if !dup {
			samples = append(samples, o)
		}
	}
	out := Rank(samples, room, 1, channels, tint)
	if len(out) > mostOffered { // of the made-up rooms the likest stays in any case
		out = out[:mostOffered]
	}
	return out
}

// Cover is the edit that lays the tone under a struck span.
func (c Candidate) Cover(strike reel.ID) reel.Edit {
	return &reel.CoverStrike{Strike: strike, Tone: &c.Tone, GainDB: c.GainDB}
}

// Bed is the edit that lays the tone under a scene, on a track or, with 0, on a
// new one.
func (c Candidate) Bed(track reel.ID, from, to int64, rate int) reel.Edit {
	return &reel.LayTone{
		Track: track, From: from, To: to, Tone: c.Tone, GainDB: c.GainDB, Name: reel.ShortName("bed, " + c.Name),
		Blend: int64(joinBlend * float64(rate)), Fade: int64(endFade * float64(rate)),
	}
}

// Instead is the edit that grows a laid clip of the tone.
func (c Candidate) Instead(clip reel.ID) reel.Edit {
	return &reel.SetTone{Clip: clip, Tone: c.Tone, GainDB: c.GainDB}
}

// Of reports whether a source was grown of the same swatch.
func (c Candidate) Of(src reel.Source) bool {
	return src.Bed.Grown() && src.Bed.From == c.Tone.From && src.Bed.To == c.Tone.To && src.Bed.Room == c.Tone.Room
}

// Fill is tone for one gap: an edit, and what it does in words, or why there is
// none.
type Fill struct {
	Track  reel.ID
	From   int64
	To     int64
	Edit   *reel.LayTone
	Tone   Candidate
	Before Room
	After  Room
	Glides bool
	Why    string
}

// ForGap proposes tone for a gap of a track, after the rooms on both sides:
// where they differ it glides from the one to the other. Choice is which of the
// candidates is taken, the likest first; they come round again.
func ForGap(ctx context.Context, r *reel.Reel, open mix.Open, find Finder, g reel.Gap, others []Sample, choice int, tint bool) (Fill, error) {
	out := Fill{Track: g.Track, From: g.From, To: g.To}
	rate := float64(r.Props.SampleRate)
	var err error
	if out.Before, out.After, err = Beside(r, open, g.Track, g.From, g.To, reel.MaxHours*3600); err != nil {
		return out, err
	}
	var prev, next reel.Clip
	for _, c := range r.OnTrack(g.Track) {
		if c.End() <= g.From {
			prev = c
		}
		if c.Start >= g.To && next.ID == 0 {
			next = c
		}
	}
	pick := func(c reel.Clip, room Room, tail bool) (Candidate, error) {
		src, _ := r.Source(c.Source)
		at := c.Offset
		if tail {
			at += c.Length
		}
		samples, err := samplesNear(ctx, r, open, find, src, at, at, false)
		if err != nil {
			return Candidate{}, err
		}
		all := offer(samples, others, room, channelsOf(src), tint)
		if len(all) == 0 {
			return Candidate{}, nil
		}
		one := all[choice%len(all)]
		one.Tone.Seed = int64(1 + choice/len(all))
		return one, nil
	}
	e := &reel.LayTone{Track: g.Track, From: g.From, To: g.To, Fade: int64(endFade * rate)}
	switch {
	case out.Before.Gated || out.After.Gated:
		out.Why = "A recording beside it is gated: digital silence between words, no room to match. Insert a swatch or a synthetic room by hand."
		return out, nil
	case out.Before.Level <= measure.Silence && out.After.Level <= measure.Silence:
		out.Why = "No room on either side: digital silence, or no clips. Insert a swatch or a synthetic room by hand."
		return out, nil
	case out.After.Level <= measure.Silence:
		out.Tone, err = pick(prev, out.Before, true)
	case out.Before.Level <= measure.Silence:
		out.Tone, err = pick(next, out.After, false)
	default:
		if out.Tone, err = pick(prev, out.Before, true); err != nil {
			return out, err
		}
		differ := math.Abs(out.Before.Level - out.After.Level)
		if out.Before.Known && out.After.Known {
			differ = max(differ, out.Before.Bands.Distance(out.After.Bands))
		}
		if prev.Source != next.Source && differ > sameRoom || differ > 2*sameRoom {
			var into Candidate
			if into, err = pick(next, out.After, false); err != nil {
				return out, err
			}
			e.Into, e.IntoDB, out.Glides = &into.Tone, into.GainDB, true
		}
	}
	if err != nil {
		return out, err
	}
	if out.Tone.Tone.Seed == 0 {
		out.Why = "No room tone found."
		return out, nil
	}
	e.Tone, e.GainDB = out.Tone.Tone, out.Tone.GainDB
	// A clip that sounds right to its edge is not faded over more than it takes
	// to hide the join.
	blend := joinBlend
	for _, end := range []struct {
		c    reel.Clip
		room Room
		tail bool
	}{{prev, out.Before, true}, {next, out.After, false}} {
		if end.c.ID == 0 {
			continue
		}
		sounds, err := soundsToItsEdge(r, open, end.c, end.room, end.tail, min(int64(joinBlend*rate), end.c.Length))
		if err != nil {
			return out, err
		}
		if sounds {
			blend = closeBlend
		}
	}
	e.Blend = int64(blend * rate)
	out.Edit = e
	return out, nil
}

// ForScene ranks tone to lie under a scene on a track, 0 for one that is not
// there yet, at the level of the scene's room.
func ForScene(ctx context.Context, r *reel.Reel, open mix.Open, find Finder, track reel.ID, from, to int64, others []Sample, tint bool) ([]Candidate, Room, error) {
	t, ok := r.Track(track)
	if !ok && track != 0 {
		return nil, Room{}, fmt.Errorf("that track is gone")
	}
	room, err := SceneRoom(ctx, r, open, from, to)
	if err != nil {
		return nil, room, err
	}
	var samples []Sample
	seen := map[reel.ID]bool{}
	for _, c := range r.Clips {
		at, _ := r.Track(c.Track)
		if seen[c.Source] || c.Start >= to || c.End() <= from || at.Role != reel.Dialogue && at.Role != reel.RoomTone {
			continue
		}
		seen[c.Source] = true
		src, _ := r.Source(c.Source)
		if src.Missing() {
			continue
		}
		some, err := samplesNear(ctx, r, open, find, src, c.Offset, c.Offset, true)
		if err != nil {
			return nil, room, err
		}
		for i := range some[:min(len(some), 4)] {
			some[i].Away = -1
		}
		samples = append(samples, some[:min(len(some), 4)]...)
	}
	// What is heard of the bed goes through its own track's gain.
	own := room
	if own.Level > measure.Silence {
		own.Level -= t.GainDB
	}
	for k := range own.Bands {
		own.Bands[k] -= t.GainDB
	}
	return offer(samples, others, own, 0, tint), room, nil
}

// ForLaid ranks other tone for a clip of tone: after the rooms beside it where
// it fills a gap, after the scene where nothing lies next to it.
func ForLaid(ctx context.Context, r *reel.Reel, open mix.Open, find Finder, clip reel.Clip, others []Sample, tint bool) ([]Candidate, error) {
	const beside = 2 // seconds
	src, _ := r.Source(clip.Source)
	far := int64(beside * r.Props.SampleRate)
	var samples []Sample
	room := Room{Level: measure.Silence}
	for _, c := range r.OnTrack(clip.Track) {
		at, from, before := c.Offset+c.Length, c.End()-far, c.End() <= clip.Start && clip.Start-c.End() <= far
		if after := c.Start >= clip.End() && c.Start-clip.End() <= far; after {
			at, from = c.Offset, c.Start
		} else if !before {
			continue
		}
		own, _ := r.Source(c.Source)
		if own.Bed.Grown() {
			continue // the other half of a glide
		}
		some, err := samplesNear(ctx, r, open, find, own, at, at, false)
		if err != nil {
			return nil, err
		}
		samples = append(samples, some...)
		if room.Level <= measure.Silence { // that before it counts, as for a gap
			if room, err = roomAt(r, open, c, from); err != nil {
				return nil, err
			}
		}
	}
	if room.Level <= measure.Silence {
		all, _, err := ForScene(ctx, r, open, find, clip.Track, clip.Start, clip.End(), others, tint)
		return all, err
	}
	return offer(samples, others, room, channelsOf(src), tint), nil
}
