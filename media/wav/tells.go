package wav

import (
	"cmp"
	"encoding/binary"
	"encoding/xml"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Mark is a place of a file, or a stretch, with a word on it: a point of its cue chunk
// with the label, note and length that its adtl list gives (Microsoft and IBM, Multimedia
// Programming Interface and Data Specifications 1.0, 1991).
type Mark struct {
	At     int64 // samples of the file
	Length int64 // 0 for a place
	Text   string
}

// Tells is what a WAVE file tells of itself besides its sound.
type Tells struct {
	Rate     int // hertz, of all places
	Channels int
	Marks    []Mark // by their places
	// Tracks are the names of its channels, "" where one has none: of iXML (TRACK_LIST),
	// else of the lines sTRK1=… that recorders put into the description of bext (common
	// practice).
	Tracks []string
	// Family names the take that a file belongs to with others, and Index which of them it
	// is, as iXML's FILE_SET has them; "" where it stands for itself.
	Family string
	Index  string
	Files  int // of the take
}

// mostMarks bounds how many are read.
const mostMarks = 10_000

// Read reads what a file of the given size tells. What cannot be read is left out.
func Read(r io.ReaderAt, size int64) (Tells, error) {
	sound, err := NewReader(r, size)
	if err != nil {
		return Tells{}, err
	}
	out := Tells{Rate: sound.Rate, Channels: sound.Channels}
	cues := map[uint32]*Mark{}
	var lists [][]byte
	var long int64 = -1
	_ = walk(r, size, func(id string, at, n int64, body io.Reader) (int64, error) {
		take := func() []byte {
			b, _ := io.ReadAll(io.LimitReader(body, maxMeta))
			return b
		}
		switch id {
		case "ds64":
			if b := take(); len(b) >= 16 {
				long = int64(binary.LittleEndian.Uint64(b[8:]))
			}
		case "data":
			if n == unknown32 && long >= 0 {
				return long, nil
			}
		case "cue ":
			readCues(take(), sound.Frames, cues)
		case "LIST":
			lists = append(lists, take())
		case "iXML":
			out.readXML(take())
		}
		return n, nil
	})
	for _, b := range lists {
		if len(b) >= 4 && string(b[:4]) == "adtl" {
			readLabels(b[4:], sound.Frames, cues)
		}
	}
	for _, m := range cues {
		out.Marks = append(out.Marks, *m)
	}
	slices.SortFunc(out.Marks, func(a, b Mark) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Length, b.Length), strings.Compare(a.Text, b.Text))
	})
	if out.Tracks == nil {
		out.readTrackLines(sound.Description)
	}
	return out, nil
}

// readCues reads the points of a cue chunk that lie in the sound.
func readCues(b []byte, frames int64, cues map[uint32]*Mark) {
	if len(b) < 4 {
		return
	}
	count := binary.LittleEndian.Uint32(b)
	for b = b[4:]; len(b) >= 24 && count > 0 && len(cues) < mostMarks; b, count = b[24:], count-1 {
		if at := int64(binary.LittleEndian.Uint32(b[20:])); at <= frames {
			cues[binary.LittleEndian.Uint32(b)] = &Mark{At: at}
		}
	}
}

// readLabels reads what an adtl list says of points: a label before a note before the
// text of a stretch.
func readLabels(b []byte, frames int64, cues map[uint32]*Mark) {
	said := map[uint32]string{}
	for len(b) >= 8 {
		id, n := string(b[:4]), int(binary.LittleEndian.Uint32(b[4:]))
		if n < 0 || n > len(b)-8 {
			return
		}
		body := b[8 : 8+n]
		b = b[min(8+n+n%2, len(b)):]
		if len(body) < 4 {
			continue
		}
		key := binary.LittleEndian.Uint32(body)
		m := cues[key]
		if m == nil {
			continue
		}
		words := body[4:]
		if id == "ltxt" {
			if len(body) < 20 {
				continue
			}
			m.Length = min(int64(binary.LittleEndian.Uint32(body[4:])), frames-m.At)
			words = body[20:]
		}
		if t := text(words); t != "" && (m.Text == "" || id < said[key]) { // labl, ltxt, note
			m.Text, said[key] = t, id
		}
	}
}

// ixml is what is read of an iXML chunk, as its published specification has it (from
// memory, version 2).
type ixml struct {
	Set struct {
		Total  int    `xml:"TOTAL_FILES"`
		Family string `xml:"FAMILY_UID"`
		Index  string `xml:"FILE_SET_INDEX"`
	} `xml:"FILE_SET"`
	Tracks []struct {
		Channel    int    `xml:"CHANNEL_INDEX"`
		Interleave int    `xml:"INTERLEAVE_INDEX"`
		Name       string `xml:"NAME"`
		Function   string `xml:"FUNCTION"`
	} `xml:"TRACK_LIST>TRACK"`
}

func (t *Tells) readXML(b []byte) {
	var x ixml
	in := xml.NewDecoder(strings.NewReader(strings.ToValidUTF8(strings.TrimRight(string(b), "\x00"), "?")))
	in.Strict = false
	in.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil } // it was made UTF-8
	if err := in.Decode(&x); err != nil {
		return
	}
	t.Family, t.Index, t.Files = strings.TrimSpace(x.Set.Family), strings.TrimSpace(x.Set.Index), x.Set.Total
	for _, k := range x.Tracks {
		n := cmp.Or(k.Interleave, k.Channel)
		if name := strings.TrimSpace(cmp.Or(k.Name, k.Function)); n >= 1 && n <= t.Channels && name != "" {
			t.name(n, name)
		}
	}
}

var trackLine = regexp.MustCompile(`(?mi)^\s*[sz]?TRK(\d{1,2})=(.*)$`)

func (t *Tells) readTrackLines(description string) {
	for _, m := range trackLine.FindAllStringSubmatch(description, -1) {
		n, _ := strconv.Atoi(m[1])
		if name := strings.TrimSpace(m[2]); n >= 1 && n <= t.Channels && name != "" {
			t.name(n, name)
		}
	}
}

// name gives a channel, from 1, its name.
func (t *Tells) name(n int, name string) {
	if t.Tracks == nil {
		t.Tracks = make([]string, t.Channels)
	}
	t.Tracks[n-1] = name
}
