package demo

import (
	"context"
	"embed"
	"encoding/json"
	"fmt"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/media"
	"blendseam/store"
)

//go:embed hive/sound/*.flac hive/lines.json
var hive embed.FS

// hiveName is what the reel is called.
const hiveName = "Hive Diary"

// HiveScript is the dialogue of Hive Diary in the order of the reel. The beekeeper is recorded by two
// microphones, one of them too far away; the neighbour is on the telephone, and
// recorded in a quiet room.
var HiveScript = []Line{
	{Who: "Narrator", Take: "narrator", Text: "The first hive of the year is opened on the ninth of April.", Speed: 150},
	{Who: "Beekeeper", Take: "beekeeper near", Text: "Smoke first. Then wait. They will tell you when.", Speed: 140},
	{Who: "Narrator", Take: "narrator", Text: "Forty thousand bees have come through the winter on eleven kilos of honey.", Speed: 155},
	{Who: "Beekeeper", Take: "beekeeper far", Text: "Here is the queen. She is slower than she was, and one of her wings is torn.", Speed: 140},
	{Who: "Narrator", Take: "narrator", Text: "A slow queen is a question. The diary has a page for it.", Speed: 150},
	{Who: "Beekeeper", Take: "beekeeper near", Text: "I give her two weeks. Then I ask my neighbour.", Speed: 145},
	{Who: "Neighbour", Take: "neighbour", Text: "You left your veil on my fence again.", Speed: 160},
	{Who: "Beekeeper", Take: "beekeeper near", Text: "Keep it until Sunday. Do you have a queen to spare?", Speed: 150},
	{Who: "Neighbour", Take: "neighbour", Text: "I have two. One is kind and one is quick.", Speed: 150},
	{Who: "Beekeeper", Take: "beekeeper far", Text: "Bring me the kind one, and the veil as well. And stay for tea.", Speed: 145},
	{Who: "Narrator", Take: "narrator", Text: "On the second of May the kind queen walked in, and the hive went quiet.", Speed: 150},
	{Who: "Beekeeper", Take: "beekeeper near", Text: "Write that down, and put the lid back on.", Speed: 145},
}

// HiveLevels are what each line was recorded at, peak in dBFS: nobody looked.
var HiveLevels = []float64{-7, -17, -20, -27, -10, -6.5, -19, -12, -8, -29, -22, -15}

// LoadHive puts Hive Diary on a shelf that Load has filled, unless there is one: a
// narrator and a beekeeper at the hives, over music, as it was laid out and before
// anybody looked at its levels. A voice is too far from its microphone, the music
// drowns the narration, a telephone sounds like a room, and the end just stops.
func LoadHive(ctx context.Context, s *store.Store, l *media.Library) error {
	if there, err := onShelf(ctx, s, hiveName); there || err != nil {
		return err
	}
	b := newBuilder(hiveName)
	if err := b.recordings(ctx, s, l, hive, "hive/sound"); err != nil {
		return fmt.Errorf("the recordings of %s: %w", hiveName, err)
	}
	var lines []Line
	text, err := hive.ReadFile("hive/lines.json")
	if err == nil {
		err = json.Unmarshal(text, &lines)
	}
	if err != nil {
		return err
	}
	b.hives(lines)
	if b.err != nil {
		return fmt.Errorf("%s: %w", hiveName, b.err)
	}
	_, err = s.Create(ctx, b.r)
	return err
}

// hives lays out the reel.
func (b *builder) hives(lines []Line) {
	for _, t := range []reel.AddTrack{{Name: "Narrator", Role: reel.Dialogue}, {Name: "Beekeeper", Role: reel.Dialogue}, {Name: "Neighbour", Role: reel.Dialogue}, {Name: "Meadow", Role: reel.RoomTone}, {Name: "Music", Role: reel.Music}} {
		b.tracks[t.Name] = b.do(&t)
	}
	const ahead, after = 0.35, 0.45
	at := seconds(3)
	count := map[string]int{}
	for i, l := range lines {
		if i == 6 || i == 10 { // the telephone is taken; weeks go by
			b.do(&reel.AddMarker{At: at, Text: map[int]string{6: "telephone", 10: "second of May"}[i]})
			at += seconds(0.8)
		}
		count[l.Who]++
		clip := b.do(&reel.Place{
			Source: b.sources[l.Take], Track: b.tracks[l.Who], Start: at, Offset: l.From - seconds(ahead),
			Length: l.To - l.From + seconds(ahead+after), Name: fmt.Sprintf("%s %d", l.Who, count[l.Who]),
		})
		b.do(&reel.SetFade{Clip: clip, End: reel.Head, Fade: reel.Fade{Length: seconds(0.04), Shape: gain.QuarterSine, Bend: gain.Even}})
		b.do(&reel.SetFade{Clip: clip, End: reel.Tail, Fade: reel.Fade{Length: seconds(0.12), Shape: gain.QuarterSine, Bend: gain.Even}})
		at += l.To - l.From + seconds(ahead+after)
	}
	end := at + seconds(1.2)
	b.tile("hive at noon", "Meadow", "meadow", seconds(0.5), end-seconds(0.4), seconds(0.5), 0)
	b.tile("summer tune", "Music", "tune", 0, end, seconds(0.2), 0)
}

// tile lays a recording again and again, each time blended into the next.
func (b *builder) tile(take, track, name string, from, to, overlap int64, db float64) {
	src, _ := b.r.Source(b.sources[take])
	var last reel.ID
	for n := 1; from < to; n++ {
		length := min(src.Length-2*overlap, to-from)
		clip := b.do(&reel.Place{Source: src.ID, Track: b.tracks[track], Start: from, Offset: overlap, Length: length, Name: fmt.Sprintf("%s %d", name, n)})
		b.do(&reel.SetClip{Clip: clip, GainDB: &db})
		if last != 0 {
			b.do(&reel.SetBlend{Left: last, Right: clip, Before: overlap / 2, After: overlap / 2, Law: gain.ConstantPower, Lean: gain.Even})
		}
		last, from = clip, from+length
	}
}
