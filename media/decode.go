package media

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/frame"
	"github.com/mewkiz/flac/meta"

	"blendseam/media/wav"
)

// decoder gives the samples of a file from first to last.
type decoder interface {
	// Read fills the channels of dst and returns how many samples; io.EOF
	// after the last.
	Read(dst [][]float32) (int, error)
}

// description is what a file says of itself.
type description struct {
	format   string // in words
	rate     int
	channels int
	length   int64 // samples, 0 when it does not say
	stated   bool  // the length stands in the file and was not estimated
	missing  int64
	startTC  int64 // samples at rate from midnight, −1 when not known
	title    string
	late     float64 // seconds that the sound begins after the picture of the same file
}

// decode opens a file that Go reads by itself: WAVE or FLAC. It returns
// errForeign for all else.
func decode(f *os.File, name string) (decoder, description, error) {
	magic := make([]byte, 12)
	n, _ := f.ReadAt(magic, 0)
	magic = magic[:n]
	info, err := f.Stat()
	if err != nil {
		return nil, description{}, err
	}
	if bytes.HasPrefix(magic, []byte("fLaC")) {
		return openFLAC(f, name)
	}
	r, err := wav.NewReader(f, info.Size())
	switch {
	case errors.Is(err, wav.ErrNotWave), errors.Is(err, wav.ErrFormat):
		return nil, description{}, errForeign
	case errors.Is(err, wav.ErrNoData):
		return nil, description{}, &Problem{"noData", fmt.Sprintf("“%s” has a WAVE header but no sound behind it, as when a recorder is switched off before it has saved. Look for another copy of the file; nothing was kept.", name)}
	case err != nil:
		return nil, description{}, err
	}
	kind := "integer"
	if r.Float {
		kind = "float"
	}
	return r, description{
		format: fmt.Sprintf("WAV, %d-bit %s", r.Bits, kind), rate: r.Rate, channels: r.Channels, length: r.Frames, missing: r.Missing,
		startTC: r.TimeReference, title: r.Name,
	}, nil
}

// errForeign is returned for a file that is left to ffmpeg.
var errForeign = errors.New("not read in Go")

// flacDecoder walks a FLAC file frame by frame (RFC 9639).
type flacDecoder struct {
	stream *flac.Stream
	block  *frame.Frame
	at     int
	scale  float32
	lost   bool
}

func openFLAC(f *os.File, name string) (dec decoder, d description, err error) {
	broken := func(why any) error {
		return &Problem{"notSound", fmt.Sprintf("“%s” begins like a FLAC file but its header cannot be read (%v). Look for another copy of the file; nothing was kept.", name, why)}
	}
	// The parser may stumble over a file that was made to trip it.
	defer func() {
		if why := recover(); why != nil {
			dec, err = nil, broken(why)
		}
	}()
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, description{}, err
	}
	s, err := flac.Parse(f)
	if err != nil {
		return nil, description{}, broken(err)
	}
	if s.Info.NChannels == 0 || s.Info.SampleRate == 0 || s.Info.BitsPerSample == 0 {
		return nil, description{}, broken("it says that it has no sound")
	}
	d = description{
		format: fmt.Sprintf("FLAC, %d-bit", s.Info.BitsPerSample), rate: int(s.Info.SampleRate), channels: int(s.Info.NChannels),
		length: int64(s.Info.NSamples), startTC: -1,
	}
	for _, b := range s.Blocks {
		c, ok := b.Body.(*meta.VorbisComment)
		if !ok {
			continue
		}
		for _, tag := range c.Tags {
			switch tag[0] {
			case "TITLE", "title":
				d.title = tag[1]
			case "TIME_REFERENCE", "time_reference":
				if n, err := strconv.ParseInt(tag[1], 10, 64); err == nil && n >= 0 {
					d.startTC = n
				}
			}
		}
	}
	return &flacDecoder{stream: s, scale: 1 / float32(int64(1)<<(s.Info.BitsPerSample-1))}, d, nil
}

// Read implements decoder. A file that breaks off gives what is whole.
func (d *flacDecoder) Read(dst [][]float32) (int, error) {
	n := 0
	for n < len(dst[0]) {
		if d.block == nil || d.at == int(d.block.BlockSize) {
			block, err := d.next()
			if err != nil {
				d.lost = err != io.EOF
				break
			}
			if len(block.Subframes) < len(dst) {
				d.lost = true
				break
			}
			d.block, d.at = block, 0
		}
		k := min(len(dst[0])-n, int(d.block.BlockSize)-d.at)
		for ch := range dst {
			for i, s := range d.block.Subframes[ch].Samples[d.at : d.at+k] {
				dst[ch][n+i] = float32(s) * d.scale
			}
		}
		d.at += k
		n += k
	}
	if n == 0 {
		return 0, io.EOF
	}
	return n, nil
}

// next parses a block. A parser that stumbles ends the sound there.
func (d *flacDecoder) next() (block *frame.Frame, err error) {
	defer func() {
		if why := recover(); why != nil {
			block, err = nil, fmt.Errorf("broken block: %v", why)
		}
	}()
	block, err = d.stream.ParseNext()
	if err == nil {
		for _, s := range block.Subframes {
			if len(s.Samples) < int(block.BlockSize) {
				return nil, errors.New("a block lacks samples")
			}
		}
	}
	return block, err
}
