// Package outside runs the reference programs that tests hold numbers against.
package outside

import (
	"bytes"
	"encoding/binary"
	"math"
	"os/exec"
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
