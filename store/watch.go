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
)

// pulse is what is known of the database's life. Without a watch it counts as
// alive always.
type pulse struct {
	watched atomic.Bool
	last    atomic.Int64 // time of the last sign, in nanoseconds
	began   time.Time
}

func (p *pulse) sign() { p.last.Store(int64(time.Since(p.began))) }

// away reports whether signs have failed to come.
func (p *pulse) away() bool {
	return p.watched.Load() && time.Since(p.began)-time.Duration(p.last.Load()) > signless
}

// Watch asks the database for signs of life until the context ends. Told is
// called when it goes away and when it is back.
func (s *Store) Watch(ctx context.Context, told func(away bool)) {
	p := &s.pulse
	p.sign()
	p.watched.Store(true)
	defer p.watched.Store(false)
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
