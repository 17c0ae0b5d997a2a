package reel

import (
	"fmt"
	"slices"
)

// Tie holds a clip of sound to a shot. Edits may go through it, so that both
// stay together, or around it.
type Tie struct {
	ID   ID `json:"id"`
	Shot ID `json:"shot"`
	Clip ID `json:"clip"`
	// Sync is where the sound's source began against the picture's when they
	// were in step, in samples; later is positive.
	Sync int64 `json:"sync"`
}

func (t Tie) id() ID { return t.ID }

// Tie gives the tie of an id.
func (r *Reel) Tie(id ID) (Tie, bool) { return get(r.Ties, id) }

// TieOf is what holds a clip of sound to its shot; its id is 0 where nothing does.
func (r *Reel) TieOf(clip ID) Tie {
	if i := slices.IndexFunc(r.Ties, func(t Tie) bool { return t.Clip == clip }); i >= 0 {
		return r.Ties[i]
	}
	return Tie{}
}

// TiedTo are the ties of a shot.
func (r *Reel) TiedTo(shot ID) []Tie {
	var out []Tie
	for _, t := range r.Ties {
		if t.Shot == shot {
			out = append(out, t)
		}
	}
	return out
}

// between is where the sound's source begins against the picture's.
func between(shot, sound Clip) int64 {
	return (sound.Start - sound.Offset) - (shot.Start - shot.Offset)
}

// Off is how far a tied clip stands off the sync of its picture, in samples;
// sound that is late is positive. What rounding to frames comes to, up to a
// hundredth of one, is none.
func (r *Reel) Off(t Tie) int64 {
	shot, okS := r.Clip(t.Shot)
	sound, okC := r.Clip(t.Clip)
	if !okS || !okC {
		return 0
	}
	off := between(shot, sound) - t.Sync
	if p := r.Props; max(off, -off)*100 <= p.sample(1) {
		return 0
	}
	return off
}

// group are the ids of a clip and of all that is tied together with it.
func (r *Reel) group(id ID) []ID {
	shot := id
	if t := r.TieOf(id); t.ID != 0 {
		shot = t.Shot
	}
	out := []ID{shot}
	for _, t := range r.TiedTo(shot) {
		out = append(out, t.Clip)
	}
	return out
}

// through are the clips with all that is tied to them, where the edit goes
// through ties; those that were named come first.
func (r *Reel) through(ids []ID, tied bool) []ID {
	if !tied || len(r.Ties) == 0 {
		return ids
	}
	out, seen := slices.Clone(ids), idSet(ids)
	for _, id := range ids {
		for _, o := range r.group(id) {
			if _, there := r.Clip(o); there && !seen[o] {
				seen[o] = true
				out = append(out, o)
			}
		}
	}
	return out
}

// keepTies takes ties away whose shot or clip has gone, or which are no longer
// on tracks of their kinds.
func (r *Reel) keepTies(d difference) {
	if len(r.Ties) == 0 || len(d.altered) == 0 {
		return
	}
	if slices.ContainsFunc(r.Ties, func(t Tie) bool { return r.loose(t, d) }) {
		r.Ties = slices.DeleteFunc(slices.Clone(r.Ties), func(t Tie) bool { return r.loose(t, d) })
	}
}

func (r *Reel) loose(t Tie, d difference) bool {
	if !d.altered[t.Shot] && !d.altered[t.Clip] {
		return false
	}
	_, shot := r.Clip(t.Shot)
	_, clip := r.Clip(t.Clip)
	return !shot || !clip
}

// tieAlike ties a part that was cut off a clip like the clip itself. Where a
// shot was parted too, each part of the sound goes with the part of the
// picture that it lies under most.
func (r *Reel) tieAlike(from, to ID) {
	c, _ := r.Clip(from)
	r.Ties = slices.Clone(r.Ties)
	if r.shows(c) {
		for i, t := range r.Ties {
			if t.Shot == from {
				sound, _ := r.Clip(t.Clip)
				r.Ties[i].Shot = r.partUnder(from, sound)
			}
		}
		return
	}
	t := r.TieOf(from)
	if t.ID == 0 {
		return
	}
	i, _ := find(r.Ties, t.ID)
	r.Ties[i].Shot = r.partUnder(t.Shot, c)
	part, _ := r.Clip(to)
	t.ID, t.Clip, t.Shot = r.take(), to, r.partUnder(t.Shot, part)
	r.Ties = append(r.Ties, t)
}

// partUnder is the part of a shot, among those that continue one another, that
// a clip of sound lies under most.
func (r *Reel) partUnder(shot ID, sound Clip) ID {
	s, _ := r.Clip(shot)
	best, most := shot, overlapOf(s, sound)
	for _, o := range r.Clips {
		if o.Track == s.Track && o.Source == s.Source && o.Start-o.Offset == s.Start-s.Offset && overlapOf(o, sound) > most {
			best, most = o.ID, overlapOf(o, sound)
		}
	}
	return best
}

func overlapOf(a, b Clip) int64 { return min(a.End(), b.End()) - max(a.Start, b.Start) }

// checkTies returns an error when a tie holds what it cannot.
func (r *Reel) checkTies() error {
	if err := sorted(r.Ties, r.NextID, "tie"); err != nil {
		return err
	}
	tied := map[ID]bool{}
	for _, t := range r.Ties {
		shot, okS := r.Clip(t.Shot)
		sound, okC := r.Clip(t.Clip)
		if !okS || !okC || !r.shows(shot) || r.shows(sound) || tied[t.Clip] {
			return fmt.Errorf("tie %d does not hold a clip of sound to a shot, or is the second to", t.ID)
		}
		tied[t.Clip] = true
	}
	return nil
}
