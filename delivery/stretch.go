package delivery

import (
	"fmt"
	"strings"

	"blendseam/core/reel"
)

// NamedStretch is a part of a recording.
type NamedStretch struct {
	Name string `json:"name"`
	From int64  `json:"from"` // samples of the source
	To   int64  `json:"to"`
}

// MostStretches is how many are taken out at a time.
const MostStretches = 1000

// mostTogether is how long they are at most, all together, in hours.
const mostTogether = 24

// UsualPattern is how stretches are named unless set otherwise.
const UsualPattern = "{number} {name}"

// patternWords are what stands for something in a pattern.
var patternWords = []string{"{number}", "{name}", "{source}", "{timecode}", "{marker}"}

// Stretches are files of stretches of a source, named by a pattern, in which {number},
// {name}, {source}, {timecode} and {marker} stand for what each has. The timecode is that
// of the source, or of its start where none is known; the marker is the last at or before
// the place where the reel first plays it.
func Stretches(r *reel.Reel, src reel.Source, list []NamedStretch, pattern string) ([]Part, error) {
	if len(list) == 0 || len(list) > MostStretches {
		return nil, fmt.Errorf("from 1 to %d stretches are taken out at a time, not %d", MostStretches, len(list))
	}
	if src.Shows() || src.Missing() || src.Bed.Grown() {
		return nil, fmt.Errorf("“%s” has no recording of sound. Choose one that has", src.Name)
	}
	if strings.TrimSpace(pattern) == "" {
		pattern = UsualPattern
	}
	if rest := strings.NewReplacer(pairs("")...).Replace(pattern); strings.ContainsAny(rest, "{}") {
		return nil, fmt.Errorf("the pattern “%s” has words that stand for nothing. There are %s", pattern, strings.Join(patternWords, ", "))
	}
	out, all := make([]Part, len(list)), int64(0)
	for i, s := range list {
		if all += max(s.To-s.From, 0); all > mostTogether*3600*int64(r.Props.SampleRate) {
			return nil, fmt.Errorf("together the stretches are longer than %d hours. Save them in parts", mostTogether)
		}
		if s.From < 0 || s.To <= s.From || s.To > src.Length {
			return nil, fmt.Errorf("stretch %d, “%s”, is outside of “%s”. Mark it again", i+1, s.Name, src.Name)
		}
		track := reel.Track{ID: 1, Name: src.Name, Role: reel.Dialogue}
		own := src
		own.ID = 2
		clip := reel.Clip{ID: 3, Track: 1, Source: 2, Name: s.Name, Offset: s.From, Length: s.To - s.From, FadeIn: reel.NoFade, FadeOut: reel.NoFade}
		time := max(src.StartTC, 0) + s.From
		name := strings.NewReplacer(
			"{number}", fmt.Sprintf("%03d", i+1), "{name}", s.Name, "{source}", src.Name,
			"{timecode}", strings.NewReplacer(":", ".", ";", ".").Replace(r.Props.FrameRate.Format(r.Props.FrameRate.Frame(time, r.Props.SampleRate))),
			"{marker}", markerOf(r, src.ID, s),
		).Replace(pattern)
		out[i] = Part{
			Name: strings.TrimSpace(name), To: s.To - s.From, time: time, timed: true,
			reel: &reel.Reel{Props: r.Props, NextID: 4, Tracks: []reel.Track{track}, Sources: []reel.Source{own}, Clips: []reel.Clip{clip}},
		}
	}
	named(out)
	return out, nil
}

// pairs has each word of patterns stand for a text.
func pairs(text string) (out []string) {
	for _, w := range patternWords {
		out = append(out, w, text)
	}
	return out
}

// markerOf is the text of the last marker at or before the place where the reel first
// plays a stretch.
func markerOf(r *reel.Reel, source reel.ID, s NamedStretch) string {
	first := int64(-1)
	for _, c := range r.Clips {
		if c.Source != source || c.Offset >= s.To || c.Offset+c.Length <= s.From {
			continue
		}
		if at := c.Start + max(s.From-c.Offset, 0); first < 0 || at < first {
			first = at
		}
	}
	text, last := "", int64(-1)
	for _, m := range r.Markers {
		if first >= 0 && m.At <= first && m.At > last {
			text, last = m.Text, m.At
		}
	}
	return text
}
