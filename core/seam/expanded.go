package seam

import (
	"math"
	"slices"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
	"blendseam/core/treat"
)

// How much of a room's pauses the expander is run over.
const (
	mostPauses  = 6
	mostSettled = 150 // frames of 10 ms a pause
	settledFor  = 2.0 // seconds over which the lowering is measured
)

// lowering is by how much expanders lower a room.
type lowering struct{ db, unsure float64 }

// expandedRoom identifies a room of a clip; gain is the level before the track, in dB.
type expandedRoom struct {
	clip reel.ID
	room *floor.Room
	gain float64
}

// expanded returns by how many dB the expanders of a clip and its track lower the clip's
// room, above 188 Hz, in a pause that outlasts hold and release. It runs them over the
// pauses in which the room is heard, repeated: an expander responds to the loudest 10 ms
// of the full band, so its static curve at the room's mean level would overstate this.
// If every pause is shorter than that, the room often sinks less, and the uncertainty is
// half of the lowering. Without pauses it falls back to the static curve.
func (m *Meter) expanded(c reel.Clip, r *floor.Room, at int64) (db, unsure float64, err error) {
	key := expandedRoom{c.ID, r, m.beforeTrack(c, at)}
	if have, ok := m.lowered[key]; ok {
		return have.db, have.unsure, nil
	}
	out := lowering{}
	if len(r.Places) == 0 {
		out.db = m.staticLowering(c, r, at)
		out.unsure = out.db / 2
	} else if out, err = m.runExpanders(c, r, at); err != nil {
		return 0, 0, err
	}
	m.lowered[key] = out
	return out.db, out.unsure, nil
}

// staticLowering applies the expanders' static curves to the level of a room.
func (m *Meter) staticLowering(c reel.Clip, r *floor.Room, at int64) (db float64) {
	level := airOf(r)
	for _, t := range m.treatments(c) {
		if t.Clip == 0 {
			level.level += m.beforeTrack(c, at)
		}
		level.filtered(m.rate, t.Does)
		down := t.Does.Expander.SteadyDB(level.level)
		level.level += down
		db -= down
	}
	return db
}

func (m *Meter) runExpanders(c reel.Clip, r *floor.Room, at int64) (lowering, error) {
	wait, ahead := 0.0, 0.0 // ms
	for _, t := range m.treatments(c) {
		if e := t.Does.Expander; e.On() {
			wait += e.Hold + e.Release
			ahead += e.Ahead + e.Attack
		}
	}
	src, _ := m.r.Source(c.Source)
	from, tail := int64(wait/10)+10, int64(ahead/10)+1
	frames := [2]int64{from, from + int64(100*settledFor)}
	loop, err := m.repeated(src, r.Places, (frames[1]+tail)*int64(floor.Hop(m.rate)))
	if err != nil {
		return lowering{}, err
	}
	looped := *m
	looped.open = func(s reel.Source) (sound.Reader, error) {
		if s.ID == src.ID {
			return loop, nil
		}
		return m.open(s)
	}
	var powers [2]float64 // without and with
	for i, alter := range []func(treat.Settings) treat.Settings{unexpanded, nil} {
		of, err := looped.roomReader(c, at, alter)
		if err != nil {
			return lowering{}, err
		}
		p, err := framesOf(of, m.rate, frames)
		if err != nil {
			return lowering{}, err
		}
		powers[i] = mean(p)
	}
	if powers[0] <= 0 {
		return lowering{}, nil
	}
	out := lowering{db: max(-10*math.Log10(max(powers[1]/powers[0], 1e-12)), 0)}
	out.unsure = out.db / 2
	if longest := r.Places[0]; longest[1]-longest[0] >= from+tail {
		out.unsure = out.db / 8
	}
	return out, nil
}

// repeated joins the pauses of a source, each blended into the next over 5 ms, and
// repeats them for so many samples.
func (m *Meter) repeated(src reel.Source, pauses [][2]int64, n int64) (sound.Memory, error) {
	reader, err := m.open(src)
	if err != nil {
		return nil, err
	}
	hop, blend := int64(floor.Hop(m.rate)), m.rate/200
	var out sound.Memory
	for ch := range min(reader.Channels(), 2) {
		var all []float32
		for i := 0; int64(len(all)) < n; i = (i + 1) % min(len(pauses), mostPauses) {
			p := trimmed(pauses[i])
			v := make([]float32, min(p[1]-p[0]+1, mostSettled)*hop) // a frame holds two hops
			if err := reader.ReadAt(v, ch, p[0]*hop); err != nil {
				return nil, err
			}
			k := min(blend, len(all), len(v)/2)
			for j := range k { // constant power: the pauses are unrelated
				in, out := math.Sincos(math.Pi / 2 * float64(j) / float64(k))
				v[j] = v[j]*float32(in) + all[len(all)-k+j]*float32(out)
			}
			all = append(all[:len(all)-k], v...)
		}
		out = append(out, all[:n])
	}
	return out, nil
}

// trimmed removes up to three frames at both ends of a pause. They may hold low sounds of
// the neighbouring word, which open an expander but do not belong to the room.
func trimmed(p [2]int64) [2]int64 {
	by := min((p[1]-p[0])/6, 3)
	return [2]int64{p[0] + by, p[1] - by}
}

func unexpanded(s treat.Settings) treat.Settings {
	s.Expander = treat.Expander{}
	return s
}

// treatedRoom reads the whole source of a clip through its treatments, with the clip's
// gain at one position.
type treatedRoom struct {
	read        func(dst []float32, ch int, from int64) error
	channels    int
	left, right float64
}

// roomReader plays the source of a clip through its treatments, each altered by a
// function if there is one. It ignores strikes, and applies the clip's ride at one
// position of the source throughout.
func (m *Meter) roomReader(c reel.Clip, at int64, alter func(treat.Settings) treat.Settings) (treatedRoom, error) {
	alone := *m.r
	alone.Strikes, alone.Points = nil, nil
	if alter != nil {
		alone.Treatments = slices.Clone(m.r.Treatments)
		for i := range alone.Treatments {
			alone.Treatments[i].Does = alter(alone.Treatments[i].Does)
		}
	}
	src, _ := m.r.Source(c.Source)
	c.GainDB += m.rides[c.ID].DB(at)
	c.Start, c.Offset, c.Length = c.Start-c.Offset, 0, src.Length
	of, left, right, err := mix.OnTrack(&alone, c, m.open)
	if err != nil {
		return treatedRoom{}, err
	}
	return treatedRoom{of.ReadAt, of.Channels(), left, right}, nil
}

// sides reads n samples with the gains applied: one channel if both sides are equal.
func (of treatedRoom) sides(from, n int64) ([][]float32, error) {
	gains := []float64{of.left, of.right}
	if of.channels == 1 && of.left == of.right {
		gains = gains[:1]
	}
	out := make([][]float32, len(gains))
	for side, g := range gains {
		out[side] = make([]float32, n)
		if err := of.read(out[side], min(side, of.channels-1), from); err != nil {
			return nil, err
		}
		for i := range out[side] {
			out[side][i] *= float32(g)
		}
	}
	return out, nil
}

// framesOf returns the powers of frames of a room above 188 Hz, both sides together.
func framesOf(of treatedRoom, rate int, frames [2]int64) ([]float64, error) {
	hop := int64(floor.Hop(rate))
	lead := min(int64(edgeReach*100), frames[0]) // settles the filters
	both, err := of.sides((frames[0]-lead)*hop, (frames[1]-frames[0]+lead+1)*hop)
	if err != nil {
		return nil, err
	}
	p := floor.Sound(rate, both...).Total()
	return p[lead:], nil
}

// PauseLevel returns the level in dBFS that 95 % of the 10 ms in the pauses around a
// place of a clip's source stay under, full band, where the expander of the clip
// (or of its track, if track is set) hears it. It is not ok where the room is not known.
func (m *Meter) PauseLevel(c reel.Clip, track bool, at int64) (db float64, ok bool, err error) {
	src, _ := m.r.Source(c.Source)
	r, err := m.ear.Room(src, at)
	if err != nil || r.State != floor.Heard {
		return 0, false, err
	}
	of, err := m.expanderInput(c, track, at)
	if err != nil {
		return 0, false, err
	}
	hop := int64(floor.Hop(m.rate))
	var levels []float64
	for i, p := range r.Places {
		if i == mostPauses {
			break
		}
		p = trimmed(p)
		n := min(p[1]-p[0]+1, mostSettled) * hop // a frame holds two hops
		louder := make([]float64, 2*n/hop-1)
		both, err := of.sides(p[0]*hop, n)
		if err != nil {
			return 0, false, err
		}
		for _, v := range both {
			for k := range louder { // 10 ms, every 5 ms
				var sum float64
				for _, x := range v[int64(k)*hop/2 : int64(k)*hop/2+hop] {
					sum += float64(x) * float64(x)
				}
				louder[k] = max(louder[k], sum/float64(hop))
			}
		}
		levels = append(levels, louder...)
	}
	slices.Sort(levels)
	return measure.Level(levels[len(levels)*95/100]), true, nil
}

// expanderInput plays the source of a clip as it arrives at the expander of the clip or
// of its track.
func (m *Meter) expanderInput(c reel.Clip, track bool, at int64) (treatedRoom, error) {
	alone := *m.r
	alone.Treatments = slices.Clone(m.r.Treatments)
	for i, t := range alone.Treatments {
		if track && t.Track == c.Track || !track && t.Clip == c.ID {
			alone.Treatments[i].Does = unexpanded(t.Does)
		}
	}
	if track {
		alone.Tracks = slices.Clone(m.r.Tracks)
		for i := range alone.Tracks {
			alone.Tracks[i].GainDB, alone.Tracks[i].Pan = 0, 0
		}
		return (&Meter{r: &alone, open: m.open, rides: m.rides}).roomReader(c, at, nil)
	}
	alone.Strikes, alone.Points = nil, nil
	of, err := mix.Material(&alone, c, m.open)
	if err != nil {
		return treatedRoom{}, err
	}
	return treatedRoom{of.ReadAt, of.Channels(), 1, 1}, nil
}
