package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"time"

	"blendseam/media/wav"
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
	var said ending
	cmd.Stderr = io.MultiWriter(&said, &percents{told: told})
	cmd.Stdout = io.Discard
	err := cmd.Run()
	switch {
	case err == nil:
		return written(out, string(said))
	case errors.Is(err, exec.ErrNotFound):
		return errors.New("rubberband is not installed, which fits clips. Install it with: apt-get install rubberband-cli")
	case ctx.Err() != nil:
		return ctx.Err()
	case killed(err):
		return errors.New("rubberband was stopped by the system, perhaps for lack of memory. Repeat it")
	}
	return fmt.Errorf("rubberband cannot fit this: %s", lastLine(string(said)))
}

// saidLength is how rubberband tells how long what it made is.
var saidLength = regexp.MustCompile(`in: \d+, out: (\d+)`)

// written reports whether a file holds all that rubberband says to have made: to it, it is
// no failure when the disk has no room for that.
func written(path, said string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	made := saidLength.FindStringSubmatch(said)
	if made == nil {
		return errors.New("rubberband does not say how much it wrote. Nothing was kept; install the rubberband-cli of Debian")
	}
	want, _ := strconv.ParseInt(made[1], 10, 64)
	r, err := wav.NewReader(f, info.Size())
	if err != nil || r.Frames != want {
		return fmt.Errorf("rubberband wrote not all of it: %w", syscall.ENOSPC)
	}
	return nil
}

// ending keeps the last of what is written to it.
type ending []byte

// Write implements io.Writer.
func (e *ending) Write(b []byte) (int, error) {
	const most = 4096
	*e = append(*e, b...)
	if n := len(*e) - most; n > 0 {
		*e = append((*e)[:0], (*e)[n:]...)
	}
	return len(b), nil
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
