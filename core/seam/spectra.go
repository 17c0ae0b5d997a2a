package seam

import (
	"context"

	"blendseam/core/measure"
	"blendseam/core/reel"
	"blendseam/core/roomtone"
)

// Spectra are the third-octave levels of both sides of a seam, in dBFS: of the
// room alone, and of the second next to the cut.
type Spectra struct {
	Centres  []float64     `json:"centres"` // hertz
	Out      *SideSpectrum `json:"out,omitempty"`
	In       *SideSpectrum `json:"in,omitempty"`
	Distance *float64      `json:"distance,omitempty"` // dB, of the two rooms in colour
	rooms    []roomtone.Colour
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
		a, b := from, min(to, from+m.seconds(spectrumReach))
		if outgoing {
			a, b = max(from, to-m.seconds(spectrumReach)), to
		}
		v, err := m.sound(ctx, c.Track, a, b, 0)
		if err != nil {
			return nil, err
		}
		one := &SideSpectrum{}
		room, err := m.colour(c, outgoing)
		if err != nil {
			return nil, err
		}
		if room.Segments > 0 {
			by := m.onTrack(c, edgeOf(c, outgoing))
			for k := range room.Bands {
				room.Bands[k] = max(room.Bands[k]+by, measure.Silence)
			}
			one.Room = append(one.Room, room.Bands[:]...)
			out.rooms = append(out.rooms, room)
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
		d := m.spec.Apart(out.rooms[0].Bands, out.rooms[1].Bands, out.rooms[0].Segments, out.rooms[1].Segments)
		out.Distance = &d
	}
	return out, err
}
