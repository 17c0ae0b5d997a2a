package mix

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/outside"
)

// step is one step of 16-bit sound.
const step = 1.0 / 32768

// speech is a stretch of the demo's field recordings at a rate, as 24-bit
// samples: ffmpeg decodes, resamples and turns it up by a factor that fills
// the lower bits.
func speech(t *testing.T, name string, rate int) []float32 {
	raw := outside.Run(t, nil, "ffmpeg", "-v", "error", "-i", "../../demo/sound/"+name+".flac", "-t", "6", "-af", fmt.Sprintf("volume=1.37,aresample=%d", rate), "-c:a", "pcm_s24le", "-f", "s24le", "-")
	v := make([]float32, len(raw)/3)
	for i := range v {
		v[i] = float32(int32(uint32(raw[3*i])<<8|uint32(raw[3*i+1])<<16|uint32(raw[3*i+2])<<24)>>8) / (1 << 23)
	}
	return v
}

func wave(t *testing.T, dir, name string, rate int, v []float32) string {
	path := filepath.Join(dir, name)
	outside.Run(t, outside.Bytes(v), "ffmpeg", "-v", "error", "-y", "-f", "f32le", "-ar", fmt.Sprint(rate), "-ac", "1", "-i", "-", "-c:a", "pcm_s24le", path)
	if _, err := os.Stat(path); err != nil {
		t.Fatal(err)
	}
	return path
}

// Crossfades of 24-bit material at 44.1 and 48 kHz, before, across and after
// the cut, against two references, to one 16-bit step: ffmpeg fading both
// sides with afade (tri, qsin) and adding them up, and sox splice (-t, -q).
func TestCrossfadesAgainstFFmpegAndSox(t *testing.T) {
	for _, rate := range []int{44100, 48000} {
		dir := t.TempDir()
		a, c := speech(t, "warden take 3", rate), speech(t, "grower take 2", rate)
		for law, curve := range map[gain.Law]string{gain.ConstantGain: "tri", gain.ConstantPower: "qsin"} {
			for _, lie := range [][2]int64{{4800, 0}, {2400, 2400}, {0, 9601}} {
				before, after := lie[0], lie[1]
				n := before + after
				const offA, offC, length = 20000, 30000, 60000
				b := newBench(t, rate)
				tr := b.track()
				x, y := b.place(b.source(a), tr, 0, offA, length), b.place(b.source(c), tr, length, offC, length)
				b.do(&reel.SetBlend{Left: x, Right: y, Before: before, After: after, Law: law, Lean: gain.Even})
				got, _ := b.render(Options{}, 0, 2*length)

				out := wave(t, dir, "out.wav", rate, a[offA:offA+length+after])
				in := wave(t, dir, "in.wav", rate, c[offC-before:offC+length])
				graph := fmt.Sprintf("[0]aformat=flt,afade=out:ss=%d:ns=%d:curve=%s,apad=whole_len=%d[o];[1]aformat=flt,afade=in:ss=0:ns=%d:curve=%s,adelay=delays=%dS[i];[o][i]amix=2:normalize=0",
					length-before, n, curve, 2*length, n, curve, length-before)
				want := outside.Floats(outside.Run(t, nil, "ffmpeg", "-v", "error", "-i", out, "-i", in, "-filter_complex", graph, "-f", "f32le", "-"))
				near(t, fmt.Sprintf("%s %d+%d at %d against ffmpeg", law, before, after, rate), got, want)

				if n%2 != 0 {
					continue // sox splice lays the same length on both sides
				}
				kind := map[gain.Law]string{gain.ConstantGain: "-t", gain.ConstantPower: "-q"}[law]
				want = outside.Floats(outside.Run(t, nil, "sox", out, in, "-t", "f32", "-", "splice", kind, fmt.Sprintf("%ds,%ds,0", length+after, n/2)))
				near(t, fmt.Sprintf("%s %d+%d at %d against sox", law, before, after, rate), got, want)
			}
		}
	}
}

func near(t *testing.T, what string, got, want []float32) {
	t.Helper()
	if len(got) != len(want) {
		t.Fatalf("%s: the reference has %d samples, not %d", what, len(want), len(got))
	}
	worst, at := 0.0, 0
	for i := range got {
		if d := math.Abs(float64(got[i] - want[i])); d > worst {
			worst, at = d, i
		}
	}
	if worst > step {
		t.Errorf("%s: off by %.2f steps of 16 bits at %d", what, worst/step, at)
	}
}
