package accuracy

import (
	"context"
	"math"
	"os"
	"slices"
	"testing"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/sound"
	"blendseam/core/timecode"
)

const rate = 48000

// whole reports whether the long form is asked for.
func whole() bool { return os.Getenv("BLENDSEAM_ACCURACY") != "" }

// some is n in the short form, and all in the long one.
func some(short, long int) int {
	if whole() {
		return long
	}
	return short
}

// desk is a reel built up by edits, with its sound in memory.
type desk struct {
	t     testing.TB
	r     *reel.Reel
	sound map[string]sound.Memory
}

func newDesk(t testing.TB) *desk {
	return &desk{t, &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: rate, FrameRate: timecode.Rate25}}, map[string]sound.Memory{}}
}

func (d *desk) do(e reel.Edit) reel.ID {
	d.t.Helper()
	done, err := e.Apply(d.r)
	if err != nil {
		d.t.Fatalf("%T: %v", e, err)
	}
	d.r = done.Reel
	if len(done.Made) > 0 {
		return done.Made[0]
	}
	return 0
}

func (d *desk) source(v ...[]float32) reel.ID {
	name := string(rune('a' + len(d.sound)))
	d.sound[name] = v
	right := -1
	if len(v) > 1 {
		right = 1
	}
	return d.do(&reel.AddSource{Source: reel.Source{Recording: name, Name: name, Right: right, Length: int64(len(v[0])), StartTC: -1}})
}

func (d *desk) open(s reel.Source) (sound.Reader, error) { return d.sound[s.Recording], nil }

// cut is a seam of a clip that ends at a place of one recording with one that
// begins at a place of another, of so many samples each or as far as they go.
func (d *desk) cut(a []float32, out int, b []float32, in, n int) (left, right reel.ID) {
	track := d.do(&reel.AddTrack{Name: "A", Role: reel.Dialogue})
	one := d.source(a)
	two := one
	if &a[0] != &b[0] {
		two = d.source(b)
	}
	la, lb := min(n, out), min(n, len(b)-in)
	left = d.do(&reel.Place{Source: one, Track: track, Start: 0, Offset: int64(out - la), Length: int64(la)})
	right = d.do(&reel.Place{Source: two, Track: track, Start: int64(la), Offset: int64(in), Length: int64(lb)})
	return left, right
}

func (d *desk) judge(left, right reel.ID) seam.Judgement {
	d.t.Helper()
	for _, s := range d.r.Seams() {
		if s.Left == left && s.Right == right {
			m, err := seam.New(d.r, d.open).Measure(context.Background(), s)
			if err != nil {
				d.t.Fatal(err)
			}
			return m.Judge(d.r.Props.Limits)
		}
	}
	d.t.Fatal("there is no such seam")
	return seam.Judgement{}
}

// of is the finding of a kind.
func of(j seam.Judgement, what string) seam.Finding {
	for _, f := range j.Findings {
		if f.What == what {
			return f
		}
	}
	return seam.Finding{Verdict: seam.Fine}
}

// plus is the sum of two sounds as long as the first.
func plus(a, b []float32) []float32 {
	out := make([]float32, len(a))
	for i := range a {
		out[i] = a[i] + b[i]
	}
	return out
}

// tally counts.
type tally struct{ n, hits int }

func (c *tally) count(hit bool) {
	c.n++
	if hit {
		c.hits++
	}
}

func (c tally) percent() float64 { return 100 * float64(c.hits) / float64(max(c.n, 1)) }

func deviation(v []float64) float64 {
	var sum float64
	for _, x := range v {
		sum += x * x
	}
	return math.Sqrt(sum / float64(max(len(v), 1)))
}

// lowest is the level of the quietest stretch of 90 ms, in dBFS above 150 Hz, by
// another way than the program's: a fourth-order high-pass in cascade of
// first-order sections, and a running sum.
func lowest(v []float32) float64 {
	a := math.Exp(-2 * math.Pi * 150 / rate)
	y := make([]float64, len(v))
	for i := range v {
		y[i] = float64(v[i])
	}
	for range 4 {
		var x, z float64
		for i := range y {
			z = a * (z + y[i] - x)
			x, y[i] = y[i], z
		}
	}
	const n = rate * 9 / 100
	var all []float64
	for at := rate / 5; at+n <= len(y); at += n / 4 {
		var sum float64
		for _, s := range y[at : at+n] {
			sum += s * s
		}
		all = append(all, sum/n)
	}
	if len(all) == 0 {
		return 0
	}
	return 10 * math.Log10(slices.Min(all)+1e-15)
}
