package reel

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Together makes several edits as one step, one after the other. It is refused
// whole when one of them is.
type Together struct {
	Label string
	Edits []Edit
}

// maxTogether bounds one step.
const maxTogether = 5000

// Names implements Edit.
func (e *Together) Names() []ID {
	var out []ID
	for _, one := range e.Edits {
		out = append(out, one.Names()...)
	}
	return out
}

// On implements Timed: the tracks that any of the edits is about.
func (e *Together) On() []ID {
	var out []ID
	for _, one := range e.Edits {
		if timed, ok := one.(Timed); ok {
			out = append(out, timed.On()...)
		}
	}
	return out
}

// Apply implements Edit.
func (e *Together) Apply(r *Reel) (*Done, error) { return e.apply(context.Background(), r) }

// apply is Apply until the context ends.
func (e *Together) apply(ctx context.Context, r *Reel) (*Done, error) {
	if len(e.Edits) == 0 {
		return nil, refuse("There is nothing to do.")
	}
	if len(e.Edits) > maxTogether {
		return nil, refuse("At most %d edits make one step.", maxTogether)
	}
	label, err := CleanName(ShortName(e.Label))
	if err != nil {
		return nil, err
	}
	o := Outcome{Label: label}
	for i, one := range e.Edits {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		done, err := one.Apply(r)
		if err != nil {
			if no, ok := err.(*Refusal); ok {
				return nil, &Refusal{Reason: fmt.Sprintf("Step %d of %d: %s", i+1, len(e.Edits), no.Reason), Possible: no.Possible}
			}
			return nil, err
		}
		r = done.Reel
		o.join(done.Outcome)
	}
	o.Notes = slices.Compact(o.Notes)
	return &Done{r, o}, nil
}

// togetherJSON is how Together is written.
type togetherJSON struct {
	Label string            `json:"label"`
	Edits []json.RawMessage `json:"edits"`
}

// MarshalJSON writes the edits as Encode writes each.
func (e *Together) MarshalJSON() ([]byte, error) {
	out := togetherJSON{Label: e.Label}
	for _, one := range e.Edits {
		text, err := Encode(one)
		if err != nil {
			return nil, err
		}
		out.Edits = append(out.Edits, text)
	}
	return json.Marshal(out)
}

// UnmarshalJSON reads them; one step does not hold another.
func (e *Together) UnmarshalJSON(text []byte) error {
	var in togetherJSON
	if err := strict(text, &in); err != nil {
		return err
	}
	if len(in.Edits) > maxTogether {
		return fmt.Errorf("at most %d edits make one step", maxTogether)
	}
	e.Label, e.Edits = in.Label, nil
	for _, one := range in.Edits {
		edit, err := decodeOne(one)
		if err != nil {
			return err
		}
		e.Edits = append(e.Edits, edit)
	}
	return nil
}

// decodeOne reads an edit that stands for itself alone.
func decodeOne(text []byte) (Edit, error) {
	var kind envelope
	if err := strict(text, &kind); err != nil {
		return nil, err
	}
	if strings.EqualFold(kind.Do, "together") {
		return nil, fmt.Errorf("a step of several edits cannot hold another")
	}
	return Decode(text)
}
