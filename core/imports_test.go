// Package core_test holds the floor plan true: nothing under core reaches up.
package core_test

import (
	"encoding/json"
	"errors"
	"io"
	"os/exec"
	"slices"
	"strings"
	"testing"
)

func TestCoreReachesUpToNothing(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "./...").Output()
	if err != nil {
		t.Fatal(err)
	}
	// The order of the floors; a package imports only from those before it.
	floors := []string{"timecode", "sound", "floor", "gain", "treat", "reel", "measure", "master", "pace", "mix", "roomtone", "seam", "level", "conform", "reel/reeltest"}
	outside := []string{"net", "net/http", "database/sql", "html/template", "os", "os/exec", "syscall", "time", "unsafe"}
	seen := 0
	for d := json.NewDecoder(strings.NewReader(string(out))); ; {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := d.Decode(&p); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		name := strings.TrimPrefix(p.ImportPath, "blendseam/core/")
		if name == "blendseam/core" {
			continue
		}
		seen++
		for _, i := range p.Imports {
			if slices.Contains(outside, i) || strings.Contains(i, ".") && !strings.HasPrefix(i, "gonum.org/v1/gonum/dsp/") || strings.HasPrefix(i, "blendseam/") && !strings.HasPrefix(i, "blendseam/core/") {
				t.Errorf("core/%s imports %s", name, i)
			}
			if below, ok := strings.CutPrefix(i, "blendseam/core/"); ok && slices.Index(floors, below) >= slices.Index(floors, name) {
				t.Errorf("core/%s imports core/%s, which is not below it", name, below)
			}
		}
	}
	if seen != len(floors) {
		t.Errorf("%d packages under core, %d floors are known", seen, len(floors))
	}
}
