package delivery

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"math"
)

// coding is how ffmpeg writes a kind of file that holds less than what was heard.
type coding struct {
	codec, format, ending, mime string
	least, usual, most          int   // kbit/s
	rates                       []int // that it holds; empty for any
}

var codings = map[File]coding{
	MP3:  {"libmp3lame", "mp3", "mp3", "audio/mpeg", 64, 192, 320, []int{44100, 48000}},
	Opus: {"libopus", "ogg", "opus", "audio/ogg", 32, 128, 510, []int{48000}},
	AAC:  {"aac", "adts", "aac", "audio/aac", 64, 192, 512, nil},
}

// whole reports whether a kind of file holds samples as they are.
func (f File) whole() bool { _, coded := codings[f]; return !coded }

// Ending is that of the file's name.
func (f File) Ending() string {
	if c, ok := codings[f]; ok {
		return c.ending
	}
	return string(f)
}

// Type is the media type of the file.
func (f File) Type() string {
	if c, ok := codings[f]; ok {
		return c.mime
	}
	return "audio/" + string(f)
}

// rate is what the file is coded at: that of the reel, or the highest that it holds.
func (c coding) rate(of int) int {
	best := of
	for i, r := range c.rates {
		if r == of {
			return of
		}
		if i == 0 || r > best || best == of {
			best = r
		}
	}
	return best
}

// codedWriter has ffmpeg code what is written to it.
type codedWriter struct {
	*piped
	buf      []byte
	channels int
}

func newCodedWriter(ctx context.Context, w io.Writer, s Spec) (*codedWriter, error) {
	c := codings[s.File]
	args := []string{"-v", "error", "-nostdin", "-f", "f32le", "-ar", fmt.Sprint(s.rate()), "-ac", fmt.Sprint(s.Channels), "-i", "pipe:0"}
	cover := ""
	if s.File == MP3 {
		var err error
		if cover, _, err = coverFile(s.Tags); err != nil {
			return nil, err
		}
	}
	if cover != "" {
		args = append(args, "-i", cover, "-map", "0:a", "-map", "1:v", "-c:v", "copy", "-disposition:v:0", "attached_pic")
	}
	args = append(args, "-map_metadata", "-1", "-metadata", "title="+s.Meta.Description, "-metadata", "date="+s.Meta.Date)
	for _, f := range s.Tags.fields() {
		args = append(args, "-metadata", f.ffmpeg+"="+f.value)
	}
	args = append(args, "-c:a", c.codec, "-b:a", fmt.Sprintf("%dk", cmp.Or(s.Kbits, c.usual)), "-f", c.format)
	if s.path != "" {
		args = append(args, "-y", s.path)
	} else {
		args = append(args, "pipe:1")
	}
	p, err := startPiped(ctx, w, s, cover, "ffmpeg", args...)
	if err != nil {
		return nil, err
	}
	return &codedWriter{piped: p, channels: s.Channels}, nil
}

// Write implements writer. What is beyond full scale is held there, as decoders differ
// in what they do with it.
func (w *codedWriter) Write(src [][]float32) error {
	w.buf = w.buf[:0]
	for i := range src[0] {
		for ch := range src {
			v := min(max(src[ch][i], -1), 1)
			b := math.Float32bits(v)
			w.buf = append(w.buf, byte(b), byte(b>>8), byte(b>>16), byte(b>>24))
		}
	}
	return w.send(w.buf)
}

// Silence implements writer.
func (w *codedWriter) Silence(n int) error {
	v := make([][]float32, w.channels)
	for ch := range v {
		v[ch] = make([]float32, n)
	}
	return w.Write(v)
}

// Close implements writer.
func (w *codedWriter) Close() error { return w.finish() }
