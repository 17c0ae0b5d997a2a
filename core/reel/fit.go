package reel

import (
	"fmt"
	"math"
	"slices"
)

// Fit says of which stretch of which recording a source is a copy at another speed, its
// pitch kept. Its zero value is that of any other source.
type Fit struct {
	Of    string `json:"of"`    // content hash of the recording
	Left  int    `json:"left"`  // its channels, as of a source
	Right int    `json:"right"` //
	From  int64  `json:"from"`  // the stretch, samples of the recording at the reel's rate
	To    int64  `json:"to"`    //
	Whole int64  `json:"whole"` // how long the recording is
	// What the clip played for which it was made, and what it played of the copy then:
	// so it is taken back to the sample.
	In     int64 `json:"in"`
	Span   int64 `json:"span"`
	Offset int64 `json:"offset"`
	Length int64 `json:"length"`
}

// Fitted reports whether a source is a copy at another speed.
func (s Source) Fitted() bool { return s.Fit.Of != "" }

// Factor is how many times as long as its recording a fitted source is; 1 for any other.
func (s Source) Factor() float64 {
	if !s.Fitted() {
		return 1
	}
	return float64(s.Length) / float64(s.Fit.To-s.Fit.From)
}

// The range of factors, and that in which speech sounds natural (common practice: about
// 15 % either way).
const (
	LeastFactor   = 0.25
	MostFactor    = 4
	NaturalFactor = 0.15
)

// fitHandles is how much is fitted beyond either end of a clip, in seconds of the
// recording, so that it can be trimmed, slipped and blended.
const fitHandles = 10

// FitClip makes a clip so long by playing it slower or faster, its pitch kept. Length 0
// takes that back. What was struck of it, its gain line, fades and blends go along.
type FitClip struct {
	Clip   ID     `json:"clip"`
	Length int64  `json:"length"`
	End    End    `json:"end,omitempty"` // that moves; the tail where it is left out
	Later  Later  `json:"later,omitempty"`
	Start  *int64 `json:"start,omitempty"` // where it is to begin; where it does, where it is left out
	// Recording is the content hash of the copy. Without one it is tried, not done: what
	// it leads to has no sound yet.
	Recording string `json:"-"`
	bare      bool   // a refusal offers nothing
}

// Names implements Edit.
func (e *FitClip) Names() []ID { return []ID{e.Clip} }

// Fitting is what has to be computed for a fit.
type Fitting struct {
	Source Source // what it is made of, as recorded
	Fit    Fit
	Length int64 // of the copy
}

// Fitting tells what has to be computed before a clip can be fitted.
func (e *FitClip) Fitting(r *Reel) (Fitting, error) {
	_, f, err := e.plan(r)
	return f, err
}

// Computed reports whether an edit, or one that it holds, takes sound that has to be
// computed first.
func Computed(e Edit) bool {
	switch e := e.(type) {
	case *FitClip:
		return e.Length != 0 && e.Recording == ""
	case *FitShot:
		return e.Length != 0 && e.Recordings == nil
	case *Together:
		return slices.ContainsFunc(e.Edits, Computed)
	}
	return false
}

// times is a factor that takes places in one recording to those in another.
type times struct {
	from int64   // of the first, is 0 of the second
	by   float64 //
}

func (t times) to(x int64) int64   { return int64(math.Round(float64(x-t.from) * t.by)) }
func (t times) back(y int64) int64 { return t.from + int64(math.Round(float64(y)/t.by)) }

// asRecorded is the recording that a clip plays, and which stretch of it; and how its
// places come to those of what it plays now.
func (r *Reel) asRecorded(c Clip) (src Source, in, span int64, now times) {
	src, _ = r.Source(c.Source)
	if !src.Fitted() || src.Shows() {
		return src, c.Offset, c.Length, times{0, 1}
	}
	f := src.Fit
	now = times{f.From, src.Factor()}
	in, span = now.back(c.Offset), int64(math.Round(float64(c.Length)/now.by))
	if c.Offset == f.Offset {
		in = f.In
	}
	if c.Length == f.Length {
		span = f.Span
	}
	in = min(max(in, 0), f.Whole-1)
	span = min(max(span, 1), f.Whole-in)
	own := Source{Recording: f.Of, Name: src.Name, Left: f.Left, Right: f.Right, Length: f.Whole, StartTC: -1}
	if i := slices.IndexFunc(r.Sources, func(o Source) bool { return !o.Fitted() && o.same(own) }); i >= 0 {
		own = r.Sources[i]
	}
	return own, in, span, now
}

// plan tells what is fitted, and how.
func (e *FitClip) plan(r *Reel) (c Clip, f Fitting, err error) {
	c, err = r.one(e.Clip)
	if err == nil && e.End != "" {
		err = invalid(e.End.check())
	}
	if err == nil {
		err = invalid(e.Later.check())
	}
	if err != nil {
		return c, f, err
	}
	src, in, span, _ := r.asRecorded(c)
	var no *Refusal
	switch {
	case src.Shows():
		no = refuse("“%s” is a picture.", c.Name)
		no.Possible = "Fit clips of sound."
	case src.Bed.Grown():
		no = refuse("“%s” is generated room tone, which has any length.", c.Name)
		no.Possible = "Trim it."
	case src.Missing():
		no = refuse("“%s” has no recording.", c.Name)
		no.Possible = "Locate its media under Sources first."
	}
	if no != nil {
		return c, f, no
	}
	f.Source = src
	if own, _ := r.Source(c.Source); e.Length == c.Length && (own.Fitted() || e.Length == span) && e.Start == nil {
		return c, f, refuse("“%s” is %s long already.", c.Name, r.Props.say(c.Length))
	}
	if e.Length == 0 {
		f.Length, f.Fit.In, f.Fit.Span = span, in, span
		return c, f, nil
	}
	least, most := int64(math.Ceil(float64(span)*LeastFactor)), int64(float64(span)*MostFactor)
	if e.Length < max(least, 1) || e.Length > most {
		p := r.Props
		no := refuse("“%s” would be %s of its length.", c.Name, percent(float64(e.Length)/float64(span)))
		if e.Length < 1 {
			no = refuse("A clip cannot be as short as that.")
		}
		fit := *e
		fit.Length = min(max(e.Length, least, 1), most)
		no.Limit, no.Possible = fit.Length, fmt.Sprintf("From %s to %s is possible: 25 to 400 %%.", p.span(max(least, 1)), p.span(most))
		e.offer(r, no, fit)
		return c, f, no
	}
	by, spare := float64(e.Length)/float64(span), fitHandles*int64(r.Props.SampleRate)
	from, to := in-spare, in+span+spare
	_, _, _, now := r.asRecorded(c)
	for _, s := range r.StrikesOf(c.ID) { // all of what is struck comes along
		a, b := s.Reach()
		from, to = min(from, now.back(a)-1), max(to, now.back(b)+1)
	}
	from, to = max(from, 0), min(to, src.Length)
	f.Fit = Fit{Of: src.Recording, Left: src.Left, Right: src.Right, From: from, To: to, Whole: src.Length, In: in, Span: span, Length: e.Length}
	f.Fit.Offset = times{from, by}.to(in)
	f.Length = max(int64(math.Round(float64(to-from)*by)), f.Fit.Offset+e.Length)
	return c, f, nil
}

// percent writes a factor.
func percent(by float64) string { return fmt.Sprintf("%.0f %%", by*100) }

// Apply implements Edit.
func (e *FitClip) Apply(r *Reel) (*Done, error) {
	was, f, err := e.plan(r)
	if err != nil {
		return nil, err
	}
	src, in, span, old := r.asRecorded(was)
	mid := *r
	want, offset, now := e.Length, f.Fit.Offset, times{0, 1}
	if e.Length == 0 {
		if own, _ := r.Source(was.Source); !own.Fitted() {
			no := refuse("“%s” plays as it was recorded.", was.Name)
			no.Possible = "Give it a length to fit it."
			return nil, no
		}
		want, offset = span, in
		if src.ID == 0 {
			src.ID = mid.take()
			mid.Sources = with(mid.Sources, src)
		}
	} else {
		now = times{f.Fit.From, float64(f.Length) / float64(f.Fit.To-f.Fit.From)}
		name := src.Name
		src = Source{ID: mid.take(), Recording: e.Recording, Name: ShortName(name + ", fitted"), Left: 0, Right: -1, Length: f.Length, StartTC: -1, Unlisted: true, Fit: f.Fit}
		if f.Fit.Right >= 0 {
			src.Right = 1
		}
		mid.Sources = with(mid.Sources, src)
	}
	by := want - was.Length // of the tail, or the other way of the head
	c := was
	c.Source, c.Offset = src.ID, offset
	if e.End == Head {
		c.Offset += by
	}
	mid.Clips = with(r.Clips, c)
	lost := mid.refit(c, src, old, now)
	if t := mid.TieOf(c.ID); t.ID != 0 {
		t.Sync -= c.Offset - was.Offset // where it begins it is as much in sync as it was
		mid.Ties = with(mid.Ties, t)
	}
	done, err := e.lengthen(r, &mid, c, by)
	if err != nil {
		return nil, err
	}
	p := r.Props
	done.Label = fmt.Sprintf("fit “%s” to %s", c.Name, p.span(want))
	done.Says = append([]string{fmt.Sprintf("“%s” %s long, %s", c.Name, p.say(want), percent(float64(want)/float64(span)))}, done.Says...)
	if e.Length == 0 {
		done.Label = "“" + c.Name + "” as recorded"
	} else if q := float64(want) / float64(span); math.Abs(q-1) > NaturalFactor {
		done.Notes = append(done.Notes, fmt.Sprintf("%s: speech sounds natural from 85 to 115 %%.", percent(q)))
	}
	if lost > 0 {
		done.Notes = append(done.Notes, fmt.Sprintf("%s too short for that length removed.", count(lost, "strike")))
	}
	return done, nil
}

// lengthen makes a clip that plays another source already longer or shorter, and puts it
// where it is to begin.
func (e *FitClip) lengthen(r, mid *Reel, c Clip, by int64) (*Done, error) {
	end, move := Tail, int64(0)
	if e.End == Head {
		end, by = Head, -by
	}
	if e.Start != nil {
		move = *e.Start - c.Start
		if end == Head {
			move = *e.Start - (c.Start + by)
		}
	}
	steps := []Edit{}
	if by != 0 {
		steps = append(steps, &Trim{Clips: []ID{c.ID}, End: end, By: by, Later: e.Later})
	}
	if move != 0 {
		steps = append(steps, &Move{Clips: []ID{c.ID}, By: move})
	}
	if len(steps) == 0 {
		out := *mid
		return r.finish(&out, Outcome{})
	}
	// Either may need the room that the other makes.
	done, err := inTurn(mid, steps)
	if err != nil && len(steps) == 2 {
		if other, also := inTurn(mid, []Edit{steps[1], steps[0]}); also == nil {
			done, err = other, nil
		}
	}
	no, refused := err.(*Refusal)
	if !refused {
		return done, err
	}
	own := &Refusal{Reason: no.Reason, Possible: no.Possible}
	if t, ok := no.Offer.(*Trim); ok && move == 0 && t.End == end {
		fit := *e
		fit.Length = c.Length + t.By
		if end == Head {
			fit.Length = c.Length - t.By
		}
		if e.offer(r, own, fit) {
			own.Limit, own.Possible = fit.Length, "Longest possible: "+r.Props.say(fit.Length)+"."
		}
	}
	return nil, own
}

// offer puts another fit into a refusal, where that is possible.
func (e *FitClip) offer(r *Reel, no *Refusal, fit FitClip) bool {
	if e.bare {
		return false
	}
	fit.bare = true
	if _, err := fit.Apply(r); err != nil {
		return false
	}
	fit.bare = false
	no.Offer, no.Take = &fit, "Take "+r.Props.span(fit.Length)
	return true
}

// inTurn makes edits one after the other, and tells what each did.
func inTurn(r *Reel, steps []Edit) (*Done, error) {
	var o Outcome
	for _, s := range steps {
		done, err := s.Apply(r)
		if err != nil {
			return nil, err
		}
		r, o.Says = done.Reel, append(o.Says, done.Says...)
		o.join(done.Outcome)
	}
	// What one opened the next may have closed.
	o.Opens = slices.DeleteFunc(o.Opens, func(g Gap) bool {
		return len(r.under(g.From, g.To, map[ID]bool{g.Track: true})) > 0
	})
	return &Done{r, o}, nil
}

// refit takes what is kept in the time of a clip's source to that of another source. It
// tells how many strikes have no length there. The reel is its own.
func (r *Reel) refit(c Clip, src Source, old, now times) (lost int) {
	at := func(x int64) int64 { return now.to(old.back(x)) }
	strikes := []Strike{}
	last := int64(0)
	for _, s := range r.StrikesOf(c.ID) {
		a, b := s.Reach()
		a, s.From, s.To, b = max(at(a), last), max(at(s.From), last), min(at(s.To), src.Length), min(at(b), src.Length)
		s.Fall.Length, s.Rise.Length = max(s.From-a, 0), max(b-s.To, 0)
		if s.From >= s.To {
			lost++
			continue
		}
		last = max(b, s.To)
		strikes = append(strikes, s)
	}
	r.Strikes = slices.DeleteFunc(slices.Clone(r.Strikes), func(s Strike) bool { return s.Clip == c.ID })
	for _, s := range strikes {
		r.Strikes = with(r.Strikes, s)
	}
	points, apart := r.Line(c.ID), r.Props.apart()
	next := int64(math.MinInt64)
	for _, p := range points {
		p.At = max(at(p.At), next)
		next = p.At + apart
		r.Points = with(r.Points, p)
	}
	return lost
}
