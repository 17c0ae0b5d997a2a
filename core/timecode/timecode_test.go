package timecode

import (
	"math/rand/v2"
	"testing"
)

// The drop-frame and non-drop table is the arithmetic of SMPTE ST 12-1: frame
// numbers 0 and 1 (0 to 3 at 60) are left out at each minute but the tenth.
func TestFormatAgainstStandard(t *testing.T) {
	for _, c := range []struct {
		rate  Rate
		frame int64
		want  string
	}{
		{Rate2997Drop, 0, "00:00:00;00"},
		{Rate2997Drop, 1799, "00:00:59;29"},
		{Rate2997Drop, 1800, "00:01:00;02"},
		{Rate2997Drop, 3597, "00:01:59;29"},
		{Rate2997Drop, 3598, "00:02:00;02"},
		{Rate2997Drop, 17981, "00:09:59;29"},
		{Rate2997Drop, 17982, "00:10:00;00"},
		{Rate2997Drop, 107892, "01:00:00;00"},
		{Rate2997Drop, 2589407, "23:59:59;29"},
		{Rate2997Drop, 2589408, "00:00:00;00"},
		{Rate2997, 107892, "00:59:56:12"},
		{Rate5994Drop, 3600, "00:01:00;04"},
		{Rate5994Drop, 215784, "01:00:00;00"},
		{Rate25, 25*3600 + 24, "01:00:00:24"},
		{Rate23976, 24 * 3600, "01:00:00:00"},
		{Rate25, -26, "-00:00:01:01"},
	} {
		if got := c.rate.Format(c.frame); got != c.want {
			t.Errorf("%s frame %d = %s, want %s", c.rate, c.frame, got, c.want)
		}
	}
}

func TestFramesOfADayReadBack(t *testing.T) {
	for _, r := range Rates {
		for n := int64(0); n < r.DayFrames(); n += 1 + n%23 {
			got, err := r.Parse(r.Format(n))
			if err != nil || got != n {
				t.Fatalf("%s: %s read as %d (%v), want %d", r, r.Format(n), got, err, n)
			}
		}
	}
}

// Frame to sample to frame is exact: for every frame of a day at the
// fractional rates and 48 kHz, where rounding bites, else for every 37th.
func TestSampleRoundTrip(t *testing.T) {
	for _, sr := range []int{44100, 48000, 96000} {
		for _, r := range Rates {
			last := int64(-1)
			for n := int64(0); n < r.DayFrames(); n++ {
				s := r.Sample(n, sr)
				if s <= last {
					t.Fatalf("%s at %d: frame %d does not begin after the one before", r, sr, n)
				}
				last = s
				if (sr == 48000 && r.Den == 1001 && !r.Drop) || n%37 == 0 || n > r.DayFrames()-1000 {
					if f := r.Frame(s, sr); f != n {
						t.Fatalf("%s at %d: frame %d begins at %d, which reads %d", r, sr, n, s, f)
					}
				}
			}
		}
	}
}

func TestFrameHoldsItsSamples(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 100000 {
		r := Rates[rng.IntN(len(Rates))]
		s := rng.Int64N(24*3600*48000) - 3600*48000
		f := r.Frame(s, 48000)
		if r.Sample(f, 48000) > s || r.Sample(f+1, 48000) <= s {
			t.Fatalf("%s: sample %d is not in frame %d", r, s, f)
		}
		if n := r.Nearest(s, 48000); n != f && n != f+1 {
			t.Fatalf("%s: nearest to %d is %d, which is not beside frame %d", r, s, n, f)
		}
	}
	// 48000·1001/30000 = 1601.6 samples a frame, worked by hand.
	for n, want := range []int64{0, 1602, 3203, 4805, 6406, 8008} {
		if got := Rate2997.Sample(int64(n), 48000); got != want {
			t.Errorf("frame %d at 29.97 begins at %d, want %d", n, got, want)
		}
	}
}

func TestParseRefuses(t *testing.T) {
	for _, s := range []string{"", "x", "00:01:00;00", "00:01:00;01", "24:00:00;00", "00:60:00;00", "00:00:00;30", "1:2:3:4:5", "1 2", "99999999999"} {
		if n, err := Rate2997Drop.Parse(s); err == nil {
			t.Errorf("%q was read as %d", s, n)
		}
	}
	if n, err := Rate25.Parse("2:10"); err != nil || n != 60 {
		t.Errorf("2:10 at 25 = %d, %v; want 60", n, err)
	}
	if (Rate{25, 1, true}).Check() == nil || (Rate{12, 1, false}).Check() == nil || Rate2997Drop.Check() != nil {
		t.Error("rates are not told apart")
	}
}

func FuzzParse(f *testing.F) {
	f.Add("01:00:00;02", 4)
	f.Add("-1:2.3", 2)
	f.Fuzz(func(t *testing.T, s string, i int) {
		r := Rates[((i%len(Rates))+len(Rates))%len(Rates)]
		n, err := r.Parse(s)
		if err != nil {
			return
		}
		if m, err := r.Parse(r.Format(n)); err != nil || m != n {
			t.Errorf("%q is frame %d, which is written %s and reads %d (%v)", s, n, r.Format(n), m, err)
		}
	})
}
