package treat

import "testing"

// A minute of a mono sound through a high-pass and a bell, and through an expander too.
func BenchmarkStream(b *testing.B) {
	v := noise(60*48000, 1)
	for name, s := range map[string]Settings{
		"filters":  {HighPass: Cut{80, 12}, Bells: [4]Bell{{3000, 3, 1}}},
		"expander": {HighPass: Cut{80, 12}, Bells: [4]Bell{{3000, 3, 1}}, Expander: UsualExpander},
		"tone":     {Tone: Voicing{Bands: [ToneBands]float64{3, 2, 1}, Amount: 1}},
	} {
		b.Run(name, func(b *testing.B) {
			out := [][]float32{make([]float32, len(v))}
			for b.Loop() {
				stream := NewStream(s, 48000, 1, func(dst [][]float32, at int64) (bool, error) {
					if at >= 0 && at+int64(len(dst[0])) <= int64(len(v)) {
						copy(dst[0], v[at:])
					}
					return false, nil
				})
				read(b, stream, out, 0)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(len(v)), "ns/sample")
		})
	}
}
