package delivery

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // covers
	_ "image/png"
	"strings"
)

// Tags are what a file says of itself, as far as its kind can: all of it MP3 and FLAC,
// WAV and Opus without a cover; AAC as a stream nothing.
type Tags struct {
	Title   string `json:"title,omitempty"`
	Artist  string `json:"artist,omitempty"`
	Album   string `json:"album,omitempty"`
	Year    string `json:"year,omitempty"`
	Comment string `json:"comment,omitempty"`
	Cover   string `json:"cover,omitempty"` // a PNG or JPEG, in base64
}

// Bounds of tags.
const (
	mostTag   = 500     // runes
	MostCover = 2 << 20 // bytes
	mostSide  = 4000    // pixels
)

func (t Tags) check() error {
	for _, f := range t.fields() {
		if len([]rune(f.value)) > mostTag {
			return fmt.Errorf("the %s has %d letters; a tag has at most %d", strings.ToLower(f.vorbis), len([]rune(f.value)), mostTag)
		}
		if strings.ContainsFunc(f.value, func(r rune) bool { return r < ' ' }) {
			return fmt.Errorf("the %s holds signs that are no letters", strings.ToLower(f.vorbis))
		}
	}
	_, _, err := t.cover()
	return err
}

// field is a tag by its names: in Vorbis comments, for ffmpeg, and in LIST INFO.
type field struct{ vorbis, ffmpeg, info, value string }

func (t Tags) fields() (out []field) {
	for _, f := range []field{
		{"TITLE", "title", "INAM", t.Title}, {"ARTIST", "artist", "IART", t.Artist}, {"ALBUM", "album", "IPRD", t.Album},
		{"DATE", "date", "ICRD", t.Year}, {"COMMENT", "comment", "ICMT", t.Comment},
	} {
		if f.value != "" {
			out = append(out, f)
		}
	}
	return out
}

// wav are the tags of a LIST INFO chunk.
func (t Tags) wav() (out [][2]string) {
	for _, f := range t.fields() {
		out = append(out, [2]string{f.info, f.value})
	}
	return out
}

// cover is the picture of a file and its kind; nil where there is none.
func (t Tags) cover() (b []byte, kind string, err error) {
	if t.Cover == "" {
		return nil, "", nil
	}
	if b, err = base64.StdEncoding.DecodeString(t.Cover); err != nil {
		return nil, "", errors.New("the cover is no picture that can be read. Choose a PNG or a JPEG")
	}
	if len(b) > MostCover {
		return nil, "", fmt.Errorf("the cover has %d bytes; at most %d MB are written. Choose a smaller one", len(b), MostCover>>20)
	}
	c, kind, err := image.DecodeConfig(bytes.NewReader(b))
	if err != nil || c.Width < 1 || c.Height < 1 || c.Width > mostSide || c.Height > mostSide {
		return nil, "", fmt.Errorf("the cover is no picture that can be read, up to %d pixels a side. Choose a PNG or a JPEG", mostSide)
	}
	return b, kind, nil
}
