package level

import (
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/core/treat"
)

// ToneRow is one clip whose tone is brought to that of another.
type ToneRow struct {
	Clip reel.ID        `json:"clip"`
	Name string         `json:"name"`
	Own  *measure.Bands `json:"own,omitempty"`  // its speech without what was matched before, in dBFS a third-octave band
	Like *measure.Bands `json:"like,omitempty"` // that of the other, as loud
	Tone treat.Voicing  `json:"tone"`
	// Unsure is the uncertainty of each band in dB due to the choice of words: the square
	// root of toneCaution times [toneVariance].
	Unsure *measure.Bands `json:"unsure,omitempty"`
	Why    string         `json:"why,omitempty"` // reason for leaving the clip unchanged

	doubtful treat.Voicing // the tone of a clip that is left only because of its uncertainty
}

// Toned are clips whose tone is brought to that of another.
type Toned struct {
	Reference reel.Clip
	Rows      []ToneRow
	Edit      *reel.Together // nil where nothing changes
	Anyway    *reel.Together // Edit with the uncertain tones too; nil if there are none
}

// MatchTone brings the tone of clips to that of another, by their long-term spectra in
// third octaves, measured on what is said. Without a reference it is as [MatchLike]
// has it. The amount, 0 to 1, is how much of the difference is made up for.
func MatchTone(ctx context.Context, r *reel.Reel, open mix.Open, clips []reel.ID, reference reel.ID, amount float64) (Toned, error) {
	var out Toned
	if !(amount >= 0 && amount <= 1) {
		return out, &reel.Refusal{Reason: "The amount goes from 0 to 100 %."}
	}
	if reference == 0 {
		var err error
		if reference, err = like(r, clips); err != nil {
			return out, err
		}
	}
	c, ok := r.Clip(reference)
	if !ok {
		return out, &reel.Refusal{Reason: "The clip to match to is gone."}
	}
	out.Reference = c
	const way = "Match to another clip."
	if why := mute(r, c); why != "" {
		return out, &reel.Refusal{Reason: fmt.Sprintf("“%s” cannot be matched to: %s.", c.Name, why), Possible: way}
	}
	m := seam.New(r, open)
	want, err := m.LongTerm(ctx, c)
	if err != nil {
		return out, err
	}
	if !want.Known() {
		return out, &reel.Refusal{Reason: fmt.Sprintf("“%s” has %.1f s of speech, too little to tell its tone.", c.Name, want.Seconds), Possible: way}
	}
	done := &reel.Together{Label: "match tone to “" + c.Name + "”"}
	doubtful := &reel.Together{Label: done.Label}
	plain := seam.New(untoned(r), open)
	for _, id := range slices.DeleteFunc(slices.Clone(clips), func(id reel.ID) bool { return id == reference }) {
		c, ok := r.Clip(id)
		if !ok {
			continue
		}
		row := ToneRow{Clip: id, Name: c.Name}
		if t, ok := r.TreatmentOf(id); ok {
			row.Tone = t.Does.Tone
		}
		if row.Why = mute(r, c); row.Why == "" {
			if t, _ := r.Track(c.Track); t.Locked {
				row.Why = t.Name + " is locked"
			}
		}
		if row.Why == "" {
			was := row.Tone
			own, err := plain.LongTerm(ctx, c)
			if err != nil {
				return out, err
			}
			if row.set(own, want, amount); row.Why == "" && row.Tone != was {
				tone := row.Tone
				done.Edits = append(done.Edits, &reel.Treat{Clips: []reel.ID{id}, Tone: &tone})
			}
			if row.doubtful != (treat.Voicing{}) && row.doubtful != was {
				doubtful.Edits = append(doubtful.Edits, &reel.Treat{Clips: []reel.ID{id}, Tone: &row.doubtful})
			}
		}
		out.Rows = append(out.Rows, row)
	}
	if len(done.Edits) > 0 {
		out.Edit = done
	}
	if len(doubtful.Edits) > 0 {
		doubtful.Edits = append(slices.Clone(done.Edits), doubtful.Edits...)
		out.Anyway = doubtful
	}
	return out, nil
}

// untoned is a reel in which no tone is matched.
func untoned(r *reel.Reel) *reel.Reel {
	out := *r
	out.Treatments = slices.Clone(r.Treatments)
	for i := range out.Treatments {
		out.Treatments[i].Does.Tone = treat.Voicing{}
	}
	return &out
}

// toneCaution is how many times the variance between seconds counts: whole phrases
// differ by more than their seconds do. Measured in accuracy/shorttone_test.go.
const toneCaution = 2.0

// leastBands is in how many third octaves both voices have to be heard.
const leastBands = 8

// set is the tone that brings one spectrum to another.
func (row *ToneRow) set(own, want seam.LongTerm, amount float64) {
	if !own.Known() {
		row.Why = fmt.Sprintf("%.1f s of speech, too little to tell its tone", own.Seconds)
		return
	}
	n := 0
	heard := func(k int) bool { return own.Over(k) && want.Over(k) }
	for k := range treat.ToneBands {
		if heard(k) {
			n++
		}
	}
	if n < leastBands {
		row.Why = "its voice does not stand out from the room"
		return
	}
	curve, by := toneBetween(own.Speech, want.Speech, heard)
	variance := toneVariance(own, want, heard)
	var d, v float64 // of the bands that are heard
	var unsure measure.Bands
	for k := range curve {
		if heard(k) {
			d, v = d+curve[k]*curve[k], v+variance[k]
		}
		unsure[k] = math.Round(10*math.Sqrt(toneCaution*variance[k])) / 10
	}
	row.Unsure = &unsure
	if v *= toneCaution; d <= v {
		row.Why = fmt.Sprintf("the difference of %.1f dB is within the ±%.1f dB that different words cause; use clips with more than %.0f s of speech",
			math.Sqrt(d/float64(n)), math.Sqrt(v/float64(n)), math.Floor(min(own.Seconds, want.Seconds)))
		row.doubtful = treat.Voicing{Bands: curve, Amount: amount}
		return
	}
	// Shrink the curve by the share that chance explains (after W. James and
	// C. Stein, "Estimation with quadratic loss", 1961; from memory).
	for k := range curve {
		curve[k] = math.Round(100*curve[k]*(1-v/d)) / 100
	}
	row.Tone = treat.Voicing{Bands: curve, Amount: amount}
	like := want.Speech
	for k := range like {
		like[k] = math.Round(10*(like[k]-by)) / 10
		own.Speech[k] = math.Round(10*own.Speech[k]) / 10
	}
	row.Own, row.Like = &own.Speech, &like
}

// toneVariance returns the variance of each band of a tone in dB², by a delete-one
// jackknife over the seconds of speech (B. Efron, The Jackknife, the Bootstrap and Other
// Resampling Plans, SIAM 1982; from memory): (n−1)/n times the sum of squares around the
// mean. If both sides hold the same words, it leaves the same seconds out of both, because
// the words affect both alike. A side with a single second uses the other side's variance.
func toneVariance(own, want seam.LongTerm, heard func(int) bool) (out [treat.ToneBands]float64) {
	tone := func(own, want measure.Bands) [treat.ToneBands]float64 {
		curve, _ := unboundedTone(own, want, heard)
		return curve
	}
	starts := own.Blocks()
	var curves [2][][treat.ToneBands]float64
	if lag, same := own.SameWords(want); same && len(starts) > 1 {
		later := slices.Clone(starts)
		for i := range later {
			later[i] += lag
		}
		theirs := want.Without(later)
		for i, b := range own.Without(starts) {
			curves[0] = append(curves[0], tone(b, theirs[i]))
		}
		return jackknife(curves[0])
	}
	for _, b := range own.Without(starts) {
		curves[0] = append(curves[0], tone(b, want.Speech))
	}
	for _, b := range want.Without(want.Blocks()) {
		curves[1] = append(curves[1], tone(own.Speech, b))
	}
	a, b := jackknife(curves[0]), jackknife(curves[1])
	if len(curves[0]) < 2 {
		a = b
	}
	if len(curves[1]) < 2 {
		b = a
	}
	for k := range out {
		out[k] = a[k] + b[k]
	}
	return out
}

// jackknife is the variance of each band over curves that each leave out one block.
func jackknife(curves [][treat.ToneBands]float64) (v [treat.ToneBands]float64) {
	n := float64(len(curves))
	for k := range v {
		var mean float64
		for _, c := range curves {
			mean += c[k] / n
		}
		for _, c := range curves {
			v[k] += (c[k] - mean) * (c[k] - mean) * (n - 1) / n
		}
	}
	return v
}

// toneLimits are the most that each band is altered by, in dB: less at the ends, where
// voices hold little.
var toneLimits = func() (out [treat.ToneBands]float64) {
	for k := range out {
		switch edge := min(k, len(out)-1-k); edge {
		case 0:
			out[k] = 4.5
		case 1:
			out[k] = 6
		default:
			out[k] = treat.MostTone
		}
	}
	return out
}()

// toneBetween returns [unboundedTone] within the limits of each band, to 0.01 dB.
func toneBetween(own, want measure.Bands, heard func(int) bool) (out [treat.ToneBands]float64, by float64) {
	out, by = unboundedTone(own, want, heard)
	for k := range out {
		out[k] = math.Round(100*min(max(out[k], -toneLimits[k]), toneLimits[k])) / 100
	}
	return out, by
}

// unboundedTone returns the difference of two spectra in the bands where both voices are
// audible, smoothed over the neighbours and without the step in level, which it returns as
// by. Other bands follow their nearest neighbours and fade to 0 dB. The curve keeps the
// power of the first spectrum.
func unboundedTone(own, want measure.Bands, heard func(int) bool) (out [treat.ToneBands]float64, by float64) {
	var diff, weight [treat.ToneBands]float64
	for k := range diff {
		if heard(k) {
			diff[k], weight[k] = want[k]-own[k], 1
		}
	}
	// Halfway between neighbours: a third-octave band of speech is known to about a dB.
	for k := range out {
		var sum, whole float64
		for _, n := range []struct {
			at int
			w  float64
		}{{k - 1, 1}, {k, 4}, {k + 1, 1}} {
			if n.at >= 0 && n.at < len(diff) && weight[n.at] > 0 {
				sum, whole = sum+n.w*diff[n.at], whole+n.w
			}
		}
		if whole > 0 && weight[k] > 0 {
			out[k] = sum / whole
		}
	}
	by = level(own, out, weight)
	for k := range out {
		if weight[k] > 0 {
			out[k] -= by
		}
	}
	bridge(&out, weight)
	return out, by
}

// level is by how much a curve alters the power of a spectrum, in dB, where it is known.
func level(own measure.Bands, curve, weight [treat.ToneBands]float64) float64 {
	var was, is float64
	for k, db := range own {
		if weight[k] > 0 {
			was += math.Pow(10, db/10)
			is += math.Pow(10, (db+curve[k])/10)
		}
	}
	if was <= 0 {
		return 0
	}
	return 10 * math.Log10(is/was)
}

// bridge fills bands that were not heard: from the nearest that were, halved with each
// band that lies between.
func bridge(curve *[treat.ToneBands]float64, weight [treat.ToneBands]float64) {
	for k := range curve {
		if weight[k] > 0 {
			continue
		}
		var sum float64
		for d := 1; d < len(curve); d++ {
			low, high := k-d >= 0 && weight[max(k-d, 0)] > 0, k+d < len(curve) && weight[min(k+d, len(curve)-1)] > 0
			if !low && !high {
				continue
			}
			n := 0.0
			if low {
				sum, n = sum+curve[k-d], n+1
			}
			if high {
				sum, n = sum+curve[k+d], n+1
			}
			curve[k] = sum / n / math.Pow(2, float64(d))
			break
		}
	}
}

func clipCount(n int) string {
	if n == 1 {
		return "1 clip"
	}
	return fmt.Sprintf("%d clips", n)
}

// Words tell what was matched.
func (t Toned) Words() string {
	changed, left := 0, 0
	var most, unsure float64
	why := ""
	for _, row := range t.Rows {
		if row.Why != "" {
			if left++; why == "" {
				why = row.Why
			}
			continue
		}
		changed++
		for _, db := range row.Tone.Bands {
			if db *= row.Tone.Amount; math.Abs(db) > math.Abs(most) {
				most = db
			}
		}
		if row.Unsure != nil {
			for _, db := range row.Unsure {
				unsure = max(unsure, db)
			}
		}
	}
	out := ""
	if changed > 0 {
		out = fmt.Sprintf("Tone matched to “%s”: at most %s in a third octave, ±%.1f dB.", t.Reference.Name, reel.Decibels(math.Round(10*most)/10), unsure)
	}
	if left > 0 {
		if out != "" {
			out += " "
		}
		out += fmt.Sprintf("%s unchanged: %s.", clipCount(left), why)
	}
	return out
}
