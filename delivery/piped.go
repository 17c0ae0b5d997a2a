package delivery

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"time"

	"blendseam/media"
)

// codedTime bounds how long a file may take: it may be fetched over a line that is
// slower than it plays.
func codedTime(s Spec) time.Duration {
	return 10*time.Minute + 4*time.Duration(float64(s.To-s.From)/float64(s.Rate)*float64(time.Second))
}

// piped is a program that codes what is written to it: into a file, or down a pipe.
type piped struct {
	ctx    context.Context // of who asked
	cmd    *exec.Cmd
	in     io.WriteCloser
	said   bytes.Buffer
	cancel context.CancelFunc
	done   bool
	cover  string // a file that it reads, "" for none
}

// startPiped starts a program that writes down w, or into a file where the spec names
// one. It owns the cover from then on.
func startPiped(ctx context.Context, w io.Writer, s Spec, cover, name string, args ...string) (*piped, error) {
	asked := ctx
	ctx, cancel := context.WithTimeout(ctx, codedTime(s))
	p := &piped{ctx: asked, cancel: cancel, cover: cover, cmd: media.Helper(ctx, name, args...)}
	if s.path == "" {
		p.cmd.Stdout = w
	}
	p.cmd.Stderr = &media.Limited{Buffer: &p.said, Most: 4096}
	in, err := p.cmd.StdinPipe()
	if err == nil {
		err = p.cmd.Start()
	}
	if err != nil {
		cancel()
		p.uncover()
		return nil, fmt.Errorf("the program %s, which writes %s, cannot be run. Install it, or export as WAV: %w", name, strings.ToUpper(string(s.File)), err)
	}
	p.in = in
	return p, nil
}

// coverFile is the picture of a file as a file of its own; "" where there is none.
func coverFile(t Tags) (path, kind string, err error) {
	b, kind, err := t.cover()
	if err != nil || b == nil {
		return "", "", err
	}
	f, err := os.CreateTemp("", "cover-*."+kind)
	if err != nil {
		return "", "", err
	}
	_, err = f.Write(b)
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		_ = os.Remove(f.Name())
		return "", "", err
	}
	return f.Name(), kind, nil
}

func (p *piped) uncover() {
	if p.cover != "" {
		_ = os.Remove(p.cover)
		p.cover = ""
	}
}

// send gives the program what it reads.
func (p *piped) send(b []byte) error {
	if _, err := p.in.Write(b); err != nil {
		return p.ended(err)
	}
	return nil
}

// finish waits for the program to end.
func (p *piped) finish() error {
	p.done = true
	err := p.in.Close()
	if werr := p.cmd.Wait(); err == nil {
		err = werr
	}
	if err == nil {
		err = media.Unwritten(p.said.String())
	}
	if err != nil {
		return p.ended(err)
	}
	p.cancel()
	p.uncover()
	return nil
}

// Drop ends the program where it was not closed.
func (p *piped) Drop() {
	if p.done {
		return
	}
	p.cancel()
	p.uncover()
	_ = p.in.Close()
	_ = p.cmd.Wait() // it was ended
}

// ended is why a program ended before it was through.
func (p *piped) ended(err error) error {
	_ = p.in.Close()
	_ = p.cmd.Wait() // by now it has said why
	p.done = true
	p.cancel()
	p.uncover()
	if p.ctx.Err() != nil { // it was ended for that
		return p.ctx.Err()
	}
	if lost := media.Unwritten(p.said.String()); lost != nil {
		err = lost
	}
	return fmt.Errorf("%s ended while it coded: %w %.300s", p.cmd.Args[0], err, p.said.String())
}
