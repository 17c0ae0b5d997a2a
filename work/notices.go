package work

import (
	"slices"
	"sync"
)

// Notices are what everyone who opens a page has to know about how the server
// stands.
type Notices struct {
	mu  sync.Mutex
	all []Notice
}

// Notice has a word for programs and a sentence for people.
type Notice struct {
	Kind string `json:"kind"`
	Text string `json:"text"`
}

// Set gives a kind its sentence, or takes it away where that is empty.
func (n *Notices) Set(kind, text string) {
	n.mu.Lock()
	defer n.mu.Unlock()
	i := slices.IndexFunc(n.all, func(o Notice) bool { return o.Kind == kind })
	switch {
	case i < 0 && text != "":
		n.all = append(n.all, Notice{kind, text})
	case i >= 0 && text == "":
		n.all = slices.Delete(slices.Clone(n.all), i, i+1)
	case i >= 0:
		n.all[i].Text = text
	}
}

// List are all of them.
func (n *Notices) List() []Notice {
	n.mu.Lock()
	defer n.mu.Unlock()
	return append([]Notice{}, n.all...)
}
