package media

import (
	"errors"
	"io/fs"
	"math"

	"blendseam/media/wav"
)

// Tells is what the file of a recording tells besides its sound, its places in samples at
// a rate. What is no WAVE file, or not kept, tells nothing.
func (l *Library) Tells(hash string, rate int) (wav.Tells, error) {
	f, err := l.Original(hash)
	if errors.Is(err, fs.ErrNotExist) {
		return wav.Tells{}, nil
	}
	if err != nil {
		return wav.Tells{}, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return wav.Tells{}, err
	}
	out, err := wav.Read(f, info.Size())
	if err != nil {
		return wav.Tells{}, nil // it is of another kind
	}
	by := float64(rate) / float64(out.Rate)
	for i, m := range out.Marks {
		out.Marks[i].At, out.Marks[i].Length = int64(math.Round(float64(m.At)*by)), int64(math.Round(float64(m.Length)*by))
	}
	return out, nil
}
