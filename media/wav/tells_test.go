package wav

import (
	"bytes"
	"encoding/binary"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"blendseam/outside"
)

// chunked is a WAVE file of a thousand silent samples with chunks between its header and
// its sound.
func chunked(channels int, chunks ...string) []byte {
	le := binary.LittleEndian
	chunk := func(id, body string) string {
		out := id + string(le.AppendUint32(nil, uint32(len(body)))) + body
		return out + strings.Repeat("\x00", len(body)%2)
	}
	format := le.AppendUint16(le.AppendUint16(nil, 1), uint16(channels))
	format = le.AppendUint32(le.AppendUint32(format, 48000), uint32(96000*channels))
	format = le.AppendUint16(le.AppendUint16(format, uint16(2*channels)), 16)
	body := "WAVE" + chunk("fmt ", string(format))
	for i := 0; i+1 < len(chunks); i += 2 {
		body += chunk(chunks[i], chunks[i+1])
	}
	return []byte(chunk("RIFF", body+chunk("data", strings.Repeat("\x00", 2000*channels))))
}

// A cue chunk and its list as Microsoft and IBM's "Multimedia Programming Interface and
// Data Specifications 1.0" (1991) lays them out, byte by byte: dwName, dwPosition,
// fccChunk, dwChunkStart, dwBlockStart, dwSampleOffset; labl and note with dwName and a
// text that ends with zero; ltxt with dwName, dwSampleLength, dwPurpose and four words.
func TestMarksAsPublished(t *testing.T) {
	cue := "\x03\x00\x00\x00" +
		"\x07\x00\x00\x00" + "\x00\x00\x00\x00" + "data" + "\x00\x00\x00\x00" + "\x00\x00\x00\x00" + "\xf4\x01\x00\x00" + // 500
		"\x02\x00\x00\x00" + "\x01\x00\x00\x00" + "data" + "\x00\x00\x00\x00" + "\x00\x00\x00\x00" + "\x0a\x00\x00\x00" + // 10
		"\x05\x00\x00\x00" + "\x02\x00\x00\x00" + "data" + "\x00\x00\x00\x00" + "\x00\x00\x00\x00" + "\x00\x10\x00\x00" // beyond the sound
	adtl := "adtl" +
		"note\x0a\x00\x00\x00\x07\x00\x00\x00later\x00" +
		"labl\x09\x00\x00\x00\x07\x00\x00\x00door\x00\x00" +
		"ltxt\x14\x00\x00\x00\x02\x00\x00\x00\x64\x00\x00\x00rgn \x00\x00\x00\x00\x00\x00\x00\x00" +
		"labl\x0a\x00\x00\x00\x02\x00\x00\x00caf\xe9!\x00" + // Latin-1
		"labl\x09\x00\x00\x00\x63\x00\x00\x00gone\x00\x00" // of no point
	want := []Mark{{At: 10, Length: 100, Text: "café!"}, {At: 500, Text: "door"}}
	for _, chunks := range [][]string{{"cue ", cue, "LIST", adtl}, {"LIST", adtl, "cue ", cue}} {
		file := chunked(1, chunks...)
		got, err := Read(bytes.NewReader(file), int64(len(file)))
		if err != nil || !reflect.DeepEqual(got.Marks, want) {
			t.Errorf("%+v %v, want %+v", got.Marks, err, want)
		}
	}
}

// Names of channels and the take that a file belongs to, as iXML's published description
// has them (from memory), and as recorders put them into bext (common practice).
func TestTracksOfRecorders(t *testing.T) {
	text := `<?xml version="1.0" encoding="UTF-8"?>
<BWFXML><IXML_VERSION>2.10</IXML_VERSION><PROJECT>Frost</PROJECT><TAKE>3</TAKE>
<FILE_SET><TOTAL_FILES>2</TOTAL_FILES><FAMILY_UID>F17</FAMILY_UID><FILE_SET_INDEX>B</FILE_SET_INDEX></FILE_SET>
<TRACK_LIST><TRACK_COUNT>3</TRACK_COUNT>
<TRACK><CHANNEL_INDEX>5</CHANNEL_INDEX><INTERLEAVE_INDEX>1</INTERLEAVE_INDEX><NAME>Boom &amp; air</NAME></TRACK>
<TRACK><CHANNEL_INDEX>2</CHANNEL_INDEX><INTERLEAVE_INDEX>3</INTERLEAVE_INDEX><NAME></NAME><FUNCTION>M-MID_SIDE</FUNCTION></TRACK>
<TRACK><CHANNEL_INDEX>9</CHANNEL_INDEX><INTERLEAVE_INDEX>9</INTERLEAVE_INDEX><NAME>beyond</NAME></TRACK>
</TRACK_LIST></BWFXML>`
	bext := make([]byte, bextLen)
	copy(bext, "sSCENE=4\r\nsTRK1=other\r\nsTRK2=Warden\r\nsTRK9=beyond\r\n")
	for _, one := range []struct {
		chunks []string
		tracks []string
		family string
	}{
		{[]string{"bext", string(bext), "iXML", text}, []string{"Boom & air", "", "M-MID_SIDE"}, "F17"},
		{[]string{"bext", string(bext)}, []string{"other", "Warden", ""}, ""},
		{[]string{"iXML", text[:len(text)/2]}, nil, ""}, // cut off
		{[]string{"iXML", "no XML"}, nil, ""},
		{nil, nil, ""},
	} {
		file := chunked(3, one.chunks...)
		got, err := Read(bytes.NewReader(file), int64(len(file)))
		if err != nil || !reflect.DeepEqual(got.Tracks, one.tracks) || got.Family != one.family {
			t.Errorf("%q %q %v, want %q %q", got.Tracks, got.Family, err, one.tracks, one.family)
		}
	}
}

// Marks that are written are read again, the file is as long as it says beforehand, and
// sox and ffmpeg find the same sound in it as in one without.
func TestMarksAreWritten(t *testing.T) {
	rng := rand.New(rand.NewPCG(17, 5))
	v := make([]float32, 5000)
	for i := range v {
		v[i] = float32(rng.Float64() - 0.5)
	}
	f := Format{Channels: 1, Rate: 48000, Bits: 24}
	write := func(m Meta) []byte {
		var b bytes.Buffer
		w, err := NewWriter(&b, f, int64(len(v)), false, m)
		if err != nil {
			t.Fatal(err)
		}
		if err := w.Write([][]float32{v}); err != nil {
			t.Fatal(err)
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		if n := SizeWith(f, int64(len(v)), m); n != int64(b.Len()) {
			t.Errorf("%d bytes, said to be %d", b.Len(), n)
		}
		return b.Bytes()
	}
	marks := []Mark{{At: 0, Text: "first"}, {At: 4800, Text: "zwölf, “quoted”"}, {At: 4800, Length: 100, Text: ""}, {At: 4999, Text: "odd"}}
	file := write(Meta{Marks: marks, Info: [][2]string{{"INAM", "x"}}})
	got, err := Read(bytes.NewReader(file), int64(len(file)))
	want := []Mark{marks[0], marks[1], marks[2], marks[3]}
	if err != nil || !reflect.DeepEqual(got.Marks, want) {
		t.Errorf("%+v, want %+v", got.Marks, want)
	}
	dir := t.TempDir()
	plain := filepath.Join(dir, "plain.wav")
	marked := filepath.Join(dir, "marked.wav")
	for name, b := range map[string][]byte{plain: write(Meta{}), marked: file} {
		if err := os.WriteFile(name, b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, args := range [][]string{{"sox", "-D", "IN", "-t", "raw", "-"}, {"ffmpeg", "-v", "error", "-i", "IN", "-f", "s24le", "-"}} {
		with := func(name string) string {
			own := append([]string(nil), args...)
			for i := range own {
				if own[i] == "IN" {
					own[i] = name
				}
			}
			return string(outside.Run(t, nil, own[0], own[1:]...))
		}
		if a, b := with(plain), with(marked); a != b || len(b) != 3*len(v) {
			t.Errorf("%s: %d bytes of sound, %d without marks", args[0], len(b), len(a))
		}
	}
}

// FuzzRead: whatever comes is refused, or its marks lie in the sound.
func FuzzRead(f *testing.F) {
	f.Add(chunked(2, "cue ", "\x01\x00\x00\x00\x01\x00\x00\x00\x00\x00\x00\x00data\x00\x00\x00\x00\x00\x00\x00\x00\x05\x00\x00\x00", "LIST", "adtllabl\x06\x00\x00\x00\x01\x00\x00\x00a\x00"))
	f.Add(chunked(1, "iXML", "<BWFXML><TRACK_LIST><TRACK><INTERLEAVE_INDEX>1</INTERLEAVE_INDEX><NAME>a</NAME></TRACK></TRACK_LIST></BWFXML>", "bext", strings.Repeat("sTRK1=a\n", 80)))
	f.Add([]byte("RF64\xff\xff\xff\xffWAVEds64\x1c\x00\x00\x00" + strings.Repeat("\x00", 40)))
	f.Fuzz(func(t *testing.T, file []byte) {
		got, err := Read(bytes.NewReader(file), int64(len(file)))
		if err != nil {
			return
		}
		if got.Tracks != nil && len(got.Tracks) != got.Channels || len(got.Marks) > mostMarks {
			t.Fatalf("%d names of %d channels, %d marks", len(got.Tracks), got.Channels, len(got.Marks))
		}
		sound, err := NewReader(bytes.NewReader(file), int64(len(file)))
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range got.Marks {
			if m.At < 0 || m.Length < 0 || m.At+m.Length > sound.Frames {
				t.Fatalf("%+v in %d samples", m, sound.Frames)
			}
		}
	})
}
