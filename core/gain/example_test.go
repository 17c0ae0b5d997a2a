package gain_test

import (
	"fmt"

	"blendseam/core/gain"
)

// At the middle of a constant-power fade the gain is √½, so that the powers of
// two sides add up to one; of a constant-gain fade it is a half.
func ExampleCurve_At() {
	for _, shape := range []gain.Shape{"constantPower", "constantGain"} {
		c := gain.Curve{Shape: shape, Warp: gain.Even, Len: 1000}
		fmt.Printf("%.4f %.4f %.4f\n", c.At(0), c.At(500), c.At(1000))
	}
	// Output:
	// 0.0000 0.7071 1.0000
	// 0.0000 0.5000 1.0000
}
