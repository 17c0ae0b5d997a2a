package measure

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/outside"
)

// On recorded speech, joined at random and not joined at all.
func TestClicksInRecordedSpeech(t *testing.T) {
	all := outside.Voices(t)
	rng := rand.New(rand.NewPCG(4, 4))
	const reach = 2400
	falseOnes, uncut := 0, 0
	for _, v := range all {
		for at := reach; at < len(v)-reach; at += 331 {
			uncut++
			if Click(48000, v[at-reach:at+reach], reach) >= 12 {
				falseOnes++
			}
		}
	}
	found, steps := 0, 0
	for steps < 3000 {
		a, b := all[rng.IntN(len(all))], all[rng.IntN(len(all))]
		i, j := reach+rng.IntN(len(a)-2*reach), reach+rng.IntN(len(b)-2*reach)
		if math.Abs(float64(a[i-1])-float64(b[j])) <= 0.02 {
			continue
		}
		steps++
		joined := append(append([]float32(nil), a[i-reach:i]...), b[j:j+reach]...)
		if Click(48000, joined, reach) >= 12 {
			found++
		}
	}
	t.Logf("uncut: %d of %d called clicks, %.2f %%; joins that step by more than 0.02: %d of %d found, %.1f %%",
		falseOnes, uncut, 100*float64(falseOnes)/float64(uncut), found, steps, 100*float64(found)/float64(steps))
	if float64(falseOnes) > 0.01*float64(uncut) {
		t.Errorf("%d of %d places in uncut speech are called clicks", falseOnes, uncut)
	}
	if float64(found) < 0.95*float64(steps) {
		t.Errorf("%d of %d joins are found", found, steps)
	}
}

func TestClickAtItsEdges(t *testing.T) {
	silence := make([]float32, 4800)
	if c := Click(48000, silence, 2400); c != NoClick {
		t.Errorf("silence clicks: %g", c)
	}
	tone := make([]float32, 4800)
	for i := range tone {
		tone[i] = float32(0.3 * math.Sin(float64(i)/20))
	}
	if c := Click(48000, tone, 2400); c >= 12 {
		t.Errorf("a steady tone clicks: %g", c)
	}
	for _, rate := range []int{44100, 48000, 96000} {
		cut := append(append([]float32(nil), tone[:2400]...), tone[2430:]...)
		cut = append(cut, tone[:30]...)
		for i := 2400; i < len(cut); i++ {
			cut[i] += 0.05
		}
		if c := Click(rate, cut, 2400); c < 12 {
			t.Errorf("at %d Hz a step in a tone reads %g", rate, c)
		}
	}
	half := append(append([]float32(nil), silence[:2400]...), tone[40:2440]...)
	if c := Click(48000, half, 2400); c < 12 {
		t.Errorf("a tone that begins at once reads %g", c)
	}
	full := append([]float32(nil), silence...)
	for i := range full[2400:] {
		full[2400+i] = 1
	}
	if c := Click(48000, full, 2400); c < 12 {
		t.Errorf("a step to full scale reads %g", c)
	}
	for _, cut := range []int{0, 1, 4799, 4800} {
		if c := Click(48000, tone, cut); c != NoClick {
			t.Errorf("a cut at %d of 4800 reads %g", cut, c)
		}
	}
}
