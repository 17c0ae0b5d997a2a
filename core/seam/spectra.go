package seam

import (
	"context"

	"blendseam/core/measure"
	"blendseam/core/reel"
)

// Spectra are the third-octave levels of both sides of a seam, in dBFS: of the
// room alone, and of the second next to the cut.
type Spectra struct {
	Centres  []float64     `json:"centres"` // hertz
	Out      *SideSpectrum `json:"out,omitempty"`
	In       *SideSpectrum `json:"in,omitempty"`
	Distance *float64      `json:"distance,omitempty"` // dB, of the two rooms in colour
	rooms    []measure.Bands
}

// SideSpectrum is one side's.
type SideSpectrum struct {
	Room []float64 `json:"room,omitempty"` // absent where nothing is quiet
	All  []float64 `json:"all,omitempty"`  // absent where the clip is too short
}

// Spectra measures the spectra of both sides of a seam.
func (m *Meter) Spectra(ctx context.Context, s reel.Seam) (Spectra, error) {
	out := Spectra{Centres: measure.BandCentres[:]}
	side := func(id reel.ID, outgoing bool) (*SideSpectrum, error) {
		c, ok := m.r.Clip(id)
		if !ok {
			return nil, nil
		}
		from, to := m.full(c)
		a, b := from, min(to, from+m.seconds(roomReach))
		if outgoing {
			a, b = max(from, to-m.seconds(roomReach)), to
		}
		v, err := m.sound(ctx, c.Track, a, b, 0)
		if err != nil {
			return nil, err
		}
		one := &SideSpectrum{}
		if quiet := m.spec.Quiet(v[0], 12); len(quiet) > 0 {
			bands := m.spec.Of(v[0], quiet)
			one.Room = append(one.Room, bands[:]...)
			out.rooms = append(out.rooms, bands)
		}
		near := nearest(v[0], m.seconds(sideReach), outgoing)
		var all []int
		for at := 0; at+m.spec.Segment() <= len(near); at += m.spec.Segment() / 2 {
			all = append(all, at)
		}
		if len(all) > 0 {
			bands := m.spec.Of(near, all)
			one.All = append(one.All, bands[:]...)
		}
		return one, nil
	}
	if k, ok := m.r.Strike(s.Right); ok && s.Kind == reel.StruckSeam {
		return m.struckSpectra(ctx, s, k)
	}
	var err error
	if out.Out, err = side(s.Left, true); err == nil {
		out.In, err = side(s.Right, false)
	}
	if len(out.rooms) == 2 {
		d := out.rooms[0].Distance(out.rooms[1])
		out.Distance = &d
	}
	return out, err
}
