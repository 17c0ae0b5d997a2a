// Command picture draws the demo's pictures: a camera on each of the two who
// speak, whose mouths move with the sound of their takes, and a still of the
// glasshouse. Timecode is in the frame. It writes small WebM files and a PNG
// into demo/picture. Run it from the project's root: go run ./demo/gen/picture
package main

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/png"
	"log"
	"math"
	"os"
	"os/exec"
	"path/filepath"

	"blendseam/core/timecode"
)

const (
	width  = 320
	height = 180
	fps    = 25
	rate   = 48000
)

// scene is one camera.
type scene struct {
	name  string
	take  string // whose sound moves the mouth
	start string // timecode of its first frame
	left  bool   // who is seen looks to the left
	coat  color.RGBA
	hair  color.RGBA
	wall  color.RGBA
}

func main() {
	log.SetFlags(0)
	for _, s := range []scene{
		{"warden camera", "warden take 3", "20:14:00:00", false, rgb(0x3d5a78), rgb(0x4a3a2c), rgb(0x23332b)},
		{"grower camera", "grower take 2", "20:14:02:00", true, rgb(0xa4602f), rgb(0x1e1a18), rgb(0x2e3a2a)},
	} {
		check(s.film())
	}
	wide := canvas{image.NewRGBA(image.Rect(0, 0, 960, 540)), 3}
	wide.house(rgb(0x1b2722))
	wide.figure(100, 118, 0.55, false, rgb(0x3d5a78), rgb(0x4a3a2c), 0)
	wide.figure(222, 118, 0.55, true, rgb(0xa4602f), rgb(0x1e1a18), 0)
	var b bytes.Buffer
	check(png.Encode(&b, wide.img))
	check(os.WriteFile("demo/picture/glasshouse wide.png", b.Bytes(), 0o644))
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func rgb(v uint32) color.RGBA { return color.RGBA{uint8(v >> 16), uint8(v >> 8), uint8(v), 255} }

// film draws every frame of a take and has ffmpeg write it as WebM.
func (s scene) film() error {
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", filepath.Join("demo/sound", s.take+".flac"), "-ac", "1", "-ar", "48000", "-f", "f32le", "-").Output()
	if err != nil {
		return err
	}
	sound := make([]float64, len(raw)/4)
	for i := range sound {
		sound[i] = float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[4*i:])))
	}
	first, err := timecode.Rate25.Parse(s.start)
	if err != nil {
		return err
	}
	frames := len(sound) * fps / rate
	cmd := exec.Command("ffmpeg", "-v", "error", "-f", "rawvideo", "-pix_fmt", "rgba", "-s", "320x180", "-r", "25", "-i", "-",
		"-c:v", "libvpx", "-b:v", "120k", "-crf", "16", "-g", "50", "-pix_fmt", "yuv420p", "-metadata", "timecode="+s.start, "-bitexact", "-threads", "1", "-y", "demo/picture/"+s.name+".webm")
	cmd.Stderr = os.Stderr
	in, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	open := 0.0
	for n := range frames {
		part := sound[n*rate/fps : min((n+1)*rate/fps, len(sound))]
		loud := 0.0
		for _, v := range part {
			loud += v * v
		}
		want := math.Min(math.Max(20*math.Log10(math.Sqrt(loud/float64(len(part)))+1e-9)+40, 0)/22, 1)
		open += (want - open) * 0.7
		c := canvas{image.NewRGBA(image.Rect(0, 0, width, height)), 1}
		c.house(s.wall)
		sway := math.Sin(float64(n)/37) * 2
		c.figure(160+sway, 150, 1.5, s.left, s.coat, s.hair, open)
		c.text(8, 162, s.name, rgb(0xe9e4d8))
		c.text(width-8-11*7, 162, timecode.Rate25.Format(first+int64(n)), rgb(0xe9e4d8))
		if _, err := in.Write(c.img.Pix); err != nil {
			return err
		}
	}
	if err := in.Close(); err != nil {
		return err
	}
	return cmd.Wait()
}

// canvas draws in a space of 320 by 180, scale times as large.
type canvas struct {
	img   *image.RGBA
	scale float64
}

// fill paints where a shape is.
func (c canvas) fill(x0, y0, x1, y1 float64, col color.RGBA, in func(x, y float64) bool) {
	b := c.img.Bounds()
	for y := max(int(y0*c.scale), 0); y < min(int(y1*c.scale)+1, b.Dy()); y++ {
		for x := max(int(x0*c.scale), 0); x < min(int(x1*c.scale)+1, b.Dx()); x++ {
			if in == nil || in((float64(x)+0.5)/c.scale, (float64(y)+0.5)/c.scale) {
				c.img.SetRGBA(x, y, col)
			}
		}
	}
}

func (c canvas) ellipse(cx, cy, rx, ry float64, col color.RGBA) {
	c.fill(cx-rx, cy-ry, cx+rx, cy+ry, col, func(x, y float64) bool {
		dx, dy := (x-cx)/rx, (y-cy)/ry
		return dx*dx+dy*dy <= 1
	})
}

// house is the glasshouse at night: panes, benches and their plants.
func (c canvas) house(wall color.RGBA) {
	c.fill(0, 0, width, height, wall, nil)
	pane := color.RGBA{wall.R + 14, wall.G + 18, wall.B + 22, 255}
	for x := 6.0; x < width; x += 44 {
		c.fill(x, 8, x+36, 96, pane, nil)
	}
	bar := color.RGBA{wall.R / 2, wall.G / 2, wall.B / 2, 255}
	c.fill(0, 50, width, 53, bar, nil)
	c.fill(0, 112, width, 120, rgb(0x5a4632), nil)
	for x := 14.0; x < width; x += 29 {
		c.ellipse(x, 104, 10, 13, rgb(0x3f5c37))
		c.ellipse(x+4, 100, 3, 3, rgb(0xb0322c))
	}
	c.fill(0, 120, width, height, color.RGBA{wall.R - 10, wall.G - 12, wall.B - 10, 255}, nil)
}

// figure is one who speaks: a coat, a head that looks to one side, a mouth.
func (c canvas) figure(x, y, size float64, left bool, coat, hair color.RGBA, open float64) {
	way := 1.0
	if left {
		way = -1
	}
	skin := rgb(0xd9b08c)
	c.ellipse(x, y+24*size, 40*size, 42*size, coat)
	c.fill(x-7*size, y-30*size, x+7*size, y-10*size, skin, nil)
	c.ellipse(x, y-46*size, 19*size, 24*size, skin)
	c.fill(x-20*size, y-72*size, x+20*size, y-50*size, hair, func(px, py float64) bool {
		dx, dy := (px-x)/(20*size), (py-(y-48*size))/(24*size)
		return dx*dx+dy*dy <= 1
	})
	c.ellipse(x+way*7*size, y-46*size, 2*size, 2.4*size, rgb(0x1a1a1a))
	c.ellipse(x-way*5*size, y-46*size, 1.8*size, 2.4*size, rgb(0x1a1a1a))
	c.ellipse(x+way*16*size, y-41*size, 5*size, 4*size, skin)
	c.ellipse(x+way*3*size, y-31*size, 6*size, (1+6*open)*size, rgb(0x5c1f1c))
}

// glyphs are letters and digits, five wide and seven high, a row a number.
var glyphs = map[rune][7]uint8{
	'0': {14, 17, 19, 21, 25, 17, 14}, '1': {4, 12, 4, 4, 4, 4, 14}, '2': {14, 17, 1, 2, 4, 8, 31}, '3': {31, 2, 4, 2, 1, 17, 14},
	'4': {2, 6, 10, 18, 31, 2, 2}, '5': {31, 16, 30, 1, 1, 17, 14}, '6': {6, 8, 16, 30, 17, 17, 14}, '7': {31, 1, 2, 4, 8, 8, 8},
	'8': {14, 17, 17, 14, 17, 17, 14}, '9': {14, 17, 17, 15, 1, 2, 12}, ':': {0, 4, 4, 0, 4, 4, 0}, ' ': {},
	'a': {0, 0, 14, 1, 15, 17, 15}, 'c': {0, 0, 14, 16, 16, 17, 14}, 'd': {1, 1, 13, 19, 17, 17, 15}, 'e': {0, 0, 14, 17, 31, 16, 14},
	'g': {0, 15, 17, 17, 15, 1, 14}, 'm': {0, 0, 26, 21, 21, 17, 17}, 'n': {0, 0, 22, 25, 17, 17, 17}, 'o': {0, 0, 14, 17, 17, 17, 14},
	'r': {0, 0, 22, 25, 16, 16, 16}, 'w': {0, 0, 17, 17, 21, 21, 10},
}

// text writes with a dark ground behind it.
func (c canvas) text(x, y float64, s string, col color.RGBA) {
	c.fill(x-3, y-3, x+7*float64(len(s))+1, y+10, rgb(0x101214), nil)
	for i, r := range s {
		for row, bits := range glyphs[r] {
			for k := range 5 {
				if bits>>(4-k)&1 == 1 {
					px, py := x+float64(7*i+k), y+float64(row)
					c.fill(px, py, px+0.5, py+0.5, col, nil)
				}
			}
		}
	}
}
