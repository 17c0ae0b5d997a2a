package delivery

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/timecode"
	"blendseam/outside"
)

// programme is a reel of recorded voices one after the other, with drums under
// some of it, at a sample rate.
func programme(t *testing.T, rate int) (*reel.Reel, mix.Open) {
	t.Helper()
	var voice, drums []float32
	for _, v := range outside.Speech(t, outside.SpeechSets[0], 4, 10) {
		voice = append(voice, v...)
	}
	for _, v := range outside.Instruments(t, "loop_amen") {
		drums = append(drums, v...)
	}
	voice = voice[:min(len(voice), 20*48000)]
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "Programme", SampleRate: rate, FrameRate: timecode.Rate25, StartFrame: 90000}}
	sounds := map[string]sound.Memory{"v": {voice}, "d": {drums, drums}}
	for _, e := range []reel.Edit{
		&reel.AddTrack{Name: "Voice", Role: reel.Dialogue}, &reel.AddTrack{Name: "Drums", Role: reel.Music},
		&reel.AddSource{Source: reel.Source{Recording: "v", Name: "v", Right: -1, Length: int64(len(voice)), StartTC: -1}},
		&reel.AddSource{Source: reel.Source{Recording: "d", Name: "d", Right: 1, Length: int64(len(drums)), StartTC: -1}},
		&reel.Place{Source: 3, Track: 1, Length: int64(len(voice)), Name: "voice"},
		&reel.Place{Source: 4, Track: 2, Start: 8 * 48000, Length: min(int64(len(drums)), int64(len(voice))-8*48000), Name: "drums"},
	} {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	return r, func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
}

// filed writes an order into a file and gives its path.
func filed(t *testing.T, r *reel.Reel, open mix.Open, o Order) string {
	t.Helper()
	p, err := o.Plan(r, 7, time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	f, err := os.Create(filepath.Join(t.TempDir(), "out."+p.Name[strings.LastIndexByte(p.Name, '.')+1:]))
	if err == nil {
		err = p.WriteFile(context.Background(), f, open, nil)
	}
	if err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	if info, _ := os.Stat(f.Name()); p.Bytes() > 0 && info.Size() != p.Bytes() {
		t.Errorf("%d bytes, %d were told", info.Size(), p.Bytes())
	}
	return f.Name()
}

// metered is what ffmpeg's ebur128 tells of a file: integrated loudness, range, true peak,
// and the loudest moment and three seconds.
func metered(t *testing.T, path string) (lufs, lra, peak, momentary, short float64) {
	t.Helper()
	said := string(outside.Run(t, nil, "sh", "-c", fmt.Sprintf("ffmpeg -nostdin -hide_banner -i '%s' -af ebur128=peak=true -f null - 2>&1", path)))
	last := func(name string) float64 {
		m := regexp.MustCompile(`(?m)^\s+`+name+`:\s+(-?[\d.]+)`).FindAllStringSubmatch(said, -1)
		if len(m) == 0 {
			t.Fatalf("no %s in\n%s", name, said)
		}
		v, _ := strconv.ParseFloat(m[len(m)-1][1], 64)
		return v
	}
	momentary, short = -100, -100
	for _, m := range regexp.MustCompile(`M:\s*(-?[\d.]+) S:\s*(-?[\d.]+)`).FindAllStringSubmatch(said, -1) {
		a, _ := strconv.ParseFloat(m[1], 64)
		b, _ := strconv.ParseFloat(m[2], 64)
		momentary, short = max(momentary, a), max(short, b)
	}
	return last("I"), last("LRA"), last("Peak"), momentary, short
}

// A mix is brought to a loudness with its peaks under a ceiling, by ffmpeg's meter: 0.1 LU
// and no dBTP above; what cannot be is said. What was told before is what came of it.
func TestBroughtToALoudness(t *testing.T) {
	r, open := programme(t, 48000)
	for i, want := range []Loud{{-23, -1}, {-16, -1}, {-12, -3}} {
		// Another rate has other peaks.
		o := Order{To: -1, Bits: 24, Channels: 2, File: WAV, Loudness: &want, Rate: []int{0, 96000, 44100}[i]}
		lufs, _, peak, _, _ := metered(t, filed(t, r, open, o))
		if math.Abs(lufs-want.LUFS) > 0.1 || peak > want.CeilingDB+0.05 {
			t.Errorf("%+v: %.1f LUFS, %.1f dBTP", want, lufs, peak)
		}
		p, err := o.Plan(r, 1, time.Now())
		if err != nil {
			t.Fatal(err)
		}
		look, err := p.Look(context.Background(), open)
		if err != nil || look.Finish == nil || math.Abs(look.LUFS-lufs) > 0.1 || math.Abs(look.TruePeakDB-peak) > 0.3 || look.Finish.Limits != (look.Finish.DownDB > 0) {
			t.Errorf("%+v was told as %+v, %+v, %v", want, look, look.Finish, err)
		}
		if limits := want.LUFS > -15; look.Finish.Limits != limits {
			t.Errorf("%+v: limits %v", want, look.Finish.Limits)
		}
	}
	silent := Order{From: 0, To: 5, Bits: 24, Channels: 2, File: WAV, Loudness: &Loud{-23, -1}}
	p, err := silent.Plan(r, 1, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.Look(context.Background(), open); err == nil || !strings.Contains(err.Error(), "as it is") {
		t.Errorf("five samples were brought to a loudness: %v", err)
	}
	for _, bad := range []Order{{Loudness: &Loud{-3, -1}}, {Loudness: &Loud{-23, 1}}, {Loudness: &Loud{math.NaN(), -1}}, {Loudness: &Loud{-23, -1}, Each: OfRole}, {Rate: 8000}, {Tags: Tags{Cover: "aGVsbG8="}}, {Tags: Tags{Title: strings.Repeat("x", 501)}}, {Tags: Tags{Artist: "a\nb"}}} {
		bad.To, bad.Bits, bad.Channels, bad.File = -1, 24, 2, WAV
		if _, err := bad.Plan(r, 1, time.Now()); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

// The loudness that bext tells (EBU Tech 3285 v2: places and hundredths) is what ffmpeg's
// meter finds; FLAC's sum is right by flac -t.
func TestWhatFilesTellOfTheirSound(t *testing.T) {
	r, open := programme(t, 48000)
	path := filed(t, r, open, Order{To: -1, Bits: 24, Channels: 2, File: WAV})
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	bext := b[bytes.Index(b, []byte("bext"))+8:]
	field := func(at int) float64 { return float64(int16(binary.LittleEndian.Uint16(bext[at:]))) / 100 }
	if v := binary.LittleEndian.Uint16(bext[346:]); v != 2 {
		t.Errorf("bext is of version %d", v)
	}
	lufs, lra, peak, momentary, short := metered(t, path)
	for _, c := range []struct {
		name            string
		at              int
		want, tolerance float64
	}{{"loudness", 412, lufs, 0.1}, {"range", 414, lra, 0.3}, {"true peak", 416, peak, 0.25}, {"momentary", 418, momentary, 0.3}, {"short-term", 420, short, 0.2}} {
		if got := field(c.at); math.Abs(got-c.want) > c.tolerance {
			t.Errorf("%s is told as %.2f, ffmpeg finds %.2f", c.name, got, c.want)
		}
	}
	said := strings.ReplaceAll(string(outside.Run(t, nil, "mediainfo", "--Output=JSON", path)), `": "`, `":"`)
	for _, want := range []string{
		`"Format":"Wave"`, `"SamplingRate":"48000"`, `"BitDepth":"24"`, `"Description":"Programme, revision 7"`, `"Producer":"Blend Seam"`,
		fmt.Sprintf(`"LoudnessValue":"%.2f"`, field(412)), fmt.Sprintf(`"MaxShortTermLoudness":"%.2f"`, field(420)),
	} {
		if !strings.Contains(said, want) {
			t.Errorf("mediainfo does not say %s:\n%s", want, said)
		}
	}
	outside.Run(t, nil, "flac", "-t", "-s", filed(t, r, open, Order{To: -1, Bits: 16, Channels: 2, File: FLAC}))
	mono := filed(t, r, open, Order{From: 5, To: 99999, Bits: 24, Channels: 1, File: FLAC, Rate: 96000})
	outside.Run(t, nil, "flac", "-t", "-s", mono)
	if sum := string(outside.Run(t, nil, "metaflac", "--show-md5sum", mono)); strings.HasPrefix(sum, "00000000") {
		t.Error("it has no sum")
	}
}

// cover is a small picture in base64.
func cover(t *testing.T) string {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, 60, 40))
	m.Set(3, 3, color.RGBA{200, 0, 0, 255})
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return base64.StdEncoding.EncodeToString(b.Bytes())
}

// Files at other sample rates are exactly as long, hold what the reel holds, and say what
// they are; tags and cover are read back by ffprobe.
func TestRatesAndTags(t *testing.T) {
	tags := Tags{Title: "Früh “am” Tag / 1", Artist: "Nobody’s Ears", Album: "Made up", Year: "2031", Comment: "=x; a;b", Cover: cover(t)}
	for _, own := range []int{44100, 48000} {
		r, open := programme(t, own)
		reference := outside.Floats(outside.FFmpeg(t, "-i", filed(t, r, open, Order{From: 1, To: 400001, Bits: 32, Channels: 1, File: WAV}), "-f", "f32le", "-"))
		for _, c := range []struct {
			file File
			rate int
		}{{WAV, 96000}, {WAV, 44100}, {FLAC, 48000}, {FLAC, 88200}, {MP3, 44100}, {Opus, 0}, {MP3, 0}} {
			path := filed(t, r, open, Order{From: 1, To: 400001, Bits: 24, Channels: 1, File: c.file, Rate: c.rate, Tags: tags})
			var told struct {
				Streams []struct {
					Type string `json:"codec_type"`
					Rate string `json:"sample_rate"`
					Tags map[string]string
				}
				Format struct{ Tags map[string]string }
			}
			if err := json.Unmarshal(outside.Run(t, nil, "ffprobe", "-v", "error", "-show_format", "-show_streams", "-of", "json", path), &told); err != nil {
				t.Fatal(err)
			}
			rate := c.rate
			if rate == 0 {
				if rate = own; c.file == Opus {
					rate = 48000
				}
			}
			if told.Streams[0].Rate != fmt.Sprint(rate) {
				t.Errorf("%s at %d: %s Hz", c.file, c.rate, told.Streams[0].Rate)
			}
			all := map[string]string{}
			for k, v := range told.Format.Tags {
				all[strings.ToLower(k)] = v
			}
			for k, v := range told.Streams[0].Tags {
				all[strings.ToLower(k)] = v
			}
			for key, want := range map[string]string{"title": tags.Title, "artist": tags.Artist, "album": tags.Album, "date": tags.Year, "comment": tags.Comment} {
				if all[key] != want {
					t.Errorf("%s: %s is %q, not %q", c.file, key, all[key], want)
				}
			}
			if covered := c.file == MP3 || c.file == FLAC; covered != (len(told.Streams) == 2 && told.Streams[1].Type == "video") {
				t.Errorf("%s: %d streams", c.file, len(told.Streams))
			}
			got := outside.Floats(outside.FFmpeg(t, "-i", path, "-map", "0:a", "-f", "f32le", "-ar", fmt.Sprint(rate), "-"))
			if want := int(math.Round(400000 * float64(rate) / float64(own))); c.file.whole() && len(got) != want {
				t.Errorf("%s at %d: %d samples, not %d", c.file, c.rate, len(got), want)
			}
			if d := 10*math.Log10(sumSquares(got)/float64(len(got))) - 10*math.Log10(sumSquares(reference)/float64(len(reference))); math.Abs(d) > 0.3 {
				t.Errorf("%s at %d is %.2f dB louder", c.file, c.rate, d)
			}
		}
	}
}
