package outside

import (
	"bytes"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sort"
	"testing"
)

// SpeechSets are the folders of recorded voices that tests of accuracy use: the
// announcements of Debian's packages asterisk-core-sounds-en-g722 and
// asterisk-core-sounds-fr-g722, some 20 minutes each, of one speaker each.
var SpeechSets = []string{"en_US_f_Allison", "fr_CA_f_June"}

// TrialSets are folders of recorded voices: a man in Italian and a woman in Russian, of
// Debian's packages asterisk-core-sounds-it-g722 and asterisk-core-sounds-ru-g722, some 20
// minutes each. The limits for clicks, tones and expanded rooms were chosen with their
// results in view, so these voices no longer test those limits independently.
var TrialSets = []string{"it_IT_m_Carlo", "ru_RU_f_IvrvoiceRU"}

// FreshSet is a folder of recorded voices that no limit was chosen on: Spanish, of
// Debian's package asterisk-core-sounds-es-g722. The English set has the same speaker.
const FreshSet = "es_MX_f_Allison"

// Trials returns the trial sets, and the fresh set too if whole is set.
func Trials(whole bool) []string {
	if !whole {
		return TrialSets
	}
	return append(TrialSets[:len(TrialSets):len(TrialSets)], FreshSet)
}

// Speech are recordings of a set at 48 kHz, of so many seconds each at least. Of
// the files every n-th is taken, 1 for all.
func Speech(t testing.TB, set string, seconds float64, nth int) [][]float32 {
	t.Helper()
	files, _ := filepath.Glob("/usr/share/asterisk/sounds/" + set + "/*.g722")
	if len(files) < 100 {
		t.Fatalf("the voices of %s are missing; scripts/setup.sh test installs them", set)
	}
	sort.Strings(files)
	// A byte of G.722 is two samples at 16 kHz, and six at 48. All are decoded as
	// one, which takes a moment instead of minutes.
	var all bytes.Buffer
	var lengths []int
	n := 0
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		// The sounds of monkeys are no speech, and have a noise of their own under them.
		if float64(len(b)) < 8000*seconds || filepath.Base(f) == "tt-monkeys.g722" {
			continue
		}
		if n++; n%nth != 0 {
			continue
		}
		all.Write(b)
		lengths = append(lengths, 6*len(b))
	}
	v := Floats(Run(t, all.Bytes(), "ffmpeg", "-v", "error", "-f", "g722", "-i", "pipe:0", "-ac", "1", "-ar", "48000", "-f", "f32le", "-"))
	var out [][]float32
	for at, i := 0, 0; i < len(lengths); i++ {
		end := min(at+lengths[i], len(v))
		out = append(out, v[at:end:end])
		at = end
	}
	return out
}

// Instruments are the recordings of Debian's package sonic-pi-samples whose
// names begin with one of some words, at 48 kHz.
func Instruments(t testing.TB, words ...string) [][]float32 {
	t.Helper()
	var out [][]float32
	for _, w := range words {
		files, _ := filepath.Glob("/usr/share/sonic-pi/samples/" + w + "*.flac")
		if len(files) == 0 {
			t.Fatal("sonic-pi-samples is missing; scripts/setup.sh test installs it")
		}
		for _, f := range files {
			out = append(out, Floats(FFmpeg(t, "-i", f, "-ac", "1", "-ar", "48000", "-f", "f32le", "-")))
		}
	}
	return out
}

// Noise is made-up noise at a level in dBFS: white, pink (P. Kellet's filter,
// from memory) or brown (integrated, leaking below 15 Hz).
func Noise(colour string, rng *rand.Rand, n int, db float64) []float32 {
	x := make([]float64, n)
	var b [7]float64
	var power float64
	for i := range x {
		w := rng.NormFloat64()
		switch colour {
		case "white":
			x[i] = w
		case "pink":
			b[0] = 0.99886*b[0] + w*0.0555179
			b[1] = 0.99332*b[1] + w*0.0750759
			b[2] = 0.96900*b[2] + w*0.1538520
			b[3] = 0.86650*b[3] + w*0.3104856
			b[4] = 0.55000*b[4] + w*0.5329522
			b[5] = -0.7616*b[5] - w*0.0168980
			x[i] = b[0] + b[1] + b[2] + b[3] + b[4] + b[5] + b[6] + w*0.5362
			b[6] = w * 0.115926
		case "brown":
			b[0] = 0.998*b[0] + w
			x[i] = b[0]
		}
		power += x[i] * x[i]
	}
	g := math.Pow(10, db/20) / math.Sqrt(power/float64(n))
	out := make([]float32, n)
	for i := range out {
		out[i] = float32(x[i] * g)
	}
	return out
}
