package conform

import (
	"fmt"
	"slices"

	"blendseam/core/reel"
)

// FromReel is a reel's edit as a list, and what no list holds, in words. File
// gives the name of a source's file, where it is known.
func FromReel(r *reel.Reel, file func(reel.Source) string) (List, []string) {
	p := r.Props
	l := List{Title: p.Name, Rate: p.FrameRate, Hz: p.SampleRate, StartFrame: p.StartFrame}
	at := map[reel.ID][2]int{} // track and event of each clip
	numbers := map[bool]int{}
	group := map[reel.ID]int{}
	for _, t := range r.Ties {
		group[t.Clip], group[t.Shot] = int(t.Shot), int(t.Shot)
	}
	grown, fitted, merged := 0, 0, 0
	for _, t := range r.Order() {
		clips := r.OnTrack(t.ID)
		if len(clips) == 0 {
			continue
		}
		seen := t.Role == reel.PictureRole
		numbers[seen]++
		lt := Track{Name: t.Name, Picture: seen, Number: numbers[seen], Role: t.Role, GainDB: t.GainDB, Pan: t.Pan}
		for _, c := range clips {
			src, _ := r.Source(c.Source)
			pace, in := src.Picture.Pace, c.Offset
			if pace != (reel.Pace{}) {
				src, in = r.Recorded(c)
			}
			zero := max(src.StartTC, 0)
			e := Event{
				Name: c.Name, Tape: src.Tape, Record: c.Start, Length: c.Length, SourceIn: zero + in, Zero: zero,
				GainDB: c.GainDB, Fades: [2]reel.Fade{c.FadeIn, c.FadeOut}, Group: group[c.ID], Left: src.Left + 1, Right: src.Right + 1, Pace: pace,
			}
			if e.File = src.Name; file != nil && !src.Bed.Grown() {
				if name := file(src); name != "" {
					e.File = name
				}
			}
			switch {
			case src.Bed.Grown():
				grown++
			case src.Fitted():
				fitted++
			case src.Former != "":
				merged++
			}
			at[c.ID] = [2]int{len(l.Tracks), len(lt.Events)}
			lt.Events = append(lt.Events, e)
		}
		l.Tracks = append(l.Tracks, lt)
	}
	over := 0
	for _, b := range r.Blends {
		left, right := at[b.Left], at[b.Right]
		if left[0] != right[0] || right[1] != left[1]+1 {
			over++
			continue
		}
		l.Tracks[right[0]].Events[right[1]].Blend = &Blend{b.Before, b.After, b.Law, b.Lean, b.Out, b.In}
	}
	for _, m := range r.Markers {
		l.Markers = append(l.Markers, Marker{m.At, m.Text})
	}
	var lost []string
	say := func(n int, one, more string) {
		if n == 1 {
			lost = append(lost, one)
		} else if n > 1 {
			lost = append(lost, fmt.Sprintf(more, n))
		}
	}
	say(fitted, "A fitted clip names its fitted copy, not the recording: hand that file on too.", "%d fitted clips name their fitted copies, not the recordings: hand those files on too.")
	say(merged, "A merged clip names its merged recording: hand that file on too.", "%d merged clips name their merged recordings: hand those files on too.")
	say(len(r.Strikes), "A struck span is written as it was recorded.", "%d struck spans are written as they were recorded.")
	say(len(r.Treatments), "The treatment of a track or clip is left out.", "%d treatments of tracks and clips are left out.")
	if len(r.Points) > 0 {
		lost = append(lost, "Gain lines are left out.")
	}
	say(grown, "A clip of generated room tone is written by its name only; other programs do not have it.", "%d clips of generated room tone are written by their names only; other programs do not have them.")
	sided := 0
	for _, c := range r.Clips {
		if c.Balance != 0 || c.RightDB != 0 {
			sided++
		}
	}
	say(sided, "The balance of a clip is left out.", "The balance of %d clips is left out.")
	say(over, "A blend between clips of two tracks is written as two ends.", "%d blends between clips of two tracks are written as their ends.")
	if slices.ContainsFunc(r.Tracks, func(t reel.Track) bool { return t.Mute || t.Solo }) {
		lost = append(lost, "Mute and solo are ignored: all tracks are written.")
	}
	return l, lost
}
