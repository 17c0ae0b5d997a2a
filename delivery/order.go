package delivery

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
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
	Clips    []reel.ID `json:"clips,omitempty"`   // of clips: those that are wanted
	Handles  int64     `json:"handles,omitempty"` // of clips, samples
}

// Plan is an order for a reel as it is, made ready.
type Plan struct {
	Spec  Spec
	Parts []Part // nil for the mix
	Name  string // of the file, with its ending
	Type  string // media type
	reel  *reel.Reel
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
	out := &Plan{reel: r, Spec: Spec{From: o.From, To: to, Rate: p.SampleRate, Bits: o.Bits, Channels: o.Channels, File: o.File, Kbits: o.Kbits, Made: now, Meta: wav.Meta{
		TimeReference: p.FrameRate.Sample(p.StartFrame, p.SampleRate) + o.From,
		Description:   fmt.Sprintf("%s, revision %d", p.Name, revision),
		Date:          now.Format(time.DateOnly), Time: now.Format(time.TimeOnly),
	}}}
	if err := out.Spec.Check(); err != nil {
		return nil, err
	}
	out.Type = o.File.Type()
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
	if p.Parts != nil {
		return 0
	}
	return p.Spec.Bytes()
}

// Mix is the renderer of the whole.
func (p *Plan) Mix(open mix.Open) (*mix.Mix, error) { return mix.New(p.reel, open, mix.Options{}) }

// Write writes the file. Told, where there is one, is called with how many samples are
// written so far.
func (p *Plan) Write(ctx context.Context, w io.Writer, open mix.Open, told func(int64)) error {
	spec := p.Spec
	spec.told = told
	if p.Parts != nil {
		return Bundle(ctx, w, open, p.Parts, spec)
	}
	m, err := p.Mix(open)
	if err != nil {
		return err
	}
	exact := false
	if spec.Bits != 32 && spec.File.whole() {
		if exact, err = Exact(ctx, m, spec); err != nil {
			return err
		}
	}
	return Write(ctx, w, m, spec, exact)
}
