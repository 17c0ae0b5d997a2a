package measure_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/measure"
	"blendseam/outside"
)

// Real and made material against ffmpeg's meter, ebur128: within 0.1 LU and
// 0.2 dB. It oversamples with another filter.
func TestLoudnessAgainstFFmpeg(t *testing.T) {
	dir := t.TempDir()
	noise := filepath.Join(dir, "noise.f32")
	rng := rand.New(rand.NewPCG(1, 9))
	v, level := make([]float32, 2*20*48000), 0.1
	for i := range v {
		if i%24000 == 0 {
			level = math.Pow(10, -rng.Float64()*2)
		}
		v[i] = float32(rng.NormFloat64() * level * 0.2)
	}
	if err := os.WriteFile(noise, outside.Bytes(v), 0o600); err != nil {
		t.Fatal(err)
	}
	type material struct {
		name     string
		in       []string
		rate, ch int
	}
	files, err := filepath.Glob("../../demo/sound/*.flac")
	if err != nil || len(files) < 5 {
		t.Fatal(files, err)
	}
	list := []material{{"noise in steps", []string{"-f", "f32le", "-ar", "48000", "-ac", "2", "-i", noise}, 48000, 2}}
	for _, f := range files {
		ch := 1
		if strings.Contains(f, "opening bed") {
			ch = 2
		}
		list = append(list, material{filepath.Base(f), []string{"-i", f}, 48000, ch})
	}
	list = append(list, material{"opening bed at 44.1 kHz", []string{"-i", "../../demo/sound/opening bed.flac"}, 44100, 2})
	for _, m := range list {
		args := append(append([]string{"-y"}, m.in...), "-ar", fmt.Sprint(m.rate), "-ac", fmt.Sprint(m.ch), "-f", "f32le", "-")
		all := outside.Floats(outside.FFmpeg(t, args...))
		channels := make([][]float32, m.ch)
		for i, x := range all {
			channels[i%m.ch] = append(channels[i%m.ch], x)
		}
		l, p := measure.NewLoudness(m.rate, m.ch), measure.NewTruePeak(m.ch)
		l.Add(channels)
		p.Add(channels)
		told := outside.Run(t, outside.Bytes(all), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", fmt.Sprint(m.rate), "-ac", fmt.Sprint(m.ch), "-i", "pipe:0",
			"-af", "ebur128=metadata=1:peak=true,ametadata=print:file=-", "-f", "null", "-")
		var lufs, top float64
		for line := range strings.Lines(string(told)) {
			name, value, _ := strings.Cut(strings.TrimSpace(line), "=")
			switch {
			case name == "lavfi.r128.I":
				_, _ = fmt.Sscan(value, &lufs)
			case strings.HasPrefix(name, "lavfi.r128.true_peaks_ch"):
				var peak float64
				_, _ = fmt.Sscan(value, &peak)
				top = max(top, peak)
			}
		}
		if d := l.Integrated() - lufs; math.Abs(d) > 0.1 {
			t.Errorf("%s: %.2f LUFS, ffmpeg reads %.2f", m.name, l.Integrated(), lufs)
		}
		// ffmpeg looks four times a sample and reads up to 0.3 dB less than sox, which looks here 16 times with a longer
		// filter: that is the nearer to the truth.
		if d := p.DB() - 20*math.Log10(top); d > 0.3 || d < -0.2 {
			t.Errorf("%s: %.2f dBTP, ffmpeg reads %.2f", m.name, p.DB(), 20*math.Log10(top))
		}
		fine := string(outside.Run(t, outside.Bytes(all), "sh", "-c", fmt.Sprintf("sox -t f32 -r %d -c %d - -n rate -v -s %d stats 2>&1", m.rate, m.ch, 16*m.rate)))
		_, line, _ := strings.Cut(fine, "Pk lev dB")
		var sox float64
		_, _ = fmt.Sscan(line, &sox)
		if d := p.DB() - sox; d > 0.2 || d < -0.3 {
			t.Errorf("%s: %.2f dBTP, sox reads %.2f", m.name, p.DB(), sox)
		}
	}
}
