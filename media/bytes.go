package media

import (
	"encoding/binary"
	"unsafe"
)

// Working copies are little-endian and are read straight into samples, which
// asks for a machine that counts the same way.
func init() {
	if binary.NativeEndian.Uint16([]byte{1, 0}) != 1 {
		panic("media: this machine is not little-endian")
	}
}

// Bytes is the memory of the samples: little-endian float32.
func Bytes(v []float32) []byte {
	if len(v) == 0 {
		return nil
	}
	return unsafe.Slice((*byte)(unsafe.Pointer(&v[0])), 4*len(v))
}
