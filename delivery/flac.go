package delivery

import (
	"context"
	"fmt"
	"io"
	"strconv"

	"blendseam/media/wav"
)

// flacWriter has the reference encoder write a FLAC file (RFC 9639), of a length known
// beforehand, so that it can go down a pipe. It gets the integers that a WAVE file would
// hold.
type flacWriter struct {
	*piped
	raw *wav.Writer
}

func newFLACWriter(ctx context.Context, w io.Writer, s Spec, m wav.Meta, dither bool) (*flacWriter, error) {
	f := s.format()
	args := []string{
		"--silent", "--force", "--no-utf8-convert", "--force-raw-format", "--endian=little", "--sign=signed",
		"--channels=" + strconv.Itoa(f.Channels), "--bps=" + strconv.Itoa(f.Bits), "--sample-rate=" + strconv.Itoa(f.Rate),
		"--input-size=" + strconv.FormatInt(s.length()*int64(f.Channels*f.Bits/8), 10),
	}
	tag := func(name, value string) { args = append(args, "--tag="+name+"="+value) }
	tag("DESCRIPTION", m.Description)
	tag("TIME_REFERENCE", strconv.FormatInt(m.TimeReference, 10))
	if s.Tags.Year == "" {
		tag("DATE", m.Date)
	}
	for _, t := range s.Tags.fields() {
		tag(t.vorbis, t.value)
	}
	cover, kind, err := coverFile(s.Tags)
	if err != nil {
		return nil, err
	}
	if cover != "" {
		args = append(args, fmt.Sprintf("--picture=3|image/%s|||%s", kind, cover)) // 3 is the front cover
	}
	if s.path != "" {
		args = append(args, "-o", s.path, "-")
	} else {
		args = append(args, "--no-seektable", "--stdout", "-") // nothing can be gone back to
	}
	p, err := startPiped(ctx, w, s, cover, "flac", args...)
	if err != nil {
		return nil, err
	}
	return &flacWriter{p, wav.NewRawWriter(p.in, f, s.length(), dither, m.TimeReference)}, nil
}

// Write implements writer.
func (w *flacWriter) Write(src [][]float32) error { return w.told(w.raw.Write(src)) }

// Silence implements writer.
func (w *flacWriter) Silence(n int) error { return w.told(w.raw.Silence(n)) }

func (w *flacWriter) told(err error) error {
	if err != nil {
		return w.ended(err)
	}
	return nil
}

// Close implements writer.
func (w *flacWriter) Close() error {
	if err := w.raw.Close(); err != nil {
		return err
	}
	return w.finish()
}
