package media

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os/exec"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// containers are the kinds of file that ffmpeg is let read: those that hold
// sound themselves. Play lists and the like, which point elsewhere, are not.
const containers = "aac,ac3,aiff,amr,ape,asf,au,avi,caf,dts,eac3,flac,flv,gsm,matroska,mov,mp3,mpeg,mpegts,mxf,ogg,tta,voc,w64,wav,wv"

// stating are the containers that say how long they are; of others, such as
// MP3, ffprobe may only guess.
var stating = map[string]bool{"mov": true, "matroska": true, "avi": true, "aiff": true, "au": true, "caf": true, "w64": true, "wav": true, "tta": true, "mxf": true, "wv": true}

// childTime is the longest a child process may take.
var childTime = 45 * time.Minute // a variable for tests

// Resampling is ffmpeg's best filter to another sample rate: the SoX resampler library at its highest
// precision, with the pass band that is flat to its edge.
func Resampling(rate int) string {
	return "aresample=" + strconv.Itoa(rate) + ":resampler=soxr:precision=33:cheby=1:osf=flt"
}

// probe asks ffprobe what a file is.
func probe(ctx context.Context, path, name string) (description, error) {
	p, err := ffprobe(ctx, path, name)
	if errors.Is(err, errUnreadable) {
		return description{}, &Problem{"notSound", fmt.Sprintf("“%s” is not a sound file that can be read here. WAV, FLAC, AIFF, MP3, AAC, Ogg and the sound of common video files can; nothing was kept.", name)}
	}
	if err != nil {
		return description{}, err
	}
	sounds := p.kind("audio")
	if len(sounds) == 0 {
		return description{}, &Problem{"notSound", fmt.Sprintf("“%s” holds no sound. Pick a file with a sound track; nothing was kept.", name)}
	}
	s := sounds[0]
	d := description{format: strings.ToUpper(s.Codec) + " in " + strings.SplitN(p.Format.Name, ",", 2)[0], channels: s.Channels, startTC: -1}
	d.rate, _ = strconv.Atoi(s.Rate)
	for key, v := range p.Format.Tags {
		switch strings.ToLower(key) {
		case "title":
			d.title = v
		case "time_reference":
			if n, err := strconv.ParseInt(v, 10, 64); err == nil && n >= 0 {
				d.startTC = n
			}
		}
	}
	for i, text := range []string{s.Duration, p.Format.Duration} {
		sec, err := strconv.ParseFloat(text, 64)
		if i == 1 {
			sec -= s.begins() // the file counts from its own start
		}
		if err == nil && d.length == 0 && sec > 0 && sec < 1e6 {
			d.length = int64(math.Round(sec * float64(d.rate)))
			d.stated = stating[strings.SplitN(p.Format.Name, ",", 2)[0]]
		}
	}
	if v, ok := p.picture(); ok && !v.still(p) {
		d.late = s.begins() - v.begins()
		if max(d.late, -d.late) > mostLate {
			d.late = 0
		}
		if rate := rateOf(v); d.startTC < 0 && rate.Num != 0 {
			if n, found := startFrame(p, v, &rate); found {
				d.startTC = rate.Sample(n, d.rate)
			}
		}
	}
	if d.rate <= 0 || d.channels <= 0 {
		return d, &Problem{"notSound", fmt.Sprintf("The sound of “%s” cannot be made out. Convert it to WAV or FLAC and drop that in; nothing was kept.", name)}
	}
	return d, nil
}

// child is ffmpeg writing interleaved float32 to a pipe.
type child struct {
	cmd    *exec.Cmd
	out    *bufio.Reader
	stderr *bytes.Buffer
	ctx    context.Context
	cancel context.CancelCauseFunc
	life   *time.Timer // ends it when nothing comes
	buf    []byte
	name   string
	strict bool // any failure is one, as what goes in is known to be whole
	got    bool
	broke  bool // it complained, or gave up, part of the way through a file
	gaveUp bool
}

// stallTime is how long a helper may give no sign of life. A variable for tests.
var stallTime = time.Minute

// errStalled ends a helper that gives no sign of life.
var errStalled = errors.New("it gave no sign of life")

// Helper is a program that is run beside this one: in a group of its own, so
// that what it starts in turn ends with it.
func Helper(ctx context.Context, name string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = 2 * time.Second
	return cmd
}

// killed tells whether a helper was ended from outside, by the
// system or by someone, rather than by itself.
func killed(err error) bool {
	var exit *exec.ExitError
	if !errors.As(err, &exit) {
		return false
	}
	st, ok := exit.Sys().(syscall.WaitStatus)
	return ok && (st.Signaled() || st.ExitStatus() == 255) // ffmpeg turns a signal to end into 255
}

// Unwritten is what a helper says that had no room for what it wrote, or lost some of it
// otherwise; nil where it does not. It has to be asked of one that ended well, too: to
// ffmpeg it is no failure when only the last bytes of a file cannot be written.
func Unwritten(said string) error {
	switch {
	case strings.Contains(said, "No space left on device"), strings.Contains(said, "disk is full"):
		return syscall.ENOSPC
	case strings.Contains(said, "Error writing trailer"), strings.Contains(said, "Error closing file"):
		return errors.New("not all of the file could be written")
	}
	return nil
}

// stopped is the problem of a helper that was ended from outside.
func stopped(program, name string) *Problem {
	return &Problem{"stopped", fmt.Sprintf("%s was stopped by the system while it read “%s”, perhaps for lack of memory. Nothing was kept; import it again.", program, name)}
}

func startChild(ctx context.Context, name string, feed io.Reader, args ...string) (*child, error) {
	limit, expire := context.WithTimeout(ctx, childTime)
	ctx, end := context.WithCancelCause(limit)
	cancel := func(why error) {
		end(why)
		expire()
	}
	c := &child{cmd: Helper(ctx, "ffmpeg", append([]string{"-nostdin", "-v", "error"}, args...)...), stderr: &bytes.Buffer{}, ctx: ctx, cancel: cancel, name: name, strict: feed != nil}
	c.cmd.Stderr = &Limited{c.stderr, 4096}
	if feed != nil {
		c.cmd.Stdin = feed
	}
	out, err := c.cmd.StdoutPipe()
	if err != nil {
		cancel(nil)
		return nil, err
	}
	c.life = time.AfterFunc(stallTime, func() { cancel(errStalled) })
	c.out = bufio.NewReaderSize(alive{out, c.life}, 1<<20)
	if err := c.cmd.Start(); err != nil {
		cancel(nil)
		if errors.Is(err, exec.ErrNotFound) {
			return nil, noHelper()
		}
		return nil, err
	}
	return c, nil
}

// alive puts off the end of a helper with all that comes from it.
type alive struct {
	io.Reader
	life *time.Timer
}

func (a alive) Read(b []byte) (int, error) {
	n, err := a.Reader.Read(b)
	if n > 0 {
		a.life.Reset(stallTime)
	}
	return n, err
}

func noHelper() *Problem {
	return &Problem{"noHelper", "ffmpeg is not installed, so only WAV and FLAC at the reel's rate can be imported. Install it with: apt-get install ffmpeg"}
}

// end waits for the child and tells what ended it early, other than the file.
func (c *child) end() error {
	c.life.Stop()
	err := c.cmd.Wait()
	switch {
	case errors.Is(context.Cause(c.ctx), errStalled):
		return &Problem{"stalled", fmt.Sprintf("ffmpeg made no progress with “%s” for %d seconds and was ended. Convert it to WAV or FLAC and import that; nothing was kept.", c.name, int(stallTime.Seconds()))}
	case c.ctx.Err() != nil: // stopped, or out of time: what came is not the whole
		return fmt.Errorf("ffmpeg was stopped while it read “%s”: %w", c.name, c.ctx.Err())
	case killed(err):
		return stopped("ffmpeg", c.name)
	}
	c.gaveUp = err != nil
	c.broke = c.gaveUp || c.stderr.Len() > 0
	return nil
}

// fromFile has ffmpeg decode a file's first sound stream, at a rate. Sound that
// begins later or earlier than the picture beside it is brought to begin with it.
func fromFile(ctx context.Context, path, name string, rate int, late float64) (*child, error) {
	filter := Resampling(rate)
	if n := int64(math.Round(late * float64(rate))); n > 0 {
		filter += ",adelay=" + strconv.FormatInt(n, 10) + "S:all=1"
	} else if n < 0 {
		filter += ",atrim=start_sample=" + strconv.FormatInt(-n, 10)
	}
	return startChild(ctx, name, nil, "-protocol_whitelist", "file", "-format_whitelist", containers, "-i", "file:"+path, "-map", "0:a:0", "-vn", "-sn", "-dn",
		"-af", filter, "-f", "f32le", "-c:a", "pcm_f32le", "-bitexact", "pipe:1")
}

// fromSamples has ffmpeg bring decoded samples to another rate.
func fromSamples(ctx context.Context, d decoder, name string, channels, from, to int) (*child, error) {
	return startChild(ctx, name, &interleaver{d: d, channels: channels}, "-f", "f32le", "-ar", strconv.Itoa(from), "-ac", strconv.Itoa(channels), "-i", "pipe:0",
		"-af", Resampling(to), "-f", "f32le", "-c:a", "pcm_f32le", "pipe:1")
}

// Read implements decoder.
func (c *child) Read(dst [][]float32) (int, error) {
	size := 4 * len(dst)
	if need := len(dst[0]) * size; cap(c.buf) < need {
		c.buf = make([]byte, need)
	}
	got, err := io.ReadFull(c.out, c.buf[:len(dst[0])*size])
	n := got / size
	for ch := range dst {
		for i := range n {
			dst[ch][i] = math.Float32frombits(binary.LittleEndian.Uint32(c.buf[i*size+4*ch:]))
		}
	}
	if n > 0 {
		c.got = true
		return n, nil
	}
	if err == io.EOF || err == io.ErrUnexpectedEOF {
		switch err := c.end(); {
		case err != nil:
			return 0, err
		case c.gaveUp && c.strict:
			return 0, fmt.Errorf("ffmpeg failed while it resampled “%s”: %s", c.name, firstLine(c.stderr.String()))
		case c.gaveUp && !c.got:
			return 0, &Problem{"notSound", fmt.Sprintf("The sound of “%s” cannot be decoded (%s). Convert it to WAV or FLAC and import that; nothing was kept.", c.name, firstLine(c.stderr.String()))}
		}
		return 0, io.EOF
	}
	return 0, err
}

// close ends the child in any case.
func (c *child) close() {
	c.life.Stop()
	c.cancel(nil)
	_ = c.cmd.Wait()
}

// interleaver turns a decoder into the bytes that ffmpeg reads.
type interleaver struct {
	d        decoder
	channels int
	part     [][]float32
	buf      []byte
	rest     []byte
}

func (r *interleaver) Read(p []byte) (int, error) {
	if len(r.rest) == 0 {
		if r.part == nil {
			r.part = blocks(r.channels)
		}
		n, err := r.d.Read(r.part)
		if err != nil {
			return 0, err
		}
		r.buf = r.buf[:0]
		for i := range n {
			for ch := range r.part {
				r.buf = binary.LittleEndian.AppendUint32(r.buf, math.Float32bits(r.part[ch][i]))
			}
		}
		r.rest = r.buf
	}
	n := copy(p, r.rest)
	r.rest = r.rest[n:]
	return n, nil
}

// Limited keeps the first bytes written to it and swallows the rest.
type Limited struct {
	Buffer *bytes.Buffer
	Most   int
}

// Write implements io.Writer.
func (l *Limited) Write(p []byte) (int, error) {
	if room := l.Most - l.Buffer.Len(); room > 0 {
		l.Buffer.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}

func firstLine(s string) string {
	s, _, _ = strings.Cut(strings.TrimSpace(s), "\n")
	if i := strings.Index(s, "file:/"); i >= 0 {
		s = strings.TrimSpace(s[strings.LastIndexByte(s, ':')+1:])
	}
	return s
}
