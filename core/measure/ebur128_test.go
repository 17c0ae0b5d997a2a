package measure_test

import (
	"math"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/measure"
	"blendseam/outside"
)

// Both demos' recordings against a second opinion, Debian's libebur128: integrated,
// momentary and short-term loudness within 0.1 LU, the true peak within 0.3 dB; and the
// range of them all in a row within 0.5 LU. The library looks once a second where this
// looks ten times, both as EBU Tech 3342 allows: of one short recording the range differs.
func TestLoudnessAgainstLibebur128(t *testing.T) {
	var files []string
	for _, pattern := range []string{"../../demo/sound/*.flac", "../../demo/hive/sound/*.flac"} {
		some, err := filepath.Glob(pattern)
		if err != nil || len(some) < 5 {
			t.Fatal(some, err)
		}
		files = append(files, some...)
	}
	var all []float32
	for _, f := range files {
		n := 1
		if strings.Contains(f, "opening bed") || strings.Contains(f, "summer tune") {
			n = 2
		}
		v := make([][]float32, n)
		for i, x := range outside.Floats(outside.FFmpeg(t, "-i", f, "-t", "10", "-f", "f32le", "-")) {
			v[i%n] = append(v[i%n], x)
		}
		l, p := measure.NewLoudness(48000, n), measure.NewTruePeak(n)
		l.Add(v)
		p.Add(v)
		want := outside.Libebur128(t, 48000, v...)
		for _, c := range []struct {
			what             string
			got, want, limit float64
		}{
			{"LUFS", l.Integrated(), want.Integrated, 0.1}, {"LUFS, momentary", l.Momentary(), want.Momentary, 0.1},
			{"LUFS, short-term", l.ShortTerm(), want.ShortTerm, 0.1}, {"dBTP", p.DB(), 20 * math.Log10(want.TruePeak), 0.3},
		} {
			if math.Abs(c.got-c.want) > c.limit {
				t.Errorf("%s: %.2f %s, libebur128 tells %.2f", filepath.Base(f), c.got, c.what, c.want)
			}
		}
		if n == 1 {
			all = append(all, v[0]...)
		}
	}
	l := measure.NewLoudness(48000, 1)
	l.Add([][]float32{all})
	if want := outside.Libebur128(t, 48000, all); math.Abs(l.Range()-want.Range) > 0.5 {
		t.Errorf("all in a row: %.2f LU of range, libebur128 tells %.2f", l.Range(), want.Range)
	}
}
