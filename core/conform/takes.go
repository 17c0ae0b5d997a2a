package conform

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"blendseam/core/reel"
)

// How the files of a take belong together.
type Joining string

// The ways.
const (
	After  Joining = "after"  // each goes on where the one before ends
	Beside Joining = "beside" // two of one channel each, recorded at once: left and right
)

// Take is what one recorder wrote as several files.
type Take struct {
	Name    string    `json:"name"`
	Sources []reel.ID `json:"sources"` // in the order of the take
	How     Joining   `json:"how"`
	Why     string    `json:"why"` // by what it was found, in words
}

// PartOf is what the file of a source tells of its take.
type PartOf struct {
	Family string // "" where it tells of none
	Index  string
}

// numbered is a name that counts the parts of a take: a number, or a letter, at its end.
var numbered = regexp.MustCompile(`^(.*?)[ _.-]+(?:part[ _.-]*)?(\d{1,3}|[A-Za-z])$`)

// Takes finds the takes among the sources of a reel that came as several files: by what
// their files tell of their family, else by names that differ in a number at their end and
// timecodes that go on. Files that were recorded at once are a take of two sides where
// they are two, mono and of one family.
func Takes(r *reel.Reel, told func(reel.Source) PartOf) []Take {
	type member struct {
		src   reel.Source
		index string
	}
	groups, why := map[string][]member{}, map[string]string{}
	for _, s := range r.Sources {
		if s.Unlisted || s.Missing() || s.Shows() || s.Bed.Grown() || s.Fitted() || s.Former != "" || s.Left > 0 || s.StartTC < 0 {
			continue
		}
		part := told(s)
		key, index := "family "+part.Family, part.Index
		if part.Family == "" {
			m := numbered.FindStringSubmatch(s.Name)
			if m == nil {
				continue
			}
			key, index = "name "+s.Folder+"/"+strings.ToLower(m[1]), m[2]
			why[key] = "names and continuous timecode"
		} else {
			why[key] = "the take’s id in iXML"
		}
		groups[key] = append(groups[key], member{s, index})
	}
	var out []Take
	for key, g := range groups {
		slices.SortFunc(g, func(a, b member) int {
			return cmp.Or(cmp.Compare(a.src.StartTC, b.src.StartTC), cmp.Compare(len(a.index), len(b.index)), strings.Compare(a.index, b.index), cmp.Compare(a.src.ID, b.src.ID))
		})
		t := Take{Why: why[key]}
		for _, m := range g {
			t.Sources = append(t.Sources, m.src.ID)
		}
		sources := make([]reel.Source, len(g))
		for i, m := range g {
			sources[i] = m.src
		}
		if t.How = joining(sources, r.Props, strings.HasPrefix(key, "family ")); t.How == "" {
			continue
		}
		t.Name = sources[0].Name
		if m := numbered.FindStringSubmatch(t.Name); m != nil && m[1] != "" {
			t.Name = m[1]
		}
		out = append(out, t)
	}
	slices.SortFunc(out, func(a, b Take) int { return cmp.Compare(a.Sources[0], b.Sources[0]) })
	return out
}

// joining is how sources in the order of their timecodes belong together, if they do.
func joining(s []reel.Source, p reel.Props, family bool) Joining {
	if len(s) < 2 {
		return ""
	}
	near := func(a, b int64) bool { return max(a-b, b-a) <= int64(p.SampleRate)/100 }
	after, beside := true, family && len(s) == 2
	for i, b := range s[1:] {
		a := s[i]
		after = after && near(a.StartTC+a.Length, b.StartTC) && (a.Right >= 0) == (b.Right >= 0)
		beside = beside && a.StartTC == b.StartTC && near(a.Length, b.Length) && a.Right < 0 && b.Right < 0
	}
	switch {
	case after:
		return After
	case beside:
		return Beside
	}
	return ""
}
