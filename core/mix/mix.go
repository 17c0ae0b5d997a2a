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
	curve []float32
}

func newDesk() *desk {
	d := &desk{curve: make([]float32, Block)}
	for i := range d.read {
		d.read[i] = make([]float32, Block)
	}
	return d
}

// lane are the voices of a track that sounds.
type lane struct {
	name    string
	voices  []voice
	past    []int64    // by voice, the furthest that it or one before it sounds
	treated *treatment // nil where its track is not
}

// voice is a clip with the handle material that its blends borrow.
type voice struct {
	clip       reel.Clip
	from, to   int64 // with the handles
	offset     int64 // in the source, at from
	left       float32
	right      float32
	head, tail gain.Curve // Len 0 for none
	headAt     int64      // where the curves begin
	tailAt     int64
	rides      [2]gain.Ride // of the track: its own, and that under speech
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
		l := lane{name: t.Name}
		if acts(treatments[t.ID]) {
			l.treated = &treatment{gain: float32(gain.FromDB(t.GainDB)), rides: [2]gain.Ride{rides[t.ID], rides[-t.ID]}}
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
		if treated := m.lanes[at].treated; treated != nil {
			t.GainDB = 0 // after the treatment, with the rides
		}
		v := newVoice(c, t, heads[c.ID], tails[c.ID], own)
		if m.lanes[at].treated == nil {
			v.rides = [2]gain.Ride{rides[t.ID], rides[-t.ID]}
		}
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

func newVoice(c reel.Clip, t reel.Track, head, tail reel.Blend, reader sound.Reader) voice {
	left, right := c.Gains(t)
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
	if err := m.treatBefore(from); err != nil {
		return err
	}
	for i := range m.lanes {
		if l := &m.lanes[i]; l.treated != nil {
			if err := m.addTreated(l.treated, left, right, from); err != nil {
				return err
			}
		} else if _, err := m.sum(l, left, right, from); err != nil {
			return err
		}
	}
	return nil
}

// sum adds the voices of a lane that sound in a block, if any do.
func (m *desk) sum(l *lane, left, right []float32, from int64) (some bool, err error) {
	to := from + int64(len(left))
	for i := l.first(from); i < len(l.voices) && l.voices[i].from < to; i++ {
		if l.voices[i].to <= from {
			continue // one before it sounds beyond its end
		}
		some = true
		if err := m.add(&l.voices[i], left, right, from); err != nil {
			return some, fmt.Errorf("“%s” on %s: %w", l.voices[i].clip.Name, l.name, err)
		}
	}
	return some, nil
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
			if l.treated.mono {
				continue
			}
			from, to = l.treated.stream.Of(from, to)
		}
		for i := l.first(from); i < len(l.voices) && l.voices[i].from < to; i++ {
			if v := &l.voices[i]; v.left != v.right || v.reader.Channels() > 1 {
				return false
			}
		}
	}
	return true
}

// add mixes the part of a voice that lies in the block.
func (m *desk) add(v *voice, left, right []float32, from int64) error {
	a, b := max(v.from, from), min(v.to, from+int64(len(left)))
	n := b - a
	if err := v.knows(&m.ears, a, b); err != nil {
		return err
	}
	stereo := v.reader.Channels() > 1
	for ch := range m.read {
		if ch == 1 && !stereo {
			break
		}
		if err := v.reader.ReadAt(m.read[ch][:n], ch, a-v.from+v.offset); err != nil {
			return err
		}
		m.shape(v.head, v.headAt, m.read[ch][:n], a)
		m.shape(v.tail, v.tailAt, m.read[ch][:n], a)
		for _, ride := range v.rides {
			ride.Apply(m.read[ch][:n], a)
		}
	}
	l := left[a-from : b-from]
	if right == nil {
		gl := v.left
		for i, s := range m.read[0][:n] {
			l[i] += s * gl
		}
		return nil
	}
	r := right[a-from : b-from]
	x, y := m.read[0][:n], m.read[0][:n]
	if stereo {
		y = m.read[1][:n]
	}
	gl, gr := v.left, v.right
	l, r, y = l[:len(x)], r[:len(x)], y[:len(x)]
	for i, s := range x {
		l[i] += s * gl
		r[i] += y[i] * gr
	}
	return nil
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
