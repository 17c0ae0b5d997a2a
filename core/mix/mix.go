// Package mix renders any span of a reel to PCM.
//
// It is the one renderer: what is heard, what is measured and what is
// exported all come from it. Every output sample is a function of its place in
// the reel alone, summed in a fixed order, so that a span rendered in parts is
// bit for bit the span rendered whole. It works block by block, in memory that
// does not grow with the reel's length.
package mix

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sort"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Block is the number of samples rendered at a time.
const Block = 8192

// Options alter what is rendered, to compare.
type Options struct {
	// HardCut is a blend that is left out: its clips meet at the cut.
	HardCut reel.ID
	// Unstruck is a struck span that is left out: its clip sounds as recorded.
	Unstruck reel.ID
	// Bare is a struck span whose cover is left out.
	Bare reel.ID
	// Silent are clips that are left out.
	Silent []reel.ID
	// Untreated are clips and tracks whose treatment is left out.
	Untreated []reel.ID
	// Without are tracks that are left out though they would sound.
	Without []reel.ID
}

// Open gives the sound of a source. Channel 0 of the reader is the left side
// or the only one, channel 1 the right.
type Open func(reel.Source) (sound.Reader, error)

// Mix is a reel made ready to be rendered. It is not safe for concurrent use.
type Mix struct {
	desk
	lanes []lane
}

// desk is the room that is worked in to sum up voices.
type desk struct {
	ears  ears
	read  [2][]float32
	own   [2][]float32 // of a lane
	curve []float32
}

func newDesk() *desk {
	d := &desk{curve: make([]float32, Block)}
	for i := range d.read {
		d.read[i], d.own[i] = make([]float32, Block), make([]float32, Block)
	}
	return d
}

// lane are the voices of a track that sounds. They are summed up by themselves, with
// the gains of their clips; then come the treatment, the rides and the gain and pan of
// the track. So what a track sounds before these can be put in the place of its clips.
type lane struct {
	name        string
	voices      []voice
	past        []int64      // by voice, the furthest that it or one before it sounds
	treated     *treatment   // nil where its track is not
	rides       [2]gain.Ride // of the track: its own, and that under speech
	left, right float32      // the track's gain and pan
	heard       []*voice     // room for sounding
	played      []*voice     // those that were read last
}

// plays notes the voices that are read, and lets those rest that no longer are.
func (l *lane) plays(now []*voice) {
	for _, v := range l.played {
		if !slices.Contains(now, v) {
			rest(v.reader)
		}
	}
	l.played = append(l.played[:0], now...)
}

// plain reports whether a lane sounds as its voices do.
func (l *lane) plain() bool {
	return l.treated == nil && l.left == 1 && l.right == 1 && l.rides[0].None() && l.rides[1].None()
}

// voice is a clip with the handle material that its blends borrow.
type voice struct {
	clip       reel.Clip
	from, to   int64 // with the handles
	offset     int64 // in the source, at from
	left       float32
	right      float32    // the gains of the clip
	head, tail gain.Curve // Len 0 for none
	headAt     int64      // where the curves begin
	tailAt     int64
	reader     sound.Reader
	// Of blends whose curves wait for the likeness of their sides.
	headPair, tailPair *pair
}

// New makes a reel ready. It fails when a source cannot be opened.
func New(r *reel.Reel, open Open, o Options) (*Mix, error) {
	r = r.Sounding()
	m := &Mix{desk: *newDesk()}
	heard := r.Heard()
	heads, tails := map[reel.ID]reel.Blend{}, map[reel.ID]reel.Blend{}
	for _, b := range r.Blends {
		if b.ID != o.HardCut {
			tails[b.Left], heads[b.Right] = b, b
		}
	}
	readers := map[reel.ID]sound.Reader{}
	reader := func(id reel.ID) (sound.Reader, error) {
		if have, ok := readers[id]; ok {
			return have, nil
		}
		src, _ := r.Source(id)
		out, err := open(src)
		if err != nil {
			return nil, fmt.Errorf("sound of “%s”: %w", src.Name, err)
		}
		readers[id] = out
		return out, nil
	}
	strikes := map[reel.ID][]reel.Strike{}
	for _, s := range r.Strikes {
		if s.ID == o.Unstruck {
			continue
		}
		if s.ID == o.Bare {
			s.Cover = reel.Cover{}
		}
		strikes[s.Clip] = append(strikes[s.Clip], s)
	}
	rides, treatments := r.Rides(), map[reel.ID]reel.Treatment{}
	for _, t := range r.Treatments {
		if !slices.Contains(o.Untreated, t.On()) {
			treatments[t.On()] = t
		}
	}
	rate := r.Props.SampleRate
	play := func(c reel.Clip) (sound.Reader, error) {
		return material(c, strikes[c.ID], treatments[c.ID], rides[c.ID], rate, reader)
	}
	pairs := map[reel.ID]*pair{}
	trackOf := map[int]reel.ID{}
	lanes, apart := map[reel.ID]int{}, map[reel.ID]int{} // the latter of clips without the treatment of their track
	for _, t := range r.Order() {
		if !heard(t) || slices.Contains(o.Without, t.ID) {
			continue
		}
		lanes[t.ID] = len(m.lanes)
		trackOf[len(m.lanes)] = t.ID
		left, right := trackGains(t)
		l := lane{name: t.Name, rides: [2]gain.Ride{rides[t.ID], rides[-t.ID]}, left: float32(left), right: float32(right)}
		if acts(treatments[t.ID]) {
			l.treated = &treatment{}
			apart[t.ID] = len(m.lanes) + 1
			m.lanes = append(m.lanes, l)
			l.treated = nil
		}
		m.lanes = append(m.lanes, l)
	}
	for _, c := range r.Clips {
		at, sounds := lanes[c.Track]
		if !sounds || slices.Contains(o.Silent, c.ID) {
			continue
		}
		own, err := play(c)
		if err != nil {
			return nil, err
		}
		t, _ := r.Track(c.Track)
		if how := treatments[c.ID]; how.Alone && !how.Off && apart[t.ID] != 0 {
			at = apart[t.ID]
		}
		v := newVoice(c, heads[c.ID], tails[c.ID], own)
		for _, end := range []struct {
			blend reel.Blend
			waits bool
			pair  **pair
		}{{heads[c.ID], v.head.Waits(), &v.headPair}, {tails[c.ID], v.tail.Waits(), &v.tailPair}} {
			if !end.waits {
				continue
			}
			if pairs[end.blend.ID] == nil {
				p, err := newPair(r, end.blend, play)
				if err != nil {
					return nil, err
				}
				pairs[end.blend.ID] = p
			}
			*end.pair = pairs[end.blend.ID]
		}
		m.lanes[at].voices = append(m.lanes[at].voices, v)
	}
	for i, l := range m.lanes {
		slices.SortFunc(l.voices, func(a, b voice) int { return cmp.Compare(a.clip.Start, b.clip.Start) })
		var past int64
		for _, v := range l.voices {
			past = max(past, v.to)
			m.lanes[i].past = append(m.lanes[i].past, past)
		}
		if l.treated != nil {
			how := treatments[trackOf[i]]
			m.through(&m.lanes[i], how.Does, rate)
		}
	}
	return m, nil
}

// trackGains are the factors of the two sides of a track.
func trackGains(t reel.Track) (left, right float64) { return reel.Clip{}.Gains(t) }

func newVoice(c reel.Clip, head, tail reel.Blend, reader sound.Reader) voice {
	left, right := c.Gains(reel.Track{})
	v := voice{
		clip: c, reader: reader,
		from: c.Start - head.Before, to: c.End() + tail.After, offset: c.Offset - head.Before,
		left: float32(left), right: float32(right),
	}
	if head.ID != 0 {
		v.head, v.headAt = head.InCurve(), c.Start-head.Before
	} else if c.FadeIn.Length > 0 {
		v.head, v.headAt = gain.Curve{Shape: c.FadeIn.Shape, Warp: c.FadeIn.Bend, Len: c.FadeIn.Length}, c.Start
	}
	if tail.ID != 0 {
		v.tail, v.tailAt = tail.OutCurve(), c.End()-tail.Before
	} else if c.FadeOut.Length > 0 {
		v.tail, v.tailAt = gain.Curve{Shape: c.FadeOut.Shape, Warp: c.FadeOut.Bend, Len: c.FadeOut.Length, Fall: true}, c.End()-c.FadeOut.Length
	}
	return v
}

// Render fills left and right, of the same length, with the reel from sample
// from on. What lies outside the reel is silence.
func (m *Mix) Render(ctx context.Context, left, right []float32, from int64) error {
	for at := 0; at < len(left); at += Block {
		if err := ctx.Err(); err != nil {
			return err
		}
		n := min(Block, len(left)-at)
		if err := m.block(left[at:at+n], right[at:at+n], from+int64(at)); err != nil {
			return err
		}
	}
	return nil
}

func (m *Mix) block(left, right []float32, from int64) error {
	clear(left)
	to := from + int64(len(left))
	// Where both sides are the same by construction one is made, and copied.
	if m.Mono(from, to) {
		defer copy(right, left)
		right = nil
	} else {
		clear(right)
	}
	if err := m.treatBefore(from, to); err != nil {
		return err
	}
	for i := range m.lanes {
		if err := m.addLane(&m.lanes[i], left, right, from); err != nil {
			return err
		}
	}
	return nil
}

// addLane adds what a lane sounds in a block; right is nil where both sides of the mix
// are the same.
func (m *Mix) addLane(l *lane, left, right []float32, from int64) error {
	n := len(left)
	var own [2][]float32
	sounding := l.sounding(from, from+int64(n))
	if l.treated == nil {
		l.plays(sounding)
	}
	switch {
	case l.treated != nil:
		if silent, err := l.treated.stream.Silent(from, from+int64(n)); silent || err != nil {
			return err
		}
		for ch := range l.treated.channels() {
			own[ch] = m.own[ch][:n]
			if err := l.treated.stream.One(own[ch], ch, from); err != nil {
				return err
			}
		}
	case len(sounding) == 0:
		return nil
	case len(sounding) == 1 && l.plain():
		return m.add(sounding[0], l, left, right, from)
	default:
		own[0] = m.own[0][:n]
		clear(own[0])
		if right != nil && !mono(sounding) {
			own[1] = m.own[1][:n]
			clear(own[1])
		}
		for _, v := range sounding {
			if err := m.add(v, l, own[0], own[1], from); err != nil {
				return err
			}
		}
	}
	for _, v := range own {
		for _, ride := range l.rides {
			ride.Apply(v, from)
		}
	}
	addTimes(left, own[0], l.left)
	if right == nil {
		return nil
	}
	if own[1] == nil {
		own[1] = own[0]
	}
	addTimes(right, own[1], l.right)
	return nil
}

// addTimes adds samples, each times a factor. The product is rounded before it is added,
// on every machine.
func addTimes(dst, v []float32, by float32) {
	v = v[:len(dst)]
	if by == 1 {
		for i, x := range v {
			dst[i] += x
		}
		return
	}
	for i, x := range v {
		dst[i] += float32(x * by)
	}
}

// sounding are the voices of a lane that sound in a span. They are good until it is
// asked again.
func (l *lane) sounding(from, to int64) []*voice {
	l.heard = l.heard[:0]
	for i := l.first(from); i < len(l.voices) && l.voices[i].from < to; i++ {
		if l.voices[i].to > from { // else one before it sounds beyond its end
			l.heard = append(l.heard, &l.voices[i])
		}
	}
	return l.heard
}

// mono reports whether voices are the same on both sides.
func mono(voices []*voice) bool {
	for _, v := range voices {
		if v.left != v.right || v.reader.Channels() > 1 {
			return false
		}
	}
	return true
}

// first is the first voice that may sound from a place on.
func (l *lane) first(from int64) int {
	return sort.Search(len(l.voices), func(i int) bool { return l.past[i] > from })
}

// Mono reports whether both sides of a span are the same by construction: all
// that sounds in it is mono and lies in the middle.
func (m *Mix) Mono(from, to int64) bool {
	for i := range m.lanes {
		l, from, to := &m.lanes[i], from, to
		if l.treated != nil {
			if l.treated.mono && l.left == l.right {
				continue
			}
			from, to = l.treated.stream.Of(from, to)
		}
		if s := l.sounding(from, to); len(s) > 0 && (l.left != l.right || !mono(s)) {
			return false
		}
	}
	return true
}

// add adds the part of a voice that lies in a block, with the gains of its clip.
func (m *desk) add(v *voice, l *lane, left, right []float32, from int64) error {
	a, b := max(v.from, from), min(v.to, from+int64(len(left)))
	if err := m.addPart(v, left[a-from:b-from], right, a-from, a); err != nil {
		return fmt.Errorf("“%s” on %s: %w", v.clip.Name, l.name, err)
	}
	return nil
}

func (m *desk) addPart(v *voice, left, right []float32, at, a int64) error {
	n := int64(len(left))
	if err := v.knows(&m.ears, a, a+n); err != nil {
		return err
	}
	if right != nil {
		right = right[at : at+n]
	}
	stereo, last := v.reader.Channels() > 1, float32(1) // the factor that is left to put on what was read
	for ch, dst := range [][]float32{left, right} {
		if dst == nil {
			break
		}
		part := m.read[ch][:n]
		switch {
		case ch == 0 || stereo:
			if err := v.reader.ReadAt(part, ch, a-v.from+v.offset); err != nil {
				return err
			}
		case v.left == v.right:
			addTimes(dst, m.read[0][:n], last) // as on the other side
			continue
		default:
			if err := v.reader.ReadAt(part, 0, a-v.from+v.offset); err != nil {
				return err
			}
		}
		by := []float32{v.left, v.right}[ch]
		if v.shaped(a, a+n) {
			// The gain comes before fades and blends, as in what is written of a clip.
			if by != 1 {
				for i := range part {
					part[i] *= by
				}
				by = 1
			}
			m.shape(v.head, v.headAt, part, a)
			m.shape(v.tail, v.tailAt, part, a)
		}
		last = by
		addTimes(dst, part, by)
	}
	return nil
}

// shaped reports whether a fade or a blend of a voice lies over a part of a span.
func (v *voice) shaped(a, b int64) bool {
	return v.head.Len > 0 && v.headAt < b && v.headAt+v.head.Len > a || v.tail.Len > 0 && v.tailAt < b && v.tailAt+v.tail.Len > a
}

// shape multiplies the samples from place a on by the part of the curve that
// lies over them.
func (m *desk) shape(c gain.Curve, at int64, v []float32, a int64) {
	if c.Len == 0 {
		return
	}
	lo, hi := max(at, a), min(at+c.Len, a+int64(len(v)))
	if lo >= hi {
		return
	}
	g := m.curve[:hi-lo]
	c.Fill(g, lo-at)
	v = v[lo-a : hi-a]
	for i, k := range g {
		v[i] *= k
	}
}
