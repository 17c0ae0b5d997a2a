package server

import (
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"slices"
	"testing"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/seam"
	"blendseam/outside"
	"blendseam/server/api"
	"blendseam/work"
)

// get is the body of what is found at a path.
func (r *rig) get(path string) []byte {
	r.t.Helper()
	res, body := r.request("GET", path, nil, nil)
	if res.StatusCode != 200 {
		r.t.Fatalf("%s answers %d: %s", path, res.StatusCode, body)
	}
	return body
}

// left is the left side of what the server renders.
func (r *rig) left(path string) []float32 {
	r.t.Helper()
	v := outside.Floats(r.get(path))
	out := make([]float32, len(v)/2)
	for i := range out {
		out[i] = v[2*i]
	}
	return out
}

// A creak of the demo is struck, tightened and covered; nothing else changes,
// and no hole is left once the gaps are filled.
func TestStrikeCoverAndFillOverHTTP(t *testing.T) {
	r := newRig(t)
	v := r.reel(1)
	clip := v.Reel.Clips[slices.IndexFunc(v.Reel.Clips, func(c reel.Clip) bool { return c.Name == "Warden 2" })]
	// The creak begins 0.4 s after the line, which ends 12.476 s into the take.
	at := clip.Start - clip.Offset + int64(12.876*48000)
	span := fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d", at-96000, at+144000)
	before := r.left(span)
	c := r.edit(1, &reel.StrikeSpan{From: at - 4800, To: at + 38400, Tracks: []reel.ID{clip.Track}, Fade: 1920, Shape: "constantPower"})
	strike := c.Outcome.Made[0]
	if whole := r.left(span + fmt.Sprintf("&unstruck=%d", strike)); !slices.Equal(whole, before) {
		t.Error("as recorded, it is not as recorded")
	}
	var tight struct {
		Edit json.RawMessage `json:"edit"`
		From int64           `json:"from"`
		To   int64           `json:"to"`
	}
	r.api(200, "GET", fmt.Sprintf("/reels/1/strikes/%d/tighter", strike), nil, &tight)
	if creak := int64(12.876 * 48000); tight.From < creak-2400 || tight.From > creak+2400 || tight.To < creak+19200 || tight.To > creak+38400 {
		t.Errorf("tightened to %.3f to %.3f s", float64(tight.From)/48000, float64(tight.To)/48000)
	}
	var covers struct {
		Covers []api.Offered `json:"covers"`
		Now    int           `json:"now"`
	}
	r.api(200, "GET", fmt.Sprintf("/reels/1/strikes/%d/covers", strike), nil, &covers)
	if len(covers.Covers) < 2 || covers.Now != -1 || covers.Covers[0].Tone.Source != clip.Source {
		t.Fatalf("%+v", covers)
	}
	edit, err := reel.Decode(covers.Covers[0].Edit.RawMessage)
	if err != nil {
		t.Fatal(err)
	}
	r.edit(1, edit)
	after := r.left(span)
	if !slices.Equal(before[:96000-4800-1920], after[:96000-4800-1920]) || !slices.Equal(before[96000+38400+1920:], after[96000+38400+1920:]) {
		t.Error("something beside what is struck changed")
	}
	if bare := r.left(span + fmt.Sprintf("&bare=%d", strike)); slices.Equal(bare, after) {
		t.Error("laid bare, it is as covered")
	}
	list := r.measured(1)
	i := slices.IndexFunc(list.Seams, func(s work.ListedSeam) bool { return s.Kind == reel.StruckSeam })
	if i < 0 || list.Seams[i].Verdict != seam.Fine {
		t.Errorf("the struck span in the ledger: %d", i)
	}
	r.api(200, "GET", fmt.Sprintf("/reels/1/strikes/%d/covers", strike), nil, &covers)
	if covers.Now != 0 {
		t.Errorf("of the covers number %d lies there", covers.Now)
	}
	// The grown source is drawn and looked at like any other.
	grown := r.reel(1).Reel.Sources
	id := grown[len(grown)-1].ID
	if b := r.get(fmt.Sprintf("/api/v1/reels/1/sources/%d/overview/0/3?from=10&count=5", id)); len(b) != 30 {
		t.Errorf("%d bytes of overview", len(b))
	}
	if b := r.get(fmt.Sprintf("/api/v1/reels/1/sources/%d/samples/0?from=1000&count=64", id)); len(b) != 256 {
		t.Errorf("%d bytes of samples", len(b))
	}
	r.api(400, "GET", "/reels/1/strikes/99999/covers", nil, nil)

	// The planted hole: told, warned of, filled.
	var c1 struct{ roomtone.Continuity }
	r.api(200, "GET", "/reels/1/continuity", nil, &c1)
	if len(c1.Holes) != 1 {
		t.Fatalf("%d holes", len(c1.Holes))
	}
	var survey struct {
		Holes [][2]int64 `json:"holes"`
	}
	r.api(200, "GET", "/reels/1/export/survey", nil, &survey)
	if !slices.Equal(survey.Holes, c1.Holes) {
		t.Errorf("the export warns of %v", survey.Holes)
	}
	tone := v.Reel.Tracks[slices.IndexFunc(v.Reel.Tracks, func(t reel.Track) bool { return t.Role == reel.RoomTone })].ID
	gap, _ := v.Reel.GapAt(tone, c1.Holes[0][0])
	var fills struct {
		Fills []api.Filled `json:"fills"`
	}
	r.api(200, "POST", "/reels/1/fills", map[string]any{"gaps": []reel.Gap{gap}}, &fills)
	if len(fills.Fills) != 1 || fills.Fills[0].Edit == nil {
		t.Fatalf("%+v", fills)
	}
	if edit, err = reel.Decode(fills.Fills[0].Edit.RawMessage); err != nil {
		t.Fatal(err)
	}
	r.edit(1, edit)
	r.api(200, "GET", "/reels/1/continuity", nil, &c1)
	if len(c1.Holes) != 0 {
		t.Errorf("holes are left: %v", c1.Holes)
	}
	r.api(400, "POST", "/reels/1/fills", map[string]any{"gaps": []reel.Gap{}}, nil)
}

func TestQuietStretchesRoomsAndBedsOverHTTP(t *testing.T) {
	r := newRig(t)
	var got struct {
		Sources []api.QuietOf `json:"sources"`
	}
	r.api(200, "GET", "/reels/1/quiet", nil, &got)
	if len(got.Sources) != 7 || len(got.Sources[5].Quiet) < 4 {
		t.Fatalf("%d sources", len(got.Sources))
	}
	q, src := got.Sources[5].Quiet[0], got.Sources[5].Source
	r.edit(1, &reel.AddSwatch{Name: "glasshouse", Source: src, From: q.From, To: q.To})
	var rooms struct {
		Swatches []struct {
			Name  string  `json:"name"`
			Level float64 `json:"level"`
		} `json:"swatches"`
		Rooms []struct {
			Name string `json:"name"`
		} `json:"rooms"`
	}
	r.api(200, "GET", "/reels/1/rooms", nil, &rooms)
	if len(rooms.Swatches) != 1 || math.Abs(rooms.Swatches[0].Level-q.Level) > 0.5 || len(rooms.Rooms) != len(reel.Rooms) {
		t.Errorf("%+v", rooms)
	}
	heard := r.left(fmt.Sprintf("/api/v1/reels/1/tone?source=%d&start=%d&end=%d&from=48000&to=96000", src, q.From, q.To))
	var sum float64 // above the rumble, as the level of a room is told
	frames := floor.Sound(48000, heard).Total()
	for _, p := range frames[20:] {
		sum += p / float64(len(frames)-20)
	}
	if d := math.Abs(measure.Level(sum) - q.Level); d > 1 {
		t.Errorf("a bed of it is %.1f dB off", d)
	}
	if v := r.left("/api/v1/reels/1/tone?from=0&to=4800&seed=3&room=" + url.QueryEscape(reel.Rooms[1])); measure.RMS(v) < -80 {
		t.Error("a made-up room is silent")
	}
	var beds struct {
		Beds  []api.Offered `json:"beds"`
		Level float64       `json:"level"`
	}
	v := r.reel(1).Reel
	r.api(200, "GET", fmt.Sprintf("/reels/1/bed?track=%d&from=600000&to=2400000", v.Tracks[2].ID), nil, &beds)
	if len(beds.Beds) < 3 || beds.Level > -40 || beds.Level < -70 {
		t.Errorf("%d beds at %.1f", len(beds.Beds), beds.Level)
	}
	var pauses struct {
		Pauses []roomtone.Pause `json:"pauses"`
	}
	r.api(200, "GET", fmt.Sprintf("/reels/1/pauses?tracks=%d&breaths=1", v.Tracks[0].ID), nil, &pauses)
	if len(pauses.Pauses) < 3 {
		t.Errorf("%d pauses", len(pauses.Pauses))
	}
	for _, bad := range []string{"/quiet?source=999", "/bed?track=8&from=5&to=5", "/tone?room=nowhere&from=0&to=10", "/tone?from=0&to=99999999", "/sources/1/overview/0/9"} {
		if res, _ := r.request("GET", "/api/v1/reels/1"+bad, nil, nil); res.StatusCode < 400 || res.StatusCode > 422 {
			t.Errorf("%s answers %d", bad, res.StatusCode)
		}
	}
}
