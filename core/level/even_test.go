package level

import (
	"context"
	"errors"
	"fmt"
	"math"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Recorded voices of very different levels are evened out: by ffmpeg's ebur128 of
// what is said, each is within 0.5 LU of the target afterwards, and the peak that is
// told is that which ffmpeg's volumedetect would find, as the largest sample.
func TestEvenOutAgainstFFmpeg(t *testing.T) {
	sounds := map[string]sound.Memory{"warden": {recorded(t, "warden take 3")}, "grower": {recorded(t, "grower take 2")}}
	r, ids := cut(t, sounds, []struct {
		of           string
		from, length float64
		db           float64
	}{{"warden", 0, 12, -9}, {"grower", 0, 10, 4}, {"warden", 12, 12, 3}, {"grower", 10, 10, -14}})
	open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
	target := -23.0
	var last float64
	rows, err := EvenOut(context.Background(), r, open, ids, Even{LUFS: &target}, func(p float64) {
		if p < last {
			t.Errorf("progress went back from %g to %g", last, p)
		}
		last = p
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range rows {
		if row.Why != "" || math.Abs(row.After-target) > 0.06 {
			t.Fatalf("%+v", row)
		}
		c, _ := r.Clip(row.Clip)
		src, _ := r.Source(c.Source)
		v := sounds[src.Recording][0][c.Offset : c.Offset+c.Length]
		if got := ebur128(t, said(v), row.ToDB); math.Abs(got-target) > 0.5 {
			t.Errorf("%s from %d is at %.1f LUFS", row.Name, c.Offset, got)
		}
		peak := 0.0
		for _, x := range v {
			peak = max(peak, math.Abs(float64(x)))
		}
		if want := 20*math.Log10(peak) + row.ToDB; math.Abs(want-row.PeakDB) > 0.01 {
			t.Errorf("%s peaks at %.2f dBFS, not %.2f", row.Name, want, row.PeakDB)
		}
	}
	if len(rows) != 4 {
		t.Fatalf("%d rows", len(rows))
	}
	// To their middle: none goes further than the two outermost are apart, and the
	// one in the middle stays.
	rows, err = EvenOut(context.Background(), r, open, ids, Even{}, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	still := 0
	for _, row := range rows {
		if row.ByDB == 0 {
			still++
		}
		if math.Abs(row.To-rows[0].To) > 1e-9 {
			t.Error("there are two middles")
		}
	}
	if still != 1 {
		t.Errorf("%d clips stay", still)
	}
	var no *reel.Refusal
	wrong := 3.0
	if _, err := EvenOut(context.Background(), r, open, ids, Even{LUFS: &wrong}, func(float64) {}); !errors.As(err, &no) {
		t.Errorf("to +3 LUFS: %v", err)
	}
}

// Two hundred clips of recorded voices.
func BenchmarkEvenOut(b *testing.B) {
	v := noise(40*rate, 0.1, 3)
	sounds := map[string]sound.Memory{"n": {v}}
	r, _ := cut(&testing.T{}, sounds, nil)
	done, err := (&reel.AddSource{Source: reel.Source{Recording: "n", Name: "n", Right: -1, Length: int64(len(v)), StartTC: -1}}).Apply(r)
	if err != nil {
		b.Fatal(err)
	}
	r = done.Reel
	var ids []reel.ID
	for i := range 200 {
		done, err := (&reel.Place{Source: r.Sources[0].ID, Track: r.Tracks[0].ID, Start: int64(i * 3 * rate), Offset: int64(i%30) * rate, Length: 3 * rate}).Apply(r)
		if err != nil {
			b.Fatal(fmt.Errorf("place %d: %w", i, err))
		}
		r = done.Reel
		ids = append(ids, done.Made[0])
	}
	open := func(s reel.Source) (sound.Reader, error) { return sounds[s.Recording], nil }
	for b.Loop() {
		if _, err := EvenOut(context.Background(), r, open, ids, Even{PerTrack: true}, func(float64) {}); err != nil {
			b.Fatal(err)
		}
	}
}
