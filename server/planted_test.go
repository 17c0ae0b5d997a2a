package server

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/outside"
	"blendseam/server/api"
	"blendseam/work"
)

// number is the last number that a program says after a word, −Inf for "-inf".
func number(t *testing.T, says []byte, after string) float64 {
	t.Helper()
	m := regexp.MustCompile(after+`\s+(-?[0-9.]+|-inf)`).FindAllSubmatch(says, -1)
	if m == nil {
		t.Fatalf("no %s in %q", after, says)
	}
	db, err := strconv.ParseFloat(string(m[len(m)-1][1]), 64)
	if err != nil {
		t.Fatal(err)
	}
	return db
}

// quietest is the level in dBFS above 188 Hz of the quietest 90 ms of a sound.
func quietest(t *testing.T, v []float32) float64 {
	return number(t, outside.Run(t, outside.Bytes(v), "sh", "-c", "sox -t f32 -r 48000 -c 1 - -n highpass 188 stats -w 0.09 2>&1"), "RMS Tr dB")
}

// loudness is the gated loudness of a sound in LUFS.
func loudness(t *testing.T, v []float32) float64 {
	return number(t, outside.Run(t, outside.Bytes(v), "sh", "-c", "ffmpeg -nostats -f f32le -ar 48000 -ac 1 -i pipe:0 -af ebur128 -f null - 2>&1"), "I:")
}

// The demo's faults, held against what sox and ffmpeg measure in its sound: what
// they find is told, and nothing else is. Rooms are those of the recordings, and not
// compared where music or a spot covers them.
func TestTheDemoIsAsOthersMeasureIt(t *testing.T) {
	r := newRig(t)
	v := r.reel(1).Reel
	list := r.measured(1)
	var all []float32
	for at := int64(0); at < v.Length(); at += 20 * 48000 {
		all = append(all, r.left(fmt.Sprintf("/api/v1/reels/1/pcm?from=%d&to=%d", at, min(at+20*48000, v.Length())))...)
	}
	covered := make([]bool, len(all)/48000+2) // seconds in which music or a spot sounds
	var air []reel.Clip
	for _, tr := range v.Tracks {
		for _, c := range v.OnTrack(tr.ID) {
			if tr.Role == reel.Dialogue || tr.Role == reel.RoomTone {
				air = append(air, c)
				continue
			}
			for s := c.Start / 48000; s <= c.End()/48000; s++ {
				covered[s] = true
			}
		}
	}
	// The room at a place: of all clips that sound there, as their recordings let it be heard within 10 s.
	room := func(at, place int64) float64 {
		power := 1e-12
		for _, c := range air {
			if c.Start <= at && at < c.End() {
				mid := c.Offset + place - c.Start
				power += math.Pow(10, quietest(t, recorded(t, v, c, mid-480000, mid+480000))/10)
			}
		}
		return 10 * math.Log10(power)
	}
	counted := map[string]int{}
	for _, s := range list.Seams {
		name := title(v, s.Left, s.Right)
		tr, _ := v.Track(s.Track)
		told := func(what string) bool { return strings.Contains(s.Brief, what) && s.Verdict != seam.Fine }
		speaks := tr.Role == reel.Dialogue || tr.Role == reel.RoomTone
		if faded := fadeAt(v, s) > 7200; speaks && !faded && !covered[s.At/48000] && !told("silence") {
			step := room(s.At, s.At) - room(s.At-1, s.At)
			if is := math.Abs(step) >= 3; is != told("room tone") {
				t.Errorf("%s: the room steps by %.1f dB for sox, told %q", name, step, s.Brief)
			}
			counted["rooms"]++
		}
		if s.Kind != reel.CutSeam {
			continue
		}
		// Voices, over the 6 s of the recordings next to the cut that the clips play.
		if tr.Role == reel.Dialogue {
			left, _ := v.Clip(s.Left)
			right, _ := v.Clip(s.Right)
			out := recorded(t, v, left, left.Offset+max(left.Length-6*48000, 0), left.Offset+left.Length)
			in := recorded(t, v, right, right.Offset, right.Offset+min(right.Length, 6*48000))
			step := loudness(t, in) - loudness(t, out)
			// What little voice tells less sure has wider limits: from 4 to 5 LU either may be.
			if is := math.Abs(step) >= 4.5; is != told("level") && math.Abs(math.Abs(step)-4.5) > 0.5 {
				t.Errorf("%s: the voice steps by %.1f LU for ffmpeg, told %q", name, step, s.Brief)
			}
			counted["voices"]++
		}
		// Clicks: the step at a hard cut beside the largest within 10 ms.
		if s.Blend == 0 {
			most := 0.0
			for i := s.At - 480; i < s.At+480; i++ {
				if i != s.At {
					most = max(most, math.Abs(float64(all[i]-all[i-1])))
				}
			}
			at := math.Abs(float64(all[s.At] - all[s.At-1]))
			if is := at > 1.5*most && at > 0.001; is != told("click") {
				t.Errorf("%s: steps by %.4f, around it %.4f, told %q", name, at, most, s.Brief)
			}
			counted["cuts"]++
		}
	}
	// The hole, and no other but the end.
	says := outside.Run(t, outside.Bytes(all), "sh", "-c", "ffmpeg -nostats -f f32le -ar 48000 -ac 1 -i pipe:0 -af silencedetect=n=-120dB:d=0.02 -f null - 2>&1")
	var holes []string
	for _, m := range regexp.MustCompile(`silence_start: ([0-9.]+)[^~]*?silence_end: ([0-9.]+)`).FindAllSubmatch(says, -1) {
		from, _ := strconv.ParseFloat(string(m[1]), 64)
		to, _ := strconv.ParseFloat(string(m[2]), 64)
		if from > 0.5 && to < float64(len(all))/48000-0.5 {
			holes = append(holes, fmt.Sprintf("%.0f ms", 10*math.Round(100*(to-from))))
			if at := int64(math.Round(from * 48000)); at < holeOf(t, list)-240 || at > holeOf(t, list)+240 {
				t.Errorf("ffmpeg hears the hole at %.3f s", from)
			}
		}
	}
	if len(holes) != 1 || holes[0] != "920 ms" {
		t.Errorf("holes for ffmpeg: %q", holes)
	}
	t.Log(counted)
	if counted["rooms"] < 12 || counted["voices"] < 8 || counted["cuts"] < 8 {
		t.Errorf("too little was compared: %v", counted)
	}
}

// fadeAt is the length of the fade at a seam where a clip meets nothing.
func fadeAt(v *reel.Reel, s work.ListedSeam) int64 {
	left, _ := v.Clip(s.Left)
	right, _ := v.Clip(s.Right)
	switch s.Kind {
	case reel.HeadSeam:
		return right.FadeIn.Length
	case reel.TailSeam:
		return left.FadeOut.Length
	}
	return 0
}

// decoded are the demo's recordings, by name.
var decoded = map[string][]float32{}

// recorded is the left side of a part of a clip's recording at the clip's gain,
// by ffmpeg; shorter where the recording begins or ends.
func recorded(t *testing.T, v *reel.Reel, c reel.Clip, from, to int64) []float32 {
	t.Helper()
	src, _ := v.Source(c.Source)
	all, ok := decoded[src.Name]
	if !ok {
		all = outside.Floats(outside.FFmpeg(t, "-i", "../demo/sound/"+src.Name+".flac", "-af", "pan=mono|c0=c0", "-ar", "48000", "-f", "f32le", "-"))
		decoded[src.Name] = all
	}
	all = all[max(from, 0):min(to, int64(len(all)))]
	out := make([]float32, len(all))
	g := float32(math.Pow(10, c.GainDB/20))
	for i := range out {
		out[i] = all[i] * g
	}
	return out
}

// hole is where the hole is told of.
func holeOf(t *testing.T, l api.SeamList) int64 {
	for _, s := range l.Seams {
		if strings.Contains(s.Brief, "silence") {
			return s.At
		}
	}
	t.Fatal("no hole is told of")
	return 0
}
