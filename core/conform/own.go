package conform

import (
	"fmt"
	"slices"

	"blendseam/core/reel"
)

// Choice is what has files of its own, as an edit list cannot say it.
type Choice struct {
	Fades Fades
	Clips bool // clips that have gain lines, struck spans, a treatment or a balance of their own
}

// Own is the sound of a source that has a file of its own: what is rendered of a reel.
type Own struct {
	Folder string     // that its file is kept in
	Reel   *reel.Reel // of its clips alone
	Silent []reel.ID  // of these
	From   int64      // place in the reel of its first sample
	Length int64
}

// Handed is a reel as a list can say it: some of its clips, or all that is at their ends,
// play sources that are to be made.
func (c Choice) Handed(r *reel.Reel) (*reel.Reel, map[reel.ID]Own) {
	made := map[reel.ID]Own{}
	if c.Clips {
		r = clipFiles(r, made)
	}
	return fadeFiles(r, c.Fades, made), made
}

// clipHandle is how much of a recording the file of a clip holds beyond the clip at most,
// in seconds, where no blend needs more.
const clipHandle = 5

// clipFiles is a reel whose clips are as a list can say them: of those that are more the
// files are as they sound, with all that is theirs. What is of their tracks stays with
// these. The files are put with those that were made.
func clipFiles(r *reel.Reel, made map[reel.ID]Own) *reel.Reel {
	out := *r
	out.Clips, out.Sources = slices.Clone(r.Clips), slices.Clone(r.Sources)
	baked := map[reel.ID]bool{}
	for i := range out.Clips {
		c := &out.Clips[i]
		if !worked(r, *c) {
			continue
		}
		m, err := r.Merging([]reel.ID{c.ID}, false)
		if err != nil {
			continue // it stays as it is, and what that loses is said
		}
		head, _ := r.BlendAt(c.ID)
		_, tail := r.BlendAt(c.ID)
		most := clipHandle * int64(r.Props.SampleRate)
		before, after := min(m.Before, max(most, head.Before)), min(m.After, max(most, tail.After))
		was, _ := r.Source(c.Source)
		src := own(&out, c.Name, c.Start-before, before+c.Length+after, was.Right >= 0 || c.Balance != 0 || c.RightDB != 0)
		made[src.ID] = Own{Folder: "Clips", Reel: m.Reel, From: c.Start - before, Length: src.Length}
		c.Source, c.Offset, c.GainDB, c.Balance, c.RightDB = src.ID, before, 0, 0, 0
		baked[c.ID] = true
	}
	out.Strikes = slices.DeleteFunc(slices.Clone(r.Strikes), func(s reel.Strike) bool { return baked[s.Clip] })
	out.Points = slices.DeleteFunc(slices.Clone(r.Points), func(p reel.Point) bool { return baked[p.Clip] })
	out.Treatments = slices.DeleteFunc(slices.Clone(r.Treatments), func(t reel.Treatment) bool { return baked[t.Clip] })
	return &out
}

// worked reports whether a clip is more than a list can say.
func worked(r *reel.Reel, c reel.Clip) bool {
	src, _ := r.Source(c.Source)
	t, treated := r.TreatmentOf(c.ID)
	return !src.Shows() && (c.Balance != 0 || c.RightDB != 0 || len(r.StrikesOf(c.ID)) > 0 || !r.Ride(c.ID).None() || treated && !t.Off && !t.Does.None())
}

// own puts a source of so many samples, which begins at a place of the reel, into it.
func own(r *reel.Reel, name string, from, length int64, stereo bool) reel.Source {
	p := r.Props
	src := reel.Source{
		ID: r.NextID, Recording: fmt.Sprint("made ", r.NextID), Name: reel.ShortName(name), Right: -1, Length: length,
		StartTC: max(p.FrameRate.Sample(p.StartFrame, p.SampleRate)+from, 0),
	}
	if stereo {
		src.Right = 1
	}
	r.NextID++
	r.Sources = append(r.Sources, src)
	return src
}
