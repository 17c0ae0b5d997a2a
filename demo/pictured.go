package demo

import (
	"context"
	"embed"
	"fmt"
	"path/filepath"
	"strings"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/media"
	"blendseam/store"
)

//go:embed picture/*.webm picture/*.png
var pictures embed.FS

// shot is a shot of the picture reel: a stretch of a camera, and the take whose
// sound lies under it.
type shot struct {
	camera, take string
	name         string
	from, to     float64 // seconds of the camera
}

// shots cut from the one who speaks to the other. Several cuts come a few frames
// into a word, or before the last one has died away: there the sound asks to
// lead or to lag.
var shots = []shot{
	{"glasshouse wide", "", "glasshouse, wide", 0, 2},
	{"warden camera", "warden take 3", "Warden 1", 1.4, 4.28},
	{"grower camera", "grower take 2", "Grower 1", 2.2, 4.6},
	{"warden camera", "warden take 3", "Warden 2", 9, 12.8},
	{"grower camera", "grower take 2", "Grower 2", 9.72, 12.92},
	{"warden camera", "warden take 3", "Warden 3", 18.6, 21.4},
	{"", "", "louvres, insert", 0, 2},
	{"grower camera", "grower take 2", "Grower 3", 20.2, 21.8},
	{"warden camera", "warden take 3", "Warden 4", 26, 28.4},
	{"grower camera", "grower take 2", "Grower 4", 25.28, 27.2},
}

// LoadPicture puts the demo's picture reel on a shelf that Load has filled,
// unless there is one: shots with their sound, cut straight. One insert is
// known from the edit alone and shows as a card.
func LoadPicture(ctx context.Context, s *store.Store, l *media.Library) error {
	const name = "Frost Warning, to picture"
	if there, err := onShelf(ctx, s, name); there || err != nil {
		return err
	}
	b := newBuilder(name)
	if err := b.recordings(ctx, s, l, files, "sound"); err != nil {
		return fmt.Errorf("the demo's recordings: %w", err)
	}
	if err := b.cameras(ctx, s, l); err != nil {
		return fmt.Errorf("the demo's pictures: %w", err)
	}
	b.cut()
	if b.err != nil {
		return fmt.Errorf("the demo's picture reel: %w", b.err)
	}
	_, err := s.Create(ctx, b.r)
	return err
}

// cameras takes the pictures in.
func (b *builder) cameras(ctx context.Context, s *store.Store, l *media.Library) error {
	list, err := pictures.ReadDir("picture")
	if err != nil {
		return err
	}
	for _, e := range list {
		f, err := pictures.Open("picture/" + e.Name())
		if err != nil {
			return err
		}
		u, err := l.Receive(ctx, e.Name(), f, func(int64) {})
		_ = f.Close() // it was only read
		if err != nil {
			return err
		}
		defer u.Discard()
		p, ok, err := l.Look(ctx, u)
		if err == nil && !ok {
			err = fmt.Errorf("%s shows nothing", e.Name())
		}
		if err == nil {
			p, err = l.Take(ctx, u, p, func(float64) {})
		}
		if err != nil {
			return err
		}
		if err := s.SavePicture(ctx, store.Picture{Hash: p.Hash, FileName: e.Name(), Format: p.Format, Bytes: p.Bytes, Rate: p.Rate, Frames: p.Frames, Width: p.Width, Height: p.Height, StartFrame: p.StartFrame}); err != nil {
			return err
		}
		src := reel.Source{Recording: p.Hash, Name: strings.TrimSuffix(e.Name(), filepath.Ext(e.Name())), Left: -1, Right: -1, StartTC: -1, Picture: reel.Picture{Rate: p.Rate, Frames: p.Frames, Width: p.Width, Height: p.Height}}
		if p.StartFrame >= 0 {
			src.StartTC = p.Rate.Sample(p.StartFrame, rate)
		}
		b.sources[src.Name] = b.do(&reel.AddSource{Source: src})
	}
	return b.err
}

// cut lays the shots one after the other, each with its sound.
func (b *builder) cut() {
	for _, t := range []reel.AddTrack{{Name: "Picture", Role: reel.PictureRole}, {Name: "Dialogue", Role: reel.Dialogue}, {Name: "Room tone", Role: reel.RoomTone}} {
		b.tracks[t.Name] = b.do(&t)
	}
	at := int64(0)
	var laid []reel.ID
	for _, s := range shots {
		length := seconds(s.to-s.from) / frame * frame
		offset := seconds(s.from) / frame * frame
		if s.camera == "" {
			b.do(&reel.Assemble{Name: s.name, What: card(s.name, at, length)})
			laid = append(laid, b.clip(s.name).ID)
			// One track of pictures is enough.
			own := b.clip(s.name)
			b.do(&reel.Move{Clips: []reel.ID{own.ID}, ToTrack: b.tracks["Picture"]})
			b.do(&reel.RemoveTrack{Track: own.Track})
			at += length
			continue
		}
		e := &reel.LayShot{Picture: b.sources[s.camera], Track: b.tracks["Picture"], Start: at, Offset: offset, Length: length}
		if s.take != "" {
			e.Sounds = []reel.LaySound{{Source: b.sources[s.take], Track: b.tracks["Dialogue"]}}
		}
		id := b.do(e)
		laid = append(laid, id)
		names := []reel.ID{id}
		for _, t := range b.r.TiedTo(id) {
			names = append(names, t.Clip)
		}
		for _, n := range names {
			b.do(&reel.SetClip{Clip: n, Name: &s.name})
		}
		at += length
	}
	// Under the insert the one who is heard next speaks already.
	speaks := b.r.TiedTo(laid[7])
	if b.err == nil && len(speaks) == 1 {
		b.do(&reel.Trim{Clips: []reel.ID{speaks[0].Clip}, End: reel.Head, By: -2 * 25 * frame})
	}
	b.do(&reel.SetBlend{Left: laid[0], Right: laid[1], Before: 6 * frame, After: 6 * frame, Law: gain.ConstantGain, Lean: gain.Even})
	tone := b.do(&reel.Place{Source: b.sources["glasshouse fan"], Track: b.tracks["Room tone"], Start: 0, Offset: seconds(3), Length: at, Name: "fan"})
	quiet := -8.0
	b.do(&reel.SetClip{Clip: tone, GainDB: &quiet})
	b.do(&reel.SetFade{Clip: tone, End: reel.Head, Fade: reel.Fade{Length: seconds(0.5), Shape: gain.QuarterSine, Bend: gain.Even}})
}

// card is a shot that is known from the edit alone.
func card(name string, at, length int64) reel.Assembly {
	return reel.Assembly{
		Tracks:  []reel.NewTrack{{Name: "cards", Role: reel.PictureRole}},
		Sources: []reel.Source{{Name: name, Left: -1, Right: -1, Length: reel.MaxHours * 3600 * rate, Picture: reel.Picture{Rate: timecode.Rate25}}},
		Clips:   []reel.LaidClip{{Clip: reel.Clip{Name: name, Start: at, Length: length, Offset: seconds(3600), FadeIn: reel.NoFade, FadeOut: reel.NoFade}}},
	}
}
