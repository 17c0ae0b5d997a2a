package reel

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"blendseam/core/gain"
)

// Gain sets the gain of clips: all by so much, or all to one value.
type Gain struct {
	Clips []ID     `json:"clips"`
	ByDB  *float64 `json:"byDB,omitempty"` // relative; a clip at −∞ stays there
	ToDB  *float64 `json:"toDB,omitempty"` // absolute
}

// Names implements Edit.
func (e *Gain) Names() []ID { return e.Clips }

// Apply implements Edit.
func (e *Gain) Apply(r *Reel) (*Done, error) {
	clips, err := r.named(e.Clips)
	if err != nil {
		return nil, err
	}
	if (e.ByDB == nil) == (e.ToDB == nil) {
		return nil, refuse("Set gain by an amount or to a value.")
	}
	for _, c := range clips {
		if r.shows(c) {
			return nil, refuse("“%s” is a picture and has no gain.", c.Name)
		}
	}
	if e.ByDB != nil {
		if err := e.within(clips); err != nil {
			return nil, err
		}
	} else if err := invalid(gain.CheckDB(*e.ToDB)); err != nil {
		no := err.(*Refusal)
		if to := min(max(*e.ToDB, gain.MinDB), gain.MaxDB); to == to { // not NaN
			no.Possible, no.Offer = "The nearest is "+Decibels(to)+".", &Gain{Clips: e.Clips, ToDB: &to}
		}
		return nil, no
	}
	out := *r
	out.Clips = slices.Clone(r.Clips)
	o := Outcome{Label: "gain of " + both(clips)}
	for _, c := range clips {
		i, _ := find(out.Clips, c.ID)
		out.Clips[i].GainDB = e.of(c)
		if len(clips) == 1 {
			o.Says = append(o.Says, "“"+c.Name+"” "+Decibels(e.of(c)))
		}
	}
	switch {
	case len(clips) == 1:
	case e.ByDB != nil:
		o.Says = append(o.Says, both(clips)+" by "+Decibels(*e.ByDB))
	default:
		o.Says = append(o.Says, both(clips)+" at "+Decibels(*e.ToDB))
	}
	return r.finish(&out, o)
}

// of is the gain that a clip gets, to a hundredth of a dB.
func (e *Gain) of(c Clip) float64 {
	if e.ToDB != nil {
		return *e.ToDB
	}
	if c.GainDB <= gain.MinDB {
		return gain.MinDB
	}
	return math.Round(100*(c.GainDB+*e.ByDB)) / 100
}

// within refuses an amount that takes a clip out of the range, with the most
// that all of them can.
func (e *Gain) within(clips []Clip) error {
	by := *e.ByDB
	if math.IsNaN(by) {
		return refuse("Gain has to be a number of dB.")
	}
	low, high := math.Inf(-1), math.Inf(1)
	var loudest, softest Clip
	for _, c := range clips {
		if c.GainDB <= gain.MinDB {
			continue
		}
		if most := gain.MaxDB - c.GainDB; most < high {
			high, loudest = most, c
		}
		if least := gain.MinDB - c.GainDB; least > low {
			low, softest = least, c
		}
	}
	at, fit := loudest, high
	switch {
	case by > high:
	case by < low:
		at, fit = softest, low
	default:
		return nil
	}
	no := refuse("“%s” is at %s; gain goes from −∞ to %s.", at.Name, Decibels(at.GainDB), Decibels(gain.MaxDB))
	if fit = math.Round(100*fit) / 100; fit != 0 {
		no.Possible, no.Offer = "At most "+Decibels(fit)+".", &Gain{Clips: e.Clips, ByDB: &fit}
	}
	return no
}

// Decibels writes a gain as it is read: with its sign and one decimal, two where
// they tell something.
func Decibels(db float64) string {
	if db <= gain.MinDB {
		return "−∞ dB"
	}
	text := strconv.FormatFloat(math.Abs(db), 'f', 2, 64)
	text = strings.TrimSuffix(text, "0")
	sign := "+"
	if db < 0 {
		sign = "−"
	} else if db == 0 {
		sign = ""
	}
	return fmt.Sprintf("%s%s dB", sign, text)
}

// Gains are the factors by which the two sides of a clip are heard on a track:
// its gain, its balance and that of its right side, with the track's gain and pan.
func (c Clip) Gains(t Track) (left, right float64) {
	left, right = gain.Pan(t.Pan)
	level := gain.FromDB(c.GainDB) * gain.FromDB(t.GainDB)
	l, r := gain.Pan(c.Balance)
	return left * level * l, right * level * r * gain.FromDB(c.RightDB)
}

// checkSides returns an error when the balance or the gain of the right side is
// out of its range.
func (c Clip) checkSides() error {
	if !(c.Balance >= -1 && c.Balance <= 1) {
		return fmt.Errorf("balance goes from −1 (left) to 1 (right)")
	}
	return gain.CheckDB(c.RightDB)
}
