package reel

// locked is the refusal of an edit of clips on a locked track.
func locked(t Track) *Refusal {
	no := refuse("Track %s is locked.", t.Name)
	no.Possible = "Unlock it to edit its clips."
	open := false
	no.Offer = &SetTrack{Track: t.ID, Locked: &open}
	return no
}

// open is the track of an id when its clips can be edited.
func (r *Reel) open(id ID) (Track, error) {
	t, ok := r.Track(id)
	if !ok {
		return t, refuse("That track is gone.")
	}
	if t.Locked {
		return t, locked(t)
	}
	return t, nil
}

// refuseLocked is the refusal of an edit on a track that is locked or gone.
func (r *Reel) refuseLocked(id ID) error {
	_, err := r.open(id)
	return err
}

// opened are the tracks of the ids when their clips can be edited, each once.
func (r *Reel) opened(ids []ID) (map[ID]bool, error) {
	if len(ids) == 0 {
		return nil, refuse("No track is selected.")
	}
	out := map[ID]bool{}
	for _, id := range ids {
		if _, err := r.open(id); err != nil {
			return nil, err
		}
		out[id] = true
	}
	return out, nil
}

// keepLocks refuses a reel in which something on a locked track has changed.
func (r *Reel) keepLocks(d difference) error {
	for _, t := range r.Tracks {
		if t.Locked && d.tracks[t.ID] {
			return locked(t)
		}
	}
	return nil
}
