package delivery

import (
	"archive/zip"
	"bufio"
	"context"
	"fmt"
	"hash/crc32"
	"io"
	"os"
	"runtime"
	"sync"
	"sync/atomic"

	"blendseam/core/mix"
)

// placeParts writes parts whose sizes are known beforehand straight to where they lie in
// an archive, side by side, and then what lies between them: nothing is written twice.
func placeParts(ctx context.Context, f *os.File, open mix.Open, parts []Part, s Spec) error {
	own, headers := make([]Spec, len(parts)), make([]zip.FileHeader, len(parts))
	sum := counter{told: s.told}
	for i, p := range parts {
		own[i], headers[i] = s.of(p, &sum), *s.header(p)
		headers[i].Flags |= sizesBehind
		headers[i].UncompressedSize64 = uint64(own[i].Bytes())
		headers[i].CompressedSize64 = headers[i].UncompressedSize64
	}
	places, err := outline(nil, headers)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var next atomic.Int64
	var all sync.WaitGroup
	for range max(min(runtime.GOMAXPROCS(0), mostBeside, len(parts)), 1) {
		all.Go(func() {
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= len(parts) {
					return
				}
				crc, err := placePart(ctx, f, places[i], open, parts[i], own[i])
				if err != nil {
					cancel(fmt.Errorf("%s: %w", parts[i].Name, err))
				}
				headers[i].CRC32 = crc
			}
		})
	}
	all.Wait()
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	_, err = outline(f, headers)
	return err
}

// sizesBehind is the flag of a ZIP entry whose sum and sizes come after it.
const sizesBehind = 8

// outline writes the headers and the directory of an archive of such entries, all but the
// entries themselves, and tells where each of these begins. Without a writer it only tells.
func outline(w io.WriterAt, headers []zip.FileHeader) (places []int64, err error) {
	to := &hollow{w: w}
	z := zip.NewWriter(to)
	for _, h := range headers {
		h.Extra = nil
		body, err := z.CreateRaw(&h)
		if err == nil {
			err = z.Flush()
		}
		if err != nil {
			return nil, err
		}
		places, to.inside = append(places, to.at), true
		for left := int64(h.UncompressedSize64); left > 0 && err == nil; {
			var n int
			n, err = body.Write(nothing[:min(left, int64(len(nothing)))])
			left -= int64(n)
		}
		if err == nil {
			err = z.Flush()
		}
		if err != nil {
			return nil, err
		}
		to.inside = false
	}
	return places, z.Close()
}

// nothing stands for what is not written.
var nothing [1 << 20]byte

// hollow writes on from where it is, and goes over what is inside of entries.
type hollow struct {
	w      io.WriterAt
	at     int64
	inside bool
}

func (h *hollow) Write(b []byte) (n int, err error) {
	n = len(b)
	if h.w != nil && !h.inside {
		n, err = h.w.WriteAt(b, h.at)
	}
	h.at += int64(n)
	return n, err
}

// placePart writes a part to its place and gives the CRC-32 of all its bytes.
func placePart(ctx context.Context, f *os.File, at int64, open mix.Open, p Part, s Spec) (uint32, error) {
	m, exact, err := s.ready(ctx, open, p)
	if err != nil {
		return 0, err
	}
	sum := &summing{w: &soonWriter{f, at}}
	w := bufio.NewWriterSize(sum, 1<<20)
	if err := Write(ctx, w, m, s, exact); err != nil {
		return 0, err
	}
	err = w.Flush()
	return sum.crc, err
}

// summing keeps the CRC-32 of what is written.
type summing struct {
	w   io.Writer
	crc uint32
}

// Write implements io.Writer.
func (s *summing) Write(b []byte) (int, error) {
	n, err := s.w.Write(b)
	s.crc = crc32.Update(s.crc, crc32.IEEETable, b[:n])
	return n, err
}
