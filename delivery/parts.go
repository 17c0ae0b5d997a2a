package delivery

import (
	"fmt"
	"slices"
	"strings"

	"blendseam/core/mix"
	"blendseam/core/reel"
)

// Each is what is written as a file of its own.
type Each string

// What can be. The mix is one file; the files of tracks, and of roles, add up to it.
const (
	Mix      Each = ""
	OfTrack  Each = "track"
	OfRole   Each = "role"
	OfClip   Each = "clip"
	mostEach      = 2000
)

// Part is one of several files.
type Part struct {
	Name     string // without an ending
	From, To int64  // samples of the reel
	adds     bool   // with the others to the mix
	reel     *reel.Reel
	options  mix.Options
	time     int64 // from midnight to its first sample, where it is timed
	timed    bool
}

// Parts are the files of a span: of what sounds in it, as much as is heard. Of clips
// only those chosen are written, where any are; each is as long as it is in its place,
// and by handles, in samples, longer where its recording goes on. With handles it is
// without its fades and blends.
func Parts(r *reel.Reel, each Each, from, to int64, chosen []reel.ID, handles int64) ([]Part, error) {
	heard := sounding(r, from, to)
	var out []Part
	switch each {
	case OfTrack:
		for _, t := range heard {
			out = append(out, Part{Name: t.Name, From: from, To: to, adds: true, reel: r, options: mix.Options{Without: besides(r, func(o reel.Track) bool { return o.ID == t.ID })}})
		}
	case OfRole:
		for _, role := range reel.Roles {
			own := func(o reel.Track) bool { return o.Role == role }
			for _, t := range heard {
				if own(t) {
					out = append(out, Part{Name: RoleNames[role], From: from, To: to, adds: true, reel: r, options: mix.Options{Without: besides(r, own)}})
					break
				}
			}
		}
	case OfClip:
		out = clipParts(r, heard, from, to, chosen, max(handles, 0))
	default:
		return nil, fmt.Errorf("files are written of each track, role or clip, not of each %q", each)
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("nothing sounds there: a file has to hold something. Choose a span with clips on tracks that are heard")
	}
	if len(out) > mostEach {
		return nil, fmt.Errorf("that is %d files; at most %d are written at a time. Choose a shorter span, or fewer clips", len(out), mostEach)
	}
	named(out)
	return out, nil
}

// RoleNames are the roles of tracks as files are called.
var RoleNames = map[reel.Role]string{reel.Dialogue: "Dialogue", reel.RoomTone: "Room tone", reel.Spots: "Spot effects", reel.Music: "Music"}

// sounding are the tracks that are heard and hold a clip of sound in a span, in their
// order.
func sounding(r *reel.Reel, from, to int64) []reel.Track {
	heard, lanes := r.Heard(), r.Lanes()
	heads, tails := map[reel.ID]int64{}, map[reel.ID]int64{} // how far blends reach beyond their clips
	for _, b := range r.Blends {
		tails[b.Left], heads[b.Right] = b.After, b.Before
	}
	var out []reel.Track
	for _, t := range r.Order() {
		if t.Role == reel.PictureRole || !heard(t) {
			continue
		}
		if slices.ContainsFunc(lanes[t.ID], func(c reel.Clip) bool { return c.Start-heads[c.ID] < to && c.End()+tails[c.ID] > from }) {
			out = append(out, t)
		}
	}
	return out
}

// besides are the tracks that are not meant.
func besides(r *reel.Reel, own func(reel.Track) bool) (out []reel.ID) {
	for _, t := range r.Tracks {
		if !own(t) {
			out = append(out, t.ID)
		}
	}
	return out
}

func clipParts(r *reel.Reel, heard []reel.Track, from, to int64, chosen []reel.ID, handles int64) (out []Part) {
	wanted := map[reel.ID]bool{}
	for _, id := range chosen {
		wanted[id] = true
	}
	n, lanes := 0, r.Lanes()
	for _, t := range heard {
		for _, c := range lanes[t.ID] {
			if c.Start >= to || c.End() <= from || len(chosen) > 0 && !wanted[c.ID] {
				continue
			}
			src, _ := r.Source(c.Source)
			if src.Shows() || src.Missing() {
				continue
			}
			n++
			p := Part{Name: fmt.Sprintf("%03d %s", n, c.Name), From: c.Start, To: c.End()}
			if handles > 0 {
				p.reel = longer(r, c, src, handles)
				own, _ := p.reel.Clip(c.ID)
				p.From, p.To = own.Start, own.End()
			} else {
				p.reel, p.options.Silent = alone(r, c)
			}
			out = append(out, p)
		}
	}
	return out
}

// alone is a reel of one clip and of those it is blended with, which are silent: its own
// side of each blend is heard.
func alone(r *reel.Reel, c reel.Clip) (*reel.Reel, []reel.ID) {
	out := *r
	out.Clips, out.Blends = nil, nil
	var silent []reel.ID
	for _, b := range r.Blends {
		if b.Left == c.ID || b.Right == c.ID {
			out.Blends = append(out.Blends, b)
			silent = append(silent, b.Left+b.Right-c.ID)
		}
	}
	for _, o := range r.Clips {
		if o.ID == c.ID || slices.Contains(silent, o.ID) {
			out.Clips = append(out.Clips, o)
		}
	}
	return &out, silent
}

// longer is a reel of one clip with handles, without fades and blends. What would begin
// before the reel does begins later in its recording.
func longer(r *reel.Reel, c reel.Clip, src reel.Source, handles int64) *reel.Reel {
	before, after := min(handles, c.Offset, c.Start), min(handles, src.Length-c.Offset-c.Length)
	c.Start, c.Offset, c.Length = c.Start-before, c.Offset-before, c.Length+before+after
	c.FadeIn, c.FadeOut = reel.NoFade, reel.NoFade
	out := *r
	out.Clips, out.Blends = []reel.Clip{c}, nil
	return &out
}

// mostName is how long the name of a file is at most, in bytes, with what is put to it.
const mostName = 180

// PlainName is a name that any file system takes: without signs that mean something to
// one, no longer than so many bytes, and not nothing.
func PlainName(name string) string {
	name = strings.TrimSpace(strings.Map(func(c rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, c) || c < ' ' || c == 0x7f {
			return '-'
		}
		return c
	}, name))
	for len(name) > mostName {
		cut := []rune(name)
		name = string(cut[:len(cut)-1])
	}
	if name = strings.Trim(name, " ."); name == "" {
		return "untitled"
	}
	return name
}

// named gives each part a name that is a file's, and no two the same.
func named(parts []Part) {
	names := make([]string, len(parts))
	for i, p := range parts {
		names[i] = p.Name
	}
	for i, name := range FileNames(names) {
		parts[i].Name = name
	}
}

// FileNames are names that are files', no two the same in any case of their letters.
func FileNames(names []string) []string {
	out, seen := make([]string, len(names)), map[string]int{}
	for i := range names {
		name := PlainName(names[i])
		key := strings.ToLower(name)
		if seen[key]++; seen[key] > 1 {
			name = fmt.Sprintf("%s (%d)", name, seen[key])
		}
		out[i] = name
	}
	return out
}
