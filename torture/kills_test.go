package torture

import (
	"bytes"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	mrand "math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/core/reel/reeltest"
)

// times is n, or many times that in a long run.
func times(n int) int {
	if f, err := strconv.Atoi(os.Getenv("BLENDSEAM_TORTURE")); err == nil && f > 0 {
		return n * f
	}
	return n
}

// client edits a reel and remembers what it was told.
type client struct {
	*testing.T
	v   *victim
	rng *mrand.Rand
	id  int64
	m   *model

	line     []string // the states along undo and redo, with their sources
	sources  []map[int64]bool
	revision []int64 // of the step that led to each
	at       int
	kept     map[int64]int // versions, by the state in all
	all      map[int64]int // states by the revision of their step
	states   []string
	stateSrc []map[int64]bool

	acknowledged, refused, repeats, waited int
}

// ask sends a request until it is answered, with the same key. It waits through
// kills.
func (c *client) ask(method, path, body string) (int, []byte) {
	c.Helper()
	key := rand.Text()
	for n := 0; ; n++ {
		status, answer, err := c.once(method, path, body, key)
		if err == nil && status != 503 {
			if n > 0 {
				c.waited++
			}
			if status >= 500 {
				c.Fatalf("%s %s %.300s: %d %s", method, path, body, status, answer)
			}
			if status == 200 && method == "POST" && c.rng.IntN(8) == 0 {
				again, same, err := c.once(method, path, body, key)
				if err == nil && again != 503 {
					if c.repeats++; again != status || !bytes.Equal(same, answer) {
						c.Fatalf("%s %s again: %d %.300s, not %d %.300s", method, path, again, same, status, answer)
					}
				}
			}
			return status, answer
		}
		if n > 2000 {
			c.Fatalf("%s %s is not answered: %d %s %v", method, path, status, answer, err)
		}
		time.Sleep(15 * time.Millisecond)
	}
}

func (c *client) once(method, path, body, key string) (int, []byte, error) {
	req, err := http.NewRequest(method, c.v.url+"/api/v1"+path, strings.NewReader(body))
	if err != nil {
		c.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", key)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, nil, err
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	return res.StatusCode, answer, err
}

func (c *client) path(rest string) string { return fmt.Sprintf("/reels/%d%s", c.id, rest) }

// compare reads the reel and holds it against what was told.
func (c *client) compare(when string) {
	c.Helper()
	_, text := c.ask("GET", c.path(""), "")
	now, err := read(text)
	if err != nil {
		c.Fatal(err)
	}
	if now.revision != c.m.revision {
		c.Fatalf("%s: revision %d is there, %d was acknowledged", when, now.revision, c.m.revision)
	}
	if a, b := now.text(), c.m.text(); a != b {
		c.Fatalf("%s, revision %d: there (+) and acknowledged (−) differ:\n%s", when, now.revision, differences(a, b))
	}
}

// took remembers an answer that changed the reel; false when it did not.
func (c *client) took(status int, answer []byte) bool {
	c.Helper()
	if status != 200 {
		// Nobody else edits this reel: there is nothing to be in conflict with.
		if c.refused++; status != 422 {
			c.Fatalf("%d %s", status, answer)
		}
		return false
	}
	was := c.m.revision
	if err := c.m.take(answer); err != nil {
		c.Fatal(err)
	}
	c.acknowledged++
	return c.m.revision > was
}

func (c *client) stepped() {
	src := c.m.sourceIDs()
	c.line, c.sources, c.revision = append(c.line[:c.at+1], c.m.line(src)), append(c.sources[:c.at+1], src), append(c.revision[:c.at+1], c.m.revision)
	c.at++
	c.states, c.stateSrc = append(c.states, c.line[c.at]), append(c.stateSrc, src)
	c.all[c.m.revision] = len(c.states) - 1
}

func (c *client) is(what, want string, src map[int64]bool) {
	c.Helper()
	if got := c.m.line(src); got != want {
		c.Fatalf("after %s, revision %d, got (+) and wanted (−):\n%s", what, c.m.revision, differences(got, want))
	}
}

// document is the reel as core reads it, to think of edits that could work.
func (c *client) document() *reel.Reel {
	whole := map[string]any{"props": json.RawMessage(c.m.props), "nextID": 1 << 30}
	for _, kind := range kinds {
		list := []any{}
		for _, one := range c.m.things[kind] {
			list = append(list, one)
		}
		whole[kind] = list
	}
	text, _ := json.Marshal(whole)
	r := &reel.Reel{}
	if err := json.Unmarshal(text, r); err != nil {
		c.Fatal(err)
	}
	sortByID(r)
	return r
}

// one makes one move of any kind.
func (c *client) one() {
	base := c.m.revision
	switch k := c.rng.IntN(40); {
	case k < 24:
		doc := c.document()
		edit := reeltest.Edit(c.rng, doc)
		if k < 4 { // what follows by the dozen
			clip := doc.Clips[c.rng.IntN(len(doc.Clips))]
			edit = &reel.RemoveSpan{From: clip.Start, To: clip.End(), Tracks: []reel.ID{clip.Track}, Later: reel.Follow}
		}
		text, err := reel.Encode(edit)
		if err != nil {
			return
		}
		if c.took(c.ask("POST", c.path("/edits"), fmt.Sprintf(`{"base":%d,"edit":%s}`, base, text))) {
			c.stepped()
		}
	case k < 29:
		if c.took(c.ask("POST", c.path("/undo"), fmt.Sprintf(`{"base":%d}`, base))) {
			c.at--
			c.is("undo", c.line[c.at], c.sources[c.at])
		} else if c.at > 0 {
			c.Fatal("there was a step to undo")
		}
	case k < 33:
		if c.took(c.ask("POST", c.path("/redo"), fmt.Sprintf(`{"base":%d}`, base))) {
			c.at++
			c.is("redo", c.line[c.at], c.sources[c.at])
		} else if c.at < len(c.line)-1 {
			c.Fatal("there was a step to redo")
		}
	case k < 35:
		var to int64
		for revision := range c.all {
			if to = revision; c.rng.IntN(3) == 0 {
				break
			}
		}
		along := -1
		for i, revision := range c.revision {
			if revision == to {
				along = i
			}
		}
		if c.took(c.ask("POST", c.path("/go"), fmt.Sprintf(`{"revision":%d}`, to))) {
			n := c.all[to]
			c.is("going to a step", c.states[n], c.stateSrc[n])
			if along >= 0 {
				c.at = along
			} else {
				c.stepped()
			}
		}
	case k < 37:
		status, answer := c.ask("POST", c.path("/versions"), fmt.Sprintf(`{"name":"v%d"}`, base))
		var kept struct{ ID int64 }
		if json.Unmarshal(answer, &kept); status == 201 && kept.ID > 0 {
			c.states, c.stateSrc = append(c.states, c.m.line(c.m.sourceIDs())), append(c.stateSrc, c.m.sourceIDs())
			c.kept[kept.ID] = len(c.states) - 1
		}
	case k < 39:
		for version, n := range c.kept {
			if c.took(c.ask("POST", c.path(fmt.Sprintf("/versions/%d/go", version)), "{}")) {
				c.is("going to a version", c.states[n], c.stateSrc[n])
				c.stepped()
			}
			break
		}
	default:
		for id := range c.m.things["sources"] {
			c.took(c.ask("PATCH", c.path(fmt.Sprintf("/sources/%d", id)), fmt.Sprintf(`{"name":"renamed at %d"}`, base)))
			break
		}
	}
}

// Server and database are killed at random moments while edits of all kinds
// are made: everything that was acknowledged is there as it was told, nothing
// else is, and undo and redo lead through all of it.
func TestKills(t *testing.T) {
	v := newVictim(t)
	c := &client{T: t, v: v, rng: mrand.New(mrand.NewPCG(uint64(time.Now().UnixNano()), 1)), kept: map[int64]int{}, all: map[int64]int{}}
	start := func() {
		status, answer := c.ask("POST", "/reels/1/copy", `{"name":"victim"}`)
		var made struct{ ID int64 }
		if err := json.Unmarshal(answer, &made); err != nil || status != 201 {
			t.Fatalf("%d %s", status, answer)
		}
		c.id = made.ID
		_, text := c.ask("GET", c.path(""), "")
		var err error
		if c.m, err = read(text); err != nil {
			t.Fatal(err)
		}
		src := c.m.sourceIDs()
		c.line, c.sources, c.revision, c.at = []string{c.m.line(src)}, []map[int64]bool{src}, []int64{0}, 0
		c.states, c.stateSrc, c.kept, c.all = []string{c.line[0]}, []map[int64]bool{src}, map[int64]int{}, map[int64]int{0: 0}
	}
	through := func() {
		for c.at > 0 {
			if !c.took(c.ask("POST", c.path("/undo"), fmt.Sprintf(`{"base":%d}`, c.m.revision))) {
				t.Fatal("undo to the beginning stopped")
			}
			c.at--
			c.is("undo to the beginning", c.line[c.at], c.sources[c.at])
		}
		for c.at < len(c.line)-1 {
			if !c.took(c.ask("POST", c.path("/redo"), fmt.Sprintf(`{"base":%d}`, c.m.revision))) {
				t.Fatal("redo to the end stopped")
			}
			c.at++
			c.is("redo to the end", c.line[c.at], c.sources[c.at])
		}
		c.compare("at the end")
	}
	start()
	kills := times(8)
	for n := range kills {
		killed := make(chan struct{})
		wait := time.Duration(10+c.rng.IntN(250)) * time.Millisecond
		database := c.rng.IntN(5) < 2
		go func() {
			defer close(killed)
			time.Sleep(wait)
			v.kill(database)
		}()
		for over := false; !over; {
			c.one()
			select {
			case <-killed:
				over = true
			default:
			}
		}
		for range 3 {
			c.one()
		}
		c.compare(fmt.Sprintf("after kill %d", n+1))
		if n%40 == 39 && n < kills-1 { // a reel of its own for each forty
			through()
			start()
		}
	}
	through()
	out, err := exec.Command(v.binary, "verify", "--data", v.data).CombinedOutput()
	if err != nil {
		t.Errorf("verify: %v\n%s", err, out)
	}
	t.Logf("%d kills of the server and %d of the database; %d changes acknowledged, %d refused, %d asked for again, %d repeated: all as acknowledged", v.kills[0], v.kills[1], c.acknowledged, c.refused, c.waited, c.repeats)
}
