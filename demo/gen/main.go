// Command gen computes the demo's sound: speech from espeak-ng placed in two
// rooms at two microphones, a fan, a music bed and spot effects, all from
// nothing. It writes WAV files and has ffmpeg turn them into FLAC, in demo/sound and
// demo/hive/sound; the places of the lines go to lines.json beside them. Run it from
// the project's root: go run ./demo/gen
package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"log"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"

	"blendseam/demo"
	"blendseam/media/wav"
)

const rate = 48000

func main() {
	log.SetFlags(0)
	frostWarning()
	hiveDiary()
}

// frostWarning computes the recordings of Frost Warning.
func frostWarning() {
	lines := demo.Script
	spoken := map[string][]float64{}
	for _, l := range lines {
		for _, t := range takes {
			if t.name == l.Take {
				spoken[l.Text] = speak(t.voice, l.Speed, l.Text)
			}
		}
	}
	for _, take := range takes {
		v := take.record(lines, spoken)
		write(take.name, take.startTC, v)
	}
	write("glasshouse fan", 0, room(rand.New(rand.NewPCG(40, 1)), 36*rate, -52, 1))
	write("opening bed", 0, music(22*rate)...)
	write("spot effects", 0, spots())
	text, err := json.MarshalIndent(lines, "", "\t")
	check(err)
	check(os.WriteFile("demo/lines.json", append(text, '\n'), 0o644))
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

// take is one recording with its microphone and room.
type take struct {
	name    string
	voice   []string // for espeak-ng
	floor   float64  // of the room, dBFS
	fan     float64  // how much of it is the fan, 0…1
	level   float64  // of the speech, peak dBFS
	far     bool     // a microphone that hears more of the room than of the voice
	startTC int64    // seconds
	lead    float64  // seconds before the first line
	faults  bool
}

var takes = []take{
	{name: "warden take 3", voice: []string{"-v", "en-gb+m3", "-p", "38"}, floor: -51, fan: 1, level: -11, startTC: 20*3600 + 14*60, lead: 2.2, faults: true},
	{name: "warden take 5", voice: []string{"-v", "en-gb+m3", "-p", "38"}, floor: -59, fan: 0.25, level: -12, startTC: 20*3600 + 31*60 + 9, lead: 1.6},
	{name: "grower take 2", voice: []string{"-v", "en-gb+f2", "-p", "52"}, floor: -56, fan: 0.7, level: -15, far: true, startTC: 20*3600 + 14*60 + 2, lead: 2.0, faults: true},
	{name: "grower take 4", voice: []string{"-v", "en-gb+f2", "-p", "52"}, floor: -57, fan: 0.5, level: -13.5, far: true, startTC: 20*3600 + 33*60, lead: 0.02},
}

// record lays the take's lines over its room, with a pause after each that is
// long enough for the other one's line and some more.
func (t take) record(lines []demo.Line, spoken map[string][]float64) []float32 {
	rng := rand.New(rand.NewPCG(uint64(len(t.name))+uint64(t.startTC), 3))
	at := int(t.lead * rate)
	type placed struct {
		at int
		v  []float64
	}
	var all []placed
	for i := range lines {
		l := &lines[i]
		if l.Take != t.name {
			continue
		}
		v := spoken[l.Text]
		scale(v, math.Pow(10, t.level/20)/peak(v))
		if l.Text == "That is the frost on the louvres." {
			scale(v, math.Pow(10, 4.5/20)) // too near the microphone: a level jump
		}
		l.From, l.To = int64(at), int64(at+len(v))
		all = append(all, placed{at, v})
		at += len(v) + int((2.3+0.6*rng.Float64())*rate)
		if i+1 < len(lines) {
			at += len(spoken[lines[i+1].Text])
		}
	}
	out := make([]float64, at+int(0.8*rate))
	for _, p := range all {
		add(out, p.at, p.v)
	}
	if t.faults {
		t.plant(out, lines, rng)
	}
	if t.far {
		out = inRoom(out, 0.42, 0.35)
	} else {
		out = inRoom(out, 0.16, 0.3)
	}
	for i, s := range room(rng, len(out), t.floor, t.fan) {
		out[i] += float64(s)
	}
	return toFloat32(out)
}

// plant puts in what should not be there: a chair after a line, a hand on the
// cable, and the other voice that comes in too early.
func (t take) plant(out []float64, lines []demo.Line, rng *rand.Rand) {
	for _, l := range lines {
		if l.Take != t.name {
			continue
		}
		switch l.Text {
		case "The radio isn't standing among nine hundred tomatoes.":
			v := creak(rng)
			scale(v, 0.8)
			add(out, int(l.To)+rate*2/5, v)
		case "Two degrees outside, and falling.":
			add(out, int(l.To)+rate/2, thump(rng))
		case "You always say that.":
			v := speak([]string{"-v", "en-gb+m3", "-p", "38"}, 150, "Because it")
			scale(v, math.Pow(10, -31.0/20)/peak(v))
			add(out, int(l.To)+rate/5, v)
		}
	}
}

// speak has espeak-ng say a text and brings it to 48 kHz, without the silence
// around it.
func speak(voice []string, speed int, text string) []float64 {
	cmd := exec.Command("espeak-ng", append(append([]string{}, voice...), "-s", strconv.Itoa(speed), "--stdout", text)...)
	spoken, err := cmd.Output()
	check(err)
	sox := exec.Command("sox", "-D", "-t", "wav", "--ignore-length", "-", "-t", "wav", "-e", "float", "-b", "32", "-r", strconv.Itoa(rate), "-", "highpass", "70", "equalizer", "3200", "1.2q", "-4")
	sox.Stdin = bytes.NewReader(spoken)
	file, err := sox.Output()
	check(err)
	r, err := wav.NewReader(bytes.NewReader(file), int64(len(file)))
	check(err)
	part := [][]float32{make([]float32, 4096)}
	var out []float64
	for {
		n, err := r.Read(part)
		if err == io.EOF {
			break
		}
		check(err)
		for _, s := range part[0][:n] {
			out = append(out, float64(s))
		}
	}
	from, to := 0, len(out)
	for from < to && math.Abs(out[from]) < 0.003 {
		from++
	}
	for to > from && math.Abs(out[to-1]) < 0.003 {
		to--
	}
	return out[from:to]
}

func peak(v []float64) float64 {
	top := 1e-9
	for _, s := range v {
		top = max(top, math.Abs(s))
	}
	return top
}

func scale(v []float64, by float64) {
	for i := range v {
		v[i] *= by
	}
}

func add(out []float64, at int, v []float64) {
	for i, s := range v {
		if at+i >= 0 && at+i < len(out) {
			out[at+i] += s
		}
	}
}

func toFloat32(v []float64) []float32 {
	out := make([]float32, len(v))
	for i, s := range v {
		out[i] = float32(s)
	}
	return out
}

func write(name string, startSeconds int64, channels ...[]float32) {
	writeTo("demo/sound", name, startSeconds, channels...)
}

func writeTo(folder, name string, startSeconds int64, channels ...[]float32) {
	wavPath, flacPath := filepath.Join(os.TempDir(), name+".wav"), filepath.Join(folder, name+".flac")
	f, err := os.Create(wavPath)
	check(err)
	w, err := wav.NewWriter(f, wav.Format{Channels: len(channels), Rate: rate, Bits: 16}, int64(len(channels[0])), true, wav.Meta{})
	check(err)
	check(w.Write(channels))
	check(w.Close())
	check(f.Close())
	args := []string{"-v", "error", "-y", "-i", wavPath, "-map_metadata", "-1", "-compression_level", "12", "-bitexact", "-metadata", "TITLE=" + name}
	if startSeconds > 0 {
		args = append(args, "-metadata", fmt.Sprintf("TIME_REFERENCE=%d", startSeconds*rate))
	}
	out, err := exec.Command("ffmpeg", append(args, flacPath)...).CombinedOutput()
	if err != nil {
		log.Fatalf("%v: %s", err, out)
	}
	check(os.Remove(wavPath))
	info, err := os.Stat(flacPath)
	check(err)
	fmt.Printf("%-28s %6.1f s %6d kB\n", flacPath, float64(len(channels[0]))/rate, info.Size()/1000)
}
