package store

import (
	"testing"
	"time"
)

// A database that gives no sign is away, unless this program itself was not let run a
// moment ago: then only after longer.
func TestSignsThatFailToCome(t *testing.T) {
	const now = time.Hour
	for _, c := range []struct {
		quiet, stalled time.Duration // before now; 0 for never
		away           bool
	}{
		{500 * time.Millisecond, 0, false}, {1400 * time.Millisecond, 0, true}, {1400 * time.Millisecond, 5 * time.Second, true},
		{1400 * time.Millisecond, 200 * time.Millisecond, false}, {5 * time.Second, time.Second, false}, {7 * time.Second, time.Second, true},
	} {
		var p pulse
		p.last.Store(int64(now - c.quiet))
		if c.stalled > 0 {
			p.stalled.Store(int64(now - c.stalled))
		}
		if got := p.missing(now); got != c.away {
			t.Errorf("quiet for %v, stalled %v ago: away is %t", c.quiet, c.stalled, got)
		}
	}
}
