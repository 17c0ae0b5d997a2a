package mix

import (
	"math"

	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Material is the sound of a clip's source as that clip plays it: with what is
// struck of it taken away, the tone that covers it, its treatment and its ride. It is read in the
// time of the source, without the clip's gain and fades.
func Material(r *reel.Reel, c reel.Clip, open Open) (sound.Reader, error) {
	t, _ := r.TreatmentOf(c.ID)
	return material(c, r.StrikesOf(c.ID), t, r.Ride(c.ID), r.Props.SampleRate, func(id reel.ID) (sound.Reader, error) {
		src, _ := r.Source(id)
		return open(src)
	})
}

func material(c reel.Clip, strikes []reel.Strike, t reel.Treatment, ride gain.Ride, rate int, reader func(reel.ID) (sound.Reader, error)) (sound.Reader, error) {
	own, err := reader(c.Source)
	if err == nil && len(strikes) > 0 {
		own, err = pressed(own, strikes, reader)
	}
	if err == nil && acts(t) {
		own = treatedSound(own, t.Does, rate)
	}
	if err == nil && !ride.None() {
		own = ridden{own, ride}
	}
	return own, err
}

// pressed is a sound in which stretches are struck.
func pressed(own sound.Reader, strikes []reel.Strike, reader func(reel.ID) (sound.Reader, error)) (sound.Reader, error) {
	var err error
	out := struck{Reader: own}
	for _, s := range strikes {
		d := dent{keep: float32(s.Left())}
		d.from, d.to = s.Reach()
		d.low, d.high = s.From, s.To
		d.fall = gain.Curve{Shape: s.Fall.Shape, Warp: s.Fall.Bend, Len: s.Fall.Length, Fall: true}
		d.rise = gain.Curve{Shape: s.Rise.Shape, Warp: s.Rise.Bend, Len: s.Rise.Length}
		if s.Cover.Source != 0 {
			if d.tone, err = reader(s.Cover.Source); err != nil {
				return nil, err
			}
			d.level = float32(gain.FromDB(s.Cover.GainDB))
		}
		out.dents = append(out.dents, d)
	}
	return out, nil
}

// struck is a recording in which stretches are silenced or lowered.
type struck struct {
	sound.Reader
	dents []dent // in the order of their time, apart from each other
}

// dent is one such stretch: the sound goes down from 'from' to 'low' and comes
// back from 'high' to 'to'.
type dent struct {
	from, low, high, to int64
	fall, rise          gain.Curve
	keep                float32 // gain between low and high
	tone                sound.Reader
	level               float32
}

// ReadAt implements sound.Reader.
func (s struck) ReadAt(dst []float32, ch int, from int64) error {
	if err := s.Reader.ReadAt(dst, ch, from); err != nil {
		return err
	}
	for _, d := range s.dents {
		a, b := max(d.from, from), min(d.to, from+int64(len(dst)))
		if a >= b {
			continue
		}
		if err := d.press(dst[a-from:b-from], ch, a); err != nil {
			return err
		}
	}
	return nil
}

// chunk is how much is pressed at a time, so that it needs no memory of its own
// that grows.
const chunk = 1024

// press takes the sound of a stretch that begins at a away, and puts tone in
// its place: with g left of the sound, √(1−g²) of the tone, so that the powers
// of two that are unrelated add up to what it was.
func (d dent) press(v []float32, ch int, a int64) error {
	var g, under [chunk]float32
	for done := 0; done < len(v); done += chunk {
		part := v[done:min(done+chunk, len(v))]
		k := g[:len(part)]
		d.gains(k, a+int64(done))
		if d.tone == nil {
			for i := range part {
				part[i] *= k[i]
			}
			continue
		}
		u := under[:len(part)]
		if err := d.tone.ReadAt(u, min(ch, d.tone.Channels()-1), a+int64(done)); err != nil {
			return err
		}
		for i := range part {
			rest := float32(math.Sqrt(float64(max(1-k[i]*k[i], 0))))
			part[i] = part[i]*k[i] + u[i]*(rest*d.level)
		}
	}
	return nil
}

// gains writes what is left of the sound from sample a on.
func (d dent) gains(g []float32, a int64) {
	b := a + int64(len(g))
	for i := range g {
		g[i] = d.keep
	}
	if hi := min(d.low, b); a < hi {
		d.fall.Fill(g[:hi-a], a-d.from)
		d.raise(g[:hi-a])
	}
	if lo := max(d.high, a); lo < b {
		d.rise.Fill(g[lo-a:], lo-d.high)
		d.raise(g[lo-a:])
	}
}

// raise makes a curve that ends at silence end at what is kept.
func (d dent) raise(g []float32) {
	if d.keep == 0 {
		return
	}
	for i := range g {
		g[i] = d.keep + (1-d.keep)*g[i]
	}
}
