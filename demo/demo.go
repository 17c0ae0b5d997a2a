package demo

import (
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"strings"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/media"
	"blendseam/store"
)

//go:embed sound/*.flac lines.json
var files embed.FS

// rate is the demo's sample rate.
const rate = 48000

// Load puts the demo on an empty shelf: its recordings into the library, and
// its reel into the store, as it is cut and as it was roughly laid out before.
// It does nothing when there is, or was, any reel.
func Load(ctx context.Context, s *store.Store, l *media.Library) error {
	for _, removed := range []bool{false, true} {
		reels, err := s.Shelf(ctx, removed)
		if err != nil || len(reels) > 0 {
			return err
		}
	}
	b := newBuilder("Frost Warning, reel 1")
	if err := b.recordings(ctx, s, l, files, "sound"); err != nil {
		return fmt.Errorf("the demo's recordings: %w", err)
	}
	var lines []Line
	text, err := files.ReadFile("lines.json")
	if err == nil {
		err = json.Unmarshal(text, &lines)
	}
	if err != nil {
		return err
	}
	b.build(lines)
	if b.err != nil {
		return fmt.Errorf("the demo's reel: %w", b.err)
	}
	if _, err = s.Create(ctx, b.r); err != nil {
		return err
	}
	b.roughen()
	if b.err != nil {
		return fmt.Errorf("the demo's rough reel: %w", b.err)
	}
	_, err = s.Create(ctx, b.r)
	return err
}

// builder makes the reel by the edits that a user would make.
type builder struct {
	r       *reel.Reel
	sources map[string]reel.ID
	tracks  map[string]reel.ID
	err     error
}

func newBuilder(name string) *builder {
	return &builder{r: &reel.Reel{NextID: 1, Props: reel.Props{
		Name: name, SampleRate: rate, FrameRate: timecode.Rate25, StartFrame: 3600 * 25,
	}}, sources: map[string]reel.ID{}, tracks: map[string]reel.ID{}}
}

// onShelf reports whether there is a reel of a name, or was one.
func onShelf(ctx context.Context, s *store.Store, name string) (bool, error) {
	for _, removed := range []bool{false, true} {
		reels, err := s.Shelf(ctx, removed)
		if err != nil {
			return false, err
		}
		for _, e := range reels {
			if e.Props.Name == name {
				return true, nil
			}
		}
	}
	return false, nil
}

func (b *builder) do(e reel.Edit) reel.ID {
	if b.err != nil {
		return 0
	}
	done, err := e.Apply(b.r)
	if err != nil {
		b.err = fmt.Errorf("%T: %w", e, err)
		return 0
	}
	b.r = done.Reel
	if len(done.Made) > 0 {
		return done.Made[0]
	}
	return 0
}

func (b *builder) recordings(ctx context.Context, s *store.Store, l *media.Library, files embed.FS, folder string) error {
	list, err := files.ReadDir(folder)
	if err != nil {
		return err
	}
	for _, e := range list {
		f, err := files.Open(folder + "/" + e.Name())
		if err != nil {
			return err
		}
		u, err := l.Receive(ctx, e.Name(), f, func(int64) {})
		_ = f.Close() // it was only read
		if err != nil {
			return err
		}
		defer u.Discard()
		im, err := l.Import(ctx, u, rate, func(float64) {})
		if err != nil {
			return err
		}
		if err := s.SaveRecording(ctx, store.Recording{
			Hash: im.Hash, Rate: im.Rate, FileName: e.Name(), Format: im.Format, Bytes: im.Bytes, NativeRate: im.NativeRate,
			Channels: im.Channels, Length: im.Length, StartTC: im.StartTC,
		}); err != nil {
			return err
		}
		src := reel.Source{Recording: im.Hash, Name: im.Title, Right: -1, Length: im.Length, StartTC: im.StartTC}
		if im.Channels == 2 {
			src.Right = 1
		}
		b.sources[strings.TrimSuffix(e.Name(), ".flac")] = b.do(&reel.AddSource{Source: src})
	}
	return b.err
}

func seconds(s float64) int64 { return int64(s * rate) }

// lead is how long before a line its clip begins.
const lead = 0.3

func (b *builder) build(lines []Line) {
	for _, t := range []reel.AddTrack{{Name: "Warden", Role: reel.Dialogue}, {Name: "Grower", Role: reel.Dialogue}, {Name: "Room tone", Role: reel.RoomTone}, {Name: "Spots", Role: reel.Spots}, {Name: "Music", Role: reel.Music}} {
		b.tracks[t.Name] = b.do(&t)
	}
	// When each line is heard: one after the other, with a silence for the
	// walk to the heaters and a slow beat before the last two.
	at := seconds(12)
	heard := make([]int64, len(lines))
	for i, l := range lines {
		switch l.Text {
		case "The north side, and the door shut.":
			at += seconds(9)
		case "They are in your pocket.":
			at += seconds(0.6)
		}
		heard[i] = at
		at += l.To - l.From + seconds(0.75)
	}
	for _, who := range []string{"Warden", "Grower"} {
		b.voice(who, lines, heard)
	}
	b.surround(at)
	for _, m := range []struct {
		at   int64
		text string
	}{{heard[0], "first line"}, {heard[5] - seconds(0.5), "fan changes its note"}, {heard[10] - seconds(1), "walk to the heaters"}} {
		b.do(&reel.AddMarker{At: m.at, Text: m.text})
	}
}

// voice lays one speaker's lines: each clip runs on through the recorded pause
// to the next one's head, so that the room goes on.
func (b *builder) voice(who string, lines []Line, heard []int64) {
	var mine []int
	for i, l := range lines {
		if l.Who == who {
			mine = append(mine, i)
		}
	}
	var last reel.ID
	for n, i := range mine {
		l := lines[i]
		ahead := min(seconds(lead), l.From)
		start := heard[i] - ahead
		end := heard[i] + (l.To - l.From) + seconds(1.2)
		if n+1 < len(mine) {
			next := lines[mine[n+1]]
			end = heard[mine[n+1]] - min(seconds(lead), next.From)
			switch l.Text {
			case "Because it always is.", "Fine. Half the heaters. The north side only.":
				end = heard[i] + (l.To - l.From) + seconds(0.7) // the planted hole lies after both
			}
		}
		src, _ := b.r.Source(b.sources[l.Take])
		room := src.Length
		for _, o := range lines {
			if o.Take == l.Take && o.From > l.From {
				room = min(room, o.From-seconds(0.05))
			}
		}
		length := min(end-start, room-(l.From-ahead))
		id := b.do(&reel.Place{Source: src.ID, Track: b.tracks[who], Start: start, Offset: l.From - ahead, Length: length, Name: fmt.Sprintf("%s %d", who, n+1)})
		if n == 0 {
			b.do(&reel.SetFade{Clip: id, End: reel.Head, Fade: reel.Fade{Length: seconds(0.12), Shape: gain.QuarterSine, Bend: gain.Even}})
		}
		// Two seams were mended already; the others wait.
		if n == 1 || who == "Grower" && n == 2 {
			if b.err == nil {
				e := &reel.SetBlend{Left: last, Right: id, Before: seconds(0.12), After: seconds(0.12), Law: gain.ConstantPower, Lean: gain.Even}
				if next, err := e.Apply(b.r); err == nil {
					b.r = next.Reel
				}
			}
		}
		last = id
	}
	b.do(&reel.SetFade{Clip: last, End: reel.Tail, Fade: reel.Fade{Length: seconds(0.6), Shape: gain.Smooth, Bend: gain.Even}})
}

// surround lays room tone, spot effects and music around the dialogue, which
// ends at the sample given.
func (b *builder) surround(end int64) {
	tone, music, spots := b.sources["glasshouse fan"], b.sources["opening bed"], b.sources["spot effects"]
	place := func(source reel.ID, track string, start, offset, length float64, name string) reel.ID {
		return b.do(&reel.Place{Source: source, Track: b.tracks[track], Start: seconds(start), Offset: seconds(offset), Length: seconds(length), Name: name})
	}
	fade := func(clip reel.ID, end reel.End, length float64) {
		b.do(&reel.SetFade{Clip: clip, End: end, Fade: reel.Fade{Length: seconds(length), Shape: gain.Smooth, Bend: gain.Even}})
	}
	first := place(tone, "Room tone", 3, 1, 28, "fan, first half")
	second := place(tone, "Room tone", 31, 6, 20.2, "fan, second half")
	fade(first, reel.Head, 2)
	fade(second, reel.Tail, 0.08)
	last := float64(end) / rate
	outside := place(tone, "Room tone", last-4, 3, 18, "fan, last")
	fade(outside, reel.Head, 1.5)
	fade(outside, reel.Tail, 4)

	// The bed was shortened by cutting a bar out of it: the cut clicks.
	open := place(music, "Music", 0.5, 0, 6.21, "opening bed a")
	rest := place(music, "Music", 6.71, 11.37, 8, "opening bed b")
	fade(open, reel.Head, 0.5)
	fade(rest, reel.Tail, 2.5)
	closing := place(music, "Music", last-0.5, 4, 15, "closing bed")
	fade(closing, reel.Head, 3)
	fade(closing, reel.Tail, 4)

	place(spots, "Spots", 4.2, 11, 2.6, "drips")
	place(spots, "Spots", 15.6, 0.25, 1.1, "can set down")
	for _, l := range []struct {
		before, offset, length float64
		name                   string
	}{{27.5, 2.45, 1.3, "door"}, {24.6, 4.95, 1.7, "matches"}} {
		place(spots, "Spots", last-l.before, l.offset, l.length, l.name)
	}
	heater := place(spots, "Spots", last+0.8, 7.1, 3.2, "heater catches")
	fade(heater, reel.Tail, 0.8)
}
