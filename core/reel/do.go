package reel

import (
	"context"
	"errors"
	"fmt"
	"math"
	"reflect"
)

// Farthest is the largest number that an edit may name, of samples or frames,
// in either direction: far more than a day, and far less than what overflows.
const Farthest = 1 << 41

// The most that one edit may hold.
const (
	mostListed = 400_000 // things in all its lists
	mostText   = 4096    // bytes of one text
	mostNested = 12      // values within values
)

// Do applies an edit that comes from outside: one whose numbers are out of all
// bounds is refused, and work of many edits ends with the context.
func Do(ctx context.Context, r *Reel, e Edit) (*Done, error) {
	if err := Bounded(e); err != nil {
		return nil, err
	}
	done, err := perform(ctx, r, e)
	// What is offered instead has to work, whatever numbers led to it.
	var no *Refusal
	if errors.As(err, &no) && no.Offer != nil {
		own := *no
		own.Take = r.Props.take(no.Offer)
		if _, wrong := perform(ctx, r, no.Offer); wrong != nil {
			own.Offer, own.Take = nil, ""
		}
		err = &own
	}
	return done, err
}

func perform(ctx context.Context, r *Reel, e Edit) (*Done, error) {
	switch e := e.(type) {
	case *Together:
		return e.apply(ctx, r)
	case *Lead:
		return e.apply(ctx, r)
	}
	return e.Apply(r)
}

// Bounded refuses an edit that names a number no reel can have, or that holds
// more than one step can.
func Bounded(e Edit) error {
	left := mostListed
	return bounded(reflect.ValueOf(e), "", mostNested, &left)
}

func bounded(v reflect.Value, name string, deep int, left *int) error {
	if deep < 0 {
		return refuse("That step is nested too deep.")
	}
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if v.IsNil() {
			return nil
		}
		return bounded(v.Elem(), name, deep, left)
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				if err := bounded(v.Field(i), f.Name, deep-1, left); err != nil {
					return err
				}
			}
		}
	case reflect.Slice, reflect.Array:
		if v.Kind() == reflect.Slice {
			if *left -= v.Len(); *left < 0 {
				return &Refusal{Reason: fmt.Sprintf("That step names more than %d things.", mostListed), Possible: "Do it in several steps."}
			}
		}
		for i := range v.Len() {
			if err := bounded(v.Index(i), name, deep-1, left); err != nil {
				return err
			}
		}
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		// A seed is any number: nothing is counted by it.
		if n := v.Int(); (n > Farthest || n < -Farthest) && name != "Seed" {
			return &Refusal{Reason: fmt.Sprintf("%s is %d, which is out of all bounds.", name, n), Possible: fmt.Sprintf("A reel lasts %d hours at most.", MaxHours)}
		}
	case reflect.Float64:
		if f := v.Float(); !(math.Abs(f) <= Farthest) {
			return refuse("%s is %g, which is out of all bounds.", name, f)
		}
	case reflect.String:
		if v.Len() > mostText {
			return refuse("%s is longer than a text may be.", name)
		}
	}
	return nil
}
