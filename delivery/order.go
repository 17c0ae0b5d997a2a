package delivery

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"slices"
	"strings"
	"time"

	"blendseam/core/mix"
	"blendseam/core/reel"
	"blendseam/media/wav"
)

// Order says what of a reel is wanted as a file, and how. It is kept with the job that
// writes it.
type Order struct {
	From     int64     `json:"from"`
	To       int64     `json:"to"` // −1 for the end of the reel
	Bits     int       `json:"bits"`
	Channels int       `json:"channels"`
	File     File      `json:"file"`
	Kbits    int       `json:"kbits"`
	Each     Each      `json:"each"`
	Clips    []reel.ID `json:"clips,omitempty"`    // of clips: those that are wanted
	Handles  int64     `json:"handles,omitempty"`  // of clips, samples
	Rate     int       `json:"rate,omitempty"`     // hertz; 0 for that of the reel
	Loudness *Loud     `json:"loudness,omitempty"` // of the mix; as it is where it is left out
	Tags     Tags      `json:"tags,omitzero"`
}

// Plan is an order for a reel as it is, made ready.
type Plan struct {
	Spec  Spec
	Parts []Part       // nil for the mix
	Name  string       // of the file, with its ending
	Type  string       // media type
	Film  []reel.Sight // what is seen, where it is a video; Spec is of its sound then
	reel  *reel.Reel
	loud  *Loud
}

// MostHandles is how long handles are at most, in seconds.
const MostHandles = 600

// Plan makes an order ready, or says why it cannot be written and what would be possible.
func (o Order) Plan(r *reel.Reel, revision int64, now time.Time) (*Plan, error) {
	p := r.Props
	to := o.To
	if to == -1 {
		to = r.Length()
	}
	if r.Length() == 0 {
		return nil, errors.New("nothing to export: this reel has no clips yet. Insert a source first")
	}
	if o.From >= r.Length() || to > r.Length() {
		return nil, fmt.Errorf("the reel ends at sample %d; the span must end before that", r.Length())
	}
	out := &Plan{reel: r, Spec: Spec{From: o.From, To: to, Rate: p.SampleRate, Bits: o.Bits, Channels: o.Channels, File: o.File, Kbits: o.Kbits, Made: now, Markers: r.Markers, Meta: wav.Meta{
		TimeReference: p.FrameRate.Sample(p.StartFrame, p.SampleRate) + o.From,
		Description:   fmt.Sprintf("%s, revision %d", p.Name, revision),
		Date:          now.Format(time.DateOnly), Time: now.Format(time.TimeOnly),
	}}}
	out.Spec.Tags, out.loud = o.Tags, o.Loudness
	if o.Rate != p.SampleRate {
		out.Spec.OutRate = o.Rate
	}
	if o.File == MP4 {
		if o.Each != Mix {
			return nil, errors.New("a video is of the mix. Choose one file, or WAV for several")
		}
		out.Spec.File, out.Spec.Bits, out.Spec.Kbits, out.Spec.OutRate = WAV, 32, 0, 0
		if out.Film = r.Sights(o.From, to); o.From < 0 || !slices.ContainsFunc(out.Film, func(s reel.Sight) bool { return s.Shot != 0 && !s.Source.Missing() }) {
			return nil, errors.New("no picture is seen there. Insert shots, or export the sound alone")
		}
	}
	if err := out.Spec.Check(); err != nil {
		return nil, err
	}
	if err := o.loudness(); err != nil {
		return nil, err
	}
	out.Type = out.Spec.File.Type()
	if out.Film != nil {
		out.Type = "video/mp4"
	}
	if o.Each != Mix {
		if o.Handles < 0 || o.Handles > MostHandles*int64(p.SampleRate) {
			return nil, fmt.Errorf("handles are from 0 to %d seconds long", MostHandles)
		}
		var err error
		if out.Parts, err = Parts(r, o.Each, o.From, to, o.Clips, o.Handles); err != nil {
			return nil, err
		}
		out.Type = "application/zip"
	}
	out.Name = out.fileName()
	return out, nil
}

// loudness says why an order cannot be brought to one.
func (o Order) loudness() error {
	if o.Loudness == nil {
		return nil
	}
	if o.Each != Mix {
		return errors.New("only a mix is brought to a loudness: tracks, roles and clips keep their relation. Leave the loudness as it is")
	}
	return o.Loudness.check()
}

// Check says why an order could be written of no reel.
func (o Order) Check() error {
	if !slices.Contains([]Each{Mix, OfTrack, OfRole, OfClip}, o.Each) {
		return fmt.Errorf("files are written of each track, role or clip, not of each %q", o.Each)
	}
	if err := o.loudness(); err != nil {
		return err
	}
	file := o.File
	if file == MP4 {
		file = WAV
	}
	return Spec{To: 1, Rate: 48000, OutRate: o.Rate, Bits: o.Bits, Channels: o.Channels, File: file, Kbits: o.Kbits, Tags: o.Tags}.Check()
}

// fileName is the reel's name, with the span when it is not the whole.
func (p *Plan) fileName() string {
	props, spec := p.reel.Props, p.Spec
	name := PlainName(props.Name)
	if spec.From != 0 || spec.To != p.reel.Length() {
		start := props.StartFrame + props.FrameRate.Frame(spec.From, props.SampleRate)
		name += " " + strings.NewReplacer(":", ".", ";", ".").Replace(props.FrameRate.Format(start)) + fmt.Sprintf(" %.0fs", math.Ceil(float64(spec.To-spec.From)/float64(props.SampleRate)))
	}
	if p.Parts != nil {
		return name + ".zip"
	}
	if p.Film != nil {
		return name + ".mp4"
	}
	return name + "." + spec.File.Ending()
}

// Samples is how many samples are written in all, for telling how far it is.
func (p *Plan) Samples() int64 {
	if p.Parts == nil {
		return p.Spec.To - p.Spec.From
	}
	n := int64(0)
	for _, part := range p.Parts {
		n += part.To - part.From
	}
	return n
}

// Bytes is the size of what is written; 0 where that is known only once it is.
func (p *Plan) Bytes() int64 {
	if p.Parts != nil || p.Film != nil {
		return 0
	}
	return p.Spec.Bytes()
}

// Mix is the renderer of the whole.
func (p *Plan) Mix(open mix.Open) (*mix.Mix, error) { return mix.New(p.reel, open, mix.Options{}) }

// ready is the renderer of a mix and how it is written.
func (p *Plan) ready(ctx context.Context, open mix.Open) (*mix.Mix, Spec, bool, error) {
	spec := p.Spec
	m, err := p.Mix(open)
	if err == nil && p.loud != nil {
		spec.finish, err = toFinish(ctx, m, spec, *p.loud)
	}
	exact := false
	if err == nil && spec.Bits != 32 && spec.File.whole() {
		exact, err = Exact(ctx, m, spec)
	}
	return m, spec, exact, err
}

// Look tells what would be written, of the mix.
func (p *Plan) Look(ctx context.Context, open mix.Open) (Survey, error) {
	spec := p.Spec
	m, err := p.Mix(open)
	if err == nil && p.loud != nil {
		spec.finish, err = toFinish(ctx, m, spec, *p.loud)
	}
	if err != nil {
		return Survey{}, err
	}
	out, err := Look(ctx, m, spec)
	out.Finish = spec.finish
	if p.Film != nil {
		out.Bytes = 0
	}
	return out, err
}

// Write writes the file down a pipe. Told, where there is one, is called with how many
// samples are written so far.
func (p *Plan) Write(ctx context.Context, w io.Writer, open mix.Open, told func(int64)) error {
	if p.Parts != nil {
		spec := p.Spec
		spec.told = told
		return Bundle(ctx, w, open, p.Parts, spec)
	}
	m, spec, exact, err := p.ready(ctx, open)
	if err != nil {
		return err
	}
	spec.told = told
	return Write(ctx, w, m, spec, exact)
}

// WriteFile writes the file where it can be gone back in: so it tells what is known only
// once all of it is written, its loudness or the sum of its samples.
func (p *Plan) WriteFile(ctx context.Context, f *os.File, open mix.Open, told func(int64)) error {
	if p.Parts != nil {
		spec := p.Spec
		spec.told = told
		return BundleFile(ctx, f, open, p.Parts, spec)
	}
	m, spec, exact, err := p.ready(ctx, open)
	if err != nil {
		return err
	}
	spec.told = told
	return writeFile(ctx, f, m, spec, exact)
}

// writeFile writes a mix into a file and goes back in it.
func writeFile(ctx context.Context, f *os.File, m *mix.Mix, s Spec, exact bool) error {
	s.measured, s.path = true, f.Name()
	w := bufio.NewWriterSize(&soonWriter{f: f}, 1<<20)
	patches, err := write(ctx, w, m, s, exact)
	if err == nil {
		err = w.Flush()
	}
	for _, p := range patches {
		if err == nil {
			_, err = f.WriteAt(p.Bytes, p.At)
		}
	}
	return err
}
