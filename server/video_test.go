package server

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/delivery"
	"blendseam/outside"
	"blendseam/server/answer"
	"blendseam/store"
)

// Video is exported with the sound of the reel: a picture that is one shot from its first
// frame is copied packet by packet; of shots that are cut, slipped and apart each frame is
// the one that the reel shows, by the number that is coded in it.
func TestVideoWithTheNewSound(t *testing.T) {
	r := newRig(t)
	dir := t.TempDir()
	for i, n := range []int{100, 130} {
		path := filepath.Join(dir, fmt.Sprintf("cam%d.mp4", i))
		outside.CodedFile(t, path, n, "25", "-f", "lavfi", "-i", "sine=440:d=4:r=48000", "-map", "0", "-map", "1", "-c:v", "libx264", "-pix_fmt", "yuv420p", "-bf", "2", "-c:a", "aac")
		file, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		if j := r.bringIn(1, filepath.Base(path), file); j.State != "done" {
			t.Fatalf("%+v", j)
		}
	}
	order := delivery.Order{To: -1, Bits: 24, Channels: 2, File: delivery.MP4}
	var p answer.Problem
	r.api(400, "POST", "/reels/1/exports", order, &p)
	if !strings.Contains(p.Detail, "Insert shots") {
		t.Errorf("%+v", p)
	}
	track := r.edit(1, &reel.AddTrack{Name: "Picture", Role: reel.PictureRole}).Outcome.Made[0]
	var pics []reel.Source
	for _, s := range r.reel(1).Reel.Sources {
		if s.Shows() {
			pics = append(pics, s)
		}
	}
	const frame = 1920
	export := func(o delivery.Order) string {
		t.Helper()
		j := r.export(1, o)
		if j.State != store.Done || !strings.HasSuffix(j.Name, ".mp4") {
			t.Fatalf("%+v", j)
		}
		res, b := r.request("GET", fmt.Sprintf("/api/v1/jobs/%d/file", j.ID), nil, nil)
		if res.Header.Get("Content-Type") != "video/mp4" {
			t.Errorf("%v", res.Header)
		}
		path := filepath.Join(dir, fmt.Sprint(j.ID, ".mp4"))
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		if !strings.HasPrefix(j.Detail, "pictures c") {
			t.Errorf("%+v", j)
		}
		return path
	}
	packets := func(path string) []string {
		return strings.Split(string(outside.FFmpeg(t, "-i", path, "-map", "0:v", "-c", "copy", "-f", "framehash", "-hash", "md5", "-")), "\n")
	}
	sums := func(lines []string) (out []string) {
		for _, l := range lines {
			if f := strings.Split(l, ","); len(f) > 4 && !strings.HasPrefix(l, "#") {
				out = append(out, strings.TrimSpace(f[len(f)-1]))
			}
		}
		return out
	}
	r.edit(1, &reel.LayShot{Picture: pics[0].ID, Track: track, Start: 0, Length: 100 * frame})
	whole := order
	whole.To = 100 * frame
	if a, b := sums(packets(filepath.Join(dir, "cam0.mp4"))), sums(packets(export(whole))); len(a) != 100 || !slices.Equal(a, b) {
		t.Errorf("%d packets, of the file %d: they are not the same", len(b), len(a))
	}
	// Two shots more: one from the middle of the other camera, and one after a gap.
	shot := r.reel(1).Reel.OnTrack(track)[0]
	r.edit(1, &reel.Trim{Clips: []reel.ID{shot.ID}, End: reel.Tail, By: -60 * frame})
	r.edit(1, &reel.LayShot{Picture: pics[1].ID, Track: track, Start: 40 * frame, Offset: 50 * frame, Length: 30 * frame})
	r.edit(1, &reel.LayShot{Picture: pics[0].ID, Track: track, Start: 80 * frame, Offset: 7 * frame, Length: 20 * frame})
	cut := order
	cut.From, cut.To = 5*frame, 100*frame
	path := export(cut)
	shown := func(path string, step int) {
		t.Helper()
		now := r.reel(1).Reel
		for n := 0; n < 95; n += step {
			at, want := int64(n+5)*frame, -1
			for _, c := range now.OnTrack(track) {
				if c.Start <= at && at < c.End() {
					want = int(now.Frame(c, at))
				}
			}
			if got := outside.DecodedCode(t, path, n); want >= 0 && got != want || want < 0 && got != 0 {
				t.Errorf("frame %d of the film shows %d, the reel %d", n, got, want)
			}
		}
	}
	shown(path, 4)
	// At another speed, and standing, each frame is again the one that the reel shows.
	for _, e := range []reel.Edit{
		&reel.Trim{Clips: []reel.ID{shot.ID}, End: reel.Head, By: 5 * frame},
		&reel.PaceShot{Shot: shot.ID, Length: 34 * frame},
	} {
		r.edit(1, e)
	}
	shots, place := r.reel(1).Reel.OnTrack(track), int64(88*frame)
	r.edit(1, &reel.PaceShot{Shot: shots[1].ID, Length: 37 * frame})
	r.edit(1, &reel.PaceShot{Shot: shots[2].ID, Freeze: &place})
	shown(export(cut), 3)
	var told struct {
		Streams []struct {
			Type   string `json:"codec_type"`
			Frames string `json:"nb_frames"`
		}
		Format struct{ Duration string }
	}
	if err := json.Unmarshal(outside.Run(t, nil, "ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", path), &told); err != nil {
		t.Fatal(err)
	}
	if told.Streams[0].Frames != "95" || len(told.Streams) != 2 || !strings.HasPrefix(told.Format.Duration, "3.8") {
		t.Errorf("%+v", told)
	}
	// Its sound is what the reel sounds, as AAC holds it.
	heard := outside.Floats(outside.FFmpeg(t, "-i", path, "-map", "0:a", "-f", "f32le", "-ar", "48000", "-ac", "1", "-"))
	mix := r.left(fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d", cut.From, cut.To))
	best, top := 0, 0.0
	for shift := -30; shift <= 30; shift++ {
		sum := 0.0
		for i := 20000; i < 120000; i += 3 {
			sum += float64(heard[i+shift]) * float64(mix[i])
		}
		if sum > top {
			best, top = shift, sum
		}
	}
	if best < -5 || best > 5 || top == 0 {
		t.Errorf("the sound is %d samples off", best)
	}
}
