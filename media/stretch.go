package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"strconv"
	"strings"
	"time"
)

// StretchProgram is the program that makes sound longer or shorter and keeps its pitch.
const StretchProgram = "rubberband"

// Stretch has rubberband make the sound of a WAV file so many times as long, by its finer
// engine, and write it as another of the same format. What would be beyond full scale
// stays so. The length of what it writes may differ by a few samples. Told, 0…1, is how
// far it is.
func Stretch(ctx context.Context, in, out string, by float64, channels int, seconds float64, told func(float64)) error {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Minute+time.Duration(8*seconds*float64(time.Second)))
	defer cancel()
	args := []string{"--fine", "--ignore-clipping", "--time", strconv.FormatFloat(by, 'g', 17, 64)}
	if channels > 1 {
		args = append(args, "--centre-focus") // both sides stay in step
	}
	cmd := Helper(ctx, StretchProgram, append(args, in, out)...)
	var said bytes.Buffer
	cmd.Stderr = io.MultiWriter(&Limited{Buffer: &said, Most: 4096}, &percents{told: told})
	cmd.Stdout = io.Discard
	err := cmd.Run()
	switch {
	case err == nil:
		return nil
	case errors.Is(err, exec.ErrNotFound):
		return errors.New("rubberband is not installed, which fits clips. Install it with: apt-get install rubberband-cli")
	case ctx.Err() != nil:
		return ctx.Err()
	case killed(err):
		return errors.New("rubberband was stopped by the system, perhaps for lack of memory. Repeat it")
	}
	return fmt.Errorf("rubberband cannot fit this: %s", lastLine(said.String()))
}

func lastLine(s string) string {
	s = strings.TrimSpace(s)
	return s[strings.LastIndexAny(s, "\r\n")+1:]
}

// percents reads how far rubberband is out of what it says: it passes over the sound
// twice, and writes in the second.
type percents struct {
	told func(float64)
	last float64
	pass float64
	num  int
	any  bool
}

// Write implements io.Writer.
func (p *percents) Write(b []byte) (int, error) {
	for _, c := range b {
		switch {
		case c >= '0' && c <= '9':
			p.num, p.any = min(p.num*10+int(c-'0'), 1000), true
			continue
		case c == '%' && p.any && p.num <= 100:
			now := float64(p.num) / 100
			if now < p.last-0.5 {
				p.pass = 1
			}
			p.last = now
			if p.told != nil {
				p.told((p.pass + now) / 2)
			}
		}
		p.num, p.any = 0, false
	}
	return len(b), nil
}
