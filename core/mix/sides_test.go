package mix

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/outside"
)

// Gain, balance and the gain of one side of a stereo recording against ffmpeg's
// pan filter, which multiplies channels by factors: a quarter cosine for the
// side that falls (as of Pan), and 10^(dB/20).
func TestSidesAgainstFFmpeg(t *testing.T) {
	left, right := speech(t, "warden take 3", 48000), speech(t, "grower take 2", 48000)
	n := int64(min(len(left), len(right), 96_000))
	both := make([]float32, 0, 2*n)
	for i := range n {
		both = append(both, left[i], right[i])
	}
	var raw bytes.Buffer
	if err := binary.Write(&raw, binary.LittleEndian, both); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ db, balance, rightDB float64 }{{0, 0, 0}, {-3.5, 0.5, 0}, {6, -0.25, -7.25}, {0, 1, 12}, {0, -1, 0}, {2, 0, gain.MinDB}, {gain.MinDB, 0.5, 3}} {
		b := newBench(t, 48000)
		clip := b.place(b.source(left[:n], right[:n]), b.track(), 0, 0, n)
		b.do(&reel.SetClip{Clip: clip, GainDB: &c.db, Balance: &c.balance, RightDB: &c.rightDB})
		l, r := b.render(Options{}, 0, n)

		level := math.Pow(10, c.db/20)
		gl, gr := level, level*math.Pow(10, c.rightDB/20)
		if c.db == gain.MinDB {
			gl, gr = 0, 0
		}
		if c.rightDB == gain.MinDB {
			gr = 0
		}
		if c.balance > 0 {
			gl *= math.Cos(c.balance * math.Pi / 2)
		} else {
			gr *= math.Cos(-c.balance * math.Pi / 2)
		}
		want := outside.Run(t, raw.Bytes(), "ffmpeg", "-v", "error", "-f", "f32le", "-ar", "48000", "-ac", "2", "-i", "-",
			"-af", fmt.Sprintf("pan=stereo|c0=%.12f*c0|c1=%.12f*c1", gl, gr), "-f", "f32le", "-")
		for i := range n {
			for k, got := range []float32{l[i], r[i]} {
				w := math.Float32frombits(binary.LittleEndian.Uint32(want[8*i+4*int64(k):]))
				if math.Abs(float64(got-w)) > 2e-6 {
					t.Fatalf("%+v: sample %d of side %d is %g, ffmpeg has %g", c, i, k, got, w)
				}
			}
		}
	}
}

func TestSidesAreOfStereoAlone(t *testing.T) {
	b := newBench(t, 48000)
	mono := b.place(b.source(make([]float32, 100)), b.track(), 0, 0, 100)
	stereo := b.place(b.source(make([]float32, 100), make([]float32, 100)), b.track(), 0, 0, 100)
	half, far, loud := 0.5, 1.01, 61.0
	for _, e := range []*reel.SetClip{{Clip: mono, Balance: &half}, {Clip: mono, RightDB: &half}, {Clip: stereo, Balance: &far}, {Clip: stereo, RightDB: &loud}} {
		if _, err := e.Apply(b.r); err == nil {
			t.Errorf("%+v was done", e)
		}
	}
	b.do(&reel.SetClip{Clip: stereo, Balance: &half, RightDB: &half})
	// The two halves of a clip keep it, and are joined again.
	whole := b.r
	other := b.do(&reel.Split{Clips: []reel.ID{stereo}, At: 40})
	if c, _ := b.r.Clip(other); c.Balance != half || c.RightDB != half {
		t.Errorf("%+v", c)
	}
	even := 0.0
	if done, err := (&reel.SetClip{Clip: other, Balance: &even}).Apply(b.r); err != nil {
		t.Fatal(err)
	} else if _, err := (&reel.Join{Left: stereo, Right: other}).Apply(done.Reel); err == nil {
		t.Error("clips of two balances were joined")
	}
	b.do(&reel.Join{Left: stereo, Right: other})
	if !reel.Diff(whole, b.r).Empty() {
		t.Error("joined it is another")
	}
}
