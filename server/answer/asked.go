package answer

import (
	"fmt"
	"net/http"
	"strconv"

	"blendseam/core/reel"
)

// Asked reads what a request asks for, one after the other, and keeps the first
// error.
type Asked struct {
	r   *http.Request
	err error
}

// Asking reads a request.
func Asking(r *http.Request) *Asked { return &Asked{r: r} }

// Err is the first error of all that was read.
func (a *Asked) Err() error { return a.err }

// Hold is the place for an error of what was read.
func (a *Asked) Hold(err error) {
	if a.err == nil {
		a.err = err
	}
}

// Path is a number in the address.
func (a *Asked) Path(name string) int64 {
	n, err := PathInt(a.r, name)
	a.Hold(err)
	return n
}

// Int is a whole number of the query, or a default when it is absent.
func (a *Asked) Int(name string, absent int64) int64 {
	n, err := QueryInt(a.r, name, absent)
	a.Hold(err)
	return n
}

// IDs is a list of ids of the query.
func (a *Asked) IDs(name string) []reel.ID {
	ids, err := QueryIDs(a.r, name)
	a.Hold(err)
	return ids
}

// Decibels is a number of dB of the query, 0 when it is absent.
func (a *Asked) Decibels(name string) float64 { return a.number(name, "a number of dB", 0) }

// Speed is how fast something is to play, 1 when it is absent.
func (a *Asked) Speed(name string) float64 { return a.number(name, "a number", 1) }

func (a *Asked) number(name, what string, absent float64) float64 {
	text := a.r.URL.Query().Get(name)
	if text == "" {
		return absent
	}
	n, err := strconv.ParseFloat(text, 64)
	if err != nil {
		a.Hold(Bad(fmt.Sprintf("“%s” has to be %s.", name, what)))
	}
	return n
}
