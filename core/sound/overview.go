package sound

import (
	"encoding/binary"
	"math"
)

// The overview of a channel is a pyramid of buckets: level k has buckets of
// BaseBucket·LevelStep^k samples. A bucket is three little-endian 16-bit
// words: minimum, maximum (both signed) and RMS (unsigned), full scale 32767.
const (
	BaseBucket  = 64
	LevelStep   = 4
	Levels      = 6 // buckets of 64 to 65,536 samples
	BucketBytes = 6
)

// BucketSamples is the number of samples in a bucket of a level.
func BucketSamples(level int) int64 {
	return BaseBucket << (2 * level)
}

// Buckets is how many buckets a level has for n samples; the last may be
// part full.
func Buckets(n int64, level int) int64 {
	b := BucketSamples(level)
	return (n + b - 1) / b
}

type bucket struct {
	low, high float32
	power     float64
	n         int64
}

func (b *bucket) add(o bucket) {
	if b.n == 0 {
		*b = o
		return
	}
	b.low, b.high = min(b.low, o.low), max(b.high, o.high)
	b.power += o.power
	b.n += o.n
}

func (b bucket) encode(dst []byte) []byte {
	word := func(v float32) uint16 { return uint16(int16(min(max(v, -1), 1) * 32767)) }
	// Extremes are rounded outwards, so that a peak is never drawn too small.
	low := word(float32(math.Floor(float64(b.low)*32767)) / 32767)
	high := word(float32(math.Ceil(float64(b.high)*32767)) / 32767)
	rms := min(math.Sqrt(b.power/float64(b.n)), 1) * 32767
	dst = binary.LittleEndian.AppendUint16(dst, low)
	dst = binary.LittleEndian.AppendUint16(dst, high)
	return binary.LittleEndian.AppendUint16(dst, uint16(math.Round(rms)))
}

// AppendBucket appends the bucket of some samples, at least one.
func AppendBucket(dst []byte, v []float32) []byte {
	b := bucket{low: v[0], high: v[0], n: int64(len(v))}
	for _, s := range v {
		b.low, b.high = min(b.low, s), max(b.high, s)
		b.power += float64(s) * float64(s)
	}
	return b.encode(dst)
}

// Overview grows the pyramid of one channel while its samples go by, in memory
// that does not grow with them when Take is called along the way.
type Overview struct {
	open [Levels]bucket
	done [Levels][]byte
}

// Add appends samples.
func (o *Overview) Add(v []float32) {
	for len(v) > 0 {
		b := &o.open[0]
		k := min(int(BaseBucket-b.n), len(v))
		part := bucket{low: v[0], high: v[0], n: int64(k)}
		var power float64
		for _, s := range v[:k] {
			if s < part.low {
				part.low = s
			}
			if s > part.high {
				part.high = s
			}
			power += float64(s) * float64(s)
		}
		part.power = power
		b.add(part)
		v = v[k:]
		if b.n == BaseBucket {
			o.close(0)
		}
	}
}

func (o *Overview) close(level int) {
	b := o.open[level]
	o.done[level] = b.encode(o.done[level])
	o.open[level] = bucket{}
	if level+1 < Levels {
		o.open[level+1].add(b)
		if o.open[level+1].n == BucketSamples(level+1) {
			o.close(level + 1)
		}
	}
}

// Finish closes the buckets that are part full. Nothing may be added after.
func (o *Overview) Finish() {
	for level := range Levels {
		if o.open[level].n > 0 {
			o.close(level)
		}
	}
}

// Take returns the finished bytes of a level and forgets them.
func (o *Overview) Take(level int) []byte {
	b := o.done[level]
	o.done[level] = nil
	return b
}
