package bundle

import (
	"crypto/sha256"
	"encoding/hex"
	"io"
)

// summed copies a file and counts its content hash beside that, on another core.
func summed(w io.Writer, r io.Reader) (n int64, sum string, err error) {
	const blocks, size = 4, 1 << 20
	free, full, hash := make(chan []byte, blocks), make(chan []byte, blocks), sha256.New()
	for range blocks {
		free <- make([]byte, size)
	}
	done := make(chan struct{})
	go func() {
		for b := range full {
			_, _ = hash.Write(b) // it does not fail
			free <- b[:size]
		}
		close(done)
	}()
	for err == nil {
		b := <-free
		var k int
		k, err = io.ReadFull(r, b)
		full <- b[:k]
		if k > 0 {
			// Both only read it.
			if _, werr := w.Write(b[:k]); werr != nil {
				err = werr
			}
			n += int64(k)
		}
	}
	close(full)
	<-done
	if err == io.EOF || err == io.ErrUnexpectedEOF {
		err = nil
	}
	return n, hex.EncodeToString(hash.Sum(nil)), err
}
