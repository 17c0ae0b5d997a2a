package delivery

import (
	"bytes"
	"crypto/md5" // #nosec: what the format prescribes
	"hash"
	"image"
	"io"
	"slices"
	"strconv"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/frame"
	"github.com/mewkiz/flac/meta"

	"blendseam/core/sound"
	"blendseam/media/wav"
)

// flacBlock is the number of samples in a FLAC block.
const flacBlock = 4096

// flacWriter writes a FLAC file (RFC 9639) of a length known beforehand, so
// that it can go down a pipe.
type flacWriter struct {
	enc    *flac.Encoder
	header frame.Header
	dither bool
	place  int64
	open   [][]int32 // the block that is being filled
	sum    hash.Hash // of the samples, RFC 9639 section 8.2
	bytes  []byte
}

func newFLACWriter(w io.Writer, s Spec, m wav.Meta, dither bool) (*flacWriter, error) {
	info := &meta.StreamInfo{
		BlockSizeMin: flacBlock, BlockSizeMax: flacBlock, SampleRate: uint32(s.rate()), NChannels: uint8(s.Channels),
		BitsPerSample: uint8(s.Bits), NSamples: uint64(s.length()),
	}
	tags := &meta.VorbisComment{Vendor: "Blend Seam", Tags: [][2]string{
		{"DESCRIPTION", m.Description}, {"TIME_REFERENCE", strconv.FormatInt(m.TimeReference, 10)},
	}}
	if s.Tags.Year == "" {
		tags.Tags = append(tags.Tags, [2]string{"DATE", m.Date})
	}
	for _, f := range s.Tags.fields() {
		tags.Tags = append(tags.Tags, [2]string{f.vorbis, f.value})
	}
	// The encoder counts the length anew, but leaves out a block that says 0.
	length := int64(8 + len(tags.Vendor))
	for _, t := range tags.Tags {
		length += int64(5 + len(t[0]) + len(t[1]))
	}
	blocks := []*meta.Block{{Header: meta.Header{Type: meta.TypeVorbisComment, Length: length}, Body: tags}}
	if b, kind, err := s.Tags.cover(); err != nil {
		return nil, err
	} else if b != nil {
		c, _, _ := image.DecodeConfig(bytes.NewReader(b))
		p := &meta.Picture{Type: 3, MIME: "image/" + kind, Width: uint32(c.Width), Height: uint32(c.Height), Depth: 24, Data: b} // 3 is the front cover
		blocks = append(blocks, &meta.Block{Header: meta.Header{Type: meta.TypePicture, Length: int64(32 + len(p.MIME) + len(b))}, Body: p})
	}
	enc, err := flac.NewEncoder(w, info, blocks...)
	if err != nil {
		return nil, err
	}
	channels := frame.ChannelsMono
	if s.Channels == 2 {
		channels = frame.ChannelsLR
	}
	return &flacWriter{
		enc: enc, dither: dither, place: m.TimeReference, sum: md5.New(), open: make([][]int32, s.Channels),
		header: frame.Header{HasFixedBlockSize: true, SampleRate: uint32(s.rate()), Channels: channels, BitsPerSample: uint8(s.Bits)},
	}, nil
}

// Write implements writer.
func (w *flacWriter) Write(src [][]float32) error { return w.put(src, len(src[0])) }

// Silence implements writer.
func (w *flacWriter) Silence(n int) error { return w.put(nil, n) }

// put writes so many samples, or as many of nothing.
func (w *flacWriter) put(src [][]float32, n int) error {
	for at := 0; at < n; {
		have := len(w.open[0])
		end := min(n, at+flacBlock-have)
		for ch := range w.open {
			w.open[ch] = slices.Grow(w.open[ch], end-at)[:have+end-at]
			if src == nil {
				clear(w.open[ch][have:])
				continue
			}
			sound.Wholes(w.open[ch][have:], src[ch][at:end], int(w.header.BitsPerSample), w.dither, w.place, ch)
		}
		w.place += int64(end - at)
		if at = end; len(w.open[0]) == flacBlock {
			if err := w.flush(); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *flacWriter) flush() error {
	w.bytes = w.bytes[:0]
	wide := int(w.header.BitsPerSample+7) / 8
	for i := range w.open[0] {
		for ch := range w.open {
			for k := range wide {
				w.bytes = append(w.bytes, byte(w.open[ch][i]>>(8*k)))
			}
		}
	}
	_, _ = w.sum.Write(w.bytes) // it does not fail
	f := &frame.Frame{Header: w.header}
	f.BlockSize = uint16(len(w.open[0]))
	for _, v := range w.open {
		f.Subframes = append(f.Subframes, &frame.Subframe{SubHeader: frame.SubHeader{Pred: frame.PredVerbatim}, Samples: v, NSamples: len(v)})
	}
	if err := w.enc.WriteFrame(f); err != nil {
		return err
	}
	for ch := range w.open {
		w.open[ch] = w.open[ch][:0]
	}
	return nil
}

// Close implements writer.
func (w *flacWriter) Close() error {
	if len(w.open[0]) > 0 {
		return w.flush()
	}
	return nil
}

// patches is the sum of all samples, which the header is to hold: after the mark, the
// header of its block and the 18 bytes before it.
func (w *flacWriter) patches() []Patch { return []Patch{{4 + 4 + 18, w.sum.Sum(nil)}} }
