package outside

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
)

// EBUR128 is what libebur128 tells of a sound.
type EBUR128 struct {
	Integrated float64 `json:"integrated"` // LUFS
	Range      float64 `json:"range"`      // LU
	Momentary  float64 `json:"momentary"`  // LUFS, the loudest of windows 10 ms apart
	ShortTerm  float64 `json:"shortTerm"`  // LUFS, likewise
	TruePeak   float64 `json:"truePeak"`   // factor of full scale
}

// meter is a program of a few lines around the library: interleaved float32 in, JSON out.
const meter = `#include <ebur128.h>
#include <stdio.h>
#include <stdlib.h>
int main(int argc, char **argv) {
  unsigned ch = atoi(argv[2]), rate = atoi(argv[1]);
  ebur128_state *s = ebur128_init(ch, rate, EBUR128_MODE_I | EBUR128_MODE_LRA | EBUR128_MODE_S | EBUR128_MODE_M | EBUR128_MODE_TRUE_PEAK);
  float *v = malloc(sizeof(float) * ch * (rate / 100));
  double m = -200, t = -200, x, p = 0, i, l;
  size_t n, hops = 0;
  while ((n = fread(v, sizeof(float) * ch, rate / 100, stdin)) > 0) {
    ebur128_add_frames_float(s, v, n);
    hops++;
    if (hops >= 40 && !ebur128_loudness_momentary(s, &x) && x > m) m = x;
    if (hops >= 300 && !ebur128_loudness_shortterm(s, &x) && x > t) t = x;
  }
  for (unsigned c = 0; c < ch; c++) if (!ebur128_true_peak(s, c, &x) && x > p) p = x;
  ebur128_loudness_global(s, &i);
  ebur128_loudness_range(s, &l);
  printf("{\"integrated\":%.6f,\"range\":%.6f,\"momentary\":%.6f,\"shortTerm\":%.6f,\"truePeak\":%.9f}", i, l, m, t, p);
  return 0;
}
`

var built struct {
	once sync.Once
	path string
	err  error
}

// Libebur128 measures a sound, a slice for each channel, with Debian's libebur128.
func Libebur128(t testing.TB, rate int, v ...[]float32) EBUR128 {
	t.Helper()
	built.once.Do(func() {
		dir, err := os.MkdirTemp("", "seam-meter-")
		if err != nil {
			built.err = err
			return
		}
		source := filepath.Join(dir, "meter.c")
		built.path = filepath.Join(dir, "meter")
		if built.err = os.WriteFile(source, []byte(meter), 0o600); built.err != nil {
			return
		}
		if out, err := exec.Command("gcc", "-O2", "-o", built.path, source, "-lebur128", "-lm").CombinedOutput(); err != nil {
			built.err = fmt.Errorf("libebur128-dev and gcc are needed; scripts/setup.sh test installs them: %w\n%s", err, out)
		}
	})
	if built.err != nil {
		t.Fatal(built.err)
	}
	all := make([]float32, 0, len(v)*len(v[0]))
	for i := range v[0] {
		for _, ch := range v {
			all = append(all, ch[i])
		}
	}
	var out EBUR128
	if err := json.Unmarshal(Run(t, Bytes(all), built.path, fmt.Sprint(rate), fmt.Sprint(len(v))), &out); err != nil {
		t.Fatal(err)
	}
	return out
}
