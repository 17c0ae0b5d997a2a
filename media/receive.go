package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
	"syscall"
)

// Problem is an import that failed for a reason the user can act on.
type Problem struct {
	Kind   string // a stable word for programs: "notSound", "noData", "tooLarge", "diskFull", "tooManyChannels", "cutOff"
	Detail string // what happened, to which file, and the way out
}

func (p *Problem) Error() string { return p.Detail }

// Upload is a file that was received and not yet taken in.
type Upload struct {
	Name  string // as the user knows it
	Hash  string
	Bytes int64
	path  string
	crc   string // CRC-32C of it; "" where it was not received now
}

// Discard forgets the upload. It does no harm after Import.
func (u *Upload) Discard() { _ = os.Remove(u.path) }

// Receive streams a file to disk in bounded memory and counts its content
// hash on the way. Progress is called with the bytes so far. The caller
// discards the upload when it is done with it.
func (l *Library) Receive(ctx context.Context, name string, body io.Reader, progress func(int64)) (*Upload, error) {
	f, err := l.fs.Create(l.onDesk("upload"))
	if err != nil {
		return nil, l.diskProblem(name, err)
	}
	u := &Upload{Name: name, path: f.Name()}
	keep := false
	defer func() {
		f.Close()
		if !keep {
			u.Discard()
		}
	}()
	hash := newHasher()
	defer hash.sum()
	for {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		buf := <-hash.free
		n, err := body.Read(buf)
		if u.Bytes += int64(n); u.Bytes > l.Limit {
			return nil, l.TooLarge(name)
		}
		_, werr := f.Write(buf[:n])
		hash.work <- buf[:n]
		if werr != nil {
			return nil, l.diskProblem(name, werr)
		}
		if n > 0 {
			progress(u.Bytes)
		}
		if err == io.EOF {
			break
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			return nil, l.CutOff(name)
		}
	}
	if u.Bytes == 0 {
		return nil, &Problem{"noData", fmt.Sprintf("“%s” is empty. Look at the file where it came from; nothing was kept.", name)}
	}
	u.Hash, u.crc = hash.sum(), hash.crc
	keep = true
	return u, nil
}

// CutOff is the problem of a file that did not arrive whole.
func (l *Library) CutOff(name string) *Problem {
	return &Problem{"cutOff", fmt.Sprintf("“%s” did not arrive whole: the transfer was cut off. Nothing was kept; import it again.", name)}
}

// TooLarge is the problem of a file over the limit.
func (l *Library) TooLarge(name string) *Problem {
	return &Problem{"tooLarge", fmt.Sprintf("“%s” is larger than %.4g GiB, the most that is taken in at once. Cut it into parts, or store it as FLAC; nothing was kept.", name, float64(l.Limit)/(1<<30))}
}

func (l *Library) diskProblem(name string, err error) error {
	var known *Problem
	if err == nil || errors.As(err, &known) || errors.Is(err, context.Canceled) {
		return err
	}
	if errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) {
		return &Problem{"diskFull", fmt.Sprintf("The disk is full, so “%s” could not be taken in. Make room on the disk that holds the recordings and drop it in again; nothing was kept.", name)}
	}
	return fmt.Errorf("storing “%s”: %w", name, err)
}

// hasher counts a content hash beside the writing, in bounded memory.
type hasher struct {
	free chan []byte // buffers to fill
	work chan []byte
	done chan string
	once sync.Once
	hex  string
	crc  string
}

func newHasher() *hasher {
	h := &hasher{free: make(chan []byte, 4), work: make(chan []byte, 4), done: make(chan string, 1)}
	for range cap(h.free) {
		h.free <- make([]byte, 1<<18)
	}
	go func() {
		sum, quick := sha256.New(), newTally()
		for b := range h.work {
			sum.Write(b)
			quick.add(b)
			h.free <- b[:cap(b)]
		}
		h.crc = quick.sum().CRC
		h.done <- hex.EncodeToString(sum.Sum(nil))
	}()
	return h
}

// sum ends the hasher and gives the hash in hex. It may be called twice.
func (h *hasher) sum() string {
	h.once.Do(func() {
		close(h.work)
		h.hex = <-h.done
	})
	return h.hex
}
