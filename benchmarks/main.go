// Command benchmarks measures speed as ratios beside a reference program that runs
// at the same time on the same machine, which may be shared and noisy: pairs
// of runs, and the medians of both. Run it with: make bench
package main

import (
	"cmp"
	"context"
	"flag"
	"fmt"
	"log"
	"os"
	"slices"
	"time"
)

func main() {
	log.SetFlags(0)
	runs := flag.Int("runs", 3, "pairs of runs of each comparison")
	minutes := flag.Int("minutes", 30, "length of the rendered reel")
	hour := flag.Int("import", 60, "minutes of the imported recording")
	only := flag.String("only", "", "one part alone: render, import, seams, tone, exports, demo, bundles or edits")
	flag.Parse()
	dir, err := os.MkdirTemp("", "seambench")
	check(err)
	defer os.RemoveAll(dir)
	ctx := context.Background()
	parts := []struct {
		name string
		run  func()
	}{
		{"render", func() { render(ctx, dir, *runs, *minutes); ridden(ctx, *runs, *minutes); memory(ctx) }},
		{"import", func() { importing(ctx, dir, *runs, *hour) }},
		{"seams", func() { seams(ctx, dir) }},
		{"tone", func() { tone(ctx, dir, *runs) }},
		{"exports", func() { exporting(ctx, dir, *runs) }},
		{"demo", func() { demoReel(ctx, dir, *runs) }},
		{"bundles", func() { bundles(ctx, dir, *runs) }},
		{"edits", func() { edits(ctx, dir) }},
	}
	known := *only == ""
	for _, p := range parts {
		if *only != "" && *only != p.name {
			continue
		}
		known = true
		fmt.Printf("— %s\n", p.name)
		p.run()
	}
	if !known {
		log.Fatalf("there is no part %q", *only)
	}
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

// pair times two things in turn and prints their medians and the ratio.
func pair(what string, runs int, ours, reference func()) {
	var a, b []time.Duration
	for range runs {
		a = append(a, clock(ours))
		b = append(b, clock(reference))
	}
	x, y := median(a), median(b)
	fmt.Printf("%-52s %9.3f s   reference %9.3f s   %6.1f times as fast\n", what, x.Seconds(), y.Seconds(), y.Seconds()/x.Seconds())
}

func clock(f func()) time.Duration {
	began := time.Now()
	f()
	took := time.Since(began)
	for _, path := range written {
		check(os.Remove(path))
	}
	written = nil
	return took
}

// written are files that are removed once what wrote them was timed.
var written []string

func median[T cmp.Ordered](v []T) T {
	s := slices.Sorted(slices.Values(v))
	return s[len(s)/2]
}
