package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"time"

	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/dbserver"
	"blendseam/media"
	"blendseam/server"
	"blendseam/store"
)

// wide is a reel of 2,000 clips that meet, on 24 tracks, a blend on every cut.
func wide() *reel.Reel {
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "b", SampleRate: rate, FrameRate: timecode.Rate25}}
	do := func(e reel.Edit) reel.ID {
		done, err := e.Apply(r)
		check(err)
		r = done.Reel
		return done.Made[0]
	}
	source := do(&reel.AddSource{Source: reel.Source{Recording: "a", Name: "a", Right: -1, Length: 1 << 40, StartTC: -1}})
	var tracks []reel.ID
	for range 24 {
		tracks = append(tracks, do(&reel.AddTrack{Name: "t", Role: reel.Dialogue}))
	}
	last := make([]reel.ID, 24)
	for k := range int64(2000) {
		t := k % 24
		id := do(&reel.Place{Source: source, Track: tracks[t], Start: k / 24 * rate, Offset: rate, Length: rate})
		if last[t] != 0 {
			do(&reel.SetBlend{Left: last[t], Right: id, Before: 4800, After: 4800, Law: "constantPower", Lean: 0.5})
		}
		last[t] = id
	}
	return r
}

// edits times edits on a reel of 2,000 clips on 24 tracks: saved, journal and
// commit included, beside a bare commit of one row on the same database; and
// tried, as while something is dragged, request and answer included, beside
// writing the reel out as JSON once.
func edits(ctx context.Context, dir string) {
	db, err := dbserver.Start(ctx, filepath.Join(dir, "db"))
	check(err)
	defer db.Stop()
	st, err := store.Open(ctx, db.DSN("bench"))
	check(err)
	defer st.Close()
	library, err := media.OpenLibrary(filepath.Join(dir, "editlibrary"))
	check(err)
	defer library.Close()
	srv, err := server.New(server.Config{Store: st, Library: library, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	check(err)
	defer srv.Close()
	web := httptest.NewServer(srv.Handler())
	defer web.Close()
	r := wide()
	id, err := st.Create(ctx, r)
	check(err)
	v, err := st.Load(ctx, id)
	check(err)

	saved := func(what string, runs int, edit func(k int) reel.Edit) {
		var ours, bare []time.Duration
		for k := range runs {
			ours = append(ours, clock(func() {
				res, err := st.Do(ctx, id, v.Revision, edit(k))
				check(err)
				v = res.Version
			}))
			bare = append(bare, clock(func() { check(st.SaveRecording(ctx, store.Recording{Hash: "x", Rate: 1})) }))
		}
		x, y := median(ours), median(bare)
		fmt.Printf("%-52s %9.2f ms   a bare commit %6.2f ms   %6.1f times that\n", what, ms(x), ms(y), float64(x)/float64(y))
	}
	lane := r.OnTrack(r.Tracks[0].ID)
	saved("edit on a reel of 2,000 clips, journal included", 300, func(k int) reel.Edit {
		c := lane[k%(len(lane)-1)]
		return &reel.SetBlend{Left: c.ID, Right: lane[k%(len(lane)-1)+1].ID, Before: 4800 + int64(k), After: 4800, Law: "constantPower", Lean: 0.5}
	})
	back := func(k int) int64 { // out and in again, by a frame
		if k%2 == 0 {
			return 1920
		}
		return -1920
	}
	saved("trim of the first clip, all of 24 tracks following", 40, func(k int) reel.Edit {
		return &reel.Trim{Clips: []reel.ID{lane[0].ID}, End: reel.Tail, By: back(k), Later: reel.Follow}
	})

	tried := func(what string, edit reel.Edit) {
		text, err := reel.Encode(edit)
		check(err)
		body := fmt.Appendf(nil, `{"base":%d,"edit":%s,"nearest":true}`, v.Revision, text)
		var ours, reference []time.Duration
		for range 100 {
			ours = append(ours, clock(func() {
				res, err := http.Post(fmt.Sprintf("%s/api/v1/reels/%d/dry-run", web.URL, id), "application/json", bytes.NewReader(body))
				check(err)
				_, err = io.Copy(io.Discard, res.Body)
				check(err)
				res.Body.Close()
			}))
			reference = append(reference, clock(func() {
				_, err := json.Marshal(v.Reel)
				check(err)
			}))
		}
		x, y := median(ours), median(reference)
		fmt.Printf("%-52s %9.2f ms   the reel as JSON %6.2f ms %6.2f times that\n", what, ms(x), ms(y), float64(x)/float64(y))
	}
	tried("the same trim tried, as while dragging", &reel.Trim{Clips: []reel.ID{lane[0].ID}, End: reel.Tail, By: 1920, Later: reel.Follow})
	tried("a roll tried, that stops at its limit", &reel.Roll{Left: lane[40].ID, Right: lane[41].ID, By: 1 << 40})
	all := make([]reel.ID, 0, len(r.Clips))
	for _, c := range r.Clips {
		if c.Start > 0 {
			all = append(all, c.ID)
		}
	}
	tried("a move of nearly all clips tried", &reel.Move{Clips: all, By: 1920})
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
