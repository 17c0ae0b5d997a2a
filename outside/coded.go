package outside

import (
	"bytes"
	"fmt"
	"image/jpeg"
	"strings"
	"testing"
)

// Coded pictures carry their number: 20 blocks, the lowest bit first, black for
// 0 and white for 1, in two rows of ten.

const codedWidth, codedHeight, block = 320, 64, 32

// codedFrames are raw grey frames numbered from 0.
func codedFrames(n int) []byte {
	out := make([]byte, n*codedWidth*codedHeight)
	for k := range n {
		frame := out[k*codedWidth*codedHeight:][:codedWidth*codedHeight]
		for bit := range 20 {
			if k>>bit&1 == 0 {
				continue
			}
			for y := range block {
				row := frame[(bit/10*block+y)*codedWidth+bit%10*block:][:block]
				for x := range row {
					row[x] = 255
				}
			}
		}
	}
	return out
}

// CodedFile has ffmpeg write a file of n numbered frames at a rate, with other
// arguments that say how.
func CodedFile(t testing.TB, path string, n int, rate string, args ...string) {
	t.Helper()
	all := append([]string{"-v", "error", "-f", "rawvideo", "-pix_fmt", "gray", "-s", fmt.Sprintf("%dx%d", codedWidth, codedHeight), "-r", rate, "-i", "pipe:0"}, args...)
	Run(t, codedFrames(n), "ffmpeg", append(all, "-y", path)...)
}

// CodeOf is the number in a JPEG of a numbered frame.
func CodeOf(t testing.TB, b []byte) int {
	t.Helper()
	img, err := jpeg.Decode(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	n := 0
	for bit := range 20 {
		r, _, _, _ := img.At((bit%10*block+block/2)*w/codedWidth, (bit/10*block+block/2)*h/codedHeight).RGBA()
		if r > 0x8000 {
			n |= 1 << bit
		}
	}
	return n
}

// DecodedCode is the number in the frame that ffmpeg itself gives as the n-th.
func DecodedCode(t testing.TB, path string, n int) int {
	t.Helper()
	return CodeOf(t, FFmpeg(t, "-i", path, "-vf", fmt.Sprintf(`select=eq(n\,%d)`, n), "-fps_mode", "passthrough", "-frames:v", "1", "-pix_fmt", "yuvj420p", "-f", "image2pipe", "-c:v", "mjpeg", "-"))
}

// Says reports whether a text holds all of some words.
func Says(text string, words ...string) bool {
	for _, w := range words {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}
