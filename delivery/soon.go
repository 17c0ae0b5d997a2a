package delivery

import (
	"os"
	"syscall"
)

// soonWriter writes to a place of a file and on, and has what was written brought to the
// disk while more is made: the sync at the end finds little left to do.
type soonWriter struct {
	f  *os.File
	at int64
}

// Write implements io.Writer.
func (w *soonWriter) Write(b []byte) (int, error) {
	n, err := w.f.WriteAt(b, w.at)
	if conn, cerr := w.f.SyscallConn(); cerr == nil {
		const begin = 2 // SYNC_FILE_RANGE_WRITE of linux/fs.h
		_ = conn.Control(func(fd uintptr) { _ = syscall.SyncFileRange(int(fd), w.at, int64(n), begin) })
	}
	w.at += int64(n)
	return n, err
}
