package wav

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"

	"blendseam/core/sound"
)

// Meta is what is written beside the samples.
type Meta struct {
	TimeReference int64  // samples from midnight of the first sample
	Description   string // at most 256 bytes
	Date          string // yyyy-mm-dd
	Time          string // hh:mm:ss
	// Info are tags of a LIST INFO chunk: their four letters, and text.
	Info [][2]string
	// Marks are written as points of a cue chunk with their labels. Those beyond what 32
	// bits can tell are left out.
	Marks []Mark
}

// Loudness is what bext of version 2 tells of the sound (EBU Tech 3285 v2).
type Loudness struct {
	LUFS, Range, TruePeak, Momentary, ShortTerm float64
}

// Places in bext.
const (
	bextVersionAt  = 346
	bextLoudnessAt = 412
)

// LoudnessAt is what is to be written, and where, into a file of a header, to tell its
// loudness: the version of bext up to its loudness fields.
func LoudnessAt(f Format, frames int64, meta Meta, l Loudness) (int64, []byte) {
	at := bytes.Index(header(f, frames, meta), []byte("bext")) + 8 + bextVersionAt
	b := make([]byte, bextLoudnessAt-bextVersionAt+10)
	binary.LittleEndian.PutUint16(b, 2)
	for i, v := range []float64{l.LUFS, l.Range, l.TruePeak, l.Momentary, l.ShortTerm} {
		n := math.Round(100 * v)
		if !(n >= -9999 && n <= 9999) {
			n = 0x7fff // not told
		}
		binary.LittleEndian.PutUint16(b[bextLoudnessAt-bextVersionAt+2*i:], uint16(int16(n)))
	}
	return int64(at), b
}

// Writer writes a WAVE file of a length known beforehand, so that it can go
// down a pipe.
type Writer struct {
	w      io.Writer
	f      Format
	frames int64 // samples in all
	left   int64 // samples still to come
	place  int64 // of the next sample, for the dither
	dither bool
	raw    bool // samples alone, no file
	buf    []byte
	whole  []int32 // room for the samples of a channel
}

// NewWriter writes the header of a file of so many samples a channel. It
// becomes RF64 when it passes 4 GiB. Integer samples are rounded; with dither
// they are first given triangular dither of one step.
func NewWriter(w io.Writer, f Format, frames int64, dither bool, meta Meta) (*Writer, error) {
	if f.Channels < 1 || f.Channels > sound.MaxChannels || frames < 0 || (f.Float && f.Bits != 32) || (!f.Float && f.Bits != 16 && f.Bits != 24) {
		return nil, fmt.Errorf("a WAVE file is written with 16 or 24-bit integers or 32-bit floats, not %+v", f)
	}
	_, err := w.Write(header(f, frames, meta))
	return &Writer{w: w, f: f, frames: frames, left: frames, dither: dither && !f.Float, place: meta.TimeReference}, err
}

// NewRawWriter writes the samples of such a file alone, the first of them at a place, for
// a program that is told their format.
func NewRawWriter(w io.Writer, f Format, frames int64, dither bool, place int64) *Writer {
	return &Writer{w: w, f: f, frames: frames, left: frames, dither: dither && !f.Float, place: place, raw: true}
}

// Size is the length in bytes of a file of so many samples a channel.
func Size(f Format, frames int64) int64 { return SizeWith(f, frames, Meta{}) }

// SizeWith is Size with what is written beside the samples.
func SizeWith(f Format, frames int64, meta Meta) int64 {
	n := frames * f.frame()
	return int64(len(header(f, frames, meta))) + n + n%2
}

func header(f Format, frames int64, meta Meta) []byte {
	le := binary.LittleEndian
	dataLen := frames * f.frame()
	body := make([]byte, 0, 1024)
	extensible := f.Float || f.Bits > 16 || f.Channels > 2
	fmtLen := uint32(16)
	tag := uint16(tagPCM)
	if extensible {
		fmtLen, tag = 40, tagExtensible
	}
	body = le.AppendUint32(append(body, "fmt "...), fmtLen)
	body = le.AppendUint16(body, tag)
	body = le.AppendUint16(body, uint16(f.Channels))
	body = le.AppendUint32(body, uint32(f.Rate))
	body = le.AppendUint32(body, uint32(int64(f.Rate)*f.frame()))
	body = le.AppendUint16(body, uint16(f.frame()))
	body = le.AppendUint16(body, uint16(f.Bits))
	if extensible {
		mask := uint32(1<<f.Channels - 1)
		if f.Channels == 1 {
			mask = 4 // front centre
		}
		sub := uint16(tagPCM)
		if f.Float {
			sub = tagFloat
		}
		body = le.AppendUint16(body, 22)
		body = le.AppendUint16(body, uint16(f.Bits))
		body = le.AppendUint32(body, mask)
		body = append(le.AppendUint16(body, sub), guidTail...)
	}
	if f.Float {
		body = le.AppendUint32(append(body, "fact"...), 4)
		body = le.AppendUint32(body, uint32(min(frames, unknown32)))
	}
	bext := make([]byte, bextLen)
	copy(bext[:256], meta.Description)
	copy(bext[256:288], "Blend Seam")
	copy(bext[320:330], meta.Date)
	copy(bext[330:338], meta.Time)
	le.PutUint64(bext[bextTimeAt:], uint64(meta.TimeReference))
	le.PutUint16(bext[346:], 1) // version
	body = le.AppendUint32(append(body, "bext"...), bextLen)
	body = append(body, bext...)
	if len(meta.Info) > 0 {
		list := []byte("INFO")
		for _, tag := range meta.Info {
			text := append([]byte(tag[1]), 0)
			list = le.AppendUint32(append(list, tag[0][:4]...), uint32(len(text)))
			if list = append(list, text...); len(text)%2 == 1 {
				list = append(list, 0)
			}
		}
		body = le.AppendUint32(append(body, "LIST"...), uint32(len(list)))
		body = append(body, list...)
	}
	body = appendMarks(body, meta.Marks)

	riffLen := 4 + int64(len(body)) + 8 + dataLen + dataLen%2
	long := riffLen+36 >= unknown32
	var out []byte
	if long {
		out = le.AppendUint32(append(out, "RF64"...), unknown32)
		out = append(out, "WAVEds64"...)
		out = le.AppendUint32(out, 28)
		out = le.AppendUint64(out, uint64(riffLen+36))
		out = le.AppendUint64(out, uint64(dataLen))
		out = le.AppendUint64(out, uint64(frames))
		out = le.AppendUint32(out, 0)
	} else {
		out = le.AppendUint32(append(out, "RIFF"...), uint32(riffLen))
		out = append(out, "WAVE"...)
	}
	out = append(append(out, body...), "data"...)
	if long {
		return le.AppendUint32(out, unknown32)
	}
	return le.AppendUint32(out, uint32(dataLen))
}

// Write appends samples, a slice for each channel.
func (w *Writer) Write(src [][]float32) error {
	n := len(src[0])
	if int64(n) > w.left {
		return fmt.Errorf("%d samples more than the header says", int64(n)-w.left)
	}
	size := w.f.frame()
	if need := n * int(size); cap(w.buf) < need {
		w.buf = make([]byte, need)
	}
	b := w.buf[:n*int(size)]
	for ch, v := range src {
		w.lay(b, v, ch)
	}
	w.left -= int64(n)
	w.place += int64(n)
	_, err := w.w.Write(b)
	return err
}

// Silence is Write of so many samples of nothing, which is not dithered.
func (w *Writer) Silence(n int) error {
	if int64(n) > w.left {
		return fmt.Errorf("%d samples more than the header says", int64(n)-w.left)
	}
	w.left -= int64(n)
	w.place += int64(n)
	for left := int64(n) * w.f.frame(); left > 0; {
		part := nothing[:min(left, int64(len(nothing)))]
		if _, err := w.w.Write(part); err != nil {
			return err
		}
		left -= int64(len(part))
	}
	return nil
}

var nothing [1 << 16]byte

// lay puts the samples of a channel into the frames of a block.
func (w *Writer) lay(b []byte, v []float32, ch int) {
	le, size := binary.LittleEndian, int(w.f.frame())
	wide := w.f.Bits / 8
	at := ch * wide
	if w.f.Float {
		for _, s := range v {
			le.PutUint32(b[at:], math.Float32bits(s))
			at += size
		}
		return
	}
	if cap(w.whole) < len(v) {
		w.whole = make([]int32, len(v))
	}
	whole := w.whole[:len(v)]
	sound.Wholes(whole, v, w.f.Bits, w.dither, w.place, ch)
	if wide == 2 {
		for _, q := range whole {
			le.PutUint16(b[at:], uint16(q))
			at += size
		}
		return
	}
	for _, q := range whole {
		to := b[at : at+3 : at+3]
		to[0], to[1], to[2] = byte(q), byte(q>>8), byte(q>>16)
		at += size
	}
}

// Close pads the file to an even length. It fails when samples are lacking.
func (w *Writer) Close() error {
	if w.left != 0 {
		return fmt.Errorf("%d samples fewer than the header says", w.left)
	}
	if !w.raw && w.frames*w.f.frame()%2 == 1 {
		_, err := w.w.Write([]byte{0})
		return err
	}
	return nil
}
