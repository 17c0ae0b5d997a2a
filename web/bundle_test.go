package web

import (
	"bytes"
	"encoding/json"
	"io/fs"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
)

// A bundle holds the files that the page's script comes to by its imports, as
// the links for a browser that loads them one by one name them; but for those of
// which nothing is used.
func TestABundleHoldsWhatItImports(t *testing.T) {
	whole, err := Open(embedded, false)
	if err != nil {
		t.Fatal(err)
	}
	single, err := Open(embedded, true)
	if err != nil {
		t.Fatal(err)
	}
	for _, entry := range entries {
		script, _ := whole.Asset(entry)
		sourceMap, ok := whole.Asset(entry + ".map")
		if !ok || !bytes.Contains(script.Body, []byte("sourceMappingURL=")) {
			t.Fatalf("%s has no source map", entry)
		}
		var m struct{ Sources []string }
		if err := json.Unmarshal(sourceMap.Body, &m); err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, s := range m.Sources {
			_, name, _ := strings.Cut(s, "web:")
			got = append(got, name)
		}
		want := append(single.now.modules(entry), entry)
		for _, name := range got {
			if !slices.Contains(want, name) {
				t.Errorf("%s holds %s, which it does not import", entry, name)
			}
		}
		want = slices.DeleteFunc(want, func(name string) bool { return slices.Contains(got, name) })
		if len(want) > 0 && !slices.Equal(want, []string{"lib/drag.js"}) { // of which the page of sources uses nothing
			t.Errorf("%s lacks %q", entry, want)
		}
		if n := len(whole.now.modules(entry)); n != 0 {
			t.Errorf("%d files are asked for besides %s", n, entry)
		}
		plain, _ := single.Asset(entry)
		text, _ := fs.ReadFile(embedded, entry)
		if !bytes.Equal(plain.Body, text) {
			t.Errorf("%s is not the file itself where files are read anew", entry)
		}
	}
}

func TestABrokenScriptIsNamed(t *testing.T) {
	for text, want := range map[string]string{
		`import { a } from "./lacking.js"; a();`:    "lacking.js",
		`import { a } from "../lib/there.js"; a();`: "No matching export",
		`let = ;`: "app/bench.js",
	} {
		files := fstest.MapFS{"app/bench.js": {Data: []byte(text)}, "lib/there.js": {Data: []byte("export const b = 1;")}}
		if _, _, err := bundled(files, "app/bench.js"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
}
