package store

import (
	"context"
	"errors"
	"sync/atomic"
	"time"
)

// The database is asked for a sign of life several times a second. While none
// comes, what is asked of the store is refused at once, and what waits for an
// answer is let go, so that nothing hangs; a slow answer of a database that is
// alive is waited for.

const (
	signEvery = 250 * time.Millisecond
	signless  = 1300 * time.Millisecond // without one it counts as away
	// Where this program itself is not let run, as on a machine that is overloaded, the
	// database is likely not either: then it has longer.
	beat      = 50 * time.Millisecond
	missed    = 150 * time.Millisecond // how late a beat shows that
	unheeding = 6 * time.Second        // as long as that at most
)

// pulse is what is known of the database's life. Without a watch it counts as
// alive always.
type pulse struct {
	watched atomic.Bool
	last    atomic.Int64 // time of the last sign, in nanoseconds
	stalled atomic.Int64 // when this program was last not let run, in nanoseconds; 0 for never
	began   time.Time
}

func (p *pulse) sign() { p.last.Store(int64(time.Since(p.began))) }

// away reports whether signs have failed to come.
func (p *pulse) away() bool { return p.watched.Load() && p.missing(time.Since(p.began)) }

// missing reports whether at a time signs have failed to come for longer than the
// machine explains.
func (p *pulse) missing(now time.Duration) bool {
	quiet := now - time.Duration(p.last.Load())
	if stalled := time.Duration(p.stalled.Load()); stalled > 0 && now-stalled < signless {
		return quiet > unheeding
	}
	return quiet > signless
}

// beats notes when this program is not let run.
func (p *pulse) beats(ctx context.Context) {
	last := time.Now()
	for tick := time.NewTicker(beat); ; {
		select {
		case <-ctx.Done():
			tick.Stop()
			return
		case <-tick.C:
		}
		now := time.Now()
		if now.Sub(last) > beat+missed {
			p.stalled.Store(int64(time.Since(p.began)))
		}
		last = now
	}
}

// Watch asks the database for signs of life until the context ends. Told is
// called when it goes away and when it is back.
func (s *Store) Watch(ctx context.Context, told func(away bool)) {
	p := &s.pulse
	p.sign()
	p.watched.Store(true)
	defer p.watched.Store(false)
	beats, over := context.WithCancel(ctx)
	defer over()
	go p.beats(beats)
	was := false
	for {
		ask, cancel := context.WithTimeout(ctx, signless)
		var one int
		err := s.db.QueryRowContext(ask, "SELECT 1").Scan(&one)
		cancel()
		if err == nil {
			p.sign()
		}
		if now := p.away(); now != was {
			was = now
			if told != nil && ctx.Err() == nil {
				told(now)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(signEvery):
		}
	}
}

// Away reports whether the database is known not to answer.
func (s *Store) Away() bool { return s.pulse.away() }

// guard refuses what is asked while the database is away, lets go of what
// waits when it goes, and gives errors of the database their meaning. It is
// deferred as defer s.guard(&ctx, &err)().
func (s *Store) guard(ctx *context.Context, err *error) func() {
	inner, cancel := context.WithCancelCause(*ctx)
	*ctx = inner
	if s.pulse.away() {
		cancel(ErrAway)
	}
	var stop chan struct{}
	if s.pulse.watched.Load() {
		stop = make(chan struct{})
		go func() {
			t := time.NewTimer(signless)
			defer t.Stop()
			for {
				select {
				case <-stop:
					return
				case <-t.C:
					if s.pulse.away() {
						cancel(ErrAway)
						return
					}
					t.Reset(signEvery)
				}
			}
		}()
	}
	return func() {
		if stop != nil {
			close(stop)
		}
		if *err != nil && errors.Is(context.Cause(inner), ErrAway) && !errors.Is(*err, ErrUnknown) {
			*err = ErrAway
		}
		*err = classify(*err)
		cancel(nil)
	}
}
