// Package wav reads and writes WAVE files: RIFF with WAVE_FORMAT_EXTENSIBLE,
// the broadcast extension chunk bext (EBU Tech 3285), and RF64 with ds64 for
// files beyond 4 GiB (EBU Tech 3306).
package wav

import "errors"

// Format is how samples are stored.
type Format struct {
	Channels int
	Rate     int  // hertz
	Bits     int  // 8, 16, 24 or 32; 32 or 64 when Float
	Float    bool // IEEE 754 rather than integer
}

// frame is the size of one sample of all channels, in bytes.
func (f Format) frame() int64 { return int64(f.Channels) * int64(f.Bits/8) }

// Info is what a file says of itself.
type Info struct {
	Format
	Frames        int64  // samples a channel that are there
	Missing       int64  // samples that the header promises and the file lacks
	TimeReference int64  // samples from midnight, from bext; −1 when not said
	Description   string // from bext
	Name          string // INAM of the LIST INFO chunk
}

var (
	// ErrNotWave is returned for what is no WAVE file.
	ErrNotWave = errors.New("not a WAVE file")
	// ErrNoData is returned for a header that no sound follows.
	ErrNoData = errors.New("the file has a header but no sound data")
	// ErrFormat is returned for a WAVE file whose sound is stored in a way
	// that this package does not read, such as a compressed one.
	ErrFormat = errors.New("the sound is stored in a way that is not PCM")
)

// Format tags of the fmt chunk, and the first two bytes of the sub-format
// GUIDs of the extensible format.
const (
	tagPCM        = 1
	tagFloat      = 3
	tagExtensible = 0xfffe
)

// guidTail ends the sub-format GUIDs that stand for a format tag.
var guidTail = []byte{0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71}

const (
	unknown32  = 0xffffffff // a size to be found in ds64, or never written
	bextLen    = 602
	bextTimeAt = 338
)
