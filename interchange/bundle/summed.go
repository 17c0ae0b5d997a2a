package bundle

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash/crc32"
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

// castagnoli is the polynomial of CRC-32C (RFC 3720, 12.1).
var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// counted copies, and tells how many bytes that was and their CRC-32C.
func counted(w io.Writer, r io.Reader) (n int64, sum string, err error) {
	crc, b := uint32(0), make([]byte, 1<<20)
	for err == nil {
		var k int
		k, err = io.ReadFull(r, b)
		crc = crc32.Update(crc, castagnoli, b[:k])
		if k > 0 {
			if _, werr := w.Write(b[:k]); werr != nil {
				return n, "", werr
			}
			n += int64(k)
		}
	}
	if err == io.EOF || err == io.ErrUnexpectedEOF {
		err = nil
	}
	return n, fmt.Sprintf("%08x", crc), err
}
