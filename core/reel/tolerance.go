package reel

import "fmt"

// Tolerance is from where on a finding at a seam is to be heard, and from
// where on it is to be mended, in the finding's own unit. 0 stands for the
// shipped value, and a negative one for never.
type Tolerance struct {
	Hear float64 `json:"hear"`
	Mend float64 `json:"mend"`
}

// Tolerances are the limits by which the seams of a reel are judged.
type Tolerances struct {
	Click  Tolerance `json:"click,omitzero"`  // dB over what was predicted
	Room   Tolerance `json:"room,omitzero"`   // dB, step of the room's level
	Colour Tolerance `json:"colour,omitzero"` // dB, distance of the rooms' spectra
	Voice  Tolerance `json:"voice,omitzero"`  // LU, step of the voice's level
	Dip    Tolerance `json:"dip,omitzero"`    // dB, dip or swell through a blend
	Hole   Tolerance `json:"hole,omitzero"`   // ms of digital silence
	Word   Tolerance `json:"word,omitzero"`   // dB over the room, on both sides of a cut
}

// Shipped are the limits a reel begins with: common practice, tried on real
// recordings.
var Shipped = Tolerances{
	Click:  Tolerance{-1, 12},
	Room:   Tolerance{3, 6},
	Colour: Tolerance{6, -1},
	Voice:  Tolerance{3, 6},
	Dip:    Tolerance{1.5, 3},
	Hole:   Tolerance{5, 20},
	Word:   Tolerance{15, -1},
}

// each calls do with every limit, its shipped value and its name.
func (t *Tolerances) each(do func(own *Tolerance, shipped Tolerance, name string)) {
	s := Shipped
	do(&t.Click, s.Click, "click")
	do(&t.Room, s.Room, "room tone")
	do(&t.Colour, s.Colour, "colour")
	do(&t.Voice, s.Voice, "voice level")
	do(&t.Dip, s.Dip, "dip or swell")
	do(&t.Hole, s.Hole, "hole")
	do(&t.Word, s.Word, "cut into sound")
}

// Full are the limits with the shipped values where there are no others.
func (t Tolerances) Full() Tolerances {
	t.each(func(own *Tolerance, shipped Tolerance, _ string) {
		if own.Hear == 0 {
			own.Hear = shipped.Hear
		}
		if own.Mend == 0 {
			own.Mend = shipped.Mend
		}
	})
	return t
}

// maxTolerance is beyond anything that is measured.
const maxTolerance = 10000

// Check returns an error unless the limits are numbers in order.
func (t Tolerances) Check() (err error) {
	t = t.Full()
	t.each(func(own *Tolerance, _ Tolerance, name string) {
		if !(own.Hear >= -1 && own.Hear <= maxTolerance && own.Mend >= -1 && own.Mend <= maxTolerance) {
			err = fmt.Errorf("the limits of %s go from 0 to %d", name, maxTolerance)
		} else if own.Hear > 0 && own.Mend > 0 && own.Hear > own.Mend {
			err = fmt.Errorf("for %s, what is to be heard begins at %g, above what is to be mended at %g", name, own.Hear, own.Mend)
		}
	})
	return err
}
