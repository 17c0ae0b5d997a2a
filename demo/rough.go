package demo

import (
	"fmt"

	"blendseam/core/reel"
)

// frame is a frame of the demo's reels, in samples.
const frame = rate / 25

// roughen turns the reel into what it was before it was tightened: with slack
// at heads and tails, a line said twice, a phrase begun twice, a hole, a cut
// that lies too early, content that stands off, and a clip on a wrong track.
// It is made by edits whose opposites lead back, later places first.
func (b *builder) roughen() {
	name := "Frost Warning, rough layout"
	b.do(&reel.SetReel{Name: &name})

	// The door was dropped on the track below its own.
	b.do(&reel.Move{Clips: []reel.ID{b.clip("door").ID}, Down: 1})
	// A clip that begins too early, by material it has ahead of its head.
	late := b.clip("Warden 7")
	b.do(&reel.Trim{Clips: []reel.ID{late.ID}, End: reel.Head, By: -15 * frame, Later: reel.Follow})
	b.do(&reel.AddMarker{At: late.Start + 15*frame, Text: "in here"})
	// Content that stands late under its picture.
	b.do(&reel.Slip{Clips: []reel.ID{b.clip("Grower 7").ID}, By: 10 * frame})
	// A line said twice.
	twice := b.clip("Grower 4")
	b.paste(twice.Track, twice.Start, twice.End())
	// A phrase begun twice: the clip is split, and half a second of it comes
	// again.
	warden := b.clip("Warden 5")
	at := warden.Start + 20*frame
	b.do(&reel.Split{Clips: []reel.ID{warden.ID}, At: at})
	b.paste(b.tracks["Warden"], at-12*frame, at)
	// A cut that was put too early.
	b.do(&reel.AddMarker{At: b.clip("Warden 4").Start, Text: "cut here"})
	b.do(&reel.Roll{Left: b.clip("Warden 3").ID, Right: b.clip("Warden 4").ID, By: -12 * frame})
	// A hole of two seconds.
	b.do(&reel.InsertTime{At: b.clip("Warden 3").Start, Length: 50 * frame, Tracks: []reel.ID{b.tracks["Warden"]}, Later: reel.Follow})
	// Slack at the end of the first line; where it should end is marked.
	first := b.clip("Warden 1")
	b.do(&reel.AddMarker{At: first.End(), Text: "out here"})
	b.do(&reel.Trim{Clips: []reel.ID{first.ID}, End: reel.Tail, By: 20 * frame, Later: reel.FollowTrack})
}

// clip is the first clip of a name.
func (b *builder) clip(name string) reel.Clip {
	for _, c := range b.r.Clips {
		if c.Name == name {
			return c
		}
	}
	if b.err == nil {
		b.err = fmt.Errorf("there is no clip %q", name)
	}
	return reel.Clip{}
}

// paste copies what sounds on a track in a span to the span's end; what comes
// later makes room.
func (b *builder) paste(track reel.ID, from, to int64) {
	if b.err != nil {
		return
	}
	x, err := b.r.CopySpan(from, to, []reel.ID{track})
	if err != nil {
		b.err = err
		return
	}
	b.do(&reel.Paste{What: x, Track: track, At: to, Later: reel.Follow})
}
