package timecode_test

import (
	"fmt"

	"blendseam/core/timecode"
)

// Drop-frame timecode leaves out numbers, not frames: at 29.97 frames a second the
// minute's first two (SMPTE ST 12-1).
func ExampleRate_Format() {
	r := timecode.Rate{Num: 30000, Den: 1001, Drop: true}
	for _, frame := range []int64{1799, 1800, 17982} {
		fmt.Println(r.Format(frame))
	}
	// Output:
	// 00:00:59;29
	// 00:01:00;02
	// 00:10:00;00
}

// Samples are the truth, frames a view of them.
func ExampleRate_Sample() {
	r := timecode.Rate{Num: 24000, Den: 1001}
	fmt.Println(r.Sample(1, 48000), r.Sample(24, 48000), r.Frame(48048, 48000))
	// Output: 2002 48048 24
}
