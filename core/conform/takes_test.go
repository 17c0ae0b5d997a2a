package conform

import (
	"slices"
	"testing"

	"blendseam/core/reel"
)

// Takes are found by what files tell and by names and timecodes; what only looks like one
// is none.
func TestTakes(t *testing.T) {
	const s = 48000
	source := func(name string, at, length int64) reel.Source {
		return reel.Source{Recording: name, Name: name, Length: length, StartTC: at}
	}
	for what, one := range map[string]struct {
		sources  []reel.Source
		families []string
		want     []string // their names in order
		how      Joining
		name     string
	}{
		"numbers that go on":      {[]reel.Source{source("T1_2", 110*s, 5*s), source("T1_1", 100*s, 10*s+200), source("T1_10", 115*s, s)}, nil, []string{"T1_1", "T1_2", "T1_10"}, After, "T1"},
		"a gap between":           {[]reel.Source{source("T1_1", 100*s, 10*s), source("T1_2", 111*s, 5*s)}, nil, nil, "", ""},
		"takes of one name":       {[]reel.Source{source("warden take 3", 100*s, 10*s), source("warden take 5", 900*s, 10*s)}, nil, nil, "", ""},
		"without timecodes":       {[]reel.Source{source("T1_1", -1, 10*s), source("T1_2", -1, 10*s)}, nil, nil, "", ""},
		"a family":                {[]reel.Source{source("roll B", 60*s, 5*s), source("first", 50*s, 10*s)}, []string{"F", "F"}, []string{"first", "roll B"}, After, "first"},
		"two families":            {[]reel.Source{source("T1_1", 50*s, 10*s), source("T1_2", 60*s, 5*s)}, []string{"F", "G"}, nil, "", ""},
		"two sides":               {[]reel.Source{source("T4 L", 50*s, 10*s), source("T4 R", 50*s, 10*s)}, []string{"F", "F"}, []string{"T4 L", "T4 R"}, Beside, "T4"},
		"at once, of no family":   {[]reel.Source{source("T4 L", 50*s, 10*s), source("T4 R", 50*s, 10*s)}, nil, nil, "", ""},
		"three at once":           {[]reel.Source{source("a", 50*s, 10*s), source("b", 50*s, 10*s), source("c", 50*s, 10*s)}, []string{"F", "F", "F"}, nil, "", ""},
		"one alone":               {[]reel.Source{source("T1_1", 50*s, 10*s)}, []string{"F"}, nil, "", ""},
		"at the end of the clock": {[]reel.Source{source("T1_1", 86400*s-1, s), source("T1_2", 1<<62, s)}, nil, nil, "", ""},
	} {
		r := shelved(t, one.sources...)
		family := map[string]string{}
		for i, f := range one.families {
			family[one.sources[i].Name] = f
		}
		got := Takes(r, func(s reel.Source) PartOf { return PartOf{Family: family[s.Name]} })
		if one.want == nil {
			if len(got) != 0 {
				t.Errorf("%s: %+v", what, got)
			}
			continue
		}
		if len(got) != 1 {
			t.Errorf("%s: %d takes", what, len(got))
			continue
		}
		var names []string
		for _, id := range got[0].Sources {
			src, _ := r.Source(id)
			names = append(names, src.Name)
		}
		if !slices.Equal(names, one.want) || got[0].How != one.how || got[0].Name != one.name {
			t.Errorf("%s: %q of %q, %s", what, got[0].Name, names, got[0].How)
		}
	}
}
