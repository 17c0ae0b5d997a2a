package reel

import "testing"

// Of recordings of one name, the one that holds what is needed as it counts
// itself is linked, whatever the order in which they came.
func TestTheBestOfSeveralIsLinked(t *testing.T) {
	rate := int64(48000)
	r := blank(1, 0, 0)
	r, _ = must(t, r, &AddSource{Source{Recording: "short", Name: "line", Right: -1, Length: 3 * rate, StartTC: -1}})
	r, _ = must(t, r, &AddSource{Source{Recording: "stamped", Name: "line", Right: -1, Length: 9 * rate, StartTC: 3600 * rate}})
	r, _ = must(t, r, &AddSource{Source{Recording: "long", Name: "line", Right: -1, Length: 8 * rate, StartTC: -1}})
	none := Source{ID: r.NextID, Name: "line", Right: -1, Length: MaxHours * 3600 * rate, StartTC: 0}
	out := *r
	out.Sources, out.NextID = with(r.Sources, none), r.NextID+1
	r, o := must(t, &out, &Place{Source: none.ID, Track: out.Tracks[0].ID, Start: 0, Offset: 4 * rate, Length: 2 * rate})
	for _, order := range [][]int{{0, 1, 2}, {2, 1, 0}, {1, 0, 2}} {
		var could []Source
		for _, i := range order {
			could = append(could, r.Sources[i])
		}
		e, ok := r.LinkTo(none, could, 4*rate)
		if !ok || e.To != r.Sources[2].ID || e.StartTC != nil {
			t.Fatalf("of %v: %+v", order, e)
		}
		linked, _ := must(t, r, e)
		if c, _ := linked.Clip(o.Made[0]); c.Offset != 4*rate || c.Source != e.To {
			t.Errorf("%+v", c)
		}
	}
	// One that is too short to count from zero still serves where nothing else is.
	if e, ok := r.LinkTo(none, r.Sources[:1], 4*rate); !ok || e.StartTC == nil || *e.StartTC != 4*rate {
		t.Errorf("%+v", e)
	}
	if _, ok := r.LinkTo(none, nil, 4*rate); ok {
		t.Error("nothing was linked")
	}
}
