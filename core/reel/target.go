package reel

import (
	"fmt"
	"math"
)

// Target is how loud a reel is to be. The zero value is the usual one.
type Target struct {
	LUFS     float64 `json:"lufs"`     // of the whole, −60 to 0
	Within   float64 `json:"within"`   // LU that it may be off, up to 10
	TruePeak float64 `json:"truePeak"` // dBTP that it may reach at most, −30 to 0
	Low      float64 `json:"low"`      // dBFS: peaks of speech lie from here
	High     float64 `json:"high"`     // to here
}

// UsualTarget is that of EBU R 128 (2023): −23 LUFS, ±0.5 LU where more cannot be
// held, −1 dBTP; with peaks of speech from −12 to −6 dBFS, common practice.
var UsualTarget = Target{LUFS: -23, Within: 0.5, TruePeak: -1, Low: -12, High: -6}

// NamedTarget is a target that can be chosen by its name.
type NamedTarget struct {
	Name   string `json:"name"`
	Target Target `json:"target"`
}

// Targets are those in use: that of EBU R 128, and other loudnesses that are common
// practice, with the same corridor for speech.
var Targets = []NamedTarget{
	{"EBU R 128: −23 LUFS ±0.5, −1 dBTP", UsualTarget},
	{"−24 LUFS ±2, −2 dBTP", Target{LUFS: -24, Within: 2, TruePeak: -2, Low: -12, High: -6}},
	{"−18 LUFS ±1, −1 dBTP", Target{LUFS: -18, Within: 1, TruePeak: -1, Low: -12, High: -6}},
	{"−16 LUFS ±1, −1 dBTP", Target{LUFS: -16, Within: 1, TruePeak: -1, Low: -12, High: -6}},
}

// Meets reports whether a loudness in LUFS meets the target, read to a tenth.
func (t Target) Meets(lufs float64) bool { return math.Abs(lufs-t.LUFS) <= t.Within+0.05 }

// Full is the target in force.
func (t Target) Full() Target {
	if t == (Target{}) {
		return UsualTarget
	}
	return t
}

func (t Target) check() error {
	t = t.Full()
	switch {
	case !(t.LUFS >= -60 && t.LUFS <= 0):
		return fmt.Errorf("a target of loudness goes from −60 to 0 LUFS; %g is outside", t.LUFS)
	case !(t.Within >= 0 && t.Within <= 10):
		return fmt.Errorf("a loudness may be off by 0 to 10 LU; %g is outside", t.Within)
	case !(t.TruePeak >= -30 && t.TruePeak <= 0):
		return fmt.Errorf("a limit of the true peak goes from −30 to 0 dBTP; %g is outside", t.TruePeak)
	case !(t.Low >= -80 && t.High <= 0 && t.Low < t.High):
		return fmt.Errorf("peaks of speech lie between two levels from −80 to 0 dBFS, the lower one first")
	}
	return nil
}

// refusal refuses a target that is none, with the nearest one where its two levels
// are the wrong way round.
func (t Target) refusal() error {
	err := invalid(t.check())
	if no, ok := err.(*Refusal); ok && t.Low > t.High {
		turned := t
		if turned.Low, turned.High = t.High, t.Low; turned.check() == nil {
			no.Possible, no.Offer = "The other way round it is "+Decibels(turned.Low)+" to "+Decibels(turned.High)+".", &SetReel{Target: &turned}
		}
	}
	return err
}
