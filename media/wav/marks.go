package wav

import (
	"encoding/binary"
	"math"
)

// appendMarks writes marks as a cue chunk and an adtl list: a point and a label each, and
// the length of what is a stretch.
func appendMarks(b []byte, marks []Mark) []byte {
	le := binary.LittleEndian
	var points, texts []byte
	n := uint32(0)
	part := func(id string, body []byte) {
		texts = le.AppendUint32(append(texts, id...), uint32(len(body)))
		if texts = append(texts, body...); len(body)%2 == 1 {
			texts = append(texts, 0)
		}
	}
	for _, m := range marks {
		if m.At < 0 || m.At > math.MaxUint32 {
			continue
		}
		n++
		points = le.AppendUint32(le.AppendUint32(points, n), uint32(m.At))
		points = le.AppendUint32(le.AppendUint32(append(points, "data"...), 0), 0)
		points = le.AppendUint32(points, uint32(m.At))
		part("labl", append(append(le.AppendUint32(nil, n), m.Text...), 0))
		if m.Length > 0 {
			long := le.AppendUint32(le.AppendUint32(nil, n), uint32(min(m.Length, math.MaxUint32)))
			part("ltxt", append(append(long, "rgn "...), make([]byte, 8)...))
		}
	}
	if n == 0 {
		return b
	}
	b = le.AppendUint32(append(b, "cue "...), uint32(4+len(points)))
	b = append(le.AppendUint32(b, n), points...)
	b = le.AppendUint32(append(b, "LIST"...), uint32(4+len(texts)))
	return append(append(b, "adtl"...), texts...)
}
