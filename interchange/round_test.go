package interchange_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/interchange/edl"
	"blendseam/interchange/otio"
)

// cut is a reel of n shots with their sound, cut at random: split edits,
// dissolves and crossfades among them. Sound lies on frames where whole is set.
func cut(t testing.TB, rate timecode.Rate, n int, whole bool, seed uint64) *reel.Reel {
	t.Helper()
	rng := rand.New(rand.NewPCG(seed, 5))
	start, _ := rate.Parse("01:00:00:00")
	r, err := reel.New(reel.Props{Name: "round", SampleRate: 48000, FrameRate: rate, StartFrame: start}, []reel.AddTrack{{Name: "Picture", Role: reel.PictureRole}, {Name: "Warden", Role: reel.Dialogue}, {Name: "Fan", Role: reel.RoomTone}})
	if err != nil {
		t.Fatal(err)
	}
	do := func(e reel.Edit) reel.Outcome {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatalf("%T %+v: %v", e, e, err)
		}
		r = done.Reel
		return done.Outcome
	}
	day := int64(20 * 60 * 48000)
	for i := range 3 {
		name := fmt.Sprintf("scene %d", i+1)
		tc := rate.Sample(start*int64(i+1)/2, 48000)
		do(&reel.AddSource{Source: reel.Source{Recording: fmt.Sprintf("%064d", i), Name: name + " picture", Tape: fmt.Sprintf("A%03d", i), Left: -1, Right: -1, StartTC: tc, Picture: reel.Picture{Rate: rate, Frames: 40000}}})
		do(&reel.AddSource{Source: reel.Source{Recording: fmt.Sprintf("%064d", i), Name: name, Left: 0, Right: -1, StartTC: tc, Length: day}})
	}
	frame := func(n int64) int64 { return rate.Sample(n, 48000) }
	at := int64(0)
	var shots, sounds []reel.ID
	for range n {
		length, k, in := 60+rng.Int64N(200), rng.IntN(3), 3000+rng.Int64N(8000)
		shot := do(&reel.Place{Source: r.Sources[2*k].ID, Track: r.Tracks[0].ID, Start: frame(at), Offset: frame(in), Length: frame(at+length) - frame(at)}).Made[0]
		sound := do(&reel.Place{Source: r.Sources[2*k+1].ID, Track: r.Tracks[1].ID, Start: frame(at), Offset: frame(in), Length: frame(at+length) - frame(at)}).Made[0]
		do(&reel.TieUp{Clips: []reel.ID{shot, sound}})
		shots, sounds = append(shots, shot), append(sounds, sound)
		at += length
	}
	for i := 1; i < n; i++ {
		by := rng.Int64N(40) - 20
		edge := frame(20)
		if !whole {
			do(&reel.Roll{Left: sounds[i-1], Right: sounds[i], By: rng.Int64N(2*edge) - edge})
		} else if by != 0 {
			do(&reel.Lead{Cuts: []reel.SoundCut{{Left: sounds[i-1], Right: sounds[i]}}, Frames: float64(by)})
		}
		if rng.IntN(4) == 0 {
			do(&reel.SetBlend{Left: shots[i-1], Right: shots[i], Before: frame(rng.Int64N(3) * 4), After: frame(8), Law: gain.ConstantGain, Lean: 0.5})
		}
		if rng.IntN(4) == 0 {
			do(&reel.SetBlend{Left: sounds[i-1], Right: sounds[i], Before: frame(4), After: frame(4), Law: pickLaw(rng, whole), Lean: 0.5})
		}
	}
	return r
}

func pickLaw(rng *rand.Rand, whole bool) gain.Law {
	if whole {
		return gain.ConstantPower
	}
	return gain.Laws[rng.IntN(len(gain.Laws))]
}

// bare is a reel with the sources of another and nothing on it.
func bare(t testing.TB, r *reel.Reel) *reel.Reel {
	t.Helper()
	out, err := reel.New(r.Props, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range r.Sources {
		s.ID = 0
		next, err := (&reel.AddSource{Source: s}).Apply(out)
		if err != nil {
			t.Fatal(err)
		}
		out = next.Reel
	}
	return out
}

// laid brings a list into a reel.
func laid(t testing.TB, l conform.List, r *reel.Reel) (*reel.Reel, conform.Conformed) {
	t.Helper()
	c := conform.Conform(l, r)
	out, err := (&reel.Assemble{Name: "again", What: c.What}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	return out.Reel, c
}

// story tells what is on the tracks of a reel, clip by clip, without ids.
func story(r *reel.Reel, fine bool) []string {
	var out []string
	for _, t := range r.Order() {
		for _, c := range r.OnTrack(t.ID) {
			src, _ := r.Source(c.Source)
			from := src.StartTC + c.Offset
			if !fine { // lists that count frames know its frame
				from = r.Props.FrameRate.Nearest(from, r.Props.SampleRate)
			}
			line := fmt.Sprint(t.Role == reel.PictureRole, " ", src.Name, " ", c.Name, " ", c.Start, "+", c.Length, " from ", from)
			if head, _ := r.BlendAt(c.ID); head.ID != 0 {
				before, after := head.Before, head.After
				if fine {
					line += " " + string(head.Law)
				} else {
					before, after = r.Props.FrameRate.Nearest(before, 48000), r.Props.FrameRate.Nearest(after, 48000)
				}
				line += fmt.Sprint(" blend ", before, "+", after)
			}
			if fine {
				line += fmt.Sprint(" ", c.GainDB, c.FadeIn, c.FadeOut)
			}
			if tie := r.TieOf(c.ID); tie.ID != 0 {
				shot, _ := r.Clip(tie.Shot)
				line += fmt.Sprint(" tied to ", shot.Start, " off ", r.Off(tie))
			}
			out = append(out, line)
		}
	}
	return out
}

func compare(t *testing.T, what string, got, want []string) {
	t.Helper()
	for i := range max(len(got), len(want)) {
		if i >= len(got) || i >= len(want) || got[i] != want[i] {
			g, w := "nothing", "nothing"
			if i < len(got) {
				g = got[i]
			}
			if i < len(want) {
				w = want[i]
			}
			t.Fatalf("%s: clip %d is\n%s, want\n%s", what, i, g, w)
		}
	}
}

// An edit written and read again is the same edit: every time exactly, at every
// rate; in a timeline also where sound lies between frames, with its gains,
// fades and laws.
func TestThereAndBack(t *testing.T) {
	for i, rate := range timecode.Rates {
		whole := cut(t, rate, 40, true, uint64(i))
		l, lost := conform.FromReel(whole, nil)
		if len(lost) > 0 {
			t.Errorf("%s: %v", rate, lost)
		}
		text := edl.Write(l)
		if rates := edl.Rates(text); !slices.ContainsFunc(rates, func(r timecode.Rate) bool { return r.Nominal() == rate.Nominal() }) {
			t.Errorf("%s is not among the rates the list could be of: %v", rate, rates)
		}
		again, err := edl.Read(text, rate, 48000)
		if err != nil {
			t.Fatalf("%s: %v\n%s", rate, err, text)
		}
		if len(again.Notes) > 0 {
			t.Errorf("%s: %v", rate, again.Notes)
		}
		back, c := laid(t, again, bare(t, whole))
		if len(c.Lacking) > 0 || len(c.Notes) > 0 {
			t.Errorf("%s: %+v %v", rate, c.Lacking, c.Notes)
		}
		compare(t, rate.String()+", edit list", story(back, false), story(whole, false))

		fine := cut(t, rate, 40, false, uint64(i))
		level := -4.5
		for _, e := range []reel.Edit{
			&reel.SetClip{Clip: fine.Clips[3].ID, GainDB: &level},
			&reel.SetFade{Clip: fine.Clips[1].ID, End: reel.Head, Fade: reel.Fade{Length: 777, Shape: gain.QuarterSine, Bend: 0.4}},
		} {
			did, err := e.Apply(fine)
			if err != nil {
				t.Fatal(err)
			}
			fine = did.Reel
		}
		l, _ = conform.FromReel(fine, nil)
		b, err := otio.Write(l)
		if err != nil {
			t.Fatal(err)
		}
		if again, err = otio.Read(b, 48000); err != nil {
			t.Fatal(err)
		}
		if again.Rate != rate || again.StartFrame != fine.Props.StartFrame || len(again.Notes) > 0 {
			t.Errorf("%s: reads as %s from %d, %v", rate, again.Rate, again.StartFrame, again.Notes)
		}
		back, c = laid(t, again, bare(t, fine))
		if len(c.Lacking) > 0 || len(c.Notes) > 0 {
			t.Errorf("%s: %+v %v", rate, c.Lacking, c.Notes)
		}
		compare(t, rate.String()+", timeline", story(back, true), story(fine, true))
	}
}

// What a reel lacks is listed with the timecode that is needed of it, stands as
// an empty strip, and is linked later.
func TestWhatIsMissingIsLinkedLater(t *testing.T) {
	r := cut(t, timecode.Rate2997Drop, 12, true, 9)
	l, _ := conform.FromReel(r, nil)
	again, err := edl.Read(edl.Write(l), r.Props.FrameRate, 48000)
	if err != nil {
		t.Fatal(err)
	}
	empty, err := reel.New(r.Props, nil)
	if err != nil {
		t.Fatal(err)
	}
	back, c := laid(t, again, empty)
	if len(c.Lacking) != len(r.Sources) || len(c.What.Sources) != len(r.Sources) {
		t.Fatalf("%d of %d are missing", len(c.Lacking), len(r.Sources))
	}
	for _, s := range r.Sources {
		s.ID = 0
		added, err := (&reel.AddSource{Source: s}).Apply(back)
		if err != nil {
			t.Fatal(err)
		}
		back = added.Reel
		for _, m := range back.Sources {
			if m.Missing() && conform.Same(m.Name, s.Name) && m.Shows() == s.Shows() {
				linked, err := (&reel.Link{Source: m.ID, To: added.Made[0]}).Apply(back)
				if err != nil {
					t.Fatal(err)
				}
				back = linked.Reel
			}
		}
	}
	compare(t, "linked", story(back, false), story(r, false))
	if err := back.Check(); err != nil {
		t.Error(err)
	}
}

// A blend that is longer than half of the clip it leads into comes back as long
// as it was, where nothing else wants that clip's material.
func TestALongBlendComesBack(t *testing.T) {
	r := cut(t, timecode.Rate25, 3, true, 7)
	sounds := r.OnTrack(r.Tracks[1].ID)
	for _, b := range r.Blends {
		next, err := (&reel.RemoveBlend{Blend: b.ID}).Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = next.Reel
	}
	after := sounds[1].Length*3/4 + 1
	done, err := (&reel.SetBlend{Left: sounds[0].ID, Right: sounds[1].ID, Before: 4800, After: after, Law: gain.ConstantPower, Lean: gain.Even}).Apply(r)
	if err != nil {
		t.Fatal(err)
	}
	r = done.Reel
	l, _ := conform.FromReel(r, nil)
	b, err := otio.Write(l)
	if err != nil {
		t.Fatal(err)
	}
	again, err := otio.Read(b, 48000)
	if err != nil {
		t.Fatal(err)
	}
	back, c := laid(t, again, bare(t, r))
	if len(back.Blends) != 1 || back.Blends[0].Before != 4800 || back.Blends[0].After != after || len(c.Notes) > 0 {
		t.Errorf("%+v instead of %d samples after the cut, %v", back.Blends, after, c.Notes)
	}
}

// A shot that runs at another speed, or stands, is written as OpenTimelineIO's schema has
// it (LinearTimeWarp, FreezeFrame), from its own frames on; an edit decision list says
// that it does not hold that.
func TestPaceIsWritten(t *testing.T) {
	r := cut(t, timecode.Rate25, 4, true, 3)
	plain := r
	shots := r.OnTrack(r.Order()[0].ID)
	at := shots[2].Start + 10*1920
	held := r.Frame(shots[2], at)
	for _, e := range []reel.Edit{
		&reel.PaceShot{Shot: shots[1].ID, Length: shots[1].Length / 2 / 1920 * 1920},
		&reel.PaceShot{Shot: shots[2].ID, Freeze: &at},
	} {
		done, err := e.Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	l, _ := conform.FromReel(r, nil)
	b, err := otio.Write(l)
	if err != nil {
		t.Fatal(err)
	}
	var got struct {
		Tracks struct {
			Children []struct {
				Kind     string
				Children []struct {
					Name    string
					Effects []struct {
						Schema string  `json:"OTIO_SCHEMA"`
						Scalar float64 `json:"time_scalar"`
					}
					Range struct {
						Start struct{ Value float64 } `json:"start_time"`
					} `json:"source_range"`
				}
			}
		}
	}
	if err := json.Unmarshal(b, &got); err != nil {
		t.Fatal(err)
	}
	seen := map[string]float64{}
	for _, c := range got.Tracks.Children[0].Children {
		for _, e := range c.Effects {
			seen[e.Schema] = e.Scalar
			src, _ := r.Source(shots[2].Source)
			if e.Schema == "FreezeFrame.1" && int64(c.Range.Start.Value) != held+r.Props.FrameRate.Nearest(max(src.StartTC, 0), 48000) {
				t.Errorf("it stands on %g, not on %d", c.Range.Start.Value, held)
			}
		}
	}
	if s, ok := seen["LinearTimeWarp.1"]; !ok || s < 1.9 || s > 2.1 {
		t.Errorf("%+v", seen)
	}
	if s, ok := seen["FreezeFrame.1"]; !ok || s != 0 {
		t.Errorf("%+v", seen)
	}
	if lost := edl.Cannot(l); !slices.ContainsFunc(lost, func(s string) bool { return strings.Contains(s, "2 shots that run slower") }) {
		t.Errorf("%q", lost)
	}
	// Read again, every frame is the one that it was, and sound is as much in step.
	again, err := otio.Read(b, 48000)
	if err != nil {
		t.Fatal(err)
	}
	back, c := laid(t, again, bare(t, plain))
	if len(c.Notes) > 0 {
		t.Errorf("%q", c.Notes)
	}
	ours, theirs := r.OnTrack(r.Order()[0].ID), back.OnTrack(back.Order()[0].ID)
	if len(ours) != len(theirs) {
		t.Fatalf("%d shots of %d", len(theirs), len(ours))
	}
	for i, c := range ours {
		if theirs[i].Start != c.Start || theirs[i].Length != c.Length {
			t.Errorf("shot %d is %d+%d, was %d+%d", i, theirs[i].Start, theirs[i].Length, c.Start, c.Length)
		}
		for at := c.Start; at < c.End(); at += 1920 {
			if a, b := r.Frame(c, at), back.Frame(theirs[i], at); a != b {
				t.Fatalf("shot %d shows frame %d at %d, was %d", i, b, at, a)
			}
		}
	}
	for _, tie := range back.Ties {
		if off := back.Off(tie); off != 0 {
			t.Errorf("sound is off by %d", off)
		}
	}
}
