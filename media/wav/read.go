package wav

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strings"
	"unicode/utf8"
)

// Reader gives the samples of a WAVE file from first to last.
type Reader struct {
	Info
	data io.Reader
	buf  []byte
}

// maxMeta bounds how much of a descriptive chunk is read.
const maxMeta = 1 << 20

// NewReader reads the header of a file of the given size. A data chunk that
// ends early is not an error: Missing tells how much is lacking.
func NewReader(r io.ReaderAt, size int64) (*Reader, error) {
	head := make([]byte, 12)
	if _, err := r.ReadAt(head, 0); err != nil {
		return nil, ErrNotWave
	}
	id := string(head[:4])
	if (id != "RIFF" && id != "RF64" && id != "BW64") || string(head[8:]) != "WAVE" {
		return nil, ErrNotWave
	}
	out := &Reader{Info: Info{TimeReference: -1}}
	var dataAt, dataLen, longLen int64 = -1, 0, -1
	err := walk(r, size, func(id string, at, n int64, body io.Reader) (long int64, err error) {
		switch id {
		case "ds64":
			b := make([]byte, 16)
			if _, err := io.ReadFull(body, b); err == nil {
				longLen = int64(binary.LittleEndian.Uint64(b[8:]))
			}
		case "fmt ":
			return n, out.readFormat(body)
		case "bext":
			out.readBext(body)
		case "LIST":
			out.readList(body)
		case "data":
			if dataAt >= 0 {
				break
			}
			dataAt, dataLen = at, n
			if n == unknown32 && longLen >= 0 {
				dataLen = longLen
			} else if n == unknown32 {
				dataLen = size - dataAt // written to a pipe: all that follows is sound
			}
			return dataLen, nil
		}
		return n, nil
	})
	if err != nil {
		return nil, err
	}
	if dataAt < 0 || out.Channels == 0 {
		return nil, ErrNoData
	}
	frame := out.frame()
	have := min(dataLen, size-dataAt)
	if dataLen < 0 {
		have = size - dataAt
	}
	out.Frames = have / frame
	out.Missing = max(dataLen/frame-out.Frames, 0)
	if out.Frames == 0 {
		return nil, ErrNoData
	}
	out.data = io.NewSectionReader(r, dataAt, out.Frames*frame)
	return out, nil
}

// walk goes from chunk to chunk of a file of the given size: what each is, where its body
// begins and how long it says that is. do tells how long it really is.
func walk(r io.ReaderAt, size int64, do func(id string, at, n int64, body io.Reader) (int64, error)) error {
	chunk := make([]byte, 8)
	for at := int64(12); at+8 <= size; {
		if _, err := r.ReadAt(chunk, at); err != nil {
			return nil // what is there was walked through
		}
		n := int64(binary.LittleEndian.Uint32(chunk[4:]))
		n, err := do(string(chunk[:4]), at+8, n, io.NewSectionReader(r, at+8, min(n, size-at-8)))
		if err != nil {
			return err
		}
		if n < 0 || n > size {
			return nil
		}
		at += 8 + n + n%2
	}
	return nil
}

func (r *Reader) readFormat(body io.Reader) error {
	b := make([]byte, 40)
	n, _ := io.ReadFull(body, b)
	if n < 16 {
		return ErrNoData // cut off within the header
	}
	tag := binary.LittleEndian.Uint16(b)
	r.Channels = int(binary.LittleEndian.Uint16(b[2:]))
	r.Rate = int(binary.LittleEndian.Uint32(b[4:]))
	r.Bits = int(binary.LittleEndian.Uint16(b[14:]))
	if tag == tagExtensible && n >= 40 && bytes.Equal(b[26:40], guidTail) {
		tag = binary.LittleEndian.Uint16(b[24:])
	}
	r.Float = tag == tagFloat
	align := int(binary.LittleEndian.Uint16(b[12:]))
	switch {
	case tag != tagPCM && tag != tagFloat:
		return fmt.Errorf("%w (format tag %d)", ErrFormat, tag)
	case r.Channels < 1 || r.Rate < 1:
		return fmt.Errorf("%w: it says %d channels at %d Hz", ErrFormat, r.Channels, r.Rate)
	case r.Float && r.Bits != 32 && r.Bits != 64, !r.Float && r.Bits != 8 && r.Bits != 16 && r.Bits != 24 && r.Bits != 32:
		return fmt.Errorf("%w: %d bits a sample", ErrFormat, r.Bits)
	case align != r.Channels*r.Bits/8:
		return fmt.Errorf("%w: its samples are padded", ErrFormat)
	}
	return nil
}

func (r *Reader) readBext(body io.Reader) {
	b, _ := io.ReadAll(io.LimitReader(body, bextLen))
	if len(b) < bextTimeAt+8 {
		return
	}
	r.Description = text(b[:256])
	if t := binary.LittleEndian.Uint64(b[bextTimeAt:]); t < math.MaxInt64 {
		r.TimeReference = int64(t)
	}
}

func (r *Reader) readList(body io.Reader) {
	b, _ := io.ReadAll(io.LimitReader(body, maxMeta))
	if len(b) < 4 || string(b[:4]) != "INFO" {
		return
	}
	for b = b[4:]; len(b) >= 8; {
		n := int(binary.LittleEndian.Uint32(b[4:]))
		if n < 0 || n > len(b)-8 {
			return
		}
		if string(b[:4]) == "INAM" {
			r.Name = text(b[8 : 8+n])
		}
		b = b[min(8+n+n%2, len(b)):]
	}
}

func text(b []byte) string {
	if i := bytes.IndexByte(b, 0); i >= 0 {
		b = b[:i]
	}
	if !utf8.Valid(b) { // Latin-1, as programs before Unicode wrote it
		out := make([]rune, len(b))
		for i, c := range b {
			out[i] = rune(c)
		}
		return strings.TrimSpace(string(out))
	}
	return strings.TrimSpace(string(b))
}

// Read fills the channels of dst, all of one length, with the next samples and
// returns how many; io.EOF after the last.
func (r *Reader) Read(dst [][]float32) (int, error) {
	frame := int(r.frame())
	if need := len(dst[0]) * frame; cap(r.buf) < need {
		r.buf = make([]byte, need)
	}
	got, err := io.ReadFull(r.data, r.buf[:len(dst[0])*frame])
	n := got / frame
	if n == 0 {
		if err == io.ErrUnexpectedEOF {
			err = io.EOF
		}
		return 0, err
	}
	for ch := range dst {
		r.decode(dst[ch][:n], r.buf[ch*r.Bits/8:], frame)
	}
	return n, nil
}

// decode takes one channel out of interleaved samples.
func (r *Reader) decode(dst []float32, b []byte, frame int) {
	switch {
	case r.Float && r.Bits == 32:
		for i := range dst {
			dst[i] = math.Float32frombits(binary.LittleEndian.Uint32(b[i*frame:]))
		}
	case r.Float:
		for i := range dst {
			dst[i] = float32(math.Float64frombits(binary.LittleEndian.Uint64(b[i*frame:])))
		}
	case r.Bits == 8:
		for i := range dst {
			dst[i] = float32(int(b[i*frame])-128) / (1 << 7)
		}
	case r.Bits == 16:
		for i := range dst {
			dst[i] = float32(int16(binary.LittleEndian.Uint16(b[i*frame:]))) / (1 << 15)
		}
	case r.Bits == 24:
		for i := range dst {
			p := b[i*frame : i*frame+3]
			dst[i] = float32(int32(uint32(p[0])<<8|uint32(p[1])<<16|uint32(p[2])<<24)>>8) / (1 << 23)
		}
	default:
		for i := range dst {
			dst[i] = float32(int32(binary.LittleEndian.Uint32(b[i*frame:]))) / (1 << 31)
		}
	}
}
