package media

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image/jpeg"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"blendseam/core/timecode"
	"blendseam/media/disk"
)

// Pictures are kept to look at as one JPEG a frame: any frame is one read, and
// is the frame it says it is, in every browser.

// FrameWidth and FrameHeight bound the frames that are kept.
const (
	FrameWidth  = 480
	FrameHeight = 270
)

// mostFrames is a day at 60 frames a second.
const mostFrames = 24 * 3600 * 60

// mostPixels bounds what is decoded at a time: a small file can state any size.
const mostPixels = "134217728"

// mostFrame bounds one kept frame, in bytes.
const mostFrame = 1 << 20

// Picture is what is known of the pictures of a file.
type Picture struct {
	Hash       string
	Format     string
	Bytes      int64
	Rate       timecode.Rate // frames a second
	Frames     int64         // 0 for a still
	Width      int           // of the kept frames
	Height     int
	StartFrame int64  // timecode of the first, −1 when not known
	Note       string // what is worth knowing
	Sound      bool   // the file holds sound too
}

// Look tells whether a file holds pictures, other than the cover of a record,
// and what.
func (l *Library) Look(ctx context.Context, u *Upload) (Picture, bool, error) {
	out := Picture{Hash: u.Hash, Bytes: u.Bytes, StartFrame: -1}
	f, err := os.Open(u.path)
	if err != nil {
		return out, false, err
	}
	_, _, err = decode(f, u.Name)
	f.Close()
	if !errors.Is(err, errForeign) {
		return out, false, nil // sound that is read in Go, or that says what is wrong with it
	}
	p, err := ffprobe(ctx, u.path, u.Name)
	if errors.Is(err, errUnreadable) {
		return out, false, nil
	}
	if err != nil {
		return out, false, err
	}
	v, ok := p.picture()
	if !ok {
		return out, false, nil
	}
	out.Sound = len(p.kind("audio")) > 0
	out.Format = strings.ToUpper(v.Codec) + " in " + strings.SplitN(p.Format.Name, ",", 2)[0]
	if v.still(p) {
		out.Rate, out.Format = timecode.Rate25, "still, "+strings.ToUpper(v.Codec)
		return out, true, nil
	}
	times, err := timesOf(ctx, u.path, u.Name, v.Index)
	if err != nil {
		return out, false, err
	}
	out.Rate = rateOf(v)
	if len(times) < 2 {
		if len(times) == 0 {
			return out, false, &Problem{"noPicture", fmt.Sprintf("“%s” says that it holds pictures, and none can be found in it. Look for another copy of the file; nothing was kept.", u.Name)}
		}
		out.Rate = timecode.Rate25
		return out, true, nil
	}
	out.Frames = int64(len(times))
	if out.Rate.Num == 0 || !even(times, out.Rate) {
		mean := float64(len(times)-1) / (times[len(times)-1] - times[0])
		rate, near := nearestRate(mean)
		// Even at a rate of its own, or recorded as it came.
		out.Rate = rate
		if !near || !even(times, rate) {
			out.Note = fmt.Sprintf("Its frames come at a changing rate, %.4g a second on the whole; %s frames a second were made of them, with frames repeated or left out.", mean, rate)
			out.Frames = int64(math.Floor((times[len(times)-1]-times[0])*float64(rate.Num)/float64(rate.Den))) + 1
		}
	}
	if out.Frames > mostFrames {
		return out, false, &Problem{"tooLong", fmt.Sprintf("“%s” has %d frames; up to 24 hours can be taken in. Cut it into parts; nothing was kept.", u.Name, out.Frames)}
	}
	if n, found := startFrame(p, v, &out.Rate); found {
		out.StartFrame = n
	}
	return out, true, nil
}

// timesOf are the times at which the frames of a stream are shown, in seconds,
// in order, from its packets: nothing is decoded.
func timesOf(ctx context.Context, path, name string, index int) ([]float64, error) {
	limit, cancel := context.WithTimeout(ctx, childTime)
	defer cancel()
	cmd := Helper(limit, "ffprobe", "-v", "error", "-protocol_whitelist", "file", "-format_whitelist", containers+","+pictureContainers,
		"-select_streams", strconv.Itoa(index), "-show_entries", "packet=pts_time,dts_time", "-of", "csv=p=0", "-i", "file:"+path)
	pipe, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	stalled := false
	life := time.AfterFunc(stallTime, func() { stalled = true; cancel() })
	var out []float64
	lines := bufio.NewScanner(alive{pipe, life})
	for lines.Scan() {
		for _, text := range strings.Split(lines.Text(), ",") {
			if sec, err := strconv.ParseFloat(text, 64); err == nil && !math.IsNaN(sec) && !math.IsInf(sec, 0) {
				out = append(out, sec)
				break
			}
		}
		if len(out) > mostFrames+1 {
			break
		}
	}
	whole := len(out) <= mostFrames+1
	life.Stop()
	if !whole {
		cancel()
	}
	err = cmd.Wait()
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case stalled:
		return nil, &Problem{"stalled", fmt.Sprintf("ffprobe made no progress with “%s” for %d seconds and was ended. Convert it to a common format and import that; nothing was kept.", name, int(stallTime.Seconds()))}
	case whole && limit.Err() != nil:
		return nil, &Problem{"tooLong", fmt.Sprintf("The frames of “%s” cannot be counted within %d minutes. Cut it into parts; nothing was kept.", name, int(childTime.Minutes()))}
	case whole && killed(err):
		return nil, stopped("ffprobe", name)
	}
	slices.Sort(out)
	return out, nil
}

// even reports whether frames come at a rate, but for the rounding of their
// times.
func even(times []float64, rate timecode.Rate) bool {
	frame := float64(rate.Den) / float64(rate.Num)
	for i, t := range times {
		if math.Abs(t-times[0]-float64(i)*frame) > 0.6*frame {
			return false
		}
	}
	return true
}

// nearestRate is the known rate nearest to a mean, and whether it is within two
// thousandths of it.
func nearestRate(mean float64) (timecode.Rate, bool) {
	best, off := timecode.Rate25, math.Inf(1)
	for _, r := range timecode.Rates {
		if d := math.Abs(float64(r.Num)/float64(r.Den)/mean - 1); !r.Drop && d < off {
			best, off = r, d
		}
	}
	return best, off < 0.002
}

func (l *Library) pictureFolder(hash string) string { return filepath.Join(l.folder(hash), "picture") }

// Take keeps the frames of a file that Look found pictures in. Progress runs
// from 0 to 1. What is done by the time it is cancelled stays, and is gone on
// from when the same file comes again.
func (l *Library) Take(ctx context.Context, u *Upload, p Picture, progress func(float64)) (Picture, error) {
	if have, err := l.Frames(u.Hash); err == nil && have.Count() > 0 && have.lacking == 0 {
		p.Width, p.Height = have.size()
		if p.Frames > 0 {
			p.Frames = have.Count()
		}
		return p, l.diskProblem(u.Name, l.keepOriginal(u))
	}
	part := filepath.Join(l.folder(u.Hash), "picture.part")
	if err := disk.MkdirAll(l.fs, l.dir, part); err != nil {
		return p, l.diskProblem(u.Name, err)
	}
	lock, err := lockDesk(part)
	if err != nil {
		return p, &Problem{"busy", fmt.Sprintf("“%s” is being imported already. Wait until that is done.", u.Name)}
	}
	defer lock.Close()
	w, err := openFrames(l.fs, part)
	if err != nil {
		return p, l.diskProblem(u.Name, err)
	}
	defer w.close()
	if p.Note != "" || p.Frames == 0 {
		// Only what comes frame by frame can be gone on with.
		if err := w.restart(); err != nil {
			return p, l.diskProblem(u.Name, err)
		}
	}
	if err := l.decodeFrames(ctx, u, p, w, progress); err != nil {
		_ = w.mark() // it goes on from there
		return p, err
	}
	if w.n == 0 {
		return p, &Problem{"noPicture", fmt.Sprintf("The pictures of “%s” cannot be decoded. Convert it to a common format and import that; nothing was kept.", u.Name)}
	}
	lacking := int64(0)
	if p.Frames > 0 {
		if lacking = p.Frames - w.n; lacking > 0 && p.Note == "" {
			p.Note = fmt.Sprintf("It breaks off: %d of its %d frames could be read.", w.n, p.Frames)
		} else {
			lacking = 0
		}
		p.Frames = w.n
	}
	if err := w.finish(ctx, l.fs, part, lacking); err != nil {
		return p, l.diskProblem(u.Name, err)
	}
	if err := l.keepOriginal(u); err != nil {
		return p, l.diskProblem(u.Name, err)
	}
	_ = l.fs.RemoveAll(filepath.Join(part, marked))
	if err := l.replace(part, l.pictureFolder(u.Hash)); err != nil {
		return p, l.diskProblem(u.Name, err)
	}
	l.whole(u.Hash, l.pictureFolder(u.Hash))
	have, err := l.Frames(u.Hash)
	if err != nil {
		return p, err
	}
	p.Width, p.Height = have.size()
	return p, nil
}

// decodeFrames has ffmpeg decode the frames that are not there yet.
func (l *Library) decodeFrames(ctx context.Context, u *Upload, p Picture, w *frameWriter, progress func(float64)) error {
	filter := fmt.Sprintf("scale=w='trunc(iw*sar/2)*2':h=ih,setsar=1,scale=w='min(%d,iw)':h='min(%d,ih)':force_original_aspect_ratio=decrease:force_divisible_by=2:flags=area", FrameWidth, FrameHeight)
	args := []string{"-max_pixels", mostPixels, "-protocol_whitelist", "file", "-format_whitelist", containers + "," + pictureContainers}
	if w.n > 0 { // half a frame before the first that lacks
		args = append(args, "-ss", strconv.FormatFloat((float64(w.n)-0.5)*float64(p.Rate.Den)/float64(p.Rate.Num), 'f', 9, 64))
	}
	args = append(args, "-i", "file:"+u.path, "-map", "0:V:0", "-an", "-sn", "-dn")
	if p.Note != "" {
		filter = fmt.Sprintf("fps=%d/%d,", p.Rate.Num, p.Rate.Den) + filter
	}
	if p.Frames == 0 {
		args = append(args, "-frames:v", "1")
	}
	args = append(args, "-vf", filter, "-fps_mode", "passthrough", "-pix_fmt", "yuvj420p", "-c:v", "mjpeg", "-q:v", "5", "-f", "image2pipe", "pipe:1")
	c, err := startChild(ctx, u.Name, nil, args...)
	if err != nil {
		return err
	}
	defer c.close()
	for w.n <= mostFrames {
		b, err := nextJPEG(c.out)
		if err == io.EOF {
			break
		}
		if err != nil {
			return fmt.Errorf("frames of “%s”: %w", u.Name, err)
		}
		if err := w.add(b); err != nil {
			return l.diskProblem(u.Name, err)
		}
		if p.Frames > 0 {
			progress(min(float64(w.n)/float64(p.Frames), 1))
		}
	}
	err = c.end()
	if errors.Is(err, context.DeadlineExceeded) && ctx.Err() == nil {
		return &Problem{"tooLong", fmt.Sprintf("The frames of “%s” take longer than %d minutes to decode; %d of %d are done. Import it again to continue from there.", u.Name, int(childTime.Minutes()), w.n, p.Frames)}
	}
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return err
	}
	if c.gaveUp && w.n == 0 {
		return &Problem{"noPicture", fmt.Sprintf("The pictures of “%s” cannot be decoded (%s). Convert it to a common format and import that; nothing was kept.", u.Name, firstLine(c.stderr.String()))}
	}
	return nil
}

// nextJPEG reads one picture from a stream of them (ITU-T T.81, annex B):
// segments by their length up to the scan, and the scan up to its end, in
// which 0xFF stands alone only before a marker.
func nextJPEG(r *bufio.Reader) ([]byte, error) {
	var out []byte
	take := func(n int) error {
		at := len(out)
		if at+n > mostFrame {
			return fmt.Errorf("a frame of more than %d bytes", mostFrame)
		}
		out = append(out, make([]byte, n)...)
		_, err := io.ReadFull(r, out[at:])
		return err
	}
	if _, err := r.Peek(2); err != nil {
		return nil, io.EOF
	}
	if err := take(2); err != nil || out[0] != 0xFF || out[1] != 0xD8 {
		return nil, errors.New("what ffmpeg sent is no picture")
	}
	for {
		if err := take(4); err != nil {
			return nil, io.EOF // it was stopped within a picture
		}
		head := out[len(out)-4:]
		size := int(binary.BigEndian.Uint16(head[2:]))
		if head[0] != 0xFF || size < 2 {
			return nil, errors.New("what ffmpeg sent is no picture")
		}
		scan := head[1] == 0xDA
		if err := take(size - 2); err != nil {
			return nil, io.EOF
		}
		if scan {
			break
		}
	}
	for {
		part, err := r.ReadSlice(0xFF)
		out = append(out, part...)
		if err == bufio.ErrBufferFull {
			continue
		}
		if err != nil {
			return nil, io.EOF
		}
		if len(out) > mostFrame {
			return nil, fmt.Errorf("a frame of more than %d bytes", mostFrame)
		}
		if err := take(1); err != nil {
			return nil, io.EOF
		}
		if out[len(out)-1] == 0xD9 {
			return out, nil
		}
	}
}

// sizeOf is the size of a picture.
func sizeOf(b []byte) (int, int) {
	c, err := jpeg.DecodeConfig(bytes.NewReader(b))
	if err != nil {
		return 0, 0
	}
	return c.Width, c.Height
}
