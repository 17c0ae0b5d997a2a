package reel

// Starter are the tracks that a new reel begins with: one for each role, and
// a second for dialogue, so that two voices need not share one.
var Starter = []AddTrack{
	{Name: "Dialogue 1", Role: Dialogue}, {Name: "Dialogue 2", Role: Dialogue},
	{Name: "Room tone", Role: RoomTone}, {Name: "Spots", Role: Spots}, {Name: "Music", Role: Music},
}

// New is a reel with tracks and nothing on them. It fails when its settings
// are not possible.
func New(p Props, tracks []AddTrack) (*Reel, error) {
	name, err := CleanName(p.Name)
	if err != nil {
		return nil, err
	}
	p.Name = name
	r := &Reel{Props: p, NextID: 1}
	for _, t := range tracks {
		done, err := t.Apply(r)
		if err != nil {
			return nil, err
		}
		r = done.Reel
	}
	if err := r.Check(); err != nil {
		return nil, invalid(err)
	}
	return r, nil
}
