// Package outside runs the reference programs that tests hold numbers against.
package outside

import (
	"bytes"
	"encoding/binary"
	"math"
	"os/exec"
	"path/filepath"
	"testing"
)

// Run runs a program on some input and gives what it wrote; the test fails
// when the program does.
func Run(t testing.TB, stdin []byte, name string, args ...string) []byte {
	t.Helper()
	cmd := exec.Command(name, args...)
	cmd.Stdin = bytes.NewReader(stdin)
	var errs bytes.Buffer
	cmd.Stderr = &errs
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("%s %v: %v\n%s", name, args, err, errs.String())
	}
	return out
}

// FFmpeg runs ffmpeg.
func FFmpeg(t testing.TB, args ...string) []byte {
	t.Helper()
	return Run(t, nil, "ffmpeg", append([]string{"-v", "error"}, args...)...)
}

// Voices are recordings of a speaking person: the channel announcements of
// Debian's package alsa-utils, at 48 kHz.
func Voices(t testing.TB) [][]float32 {
	t.Helper()
	files, _ := filepath.Glob("/usr/share/sounds/alsa/*_*.wav")
	if len(files) < 8 {
		t.Fatal("the recorded voices of Debian's package alsa-utils are missing; scripts/setup.sh test installs them")
	}
	var out [][]float32
	for _, f := range files {
		out = append(out, Floats(FFmpeg(t, "-i", f, "-ac", "1", "-ar", "48000", "-f", "f32le", "-")))
	}
	return out
}

// Floats reads little-endian float32 samples.
func Floats(b []byte) []float32 {
	v := make([]float32, len(b)/4)
	for i := range v {
		v[i] = math.Float32frombits(binary.LittleEndian.Uint32(b[4*i:]))
	}
	return v
}

// Bytes writes samples as little-endian float32.
func Bytes(v []float32) []byte {
	b := make([]byte, 0, 4*len(v))
	for _, s := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(s))
	}
	return b
}
