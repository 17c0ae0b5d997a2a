package server

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"reflect"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/core/reel/reeltest"
	"blendseam/server/api"
	"blendseam/work"
)

// patches are what is told of the seams of a reel from now on.
func (r *rig) patches(id int64) <-chan work.Patch {
	r.t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	r.t.Cleanup(cancel)
	req, _ := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("%s/api/v1/reels/%d/events", r.web.URL, id), nil)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		r.t.Fatal(err)
	}
	out := make(chan work.Patch, 64)
	go func() {
		defer res.Body.Close()
		lines, name := bufio.NewScanner(res.Body), ""
		lines.Buffer(nil, 16<<20)
		for lines.Scan() {
			if n, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				name = n
			} else if text, ok := strings.CutPrefix(lines.Text(), "data: "); ok && name == "seams" {
				var p work.Patch
				if err := json.Unmarshal([]byte(text), &p); err != nil {
					return
				}
				out <- p
			}
		}
	}()
	return out
}

// after is a list of seams after a patch, made as the page makes it.
func after(list []work.ListedSeam, p work.Patch) []work.ListedSeam {
	gone := map[work.Pair]bool{}
	for _, k := range p.Gone {
		gone[k] = true
	}
	for _, s := range p.Now {
		gone[work.Pair{Left: s.Left, Right: s.Right}] = true
	}
	var stay, out []work.ListedSeam
	for _, s := range list {
		if !gone[work.Pair{Left: s.Left, Right: s.Right}] {
			stay = append(stay, s)
		}
	}
	for _, s := range p.Now {
		for len(out) < s.Place && len(stay) > 0 {
			out, stay = append(out, stay[0]), stay[1:]
		}
		out = append(out, s.ListedSeam)
	}
	out = append(out, stay...)
	for _, m := range p.Moves {
		for i := m.First; i <= m.Last; i++ {
			if out[i].At += m.By; out[i].Cut.Left != 0 {
				out[i].Cut.At += m.By
			}
		}
	}
	return out
}

// What a change means for the seams, laid on the list before it, is the list
// that is read anew, through many edits, undone and redone.
func TestPatchesOfSeams(t *testing.T) {
	r := newRig(t)
	told := r.patches(1)
	read := func() api.SeamList {
		var l api.SeamList
		r.api(200, "GET", "/reels/1/seams", nil, &l)
		return l
	}
	now := read()
	rng := rand.New(rand.NewPCG(14, 1))
	whole, small, most := 0, 0, 0
	for n := 0; n < 120; n++ {
		v := r.reel(1)
		method, body := "edits", any(nil)
		switch {
		case n%7 == 5 && v.Undo != "":
			method, body = "undo", map[string]any{}
		case n%7 == 6 && v.Redo != "":
			method, body = "redo", map[string]any{}
		default:
			e := reeltest.Edit(rng, v.Reel)
			if _, err := e.Apply(v.Reel); err != nil {
				continue
			}
			text, err := reel.Encode(e)
			if err != nil {
				t.Fatal(err)
			}
			body = map[string]any{"base": v.Revision, "edit": json.RawMessage(text)}
		}
		res, _ := r.request("POST", "/api/v1/reels/1/"+method, must(json.Marshal(body)), nil)
		if res.StatusCode != 200 || r.reel(1).Revision == v.Revision {
			continue
		}
		var p work.Patch
		select {
		case p = <-told:
		case <-time.After(20 * time.Second):
			t.Fatalf("edit %d: nothing is told", n)
		}
		want := read()
		if p.Revision != want.Revision {
			t.Fatalf("edit %d: told of revision %d, at %d", n, p.Revision, want.Revision)
		}
		if p.From == 0 {
			whole++
			now = want
			continue
		}
		small++
		most = max(most, len(p.Now))
		got := after(now.Seams, p)
		if len(got) != len(want.Seams) {
			t.Fatalf("edit %d: %d seams, want %d", n, len(got), len(want.Seams))
		}
		for i := range got {
			if got[i].Seam != want.Seams[i].Seam || got[i].Print != want.Seams[i].Print {
				t.Fatalf("edit %d, seam %d:\n%+v\n%+v", n, i, got[i], want.Seams[i])
			}
		}
		if p.Length != want.Length || !reflect.DeepEqual(p.Off, want.Off) {
			t.Fatalf("edit %d: length %d, want %d; off %v, want %v", n, p.Length, want.Length, p.Off, want.Off)
		}
		now = want
	}
	t.Logf("%d patches, at most %d seams in one; %d lists had to be read", small, most, whole)
	if small < 40 || whole > small/4 {
		t.Errorf("%d patches and %d whole lists", small, whole)
	}
}

// Edits that come faster than they are told and measured, as under a held key,
// are all told: the patches follow one another to the list that is read anew.
func TestPatchesOfABurst(t *testing.T) {
	r := newRig(t)
	told := r.patches(1)
	var now, want api.SeamList
	r.api(200, "GET", "/reels/1/seams", nil, &now)
	rng := rand.New(rand.NewPCG(14, 2))
	at := now.Revision
	for n := 0; n < 60; n++ {
		v := r.reel(1)
		e := reeltest.Edit(rng, v.Reel)
		if _, err := e.Apply(v.Reel); err != nil {
			continue
		}
		text, err := reel.Encode(e)
		if err != nil {
			t.Fatal(err)
		}
		body := must(json.Marshal(map[string]any{"base": v.Revision, "edit": json.RawMessage(text)}))
		r.request("POST", "/api/v1/reels/1/edits", body, nil)
		r.api(200, "GET", "/reels/1/seams", nil, &want) // another page reads before it is told
		at = want.Revision
	}
	seams, whole := now.Seams, 0
	for rev := now.Revision; rev < at; {
		var p work.Patch
		select {
		case p = <-told:
		case <-time.After(20 * time.Second):
			t.Fatalf("told up to revision %d of %d", rev, at)
		}
		if p.From != 0 && p.From != rev {
			t.Fatalf("a patch from revision %d, where %d was told", p.From, rev)
		}
		if rev = p.Revision; p.From == 0 {
			whole++
			seams = nil
		} else if seams != nil {
			seams = after(seams, p)
		}
	}
	// The reel itself says what its seams are, not the list that was kept of it.
	v := r.reel(1)
	if real := v.Reel.Seams(); seams != nil {
		if len(seams) != len(real) {
			t.Fatalf("%d seams, want %d", len(seams), len(real))
		}
		for i := range real {
			if seams[i].Seam != real[i] {
				t.Fatalf("seam %d:\n%+v\n%+v", i, seams[i].Seam, real[i])
			}
		}
	}
	if at < now.Revision+10 || whole > 3 {
		t.Errorf("%d edits, %d lists had to be read", at-now.Revision, whole)
	}
	t.Logf("revision %d to %d, %d lists had to be read", now.Revision, at, whole)
}

func must(text []byte, err error) []byte {
	if err != nil {
		panic(err)
	}
	return text
}
