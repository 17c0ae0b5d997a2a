package delivery

import (
	"io"
	"strconv"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/frame"
	"github.com/mewkiz/flac/meta"

	"blendseam/core/sound"
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
}

func newFLACWriter(w io.Writer, s Spec, dither bool) (*flacWriter, error) {
	info := &meta.StreamInfo{
		BlockSizeMin: flacBlock, BlockSizeMax: flacBlock, SampleRate: uint32(s.Rate), NChannels: uint8(s.Channels),
		BitsPerSample: uint8(s.Bits), NSamples: uint64(s.To - s.From),
	}
	tags := &meta.VorbisComment{Vendor: "Blend Seam", Tags: [][2]string{
		{"DESCRIPTION", s.Meta.Description}, {"TIME_REFERENCE", strconv.FormatInt(s.Meta.TimeReference, 10)}, {"DATE", s.Meta.Date},
	}}
	// The encoder counts the length anew, but leaves out a block that says 0.
	length := int64(8 + len(tags.Vendor))
	for _, t := range tags.Tags {
		length += int64(5 + len(t[0]) + len(t[1]))
	}
	enc, err := flac.NewEncoder(w, info, &meta.Block{Header: meta.Header{Type: meta.TypeVorbisComment, Length: length}, Body: tags})
	if err != nil {
		return nil, err
	}
	channels := frame.ChannelsMono
	if s.Channels == 2 {
		channels = frame.ChannelsLR
	}
	return &flacWriter{
		enc: enc, dither: dither, place: s.Meta.TimeReference, open: make([][]int32, s.Channels),
		header: frame.Header{HasFixedBlockSize: true, SampleRate: uint32(s.Rate), Channels: channels, BitsPerSample: uint8(s.Bits)},
	}, nil
}

// Write implements writer.
func (w *flacWriter) Write(src [][]float32) error {
	for i := range src[0] {
		for ch := range src {
			w.open[ch] = append(w.open[ch], sound.Whole(src[ch][i], int(w.header.BitsPerSample), w.dither, w.place, ch))
		}
		w.place++
		if len(w.open[0]) == flacBlock {
			if err := w.flush(); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *flacWriter) flush() error {
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
