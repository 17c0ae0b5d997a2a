package delivery

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os/exec"

	"blendseam/media"
)

// Rates are the sample rates that files are written at.
var Rates = []int{44100, 48000, 88200, 96000, 176400, 192000}

// resampler has ffmpeg bring what is written to another sample rate, and passes on
// exactly as many samples as that makes.
type resampler struct {
	cmd  *exec.Cmd
	in   io.WriteCloser
	said bytes.Buffer
	buf  []byte
	done chan error
	stop context.CancelFunc
	ctx  context.Context // of who asked
	over bool
}

// newResampler passes n samples at the new rate on to each.
func newResampler(ctx context.Context, s Spec, n int64, each func([][]float32) error) (*resampler, error) {
	asked := ctx
	ctx, cancel := context.WithTimeout(ctx, codedTime(s))
	r := &resampler{ctx: asked, done: make(chan error, 1), stop: cancel}
	r.cmd = media.Helper(ctx, "ffmpeg", "-v", "error", "-nostdin", "-f", "f32le", "-ar", fmt.Sprint(s.Rate), "-ac", fmt.Sprint(s.Channels), "-i", "pipe:0",
		"-af", media.Resampling(s.rate()), "-f", "f32le", "pipe:1")
	r.cmd.Stderr = &media.Limited{Buffer: &r.said, Most: 4096}
	out, err := r.cmd.StdoutPipe()
	if err == nil {
		r.in, err = r.cmd.StdinPipe()
	}
	if err == nil {
		err = r.cmd.Start()
	}
	if err != nil {
		cancel()
		return nil, fmt.Errorf("ffmpeg cannot be run, which changes the sample rate: %w", err)
	}
	go func() { r.done <- exactlyFrom(out, s.Channels, n, each) }()
	return r, nil
}

// exactlyFrom reads samples and passes n of them on: what lacks is silent.
func exactlyFrom(out io.Reader, channels int, n int64, each func([][]float32) error) error {
	const block = 4096
	b, v := make([]byte, 4*block*channels), make([][]float32, channels)
	for n > 0 {
		got, err := io.ReadFull(out, b)
		if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
			return err
		}
		k := int64(got / (4 * channels))
		if got == 0 {
			k = min(block, n)
			clear(b)
		}
		k = min(k, n)
		for ch := range v {
			v[ch] = make([]float32, k)
			for i := range v[ch] {
				v[ch][i] = math.Float32frombits(binary.LittleEndian.Uint32(b[4*(i*channels+ch):]))
			}
		}
		if err := each(v); err != nil {
			return err
		}
		n -= k
	}
	_, err := io.Copy(io.Discard, out)
	return err
}

func (r *resampler) write(src [][]float32) error {
	r.buf = r.buf[:0]
	for i := range src[0] {
		for ch := range src {
			r.buf = binary.LittleEndian.AppendUint32(r.buf, math.Float32bits(src[ch][i]))
		}
	}
	if _, err := r.in.Write(r.buf); err != nil {
		return r.ended(err)
	}
	return nil
}

// end waits until all is passed on.
func (r *resampler) end() error {
	defer r.stop()
	r.over = true
	err := r.in.Close()
	if passed := <-r.done; err == nil {
		err = passed
	}
	if werr := r.cmd.Wait(); err == nil {
		err = werr
	}
	if err != nil {
		return r.ended(err)
	}
	return nil
}

// drop ends the program where it was not closed.
func (r *resampler) drop() {
	if r.over {
		return
	}
	r.over = true
	r.stop()
	_ = r.in.Close()
	<-r.done
	_ = r.cmd.Wait() // it was ended
}

func (r *resampler) ended(err error) error {
	if r.ctx.Err() != nil {
		return r.ctx.Err()
	}
	return fmt.Errorf("ffmpeg ended while it changed the sample rate: %w %.300s", err, r.said.String())
}
