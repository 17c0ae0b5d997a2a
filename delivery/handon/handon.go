// Package handon writes a reel for other programs: an edit list with its sound beside it,
// as one archive.
package handon

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"path"
	"strings"
	"time"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/delivery"
	"blendseam/interchange/adl"
	"blendseam/media/wav"
)

// Write writes a reel as an audio decision list with its sound beside it, for programs
// that read AES31-3: a ZIP archive of the list and a broadcast WAVE file for each source
// that is heard, in 24 bits. Room tone that was grown is among them, and what has files of
// its own by choice. What the list does not hold is told.
func Write(ctx context.Context, w io.Writer, r *reel.Reel, which conform.Choice, open mix.Open, now time.Time, told func(int64)) (lost []string, err error) {
	if told == nil {
		told = func(int64) {}
	}
	r, made := which.Handed(r)
	open = opened(ctx, made, open)
	down, err := hold(r, made, open, told)
	if err != nil {
		return nil, err
	}
	files := soundsOf(r, made)
	done := int64(0) // what was made is heard before it is written
	for _, f := range made {
		done += f.Length
	}
	l, lost := handedList(r, files)
	z := zip.NewWriter(w)
	e, err := z.CreateHeader(&zip.FileHeader{Name: delivery.PlainName(r.Props.Name) + ".adl", Method: zip.Deflate, Modified: now})
	if err == nil {
		_, err = e.Write(adl.Write(l))
	}
	if err != nil {
		return nil, err
	}
	for _, f := range files {
		e, err := z.CreateHeader(&zip.FileHeader{Name: f.name, Method: zip.Store, Modified: now})
		if err == nil {
			err = f.write(ctx, e, r.Props, open, down[f.source.ID], now, func(n int64) { told(done + n) })
		}
		if err != nil {
			return nil, err
		}
		done += f.length
	}
	return lost, z.Close()
}

// handedList is a reel as a list whose files hold one source each, and what it does not
// hold.
func handedList(r *reel.Reel, files []soundFile) (conform.List, []string) {
	l, lost := conform.FromReel(written(r), func(src reel.Source) string {
		for _, f := range files {
			if f.source.ID == src.ID {
				return f.name
			}
		}
		return src.Name
	})
	for t := range l.Tracks {
		for i := range l.Tracks[t].Events {
			e := &l.Tracks[t].Events[i]
			e.Tape = strings.TrimSuffix(path.Base(e.File), ".wav")
			if e.Left, e.Right = 1, min(e.Right, 2); e.Right == 1 {
				e.Right = 2
			}
		}
	}
	return l, append(lost, adl.Cannot(l)...)
}

// Loses is what a list with its sound does not hold, in words.
func Loses(r *reel.Reel, which conform.Choice) []string {
	r, made := which.Handed(r)
	_, lost := handedList(r, soundsOf(r, made))
	return lost
}

// Samples is how many samples are heard and written in all, for telling how far it is.
func Samples(r *reel.Reel, which conform.Choice) (n int64) {
	r, made := which.Handed(r)
	for _, f := range soundsOf(r, made) {
		n += f.length
	}
	for _, f := range made {
		n += f.Length
	}
	return n
}

// soundFile is a source as it is written.
type soundFile struct {
	source reel.Source
	name   string
	length int64
	folder string // of what was made: it is rendered, so it has dither
}

// toneHandle is how much of grown room tone is written beyond what is heard, in seconds.
const toneHandle = 10

// soundsOf are the sources that clips play, each with a name of its own.
func soundsOf(r *reel.Reel, made map[reel.ID]conform.Own) (out []soundFile) {
	heard := map[reel.ID]int64{} // how far each is played
	for _, c := range r.Clips {
		heard[c.Source] = max(heard[c.Source], c.Offset+c.Length)
	}
	var names []string
	for _, s := range r.Sources {
		if n := heard[s.ID]; n > 0 && !s.Shows() && !s.Missing() {
			f := soundFile{source: s, length: s.Length, folder: made[s.ID].Folder}
			if s.Bed.Grown() {
				f.length = min(s.Length, n+toneHandle*int64(r.Props.SampleRate))
			}
			out, names = append(out, f), append(names, s.Name)
		}
	}
	for i, name := range delivery.FileNames(names) {
		out[i].name = path.Join(out[i].folder, name+".wav")
	}
	return out
}

// written is the reel as a list writes it whose files hold all that sources are made of:
// nothing in it is grown, fitted or merged any more.
func written(r *reel.Reel) *reel.Reel {
	out := *r
	out.Sources = append([]reel.Source(nil), r.Sources...)
	for i := range out.Sources {
		s := &out.Sources[i]
		if !s.Shows() {
			s.Bed, s.Fit, s.Former = reel.Bed{}, reel.Fit{}, ""
		}
	}
	return &out
}

// write writes a source as a broadcast WAVE file, by so many dB lower.
func (f soundFile) write(ctx context.Context, w io.Writer, p reel.Props, open mix.Open, down float64, now time.Time, told func(int64)) error {
	in, err := open(f.source)
	if err != nil {
		return err
	}
	channels := min(in.Channels(), 2)
	meta := wav.Meta{Description: f.source.Name, TimeReference: max(f.source.StartTC, 0), Date: now.Format(time.DateOnly), Time: now.Format(time.TimeOnly)}
	out, err := wav.NewWriter(w, wav.Format{Channels: channels, Rate: p.SampleRate, Bits: 24}, f.length, f.folder != "", meta)
	if err != nil {
		return err
	}
	v := make([][]float32, channels)
	for at := int64(0); at < f.length; {
		if err := ctx.Err(); err != nil {
			return err
		}
		n := min(1<<16, f.length-at)
		for ch := range v {
			v[ch] = make([]float32, n)
			if err := readPart(in, v[ch], ch, at); err != nil {
				return fmt.Errorf("“%s”: %w", f.source.Name, err)
			}
			if by := float32(gain.FromDB(-down)); by != 1 {
				for i := range v[ch] {
					v[ch][i] *= by
				}
			}
		}
		if err := out.Write(v); err != nil {
			return err
		}
		at += n
		told(at)
	}
	return out.Close()
}

// readPart reads samples, silent beyond the end of what there is.
func readPart(in sound.Reader, dst []float32, ch int, at int64) error {
	n := min(max(in.Len()-at, 0), int64(len(dst)))
	clear(dst[n:])
	if n == 0 {
		return nil
	}
	return in.ReadAt(dst[:n], ch, at)
}
