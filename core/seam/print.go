package seam

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"math"
	"sort"

	"blendseam/core/reel"
	"blendseam/core/treat"
)

// Print is a fingerprint of all that is heard at a seam: equal prints are
// equal measures. Times count from the seam, so that one that is moved as a
// whole with its surroundings keeps its print.
func (m *Meter) Print(s reel.Seam) string {
	buf := make([]byte, 0, 1024)
	put := func(v ...int64) {
		for _, x := range v {
			buf = binary.LittleEndian.AppendUint64(buf, uint64(x))
		}
	}
	real := func(v float64) { put(int64(math.Float64bits(v))) }
	text := func(v string) { buf = append(append(buf, v...), 0) }
	// A gain line as far as it matters between two places of its own time: with the
	// points beside them, which its slopes come from.
	line := func(on reel.ID, from, to, zero int64) {
		points := m.lines[on]
		if len(points) == 0 {
			return
		}
		a := sort.Search(len(points), func(i int) bool { return points[i].At > from })
		b := sort.Search(len(points), func(i int) bool { return points[i].At >= to })
		put(7)
		if on < 0 {
			put(10)
		}
		for _, p := range points[max(a-1, 0):min(b+1, len(points))] {
			put(p.At - zero)
			real(p.DB)
			if p.Eased {
				put(8)
			}
		}
	}
	treated := func(on reel.ID) {
		if t, ok := m.treated[on]; ok {
			put(11)
			text(fmt.Sprint(t.Alone, t.Does))
		}
	}
	clip := func(c reel.Clip, reach int64) {
		from, to := max(c.Start, s.At-reach), min(c.End(), s.At+reach)
		if tone := m.grown[c.Source]; tone != "" {
			text(tone) // an edit that is only tried may grow another under the same id
		}
		put(int64(c.Source), from-s.At, to-s.At, c.Offset+from-c.Start)
		real(c.GainDB)
		if c.Balance != 0 || c.RightDB != 0 { // what was accepted before there were sides stays so
			put(9)
			real(c.Balance)
			real(c.RightDB)
		}
		treated(c.ID)
		line(c.ID, c.Offset+s.At-reach-c.Start, c.Offset+s.At+reach-c.Start, c.Offset+s.At-c.Start)
		for _, k := range m.struckOf[c.ID] {
			lo, hi := k.Reach()
			if lo -= c.Offset + s.At - c.Start; lo >= reach || hi-c.Offset-s.At+c.Start <= -reach {
				continue
			}
			put(6, k.From-c.Offset+c.Start-s.At, k.To-k.From, k.Fall.Length, k.Rise.Length)
			text(string(k.Fall.Shape) + string(k.Rise.Shape))
			for _, v := range []float64{k.Fall.Bend, k.Rise.Bend, k.LowerDB, k.Cover.GainDB} {
				real(v)
			}
			if k.Cover.Source != 0 {
				text(m.grown[k.Cover.Source])
				put(k.From) // the tone goes by the time of the source
			}
		}
		side := func(b reel.Side) { text(string(b.Shape)); real(b.Bend) }
		if head := m.heads[c.ID]; from == c.Start || c.Start+max(c.FadeIn.Length, head.After) > from {
			put(1, c.FadeIn.Length, c.Start-s.At, head.Before, head.After)
			text(string(c.FadeIn.Shape) + string(head.Law))
			real(c.FadeIn.Bend)
			real(head.Lean)
			side(head.In)
		}
		if tail := m.tails[c.ID]; to == c.End() || c.End()-max(c.FadeOut.Length, tail.Before) < to {
			put(2, c.FadeOut.Length, c.End()-s.At, tail.Before, tail.After)
			text(string(c.FadeOut.Shape) + string(tail.Law))
			real(c.FadeOut.Bend)
			real(tail.Lean)
			side(tail.Out)
		}
	}
	text(string(s.Kind))
	put(int64(m.rate))
	for i, t := range m.order {
		own := t.ID == s.Track || s.To != 0 && t.ID == s.To
		if t.Mute && !own {
			continue
		}
		reach := m.seconds(underReach) + max(m.tails[s.Left].Length(), m.seconds(1))
		if own {
			reach = m.seconds(voiceReach + 1)
		}
		// A treatment of the track lets what went before, or comes, bear on what is heard.
		near := m.seconds(joinReach) + 1
		if m.treated[t.ID].ID != 0 {
			near += m.seconds(treat.MostMemory)
			reach += m.seconds(treat.MostMemory)
		}
		clips := m.within(t.ID, s.At-reach, s.At+reach)
		if own {
			// Of the clips of the track beyond the two only what comes near the
			// cut, with the handles that their blends borrow, is measured.
			kept := make([]reel.Clip, 0, 2)
			for _, c := range clips {
				if c.ID == s.Left || c.ID == s.Right {
					kept = append(kept, c)
				} else if c.End()+m.tails[c.ID].After > s.At-near && c.Start-m.heads[c.ID].Before < s.At+near {
					put(5)
					clip(c, near)
				}
			}
			clips = kept
		}
		if len(clips) == 0 && !own {
			continue
		}
		put(int64(i), int64(len(clips)))
		text(string(t.Role))
		real(t.GainDB)
		real(t.Pan)
		treated(t.ID)
		line(t.ID, s.At-reach, s.At+reach, s.At)
		line(-t.ID, s.At-reach, s.At+reach, s.At)
		if t.Mute {
			put(3)
		}
		for _, c := range clips {
			clip(c, reach)
		}
	}
	hole, edges := m.silence(s)
	put(hole)
	if edges {
		put(4)
	}
	for _, c := range []reel.ID{s.Left, s.Right} { // handles
		if c, ok := m.r.Clip(c); ok {
			src, _ := m.r.Source(c.Source)
			put(src.Length-c.Offset-c.Length, c.Offset)
		}
	}
	if k, ok := m.r.Strike(s.Right); ok {
		put(k.To - k.From)
	}
	sum := sha256.Sum256(buf)
	return hex.EncodeToString(sum[:16])
}
