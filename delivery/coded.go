package delivery

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"time"

	"blendseam/media"
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

// codedTime bounds how long a file may take: it may be fetched over a line that is
// slower than it plays.
func codedTime(s Spec) time.Duration {
	return 10*time.Minute + 4*time.Duration(float64(s.To-s.From)/float64(s.Rate)*float64(time.Second))
}

// codedWriter has ffmpeg code what is written to it.
type codedWriter struct {
	cmd      *exec.Cmd
	in       io.WriteCloser
	said     bytes.Buffer
	buf      []byte
	channels int
	cancel   context.CancelFunc
	done     bool
	cover    string // a file, "" for none
}

// addCover has the file show a picture, where its kind can: ffmpeg reads it from a file.
func (w *codedWriter) addCover(s Spec) ([]string, error) {
	b, kind, err := s.Tags.cover()
	if err != nil || b == nil || s.File != MP3 {
		return nil, err
	}
	f, err := os.CreateTemp("", "cover-*."+kind)
	if err != nil {
		return nil, err
	}
	w.cover = f.Name()
	_, err = f.Write(b)
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		w.uncover()
		return nil, err
	}
	return []string{"-i", w.cover, "-map", "0:a", "-map", "1:v", "-c:v", "copy", "-disposition:v:0", "attached_pic"}, nil
}

func (w *codedWriter) uncover() {
	if w.cover != "" {
		_ = os.Remove(w.cover)
		w.cover = ""
	}
}

func newCodedWriter(ctx context.Context, w io.Writer, s Spec) (*codedWriter, error) {
	c := codings[s.File]
	ctx, cancel := context.WithTimeout(ctx, codedTime(s))
	kbits := s.Kbits
	if kbits == 0 {
		kbits = c.usual
	}
	out := &codedWriter{cancel: cancel, channels: s.Channels}
	args := []string{"-v", "error", "-nostdin", "-f", "f32le", "-ar", fmt.Sprint(s.rate()), "-ac", fmt.Sprint(s.Channels), "-i", "pipe:0"}
	cover, err := out.addCover(s)
	if err != nil {
		cancel()
		return nil, err
	}
	args = append(args, cover...)
	title, date := s.Meta.Description, s.Meta.Date
	args = append(args, "-map_metadata", "-1", "-metadata", "title="+title, "-metadata", "date="+date)
	for _, f := range s.Tags.fields() {
		args = append(args, "-metadata", f.ffmpeg+"="+f.value)
	}
	args = append(args, "-c:a", c.codec, "-b:a", fmt.Sprintf("%dk", kbits), "-f", c.format)
	if s.path != "" {
		args = append(args, "-y", s.path)
	} else {
		args = append(args, "pipe:1")
	}
	out.cmd = media.Helper(ctx, "ffmpeg", args...)
	if s.path == "" {
		out.cmd.Stdout = w
	}
	out.cmd.Stderr = &media.Limited{Buffer: &out.said, Most: 4096}
	in, err := out.cmd.StdinPipe()
	if err == nil {
		err = out.cmd.Start()
	}
	if err != nil {
		cancel()
		out.uncover()
		return nil, fmt.Errorf("ffmpeg cannot be run, which writes %s: %w", s.File, err)
	}
	out.in = in
	return out, nil
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
	if _, err := w.in.Write(w.buf); err != nil {
		return w.ended(err)
	}
	return nil
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
func (w *codedWriter) Close() error {
	w.done = true
	defer w.cancel()
	defer w.uncover()
	if err := w.in.Close(); err != nil {
		return w.ended(err)
	}
	if err := w.cmd.Wait(); err != nil {
		return w.ended(err)
	}
	return nil
}

// Drop ends the program where it was not closed.
func (w *codedWriter) Drop() {
	if w.done {
		return
	}
	w.cancel()
	w.uncover()
	_ = w.in.Close()
	_ = w.cmd.Wait() // it was ended
}

func (w *codedWriter) ended(err error) error {
	return fmt.Errorf("ffmpeg ended while it coded: %w %.300s", err, w.said.String())
}
