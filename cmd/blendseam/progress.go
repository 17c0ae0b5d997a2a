package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"
)

// teller shows how far a command is, on a terminal alone.
type teller struct {
	what string
	out  *os.File
	last int
}

// progress tells on the terminal that a command's errors go to; in a pipe it is silent.
func progress(c *cobra.Command, what string) *teller {
	t := &teller{what: what, last: -1}
	if f, ok := c.ErrOrStderr().(*os.File); ok {
		if info, err := f.Stat(); err == nil && info.Mode()&os.ModeCharDevice != 0 && os.Getenv("TERM") != "dumb" {
			t.out = f
		}
	}
	return t
}

// at tells a part of the whole, 0 to 1.
func (t *teller) at(part float64) {
	if n := int(part * 100); t.out != nil && n != t.last {
		t.last = n
		fmt.Fprintf(t.out, "\r\x1b[K%s %d %%", t.what, n)
	}
}

// end takes away what was told.
func (t *teller) end() {
	if t.out != nil && t.last >= 0 {
		fmt.Fprint(t.out, "\r\x1b[K")
	}
}
