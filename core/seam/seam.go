// Package seam measures what is heard at the seams of a reel, judges it, says
// in words what is wrong, and proposes what would mend it.
//
// All is measured on what the renderer gives: the seam's own track for what
// lies in the join, and all that sounds for what the room does. Solo is a way
// of listening and does not count; a muted track is not heard.
package seam

import (
	"cmp"
	"context"
	"slices"

	"blendseam/core/gain"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
	"blendseam/core/sound"
)

// How far from a seam something counts, in seconds.
const (
	spectrumReach = 3.0 // for what is drawn of a side that holds no room
	voiceReach    = 6.0 // for the voice on either side
	underReach    = 2.0 // for what sounds on other tracks
	sideReach     = 1.0 // for peak and RMS
	joinReach     = 0.07
)

// hushed is the level below which a room is not told from silence, in dBFS.
const hushed = -80.0

// Side is what was measured of one side of a seam. Levels are those of the
// clip as it sounds on its track, away from fades and blends.
type Side struct {
	Peak   float64 `json:"peak"`   // dBFS, over a second at most
	RMS    float64 `json:"rms"`    // dBFS
	Voice  float64 `json:"voice"`  // LUFS, ITU-R BS.1770 gated
	Voiced bool    `json:"voiced"` // there is a voice to measure
	Said   float64 `json:"said"`   // seconds of voice that it was measured in
	Room   float64 `json:"room"`   // dBFS above 188 Hz, the room of the clip; where it is not known, no less than it
	Known  bool    `json:"known"`  // the room was heard
	Gated  bool    `json:"gated"`  // between its words the recording is digital silence
	Unsure float64 `json:"unsure"` // dB, standard uncertainty of the room
	Heard  float64 `json:"heard"`  // dBFS, the room with what sounds under it
	Edge   float64 `json:"edge"`   // dB over the room, right at the cut
	Handle int64   `json:"handle"` // samples of material beyond the edge

	colour roomtone.Colour
}

// Measure is what was measured at one seam.
type Measure struct {
	reel.Seam
	Print  string     `json:"print"` // of all that it depends on
	Muted  bool       `json:"muted"`
	Role   reel.Role  `json:"role"`
	Out    *Side      `json:"out,omitempty"`
	In     *Side      `json:"in,omitempty"`
	Step   float64    `json:"step"`  // dB, change of the room as all of it is heard
	Known  bool       `json:"known"` // that is known; WhyNot is why not
	WhyNot string     `json:"unknown,omitempty"`
	Off    float64    `json:"unsure"` // dB, standard uncertainty of Step
	Room   float64    `json:"glide"`  // dB, the most of that within 200 ms
	Tint   float64    `json:"colour"` // dB, distance of the rooms' spectra
	Click  float64    `json:"click"`  // dB over prediction
	Like   *Alike     `json:"like,omitempty"`
	Dip    float64    `json:"dip"`               // dB, of the power through the blend; negative for a dip
	Sag    float64    `json:"sag"`               // dB, the same over 30 ms, where it is worst
	Hole   int64      `json:"hole"`              // samples of digital silence that begin here
	Lacks  string     `json:"lacks,omitempty"`   // material that is missing, in words
	Absent bool       `json:"absent,omitempty"`  // nobody has the recording of a clip
	Edges  bool       `json:"edges,omitempty"`   // the programme begins or ends here
	With   reel.Blend `json:"with,omitzero"`     // the blend that is there
	Fade   int64      `json:"fadeOf,omitempty"`  // samples of fade, where one clip meets nothing
	Cover  bool       `json:"covered,omitempty"` // what is struck is covered
	rate   int
}

// Alike is how like the two sides are over the blend's window, or over that
// which a short blend would have.
type Alike struct {
	gain.Likeness
	Held bool `json:"held"` // the matched law reckons with no less than gain.MinR
}

// Meter measures the seams of one version of a reel. It is not safe for
// concurrent use.
type Meter struct {
	r        *reel.Reel
	open     mix.Open
	rate     int
	order    []reel.Track
	lanes    map[reel.ID][]reel.Clip
	heads    map[reel.ID]reel.Blend
	tails    map[reel.ID]reel.Blend
	grown    map[reel.ID]string         // what tone sounds like, by source
	struckOf map[reel.ID][]reel.Strike  // by clip
	rides    map[reel.ID]gain.Ride      // by clip or track
	lines    map[reel.ID][]reel.Point   // the same by their points, in time
	treated  map[reel.ID]reel.Treatment // by clip or track
	mixes    map[reel.ID]*mix.Mix
	recent   map[reel.ID]played
	spec     *measure.Spectrum
	ear      *roomtone.Ear
	voice    map[stretch]loudness
	lowered  map[expandedRoom]lowering
	buf      [4][]float32
}

// stretch is a part of a clip.
type stretch struct {
	clip     reel.ID
	from, to int64
}

type loudness struct {
	lufs    float64
	seconds float64
	found   bool
}

// New makes a meter for a reel.
func New(r *reel.Reel, open mix.Open) *Meter {
	m := &Meter{open: open, rate: r.Props.SampleRate, mixes: map[reel.ID]*mix.Mix{}, spec: measure.NewSpectrum(r.Props.SampleRate), ear: roomtone.NewEar(r.Props.SampleRate, open)}
	m.take(r)
	return m
}

// take sets the meter to a version.
func (m *Meter) take(r *reel.Reel) {
	r = r.Sounding()
	plain := *r
	plain.Tracks = append([]reel.Track(nil), r.Tracks...)
	for i := range plain.Tracks {
		plain.Tracks[i].Solo = false
	}
	m.r, m.order = &plain, plain.Order()
	m.lanes, m.heads, m.tails = plain.Lanes(), map[reel.ID]reel.Blend{}, map[reel.ID]reel.Blend{}
	for _, b := range r.Blends {
		m.tails[b.Left], m.heads[b.Right] = b, b
	}
	m.grown = map[reel.ID]string{}
	for _, s := range r.Sources {
		if s.Bed.Grown() {
			m.grown[s.ID] = s.Heard()
		}
	}
	m.struckOf = map[reel.ID][]reel.Strike{}
	for _, s := range r.Strikes {
		m.struckOf[s.Clip] = append(m.struckOf[s.Clip], s)
	}
	m.rides, m.lines = r.Rides(), map[reel.ID][]reel.Point{}
	for _, p := range r.Points {
		on := p.On()
		m.lines[on] = append(m.lines[on], p)
	}
	for _, l := range m.lines {
		slices.SortFunc(l, func(a, b reel.Point) int { return cmp.Compare(a.At, b.At) })
	}
	m.treated = map[reel.ID]reel.Treatment{}
	for _, t := range m.r.Treatments {
		if !t.Off {
			m.treated[t.On()] = t
		}
	}
	m.lowered = map[expandedRoom]lowering{}
	m.voice, m.recent = map[stretch]loudness{}, map[reel.ID]played{}
	clear(m.mixes)
}

func (m *Meter) seconds(s float64) int64 { return int64(s * float64(m.rate)) }

// track gives the renderer of one track alone.
func (m *Meter) track(id reel.ID) (*mix.Mix, error) {
	if have := m.mixes[id]; have != nil {
		return have, nil
	}
	alone := *m.r
	alone.Clips, alone.Blends = nil, nil
	// Blends over two tracks need both of their clips.
	keep := map[reel.ID]bool{}
	for _, b := range m.r.Blends {
		left, _ := m.r.Clip(b.Left)
		right, _ := m.r.Clip(b.Right)
		if left.Track == id || right.Track == id {
			alone.Blends = append(alone.Blends, b)
			keep[b.Left], keep[b.Right] = true, true
		}
	}
	for _, c := range m.r.Clips {
		if c.Track == id || keep[c.ID] {
			alone.Clips = append(alone.Clips, c)
		}
	}
	var o mix.Options
	for _, t := range m.r.Tracks {
		if t.ID != id {
			o.Without = append(o.Without, t.ID)
		}
	}
	out, err := mix.New(&alone, m.open, o)
	if err == nil {
		m.mixes[id] = out
	}
	return out, err
}

// sound renders a track from a place. With one set of samples when both sides
// are the same, else with two. They last until the next call with the slot.
func (m *Meter) sound(ctx context.Context, track reel.ID, from, to int64, slot int) ([][]float32, error) {
	mx, err := m.track(track)
	if err != nil {
		return nil, err
	}
	n := int(max(to-from, 0))
	for i := 2 * slot; i < 2*slot+2; i++ {
		if cap(m.buf[i]) < n {
			m.buf[i] = make([]float32, n)
		}
	}
	left, right := m.buf[2*slot][:n], m.buf[2*slot+1][:n]
	if err := mx.Render(ctx, left, right, from); err != nil {
		return nil, err
	}
	if mx.Mono(from, to) {
		return [][]float32{left}, nil
	}
	return [][]float32{left, right}, nil
}

// played is what a clip plays on its track, and the gains to put on its two sides.
type played struct {
	of    sound.Reader
	gains []float32
}

// mostRecent is how many clips are kept open: those on both sides of a seam and around
// it. A treated one holds a second of sound.
const mostRecent = 6

func (m *Meter) played(c reel.Clip) (played, error) {
	if p, ok := m.recent[c.ID]; ok {
		return p, nil
	}
	of, left, right, err := mix.OnTrack(m.r, c, m.open)
	if err != nil {
		return played{}, err
	}
	if len(m.recent) >= mostRecent {
		clear(m.recent)
	}
	p := played{of, []float32{float32(left), float32(right)}}
	m.recent[c.ID] = p
	return p, nil
}

// material is what a clip plays in a span of the reel, with its gains but
// without fades and blends: where there are none, just what its track sounds.
func (m *Meter) material(c reel.Clip, from, to int64) ([][]float32, error) {
	p, err := m.played(c)
	if err != nil {
		return nil, err
	}
	reader, gains := p.of, p.gains
	t, _ := m.r.Track(c.Track)
	n := int(max(to-from, 0))
	var out [][]float32
	for ch, g := range gains {
		if ch == 1 && reader.Channels() == 1 && gains[0] == gains[1] {
			break // the other side is the same
		}
		if cap(m.buf[ch]) < n {
			m.buf[ch] = make([]float32, n)
		}
		v := m.buf[ch][:n]
		if err := reader.ReadAt(v, min(ch, reader.Channels()-1), c.Offset+from-c.Start); err != nil {
			return nil, err
		}
		if g != 1 {
			for i := range v {
				v[i] *= g
			}
		}
		m.rides[t.ID].Apply(v, from)
		m.rides[-t.ID].Apply(v, from)
		out = append(out, v)
	}
	return out, nil
}
