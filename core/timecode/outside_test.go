package timecode_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/timecode"
	"blendseam/outside"
)

// Timecodes are those of the npm package smpte-timecode (1.3.6), written and read, at
// every rate that both know, through a day.
func TestTimecodeAgainstAnother(t *testing.T) {
	root, err := filepath.Abs("../..")
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "script.cjs")
	script := fmt.Sprintf(`const Timecode = require('module').createRequire(%q)('smpte-timecode');
const [rate, drop, day, step] = process.argv.slice(2).map(Number);
for (let n = 0; n < day; n += n %% 18000 < 40 || n %% 1800 < 4 ? 1 : step) {
  const code = Timecode(n, rate, Boolean(drop));
  console.log(n, code.toString(), Timecode(code.toString(), rate, Boolean(drop)).valueOf());
}`, filepath.Join(root, "package.json"))
	if err := os.WriteFile(path, []byte(script), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, one := range []struct {
		rate  timecode.Rate
		known string
		drop  string
	}{
		{timecode.Rate24, "24", "0"}, {timecode.Rate25, "25", "0"}, {timecode.Rate30, "30", "0"}, {timecode.Rate50, "50", "0"},
		{timecode.Rate23976, "23.976", "0"}, {timecode.Rate2997, "29.97", "0"}, {timecode.Rate2997Drop, "29.97", "1"},
		{timecode.Rate5994Drop, "59.94", "1"}, {timecode.Rate60, "60", "0"},
	} {
		lines := strings.Split(strings.TrimSpace(string(outside.Run(t, nil, "node", path, one.known, one.drop, strconv.FormatInt(one.rate.DayFrames(), 10), "887"))), "\n")
		if len(lines) < 2000 {
			t.Fatalf("%v: %d lines", one.rate, len(lines))
		}
		for _, line := range lines {
			part := strings.Fields(line)
			n, err := strconv.ParseInt(part[0], 10, 64)
			if err != nil || part[2] != part[0] {
				t.Fatalf("%v: %q", one.rate, line)
			}
			if got := one.rate.Format(n); got != part[1] {
				t.Fatalf("%v: frame %d is %s, there %s", one.rate, n, got, part[1])
			}
			if back, err := one.rate.Parse(part[1]); err != nil || back != n {
				t.Fatalf("%v: %s is frame %d (%v), there %d", one.rate, part[1], back, err, n)
			}
		}
	}
}
