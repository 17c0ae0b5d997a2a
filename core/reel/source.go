package reel

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// Heard names what a source sounds like: sources of any reels at one sample rate
// whose names are equal sound the same.
func (s Source) Heard() string { return fmt.Sprint(s.Recording, " ", s.Left, " ", s.Right, " ", s.Bed) }

// The edits here keep the list of sources. They are not steps of undo: a
// recording that comes in while one works must not end the line of redo, and
// what leaves the list can be put back. So they have no name in JSON.

// AddSource lists a recording, or puts one back that was taken off the list.
type AddSource struct{ Source Source }

// Names implements Edit.
func (e *AddSource) Names() []ID { return nil }

// Apply implements Edit.
func (e *AddSource) Apply(r *Reel) (*Done, error) {
	name, err := CleanName(e.Source.Name)
	if err != nil {
		return nil, err
	}
	out := *r
	s := e.Source
	s.Name, s.Unlisted, s.Former, s.Fit, s.Picture.Pace, s.Folder = name, false, "", Fit{}, Pace{}, CleanFolder(s.Folder)
	for _, o := range r.Sources {
		if !o.Bed.Grown() && o.Recording == s.Recording && o.Left == s.Left && o.Right == s.Right && o.Shows() == s.Shows() && o.Picture.Pace == (Pace{}) && !s.Missing() {
			if s.Shows() {
				s.Length = s.Picture.Lasts(r.Props)
			}
			// It was cut short when it came first, and is whole now.
			longer := s.Length > o.Length
			if longer {
				o.Length, o.Picture = s.Length, s.Picture
			}
			if !o.Unlisted && !longer {
				return nil, refuse("This reel has that sound already, as “%s”.", o.Name)
			}
			o.Unlisted = false
			out.Sources = with(r.Sources, o)
			return r.finish(&out, Outcome{Label: "restore “" + o.Name + "”", Made: []ID{o.ID}})
		}
	}
	if s.Bed.Grown() {
		return nil, refuse("Room tone is generated, not imported.")
	}
	if s.Shows() {
		s.Length = s.Picture.Lasts(r.Props)
	}
	if err := invalid(s.Picture.check()); err != nil {
		return nil, err
	}
	if s.Length < 1 {
		return nil, refuse("“%s” holds no sound.", name)
	}
	s.ID = out.take()
	out.Sources = with(r.Sources, s)
	return r.finish(&out, Outcome{Label: "import “" + name + "”", Made: []ID{s.ID}})
}

// byName is a source that is known by name alone, as it comes from outside: what
// it says of itself is held against what can be.
func (r *Reel) byName(s Source) (Source, error) {
	const channels = 1 << 10
	name, err := CleanName(s.Name)
	if err == nil {
		err = invalid(s.Picture.check())
	}
	if err == nil && (!s.Missing() || s.Length < 1 || s.Length > r.day() || s.StartTC < -1 || s.StartTC > r.day() || min(s.Left, s.Right) < -1 || max(s.Left, s.Right) > channels) {
		err = refuse("“%s” is not a source that is known by name alone.", name)
	}
	s.Name, s.Tape, s.Unlisted, s.Bed, s.Former, s.Fit, s.Picture.Pace = name, ShortName(s.Tape), false, Bed{}, "", Fit{}, Pace{}
	return s, err
}

// CleanFolder is a group of sources as it can be: plain names parted by slashes, none of
// them empty, and as many of them as there is room for.
func CleanFolder(folder string) string {
	var out string
	for _, part := range strings.FieldsFunc(folder, func(c rune) bool { return c == '/' || c == '\\' }) {
		if part = PlainName(part); part == "" || part == "." || part == ".." {
			continue
		}
		next := strings.TrimPrefix(out+"/"+part, "/")
		if utf8.RuneCountInString(next) > mostFolder {
			break
		}
		out = next
	}
	return out
}

// mostFolder is how long a group's name is at most.
const mostFolder = 255

// SetSource renames a source, or lists it in another group.
type SetSource struct {
	Source ID
	Name   string
	Folder *string // nil to leave it where it is
}

// Names implements Edit.
func (e *SetSource) Names() []ID { return []ID{e.Source} }

// Apply implements Edit.
func (e *SetSource) Apply(r *Reel) (*Done, error) {
	s, ok := r.Source(e.Source)
	if !ok {
		return nil, refuse("That source is not in this reel.")
	}
	name, err := CleanName(e.Name)
	if err != nil {
		return nil, err
	}
	out := *r
	if s.Name = name; e.Folder != nil {
		s.Folder = CleanFolder(*e.Folder)
	}
	out.Sources = with(r.Sources, s)
	return r.finish(&out, Outcome{Label: "rename source to “" + name + "”"})
}

// RemoveSource takes a source that no clip uses off the list.
type RemoveSource struct{ Source ID }

// Names implements Edit.
func (e *RemoveSource) Names() []ID { return []ID{e.Source} }

// Apply implements Edit.
func (e *RemoveSource) Apply(r *Reel) (*Done, error) {
	s, ok := r.Source(e.Source)
	if !ok || s.Unlisted || s.Bed.Grown() {
		return nil, refuse("That source is not in this reel's list.")
	}
	if used := r.UsedBy(s.ID); len(used) > 0 {
		where := ""
		for i, c := range used {
			if i == 4 {
				where += fmt.Sprintf(" and %d more", len(used)-i)
				break
			}
			if i > 0 {
				where += ", "
			}
			where += "“" + c.Name + "” at " + r.Props.at(c.Start)
		}
		no := refuse("“%s” is used by %s.", s.Name, where)
		no.Possible = "Remove those clips first."
		return nil, no
	}
	out := *r
	s.Unlisted = true
	out.Sources = with(r.Sources, s)
	return r.finish(&out, Outcome{Label: "remove “" + s.Name + "” from the reel"})
}
