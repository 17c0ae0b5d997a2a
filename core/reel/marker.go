package reel

import "slices"

// MaxMarkers is the most markers a reel can have.
const MaxMarkers = 5000

// AddMarker puts a marker at a place.
type AddMarker struct {
	At   int64  `json:"at"`
	Text string `json:"text"`
}

// Names implements Edit.
func (e *AddMarker) Names() []ID { return nil }

// Apply implements Edit.
func (e *AddMarker) Apply(r *Reel) (*Done, error) {
	text, err := CleanName(e.Text)
	if err == nil {
		err = r.freeForMarker(e.At, 0)
	}
	if err != nil {
		return nil, err
	}
	if len(r.Markers) >= MaxMarkers {
		return nil, refuse("A reel has at most %d markers.", MaxMarkers)
	}
	out := *r
	m := Marker{ID: out.take(), At: e.At, Text: text}
	out.Markers = with(r.Markers, m)
	return r.finish(&out, Outcome{Label: "mark “" + text + "” at " + r.Props.at(e.At), Made: []ID{m.ID}})
}

func (r *Reel) freeForMarker(at int64, but ID) error {
	if at < 0 || at > r.day() {
		return refuse("A marker must be inside the reel.")
	}
	if i := slices.IndexFunc(r.Markers, func(m Marker) bool { return m.At == at && m.ID != but }); i >= 0 {
		no := refuse("The marker “%s” is there already.", r.Markers[i].Text)
		no.Possible = "Change its text, or mark another place."
		return no
	}
	return nil
}

// SetMarker moves a marker or changes its text. What is nil stays.
type SetMarker struct {
	Marker ID      `json:"marker"`
	At     *int64  `json:"at,omitempty"`
	Text   *string `json:"text,omitempty"`
}

// Names implements Edit.
func (e *SetMarker) Names() []ID { return []ID{e.Marker} }

// Apply implements Edit.
func (e *SetMarker) Apply(r *Reel) (*Done, error) {
	m, ok := r.Marker(e.Marker)
	if !ok {
		return nil, refuse("That marker is gone.")
	}
	o := Outcome{Label: "set marker “" + m.Text + "”"}
	if e.At != nil {
		if err := r.freeForMarker(*e.At, m.ID); err != nil {
			return nil, err
		}
		o.Label = "move marker “" + m.Text + "” to " + r.Props.at(*e.At)
		m.At = *e.At
	}
	if e.Text != nil {
		text, err := CleanName(*e.Text)
		if err != nil {
			return nil, err
		}
		o.Label = "name marker “" + text + "”"
		m.Text = text
	}
	out := *r
	out.Markers = with(r.Markers, m)
	return r.finish(&out, o)
}

// RemoveMarker takes a marker away.
type RemoveMarker struct {
	Marker ID `json:"marker"`
}

// Names implements Edit.
func (e *RemoveMarker) Names() []ID { return []ID{e.Marker} }

// Apply implements Edit.
func (e *RemoveMarker) Apply(r *Reel) (*Done, error) {
	m, ok := r.Marker(e.Marker)
	if !ok {
		return nil, refuse("That marker is gone.")
	}
	out := *r
	out.Markers = without(r.Markers, m.ID)
	return r.finish(&out, Outcome{Label: "remove marker “" + m.Text + "”"})
}
