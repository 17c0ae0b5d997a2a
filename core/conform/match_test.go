package conform

import (
	"testing"

	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// shelved is a reel of sources, and of a clip that plays each whole.
func shelved(t *testing.T, sources ...reel.Source) *reel.Reel {
	t.Helper()
	r, err := reel.New(reel.Props{Name: "x", SampleRate: 48000, FrameRate: timecode.Rate25}, reel.Starter)
	if err != nil {
		t.Fatal(err)
	}
	at := int64(0)
	for _, s := range sources {
		s.Right = -1
		done, err := (&reel.AddSource{Source: s}).Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		id := done.Made[0]
		track := r.Order()[0].ID
		if done, err = (&reel.Place{Source: id, Track: track, Start: at, Length: min(s.Length, 48000)}).Apply(done.Reel); err != nil {
			t.Fatal(err)
		}
		r, at = done.Reel, at+48000
	}
	return r
}

// A recording that is gone is found again by its name and length, by its timecode and
// length where it has another name, and never by chance: what only holds its timecode is
// named as what it may be, where nothing else does.
func TestGoneIsFoundAgain(t *testing.T) {
	const hour, day = 3600 * 48000, 24 * 3600 * 48000
	lost := reel.Source{Recording: "lost", Name: "scene 4 take 2", Length: 9 * 48000, StartTC: 10 * hour}
	for name, one := range map[string]struct {
		here []reel.Source
		is   int // place among those here, from 1
		why  string
		sure bool
	}{
		"its name, time and length":       {[]reel.Source{{Recording: "a", Name: "Scene 4 Take 2.wav", Length: lost.Length, StartTC: lost.StartTC}}, 1, "name, timecode and length", true},
		"its name, another length":        {[]reel.Source{{Recording: "a", Name: "scene 4 take 2", Length: 20 * 48000, StartTC: -1}}, 1, "name", true},
		"of two names the one as long":    {[]reel.Source{{Recording: "a", Name: "scene 4 take 2", Length: 20 * 48000, StartTC: -1}, {Recording: "b", Name: "SCENE 4 TAKE 2", Length: lost.Length + 900, StartTC: -1}}, 2, "name and length", true},
		"another name, its time, as long": {[]reel.Source{{Recording: "a", Name: "T0017", Length: lost.Length + 1900, StartTC: lost.StartTC - 1900}}, 1, "timecode and length", true},
		"its time alone":                  {[]reel.Source{{Recording: "a", Name: "B-roll", Length: 3 * hour, StartTC: 9 * hour}}, 1, "timecode only", false},
		"two of its time":                 {[]reel.Source{{Recording: "a", Name: "B-roll", Length: 3 * hour, StartTC: 9 * hour}, {Recording: "b", Name: "C", Length: 2 * hour, StartTC: 9 * hour}}, 0, "", false},
		"its name, of another time":       {[]reel.Source{{Recording: "a", Name: "scene 4 take 2", Length: lost.Length, StartTC: 3 * hour}}, 0, "", false},
		"as long as it, and no more":      {[]reel.Source{{Recording: "a", Name: "other", Length: lost.Length, StartTC: -1}}, 0, "", false},
		"nothing":                         {nil, 0, "", false},
		"its name, at the end of the day": {[]reel.Source{{Recording: "a", Name: "scene 4 take 2", Length: lost.Length, StartTC: day - 1}}, 0, "", false},
	} {
		r := shelved(t, append([]reel.Source{lost}, one.here...)...)
		gone := func(s reel.Source) bool { return s.Recording == "lost" }
		got := MissingOf(r, gone)
		if len(got) != 1 || got[0].Name != lost.Name || got[0].Clips != 1 {
			t.Fatalf("%s: %+v", name, got)
		}
		want := reel.ID(0)
		if one.is > 0 {
			for _, s := range r.Sources {
				if s.Recording == one.here[one.is-1].Recording {
					want = s.ID
				}
			}
		}
		m := got[0]
		if m.Match != want || m.Why != one.why || (m.Link != nil) != one.sure {
			t.Errorf("%s: it is %d by %q, sure %v; want %d by %q", name, m.Match, m.Why, m.Link != nil, want, one.why)
		}
		if m.Link == nil {
			continue
		}
		done, err := m.Link.Apply(r)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if left := MissingOf(done.Reel, gone); len(left) != 0 {
			t.Errorf("%s: linked, %+v is missing", name, left)
		}
	}
	if n := len(MissingOf(shelved(t, lost), nil)); n != 0 {
		t.Errorf("what is there is missing %d times", n)
	}
}

// Of a list it is told by what each source was found.
func TestWhyItIsThat(t *testing.T) {
	const hour = 3600 * 48000
	r := shelved(t,
		reel.Source{Recording: "a", Name: "warden take 3", Length: 60 * 48000, StartTC: 20 * hour},
		reel.Source{Recording: "b", Name: "roll seven", Length: 60 * 48000, StartTC: 4 * hour},
		reel.Source{Recording: "c", Name: "untimed", Length: 60 * 48000, StartTC: -1},
		reel.Source{Recording: "d", Name: "short", Length: 60 * 48000, StartTC: -1},
	)
	event := func(name, tape string, in, record int64) Event {
		return Event{Name: name, Tape: tape, SourceIn: in, Length: 48000, Record: record, Zero: -1}
	}
	c := Conform(List{Rate: r.Props.FrameRate, Hz: 48000, Tracks: []Track{{Name: "A1", Events: []Event{
		event("WARDEN TAKE 3.WAV", "", 20*hour+48000, 0),
		event("", "roll seven", 4*hour, 48000),
		event("untimed.wav", "", 0, 2*48000),
		event("elsewhere.wav", "", 20*hour, 3*48000),                                     // only the time is that of a take
		{Name: "short", SourceIn: 90 * 48000, Length: 48000, Record: 4 * 48000, Zero: 0}, // it counts from 0, and the take ends before
	}}}}, r)
	why := map[string]string{}
	for _, f := range c.Found {
		why[f.Source] = f.Why
	}
	if len(c.Found) != 3 || why["warden take 3"] != "name and timecode" || why["roll seven"] != "tape and timecode" && why["roll seven"] != "name and timecode" || why["untimed"] != "name" {
		t.Errorf("%+v", c.Found)
	}
	if len(c.Lacking) != 2 || c.Lacking[0].Name != "elsewhere.wav" || c.Lacking[1].Name != "short" {
		t.Errorf("%+v is lacking", c.Lacking)
	}
}
