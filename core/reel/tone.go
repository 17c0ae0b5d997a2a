package reel

import (
	"fmt"
	"math"
	"slices"
)

// Bed says how a source of room tone is grown: from a swatch, which is a
// stretch of a recording, or from a made-up room. A grown source has no end of
// its own, and from the same seed it is always the same.
type Bed struct {
	From int64  `json:"from"`           // the swatch, samples of the recording at the reel's rate
	To   int64  `json:"to"`             //
	Room string `json:"room,omitempty"` // one of Rooms, where there is no recording
	Seed int64  `json:"seed"`           // from 1 on; 0 for a source that is a recording as it is
	Tint Tint   `json:"tint,omitzero"`  // correction of its colour
}

// Grown reports whether it is a bed.
func (b Bed) Grown() bool { return b.Seed != 0 }

// Tint is a gentle correction of colour in dB, one value for each third-octave
// band from 100 Hz to 10 kHz.
type Tint [21]float64

// MaxTint is the most a tint corrects in a band, in dB.
const MaxTint = 12

func (t Tint) check() error {
	for _, v := range t {
		if !(math.Abs(v) <= MaxTint) {
			return fmt.Errorf("a tint goes up to %d dB either way", MaxTint)
		}
	}
	return nil
}

// Rooms are the made-up rooms that ship, computed and not recorded.
var Rooms = []string{"small dry room", "living room", "large hall", "office with fans", "night outdoors", "vehicle at rest"}

// Tone names a bed in an edit: the swatch it is grown from, and how.
type Tone struct {
	Source   ID     `json:"source,omitempty"` // whose recording and channels the swatch is of
	From     int64  `json:"from,omitempty"`
	To       int64  `json:"to,omitempty"`
	Room     string `json:"room,omitempty"` // a made-up room instead
	Seed     int64  `json:"seed"`
	Tint     Tint   `json:"tint,omitzero"`
	Channels int    `json:"channels,omitempty"` // 1 or 2; 0 for those of the source
}

// grown is the source of a tone: one that the reel has already, or a new one,
// which is added. The reel is its own.
func (r *Reel) grown(t Tone) (Source, error) {
	want := Source{Right: -1, StartTC: -1, Length: r.day(), Unlisted: true, Bed: Bed{From: t.From, To: t.To, Room: t.Room, Seed: t.Seed, Tint: t.Tint}}
	if err := invalid(t.Tint.check()); err != nil {
		return want, err
	}
	if t.Seed < 1 || t.Channels < 0 || t.Channels > 2 {
		return want, refuse("A bed is generated from a seed of 1 or more, on one or two channels.")
	}
	if t.Room != "" {
		if !slices.Contains(Rooms, t.Room) || t.Source != 0 || t.From != 0 || t.To != 0 {
			return want, refuse("There is no synthetic room “%s”.", t.Room)
		}
		want.Name = t.Room
		if t.Channels == 2 {
			want.Right = 0
		}
	} else {
		src, ok := r.Source(t.Source)
		if !ok || src.Bed.Grown() || src.Shows() || src.Missing() {
			return want, refuse("The recording of that swatch is not in this reel.")
		}
		if t.From < 0 || t.To <= t.From || t.To > src.Length {
			no := refuse("“%s” is %s long; the swatch is outside it.", src.Name, r.Props.say(src.Length))
			no.Possible = "Mark a stretch of it with room tone alone."
			return want, no
		}
		want.Recording, want.Name, want.Left, want.Right = src.Recording, "tone of "+src.Name, src.Left, src.Right
		switch {
		case t.Channels == 1:
			want.Right = -1
		case t.Channels == 2 && src.Right < 0:
			want.Right = src.Left
		}
	}
	want.Name = ShortName(want.Name)
	for _, o := range r.Sources {
		if o.Bed == want.Bed && o.Recording == want.Recording && o.Left == want.Left && o.Right == want.Right {
			return o, nil
		}
	}
	want.ID = r.take()
	r.Sources = with(r.Sources, want)
	return want, nil
}

// Swatch is a stretch of a recording that is kept as a sample of its room
// tone.
type Swatch struct {
	ID     ID     `json:"id"`
	Name   string `json:"name"`
	Source ID     `json:"source"`
	From   int64  `json:"from"`
	To     int64  `json:"to"`
}

func (s Swatch) id() ID { return s.ID }

// Swatch gives the swatch of an id.
func (r *Reel) Swatch(id ID) (Swatch, bool) { return get(r.Swatches, id) }

func (s Swatch) check(r *Reel) error {
	src, ok := r.Source(s.Source)
	if !ok || src.Bed.Grown() || src.Shows() || src.Missing() {
		return refuse("The recording of that swatch is not in this reel.")
	}
	if s.From < 0 || s.To <= s.From || s.To > src.Length {
		return refuse("“%s” is %s long; the swatch is outside it.", src.Name, r.Props.say(src.Length))
	}
	_, err := CleanName(s.Name)
	return err
}

// AddSwatch keeps a stretch of a recording as a swatch.
type AddSwatch struct {
	Name   string `json:"name"`
	Source ID     `json:"source"`
	From   int64  `json:"from"`
	To     int64  `json:"to"`
}

// Names implements Edit.
func (e *AddSwatch) Names() []ID { return []ID{e.Source} }

// Apply implements Edit.
func (e *AddSwatch) Apply(r *Reel) (*Done, error) {
	s := Swatch{Name: e.Name, Source: e.Source, From: e.From, To: e.To}
	if err := s.check(r); err != nil {
		return nil, err
	}
	for _, o := range r.Swatches {
		if o.Source == s.Source && o.From == s.From && o.To == s.To {
			return nil, refuse("That stretch is saved already, as “%s”.", o.Name)
		}
	}
	s.Name, _ = CleanName(s.Name)
	out := *r
	s.ID = out.take()
	out.Swatches = with(r.Swatches, s)
	return r.finish(&out, Outcome{Label: "save swatch “" + s.Name + "”", Made: []ID{s.ID}})
}

// SetSwatch renames a swatch or moves its ends. What is nil stays.
type SetSwatch struct {
	Swatch ID      `json:"swatch"`
	Name   *string `json:"name,omitempty"`
	From   *int64  `json:"from,omitempty"`
	To     *int64  `json:"to,omitempty"`
}

// Names implements Edit.
func (e *SetSwatch) Names() []ID { return []ID{e.Swatch} }

// Apply implements Edit.
func (e *SetSwatch) Apply(r *Reel) (*Done, error) {
	s, ok := r.Swatch(e.Swatch)
	if !ok {
		return nil, refuse("That swatch is gone.")
	}
	if e.Name != nil {
		s.Name = *e.Name
	}
	if e.From != nil {
		s.From = *e.From
	}
	if e.To != nil {
		s.To = *e.To
	}
	if err := s.check(r); err != nil {
		return nil, err
	}
	s.Name, _ = CleanName(s.Name)
	out := *r
	out.Swatches = with(r.Swatches, s)
	return r.finish(&out, Outcome{Label: "swatch “" + s.Name + "”"})
}

// RemoveSwatch lets a swatch go. Beds that were grown from it stay.
type RemoveSwatch struct {
	Swatch ID `json:"swatch"`
}

// Names implements Edit.
func (e *RemoveSwatch) Names() []ID { return []ID{e.Swatch} }

// Apply implements Edit.
func (e *RemoveSwatch) Apply(r *Reel) (*Done, error) {
	s, ok := r.Swatch(e.Swatch)
	if !ok {
		return nil, refuse("That swatch is gone.")
	}
	out := *r
	out.Swatches = without(r.Swatches, s.ID)
	return r.finish(&out, Outcome{Label: "delete swatch “" + s.Name + "”"})
}

// TonesOf are the tones and swatches that an edit, or the edits that it holds,
// would take room tone from: what can be said of their sound is not for the
// document to know.
func TonesOf(e Edit) []Tone {
	switch e := e.(type) {
	case *CoverStrike:
		if e.Tone != nil {
			return []Tone{*e.Tone}
		}
	case *LayTone:
		if e.Into != nil {
			return []Tone{e.Tone, *e.Into}
		}
		return []Tone{e.Tone}
	case *SetTone:
		return []Tone{e.Tone}
	case *AddSwatch:
		return []Tone{{Source: e.Source, From: e.From, To: e.To}}
	case *Together:
		var out []Tone
		for _, one := range e.Edits {
			out = append(out, TonesOf(one)...)
		}
		return out
	}
	return nil
}
