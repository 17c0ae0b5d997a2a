package torture

import (
	"bytes"
	"encoding/json"
	"fmt"
	"sort"
	"strings"

	"blendseam/core/reel"
)

// model is a reel as a client knows it from the answers alone: it reads what
// changed out of their JSON and knows no rule of the job.
type model struct {
	revision int64
	props    string
	things   map[string]map[int64]map[string]any // by kind and id
}

// kinds are the lists of a document, as the API names them.
var kinds = []string{"tracks", "sources", "clips", "blends", "strikes", "swatches", "markers", "ties"}

func number(v any) int64 {
	n, _ := v.(json.Number).Int64()
	return n
}

func decode(text []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	return d.Decode(into)
}

// read makes a model of the answer to GET /reels/{id}.
func read(text []byte) (*model, error) {
	var v struct {
		Revision int64
		Reel     map[string]any
	}
	if err := decode(text, &v); err != nil {
		return nil, err
	}
	m := &model{revision: v.Revision, things: map[string]map[int64]map[string]any{}, props: canonical(v.Reel["props"])}
	for _, kind := range kinds {
		m.things[kind] = map[int64]map[string]any{}
		list, _ := v.Reel[kind].([]any)
		for _, one := range list {
			thing := one.(map[string]any)
			m.things[kind][number(thing["id"])] = thing
		}
	}
	return m, nil
}

// take does what an answer says was changed.
func (m *model) take(answer []byte) error {
	var a struct {
		Revision int64
		Change   map[string]any
	}
	if err := decode(answer, &a); err != nil {
		return err
	}
	if a.Revision != m.revision && a.Revision != m.revision+1 {
		return fmt.Errorf("revision %d came after %d", a.Revision, m.revision)
	}
	if a.Revision == m.revision {
		if len(a.Change) > 0 {
			return fmt.Errorf("revision %d changed without a step", a.Revision)
		}
		return nil
	}
	m.revision = a.Revision
	if p, ok := a.Change["props"].(map[string]any); ok {
		m.props = canonical(p["after"])
	}
	for _, kind := range kinds {
		pairs, _ := a.Change[kind].([]any)
		for _, one := range pairs {
			pair := one.(map[string]any)
			if after, ok := pair["after"].(map[string]any); ok {
				m.things[kind][number(after["id"])] = after
			} else {
				delete(m.things[kind], number(pair["before"].(map[string]any)["id"]))
			}
		}
	}
	shifts, _ := a.Change["shifts"].([]any)
	for _, one := range shifts {
		shift := one.(map[string]any)
		for _, id := range shift["clips"].([]any) {
			was := m.things["clips"][number(id)]
			if was == nil {
				return fmt.Errorf("clip %v is moved and not there", id)
			}
			now := map[string]any{}
			for k, v := range was {
				now[k] = v
			}
			now["start"] = json.Number(fmt.Sprint(number(was["start"]) + number(shift["by"])))
			m.things["clips"][number(id)] = now
		}
	}
	return nil
}

// text is the whole of it, to be compared.
func (m *model) text() string {
	var b strings.Builder
	b.WriteString(m.props + "\n")
	for _, kind := range kinds {
		b.WriteString(kind + "\n")
		ids := make([]int64, 0, len(m.things[kind]))
		for id := range m.things[kind] {
			ids = append(ids, id)
		}
		sort.Slice(ids, func(i, j int) bool { return ids[i] < ids[j] })
		for _, id := range ids {
			b.WriteString(canonical(m.things[kind][id]) + "\n")
		}
	}
	return b.String()
}

// line is what undo and redo bring back: without the names and the listing of
// sources, and without those in besides.
func (m *model) line(sources map[int64]bool) string {
	out := &model{props: m.props, things: map[string]map[int64]map[string]any{}}
	for _, kind := range kinds {
		out.things[kind] = m.things[kind]
	}
	out.things["sources"] = map[int64]map[string]any{}
	for id, src := range m.things["sources"] {
		if !sources[id] {
			continue
		}
		bare := map[string]any{}
		for k, v := range src {
			if k != "name" && k != "unlisted" {
				bare[k] = v
			}
		}
		out.things["sources"][id] = bare
	}
	return out.text()
}

func (m *model) sourceIDs() map[int64]bool {
	out := map[int64]bool{}
	for id := range m.things["sources"] {
		out[id] = true
	}
	return out
}

// canonical is a value with its keys in order.
func canonical(v any) string {
	b, _ := json.Marshal(v)
	return string(b)
}

// differences names the first few lines in which two texts differ.
func differences(a, b string) string {
	in := map[string]int{}
	for line := range strings.SplitSeq(a, "\n") {
		in[line]++
	}
	for line := range strings.SplitSeq(b, "\n") {
		in[line]--
	}
	var out []string
	for line, n := range in {
		if n != 0 && len(out) < 6 {
			out = append(out, fmt.Sprintf("%+d %.300s", n, line))
		}
	}
	sort.Strings(out)
	return strings.Join(out, "\n")
}

func sortByID(r *reel.Reel) {
	sort.Slice(r.Tracks, func(i, j int) bool { return r.Tracks[i].ID < r.Tracks[j].ID })
	sort.Slice(r.Sources, func(i, j int) bool { return r.Sources[i].ID < r.Sources[j].ID })
	sort.Slice(r.Clips, func(i, j int) bool { return r.Clips[i].ID < r.Clips[j].ID })
	sort.Slice(r.Blends, func(i, j int) bool { return r.Blends[i].ID < r.Blends[j].ID })
	sort.Slice(r.Strikes, func(i, j int) bool { return r.Strikes[i].ID < r.Strikes[j].ID })
	sort.Slice(r.Swatches, func(i, j int) bool { return r.Swatches[i].ID < r.Swatches[j].ID })
	sort.Slice(r.Markers, func(i, j int) bool { return r.Markers[i].ID < r.Markers[j].ID })
	sort.Slice(r.Ties, func(i, j int) bool { return r.Ties[i].ID < r.Ties[j].ID })
}
