package reel

import (
	"fmt"

	"unicode/utf8"

	"blendseam/core/gain"
)

// Position is where a blend lies at its cut.
type Position string

// Where a blend can lie.
const (
	Before Position = "before"
	Across Position = "across"
	After  Position = "after"
)

// Preset is a named blend: what is put on a cut by its name.
type Preset struct {
	Name         string   `json:"name"`
	Milliseconds float64  `json:"ms"`
	Position     Position `json:"lie"`
	Law          gain.Law `json:"law"`
	Lean         float64  `json:"lean"`
	Usual        bool     `json:"usual"` // put by the blend key
}

// MaxPresets is how many presets are kept, and maxPresetMS the longest.
const (
	MaxPresets  = 40
	maxPresetMS = 60000
)

// ShippedPresets are the presets one begins with.
var ShippedPresets = []Preset{
	{"Across, a quarter second", 240, Across, gain.ConstantPower, gain.Even, true},
	{"Click guard, one frame", 40, Across, gain.ConstantPower, gain.Even, false},
	{"Room change, matched", 600, Across, gain.Matched, gain.Even, false},
	{"Same take, constant gain", 80, Across, gain.ConstantGain, gain.Even, false},
	{"Ahead of the word", 120, Before, gain.ConstantPower, gain.Even, false},
	{"Music, eased", 1000, Across, gain.ConstantPowerEased, gain.Even, false},
}

// CheckPresets refuses a list that cannot be kept.
func CheckPresets(list []Preset) error {
	if len(list) == 0 || len(list) > MaxPresets {
		return refuse("There are from 1 to %d presets.", MaxPresets)
	}
	names, usual := map[string]bool{}, 0
	for i, p := range list {
		name, err := CleanName(p.Name)
		if err != nil {
			return err
		}
		if utf8.RuneCountInString(name) > 80 {
			return refuse("The name of a preset has at most 80 characters.")
		}
		if names[name] {
			return refuse("Two presets are called “%s”.", name)
		}
		list[i].Name, names[name] = name, true
		if !(p.Milliseconds > 0 && p.Milliseconds <= maxPresetMS) {
			return refuse("A preset is longer than 0 and at most %d s long.", maxPresetMS/1000)
		}
		if p.Position != Before && p.Position != Across && p.Position != After {
			return invalid(fmt.Errorf("a blend is before, across or after its cut, not %q", p.Position))
		}
		if err := invalid(p.Law.Check(), gain.CheckWarp(p.Lean)); err != nil {
			return err
		}
		if p.Usual {
			usual++
		}
	}
	if usual != 1 {
		return refuse("The blend key applies one preset, not %d.", usual)
	}
	return nil
}
