package interchange_test

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"blendseam/core/conform"
	"blendseam/core/gain"
	"blendseam/core/reel"
	"blendseam/core/timecode"
	"blendseam/interchange/adl"
)

// heardStory is the story of the tracks of sound. Blends are told by their curves, as
// the list tells them.
func heardStory(r *reel.Reel) []string {
	var out []string
	for _, t := range r.Order() {
		if t.Role == reel.PictureRole {
			continue
		}
		for _, c := range r.OnTrack(t.ID) {
			src, _ := r.Source(c.Source)
			line := fmt.Sprint(t.Name, " ", src.Name, " ", c.Name, " ", c.Start, "+", c.Length, " from ", src.StartTC+c.Offset, " ", c.GainDB)
			if b, _ := r.BlendAt(c.ID); b.ID != 0 {
				line += fmt.Sprint(" blend ", b.Before, "+", b.After)
				for _, x := range []float64{0.2, 0.6} {
					at := int64(x * float64(b.Length()))
					line += fmt.Sprintf(" %.2f %.2f", likely(b).OutCurve().At(at), likely(b).InCurve().At(at))
				}
			}
			if c.FadeIn.Length > 0 || c.FadeOut.Length > 0 {
				line += fmt.Sprint(c.FadeIn, c.FadeOut)
			}
			out = append(out, line)
		}
	}
	return out
}

// likely is a blend as it is without what is known of the likeness of its sides.
func likely(b reel.Blend) reel.Blend {
	if b.Law == gain.Matched {
		b.Law = gain.ConstantPower
	}
	return b
}

// An audio decision list comes back to the sample: events, sources, gains, fades and
// crossfades with their shapes, at every frame rate.
func TestADLThereAndBack(t *testing.T) {
	for i, rate := range timecode.Rates {
		r := cut(t, rate, 40, false, uint64(i))
		level := -4.5
		sounds := r.OnTrack(r.Order()[1].ID)
		edits := []reel.Edit{
			&reel.SetClip{Clip: sounds[3].ID, GainDB: &level},
			&reel.SetFade{Clip: sounds[0].ID, End: reel.Head, Fade: reel.Fade{Length: 777, Shape: gain.Smooth, Bend: 0.4}},
			&reel.SetFade{Clip: sounds[39].ID, End: reel.Tail, Fade: reel.Fade{Length: 1777, Shape: gain.EasedSine, Bend: 0.62}},
			&reel.SetBlend{Left: sounds[10].ID, Right: sounds[11].ID, Before: 1000, After: 777, Law: gain.ConstantPower, Lean: 0.3},
			&reel.SetBlend{Left: sounds[20].ID, Right: sounds[21].ID, Before: 1000, After: 1200, Law: gain.ConstantGain, Lean: 0.5, Out: reel.Side{Shape: gain.Smooth, Bend: 0.7}, In: reel.Side{Shape: gain.Linear, Bend: 0.35}},
			&reel.AddMarker{At: 96001, Text: `a "door"`},
		}
		for _, e := range edits {
			did, err := e.Apply(r)
			if err != nil {
				t.Fatalf("%T: %v", e, err)
			}
			r = did.Reel
		}
		l, _ := conform.FromReel(r, nil)
		text := adl.Write(l)
		again, err := adl.Read(text, 48000)
		if err != nil {
			t.Fatalf("%s: %v\n%.2000s", rate, err, text)
		}
		if again.Rate != rate || again.StartFrame != r.Props.StartFrame || len(again.Notes) > 0 || again.Title != r.Props.Name {
			t.Errorf("%s: reads as %s from %d, %q, %v", rate, again.Rate, again.StartFrame, again.Title, again.Notes)
		}
		if len(again.Markers) != 1 || again.Markers[0] != (conform.Marker{At: 96001, Text: "a 'door'"}) {
			t.Errorf("%s: markers %+v", rate, again.Markers)
		}
		back, c := laid(t, again, bare(t, r))
		if len(c.Lacking) > 0 || len(c.Notes) > 0 {
			t.Errorf("%s: %+v %v", rate, c.Lacking, c.Notes)
		}
		compare(t, rate.String()+", audio decision list", heardStory(back), heardStory(r))
		// The same from another program's hand: Windows line ends or not, UTF-16, blanks for tabs.
		for what, other := range map[string][]byte{"LF": []byte(strings.ReplaceAll(string(text), "\r\n", "\n")), "blanks": []byte(strings.ReplaceAll(string(text), "\t", "  ")), "UTF-16": utf16Of(string(text))} {
			if o, err := adl.Read(other, 48000); err != nil || !reflect.DeepEqual(o, again) {
				t.Errorf("%s, %s: reads otherwise: %v", rate, what, err)
			}
		}
	}
}

func utf16Of(s string) []byte {
	out := []byte{0xff, 0xfe}
	for _, c := range s {
		out = append(out, byte(c), byte(c>>8))
	}
	return out
}
