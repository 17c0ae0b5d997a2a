package roomtone

import (
	"math"

	"blendseam/core/floor"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/sound"
)

// Ear hears the rooms of a reel's sources. What it has heard it remembers, by
// half seconds. It is not safe for concurrent use.
type Ear struct {
	rate   int
	open   mix.Open
	of     map[reel.ID]*heard
	spec   *measure.Spectrum
	colour map[*floor.Room]Colour
}

// heard is what is known of one source.
type heard struct {
	reader sound.Reader
	track  floor.Track
	gains  []float64
	rooms  map[int64]*floor.Room
	err    error
}

// Colour is the spectrum of a room, and how many segments it was heard in; 0
// where it was not.
type Colour struct {
	Bands    measure.Bands
	Segments int
}

// NewEar is an ear at a rate in hertz.
func NewEar(rate int, open mix.Open) *Ear {
	return &Ear{rate: rate, open: open, of: map[reel.ID]*heard{}, spec: measure.NewSpectrum(rate), colour: map[*floor.Room]Colour{}}
}

func (e *Ear) source(src reel.Source) *heard {
	if h := e.of[src.ID]; h != nil {
		return h
	}
	h := &heard{rooms: map[int64]*floor.Room{}}
	e.of[src.ID] = h
	if h.reader, h.err = e.open(src); h.err != nil {
		return h
	}
	h.track = floor.Of(h.reader, e.rate)
	for range min(h.reader.Channels(), 2) {
		h.gains = append(h.gains, 1)
	}
	return h
}

// grownReach is how far around a place grown tone is listened to, in frames: it
// is the room alone.
const grownReach = 100

// Room is the room of a source around a place of it, in samples: all channels,
// without the gains of clip and track.
func (e *Ear) Room(src reel.Source, at int64) (*floor.Room, error) {
	h := e.source(src)
	if h.err != nil {
		return nil, h.err
	}
	half := int64(e.rate / 2)
	key := at / half
	if r := h.rooms[key]; r != nil {
		return r, nil
	}
	var r floor.Room
	var err error
	if src.Bed.Grown() {
		var p floor.Powers
		at := key * half / int64(floor.Hop(e.rate))
		if p, err = floor.Collect(h.track, h.gains, at-grownReach, at+grownReach); err == nil {
			r = floor.Whole(p, max(at-grownReach, 0))
		}
	} else {
		r, err = floor.Around(h.track, h.gains, e.rate, h.reader.Len(), key*half+half/2)
	}
	if err != nil {
		return nil, err
	}
	h.rooms[key] = &r
	return &r, nil
}

// Powers are the frames of a stretch of a source, all channels together; and
// the number of the first.
func (e *Ear) Powers(src reel.Source, from, to int64) (floor.Powers, int64, error) {
	h := e.source(src)
	if h.err != nil {
		return nil, 0, h.err
	}
	hop := int64(floor.Hop(e.rate))
	first := max(from/hop, 0)
	p, err := floor.Collect(h.track, h.gains, first, to/hop)
	return p, first, err
}

// mostSegments are enough to tell a room's spectrum.
const mostSegments = 12

// Colour is the spectrum of a room of a source, of all its channels, heard
// where the room is alone.
func (e *Ear) Colour(src reel.Source, r *floor.Room) (Colour, error) {
	if c, ok := e.colour[r]; ok || r.State != floor.Heard {
		return c, nil
	}
	h := e.source(src)
	hop, n := int64(floor.Hop(e.rate)), int64(e.spec.Segment())
	var out Colour
	var power [len(measure.BandCentres)]float64
	v := make([]float32, n)
	for _, p := range r.Places {
		for at := p[0] * hop; at+n <= (p[1]+1)*hop && out.Segments < mostSegments; at += n / 2 {
			out.Segments++
			for ch := range h.gains {
				if err := h.reader.ReadAt(v, ch, at); err != nil {
					return out, err
				}
				for k, db := range e.spec.Of(v, []int{0}) {
					power[k] += math.Pow(10, db/10) / float64(len(h.gains))
				}
			}
		}
	}
	for k, p := range power {
		out.Bands[k] = measure.Level(p / float64(max(out.Segments, 1)))
	}
	e.colour[r] = out
	return out, nil
}

// OnTrack is what the gains of a clip and its track add to a level, in dB.
func OnTrack(c reel.Clip, t reel.Track) float64 {
	left, right := c.Gains(t)
	return 10 * math.Log10(max((left*left+right*right)/2, 1e-30))
}
