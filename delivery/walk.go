package delivery

import (
	"context"

	"blendseam/core/mix"
)

// walk renders the span block by block, finished as it will be written.
func walk(ctx context.Context, m *mix.Mix, s Spec, each func([][]float32) error) error {
	_, err := walked(ctx, m, s, each)
	return err
}

// walked is walk, and tells by how much a limiter went down.
func walked(ctx context.Context, m *mix.Mix, s Spec, each func([][]float32) error) (down float64, err error) {
	return walkedApart(ctx, m, s, each, nil)
}

// walkedApart is walked, and gives what is silent by construction to a function of its
// own, if there is one, as so many samples: where nothing stands between the renderer and
// what is written.
func walkedApart(ctx context.Context, m *mix.Mix, s Spec, each func([][]float32) error, nothing func(n int) error) (down float64, err error) {
	through, err := newChain(ctx, s, each)
	if err != nil {
		return 0, err
	}
	defer through.drop()
	ctx, cancel := context.WithCancel(ctx)
	ahead := renderAhead(ctx, m, s, nothing != nil && len(through.stages) == 0)
	defer func() { // the renderer is the caller's again
		cancel()
		for range ahead.parts {
		}
	}()
	for p := range ahead.parts {
		switch {
		case p.err != nil:
			return 0, p.err
		case p.v == nil:
			err = nothing(p.n)
		default:
			err = through.write(p.v[:s.Channels])
			ahead.free <- p.room
		}
		if err != nil {
			return 0, err
		}
	}
	return through.end()
}

// part is a stretch that was rendered: its samples, or none where nothing sounds.
type part struct {
	v    [][]float32
	n    int
	room [2][]float32 // that its samples are in
	err  error
}

// ahead is rendering that goes on while what was rendered is written.
type ahead struct {
	parts chan part
	free  chan [2][]float32
}

// blocksAhead is how many blocks are rendered before what comes first is written.
const blocksAhead = 4

// renderAhead renders a span. Its parts end with the first error.
func renderAhead(ctx context.Context, m *mix.Mix, s Spec, apart bool) ahead {
	out := ahead{make(chan part, blocksAhead), make(chan [2][]float32, blocksAhead)}
	for range blocksAhead {
		out.free <- [2][]float32{make([]float32, mix.Block), make([]float32, mix.Block)}
	}
	go func() {
		defer close(out.parts)
		for at := s.From; at < s.To; {
			p := part{n: int(min(mix.Block, s.To-at))}
			silent := false
			if apart {
				var end int64
				end, silent = m.Stretch(at, at+int64(p.n))
				p.n = int(end - at)
			}
			if !silent {
				select {
				case p.room = <-out.free:
				case <-ctx.Done():
					out.parts <- part{err: ctx.Err()}
					return
				}
				p.err = p.render(ctx, m, s, at)
			} else {
				p.err = ctx.Err()
			}
			out.parts <- p
			if p.err != nil {
				return
			}
			at += int64(p.n)
		}
	}()
	return out
}

// render fills a part with what sounds from a place on.
func (p *part) render(ctx context.Context, m *mix.Mix, s Spec, at int64) error {
	l, r := p.room[0][:p.n], p.room[1][:p.n]
	if err := m.Render(ctx, l, r, at); err != nil {
		return err
	}
	if s.Channels == 1 {
		for i := range l {
			l[i] = (l[i] + r[i]) / 2
		}
	}
	p.v = [][]float32{l, r}
	return nil
}
