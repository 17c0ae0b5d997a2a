package api

import (
	"fmt"
	"slices"
	"sync"
	"sync/atomic"

	"github.com/hashicorp/golang-lru/v2/simplelru"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/store"
)

// mixes are renderers that were made for a piece of sound, kept for the next: a
// player asks for a reel in pieces, and making a renderer of thousands of clips
// takes longer than a piece. One who uses a renderer has it for himself.
type mixes struct {
	mu   sync.Mutex
	kept *simplelru.LRU[string, *mix.Mix]
	age  atomic.Int64 // how often all were forgotten
}

// mostMixes is how many are kept: for a few listeners who compare.
const mostMixes = 8

func newMixes() *mixes {
	kept, err := simplelru.NewLRU[string, *mix.Mix](mostMixes, nil)
	if err != nil {
		panic(err) // the size is a constant
	}
	return &mixes{kept: kept}
}

// take is a renderer that was kept under a name, nil when there is none.
func (m *mixes) take(name string) *mix.Mix {
	m.mu.Lock()
	defer m.mu.Unlock()
	out, _ := m.kept.Get(name)
	m.kept.Remove(name)
	return out
}

func (m *mixes) keep(name string, of *mix.Mix) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.kept.Add(name, of)
}

// forget has all be opened anew: a recording that was silent is there now.
func (m *mixes) forget() { m.age.Add(1) }

// name names what a renderer is of, so that it never stands for another reel.
func (m *mixes) name(v store.Version, trial, before string, o mix.Options) string {
	slices.Sort(o.Silent)
	slices.Sort(o.Untreated)
	return fmt.Sprint(m.age.Load(), " ", v.UID, " ", v.Revision, " ", trial, " ", before, " ", o)
}

// mixOf is the renderer of a reel with the library's sound.
func (s *API) mixOf(r *reel.Reel, o mix.Options) (*mix.Mix, error) {
	return mix.New(r, s.opener(r.Props.SampleRate), o)
}
