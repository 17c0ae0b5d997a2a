package conform

import "fmt"

// mostRemarks bounds how many different remarks a list can have.
const mostRemarks = 200

// Remarks are what is to be said of a list as it is read: each once, in the order in which
// it first came up, with how often.
type Remarks struct {
	times map[string]int
	order []string
}

// Note keeps a remark.
func (r *Remarks) Note(format string, a ...any) {
	text := fmt.Sprintf(format, a...)
	if r.times == nil {
		r.times = map[string]int{}
	}
	if _, known := r.times[text]; !known {
		if len(r.order) == mostRemarks {
			return
		}
		r.order = append(r.order, text)
	}
	r.times[text]++
}

// All are the remarks in words.
func (r *Remarks) All() (out []string) {
	for _, text := range r.order {
		if n := r.times[text]; n > 1 {
			text += fmt.Sprintf(" (%d times)", n)
		}
		out = append(out, text)
	}
	return out
}
