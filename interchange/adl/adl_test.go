package adl

import (
	"errors"
	"strings"
	"testing"

	"blendseam/core/conform"
	"blendseam/core/timecode"
)

// sample is a list as AES31-3 describes one (from memory), in the hand of a program that
// writes Windows paths, no remarks, and crossfades by overlapping.
const sample = `<ADL>
	<VERSION>
		(ADL_ID)	"06,64,43,52,01,01,01,04,01,02,03,04"
		(VER_ADL_VERSION)	01
	</VERSION>
	<PROJECT>
		(PROJ_TITLE)	"Boathouse"
	</PROJECT>
	<SEQUENCE>
		(SEQ_SAMPLE_RATE)	S48000
		(SEQ_FRAME_RATE)	25
		(SEQ_DEST_START)	01.00.00.00/0000
	</SEQUENCE>
	<TRACKLIST>
		(Track)	1	"Boom"
		(Track)	2	"Music"
		(Track)	3	"Music"
	</TRACKLIST>
	<SOURCE_INDEX>
		(Index)	0001	(F)	"URL:file://localhost/D:/Sound%20Roll%201/T01.WAV"	_	10.00.00.00/0000	00.05.00.00/0000	"T01"	N
		(Index)	0002	(F)	"\\SERVER\share\music\Bed.wav"	_	00.00.00.00/0000	00.02.00.00/0000	"Bed"	N
	</SOURCE_INDEX>
	<EVENT_LIST>
		(Entry)	0001	(Cut)	I	0001	1	1	10.00.05.00/0100	01.00.01.00/0000	01.00.03.00/0960	R
			(Outfade)	00.00.00.01/0000	LIN	_	_	_
		(Entry)	0002	(Cut)	I	0001	1	1	10.01.00.00/0000	01.00.02.24/0960	01.00.05.00/0000	R
			(Infade)	00.00.00.01/0000	LIN	_	_	_
			(Gain)	_	-3.50
		(Entry)	0003	(Silence)	I	_	1	1	_	01.00.05.00/0000	01.00.06.00/0000	R
		(Entry)	0004	(Cut)	I	0002	1~2	2~3	00.00.10.00/0000	01.00.00.00/0000	01.00.08.00/0000	R
	</EVENT_LIST>
</ADL>`

func TestReadsAnothersHand(t *testing.T) {
	l, err := Read([]byte(sample), 48000)
	if err != nil {
		t.Fatal(err)
	}
	if l.Rate != timecode.Rate25 || l.StartFrame != 90000 || l.Title != "Boathouse" || len(l.Tracks) != 2 || len(l.Notes) > 0 {
		t.Fatalf("%+v", l)
	}
	boom, music := l.Tracks[0], l.Tracks[1]
	if boom.Name != "Boom" || len(boom.Events) != 2 || music.Name != "Music" || len(music.Events) != 1 {
		t.Fatalf("%+v", l.Tracks)
	}
	a, b := boom.Events[0], boom.Events[1]
	const frame, hour = 1920, 36000 * 48000
	// The overlap of 1920 samples is a blend about its middle.
	if a.Record != 25*frame || a.Length != 50*frame || a.SourceIn != hour+125*frame+100 || a.File != "T01.WAV" || a.Zero != hour {
		t.Errorf("%+v", a)
	}
	if b.Blend == nil || b.Blend.Before != 960 || b.Blend.After != 960 || b.Blend.Law != "constantGain" || b.GainDB != -3.5 || b.Record != 75*frame {
		t.Errorf("%+v %+v", b, b.Blend)
	}
	if m := music.Events[0]; m.File != "Bed.wav" || m.Left != 1 || m.Right != 2 || m.Record != 0 || m.Length != 200*frame {
		t.Errorf("%+v", m)
	}
	// As Latin-1 it reads the same.
	if l, err := Read([]byte(strings.Replace(sample, "Boathouse", "Caf\xe9", 1)), 48000); err != nil || l.Title != "Café" {
		t.Errorf("%q %v", l.Title, err)
	}
	// At another sample rate places stay where they are.
	l96, err := Read([]byte(sample), 96000)
	if err != nil || l96.Tracks[0].Events[0].SourceIn != 2*a.SourceIn {
		t.Errorf("%v", err)
	}
}

func TestWhatCannotBeRead(t *testing.T) {
	for what, c := range map[string]struct{ old, now, says string }{
		"no list":      {sample, "hello", "does not begin with <ADL>"},
		"no rate":      {"(SEQ_FRAME_RATE)\t25", "(SEQ_FRAME_RATE)\t17", ""},
		"no events":    {"(Entry)", "(Nothing)", "No event"},
		"bad time":     {"10.01.00.00/0000", "10.61.00.00/0000", "Line 26"},
		"no time":      {"10.01.00.00/0000", "later", "is no time"},
		"backwards":    {"01.00.05.00/0000	R", "01.00.01.00/0000	R", "ends where it begins"},
		"not in index": {"I	0002	1~2", "I	0007	1~2", "not in the index"},
		"short":        {"I	0002	1~2	2~3	00.00.10.00/0000	01.00.00.00/0000	01.00.08.00/0000	R", "I", "lacks some"},
	} {
		_, err := Read([]byte(strings.ReplaceAll(sample, c.old, c.now)), 48000)
		var p *conform.Problem
		if c.says == "" {
			if err != nil { // the marks tell it
				t.Errorf("%s: %v", what, err)
			}
			continue
		}
		if !errors.As(err, &p) || !strings.Contains(p.Detail, c.says) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// FuzzRead: whatever comes is refused, or is a list whose events lie one after the other.
func FuzzRead(f *testing.F) {
	f.Add([]byte(sample))
	f.Add([]byte("<ADL>(Entry) 1 (Cut) I 1 1 1 00:00:00:00 00:00:00:00 00:00:00:01"))
	f.Fuzz(func(t *testing.T, b []byte) {
		l, err := Read(b, 48000)
		if err != nil {
			return
		}
		for _, tr := range l.Tracks {
			at := int64(0)
			for _, e := range tr.Events {
				if e.Record < at || e.Length < 1 {
					t.Fatalf("%+v", tr.Events)
				}
				at = e.End()
			}
		}
		_ = Write(l)
	})
}
