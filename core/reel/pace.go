package reel

import (
	"fmt"
	"math/bits"
	"slices"
)

// Pace is how a picture runs. Its zero value is as recorded.
type Pace struct {
	// So many frames of the reel that it lasts as recorded last so many others: slower
	// where Over is more. Both 0 is as recorded.
	Own  int64 `json:"own,omitempty"`
	Over int64 `json:"over,omitempty"`
	// Shift is how far its first frame of all has run already, in parts of 1/Over of a
	// frame as recorded, less than Own: so that a shot begins with the frame that it began with.
	Shift int64 `json:"shift,omitempty"`
	// Held is the frame, from 1, of its own that stands still all the time; 0 for none.
	Held int64 `json:"held,omitempty"`
}

func (p Pace) check() error {
	const most = MaxHours * 3600 * 60 * MostFactor
	if p.Own < 0 || p.Over < 0 || p.Held < 0 || p.Own > most || p.Over > most || (p.Own == 0) != (p.Over == 0) || p.Shift < 0 || p.Shift >= max(p.Own, 1) {
		return fmt.Errorf("a picture does not run like that")
	}
	return nil
}

// own is the frame as recorded that is seen at a frame of the pace.
func (p Pace) own(n int64) int64 {
	if p.Over == 0 || n < 0 {
		return n
	}
	hi, lo := bits.Mul64(uint64(n), uint64(p.Own))
	lo, carry := bits.Add64(lo, uint64(p.Shift), 0)
	q, _ := bits.Div64(hi+carry, lo, uint64(p.Over))
	return int64(q)
}

// paced is how many frames so many as recorded last.
func (p Pace) paced(n int64) int64 {
	if p.Over == 0 || n <= 0 {
		return n
	}
	hi, lo := bits.Mul64(uint64(n), uint64(p.Over))
	lo, borrow := bits.Sub64(lo, uint64(p.Shift), 0)
	if hi < borrow { // less than one has begun
		return 0
	}
	q, _ := bits.Div64(hi-borrow, lo, uint64(p.Own))
	return int64(q)
}

// begin has the pace show frame in of those as recorded as one of its own, which it tells.
func (p *Pace) begin(in int64) int64 {
	if p.Over == 0 || in < 0 {
		return in
	}
	hi, lo := bits.Mul64(uint64(in), uint64(p.Over))
	q, rest := bits.Div64(hi, lo, uint64(p.Own))
	p.Shift = int64(rest)
	return int64(q)
}

// PaceShot has a shot run slower or faster, so that it is so long, or stand still on a
// frame. With neither it runs as recorded. Clips of sound that are tied to it stay as
// they are: in step where it begins.
type PaceShot struct {
	Shot   ID     `json:"shot"`
	Length int64  `json:"length,omitempty"` // that it is to have, brought to whole frames
	Freeze *int64 `json:"freeze,omitempty"` // place in the reel whose frame of the shot stands
	Later  Later  `json:"later,omitempty"`
}

// Names implements Edit.
func (e *PaceShot) Names() []ID { return []ID{e.Shot} }

// Apply implements Edit.
func (e *PaceShot) Apply(r *Reel) (*Done, error) {
	was, err := r.one(e.Shot)
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return nil, err
	}
	src, _ := r.Source(was.Source)
	own, in, n := r.shotAsRecorded(was)
	p := r.Props
	if err := e.possible(was, src, own, p, n); err != nil {
		return nil, err
	}
	mid := *r
	f, want := p.framed(was), n
	src = own
	switch {
	case e.Freeze != nil:
		src.Picture.Held = r.Frame(was, min(max(*e.Freeze, was.Start), was.End()-1)) + 1
		want = f.n
	case e.Length != 0:
		if want = max(p.nearest(was.Start+e.Length)-f.start, 1); want != n {
			src.Picture.Own, src.Picture.Over = n, want
		}
	}
	c := was
	if src.Picture.Pace == (Pace{}) {
		c.Offset = p.sample(in)
		if src.ID == 0 {
			src.ID = mid.take()
			mid.Sources = with(mid.Sources, src)
		}
	} else {
		src, c.Offset = p.running(own, src.Picture.Pace, in, n, want)
		src.ID = mid.take()
		mid.Sources = with(mid.Sources, src)
	}
	c.Source = src.ID
	mid.Clips = with(r.Clips, c)
	for _, t := range r.TiedTo(c.ID) { // where it begins it is as much in sync as it was
		t.Sync += c.Offset - was.Offset
		mid.Ties = with(mid.Ties, t)
	}
	var done *Done
	if by := p.sample(f.start+want) - was.End(); by != 0 {
		done, err = (&Trim{Clips: []ID{c.ID}, End: Tail, By: by, Later: e.Later}).Apply(&mid)
	} else {
		out := mid
		done, err = r.finish(&out, Outcome{})
	}
	if err != nil {
		return nil, e.less(r, was, err)
	}
	e.say(done, was, p, want, n)
	return done, nil
}

// running is a picture as it runs at a pace, as a source of its own that has no id yet:
// from frame in of those as recorded on, of which it shows n in so many as are wanted. It
// tells where in it that begins.
func (p Props) running(own Source, pace Pace, in, n, want int64) (src Source, offset int64) {
	src = own
	src.Picture.Pace = pace
	first, as := src.Picture.begin(in), ", at speed"
	if pace.Held > 0 {
		as = ", still"
	}
	src.ID, src.Name, src.StartTC, src.Unlisted = 0, ShortName(own.Name+as), -1, true
	if src.Length = src.Picture.Lasts(p); pace.Held == 0 {
		src.Length = max(src.Length, p.sample(first+want)+slack) // the last frame may be rounded away
	}
	offset = p.sample(first)
	src.Fit = Fit{Of: src.Recording, Left: -1, Right: -1, To: own.Length, Whole: own.Length, In: p.sample(in), Span: p.sample(n), Offset: offset, Length: p.sample(want)}
	return src, offset
}

// possible refuses what cannot run otherwise.
func (e *PaceShot) possible(c Clip, src, own Source, p Props, n int64) error {
	var no *Refusal
	switch {
	case !src.Shows():
		no = refuse("“%s” is sound.", c.Name)
		no.Possible = "Fit it to a length."
	case src.Missing() || own.Picture.Frames == 0:
		no = refuse("“%s” has no moving picture.", c.Name)
		no.Possible = "Trim it: it has any length."
	case e.Freeze == nil && e.Length != 0 && p.nearest(c.Start+e.Length) == p.nearest(c.End()):
		no = refuse("“%s” is %s long already.", c.Name, p.say(c.Length))
	case e.Freeze == nil && e.Length == 0 && src.Picture.Pace == (Pace{}):
		no = refuse("“%s” runs as it was recorded.", c.Name)
		no.Possible = "Give it a length, or a frame to stand on."
	case e.Freeze == nil && e.Length != 0:
		whole := p.sample(n)
		least, most := max(int64(float64(whole)*LeastFactor), p.sample(1)), int64(float64(whole)*MostFactor)
		if e.Length < least-slack || e.Length > most+slack {
			no = refuse("“%s” would be %s of its length.", c.Name, percent(float64(e.Length)/float64(whole)))
			if e.Length < 1 {
				no = refuse("A shot cannot be as short as that.")
			}
			no.Limit, no.Possible = min(max(e.Length, least), most), fmt.Sprintf("From %s to %s is possible: 25 to 400 %%.", p.span(least), p.span(most))
		}
	}
	if no != nil {
		return no
	}
	return nil
}

// less makes the refusal of a shot that has no room one of this edit.
func (e *PaceShot) less(r *Reel, c Clip, err error) error {
	no, ok := err.(*Refusal)
	if !ok {
		return err
	}
	own := &Refusal{Reason: no.Reason, Possible: no.Possible}
	if t, ok := no.Offer.(*Trim); ok && e.Length != 0 {
		fit := *e
		if fit.Length = c.Length + t.By; fit.Length > 0 && fit.Length < e.Length {
			if _, err := fit.Apply(r); err == nil {
				own.Limit, own.Possible = fit.Length, "Longest possible: "+r.Props.say(fit.Length)+"."
				own.Offer, own.Take = &fit, "Take "+r.Props.span(fit.Length)
			}
		}
	}
	return own
}

// say tells what was done.
func (e *PaceShot) say(done *Done, c Clip, p Props, want, n int64) {
	length := p.sample(want)
	switch {
	case e.Freeze != nil:
		done.Label = "freeze “" + c.Name + "”"
		done.Says = append([]string{"“" + c.Name + "” stands still"}, done.Says...)
	case e.Length == 0:
		done.Label = "“" + c.Name + "” as recorded"
		done.Says = append([]string{"“" + c.Name + "” runs as recorded"}, done.Says...)
	default:
		done.Label = fmt.Sprintf("run “%s” over %s", c.Name, p.span(length))
		done.Says = append([]string{fmt.Sprintf("“%s” %s long, %s", c.Name, p.say(length), percent(float64(want)/float64(n)))}, done.Says...)
	}
}

// shotAsRecorded is the source of a shot as it was recorded, and which of its frames, in
// the count of the reel, the shot shows then.
func (r *Reel) shotAsRecorded(c Clip) (src Source, in, n int64) {
	src, _ = r.Source(c.Source)
	p := r.Props
	f := p.framed(c)
	if src.Picture.Pace == (Pace{}) {
		return src, f.in, f.n
	}
	pace, fit := src.Picture.Pace, src.Fit
	in, n = pace.own(f.in), max(pace.own(f.in+f.n)-pace.own(f.in), 1)
	if src.Fitted() && f.in == p.nearest(fit.Offset) {
		in = p.nearest(fit.In)
	}
	if src.Fitted() && f.n == p.nearest(fit.Length) {
		n = p.nearest(fit.Span)
	}
	own := Source{Recording: src.Recording, Name: src.Name, Left: -1, Right: -1, StartTC: -1, Picture: src.Picture}
	own.Picture.Pace = Pace{}
	own.Length = own.Picture.Lasts(p)
	if i := slices.IndexFunc(r.Sources, func(o Source) bool { return o.same(own) }); i >= 0 {
		own = r.Sources[i]
	}
	whole := p.nearest(own.Length)
	in = min(max(in, 0), whole-1)
	return own, in, min(max(n, 1), whole-in)
}

// Recorded is the source of a shot as it was recorded, and the place in that which it
// begins with, or stands on, in samples.
func (r *Reel) Recorded(shot Clip) (Source, int64) {
	own, in, _ := r.shotAsRecorded(shot)
	if src, _ := r.Source(shot.Source); src.Picture.Held > 0 {
		in = r.Props.FrameRate.Shown(src.Picture.Held-1, src.Picture.Rate)
	}
	return own, r.Props.sample(in)
}
