package gain

import (
	"fmt"
	"math"
)

// The range of a gain in decibels. MinDB stands for −∞: nothing sounds. It is
// the least step of 24 bits, 20·log10(2^−24) = −144.5 dB, in round numbers.
const (
	MinDB = -144.0
	MaxDB = 60.0
)

// CheckDB returns an error unless db lies in MinDB…MaxDB.
func CheckDB(db float64) error {
	if !(db >= MinDB && db <= MaxDB) {
		return fmt.Errorf("gain goes from −∞ to +%g dB; %g dB is outside", MaxDB, db)
	}
	return nil
}

// FromDB is the factor of a gain in decibels: 10^(db/20), and 0 at MinDB.
func FromDB(db float64) float64 {
	if db == 0 {
		return 1
	}
	if db <= MinDB {
		return 0
	}
	return math.Pow(10, db/20)
}

// ToDB is a factor in decibels: 20·log10(f). Zero is −∞.
func ToDB(f float64) float64 { return 20 * math.Log10(f) }

// Pan gives the left and right factor of a track panned to p, from −1 (left)
// to 1 (right). The centre passes both sides unchanged; away from it the far
// side falls with a quarter cosine while the near side stays.
func Pan(p float64) (left, right float64) {
	left, right = 1, 1
	if p > 0 {
		left = math.Cos(p * math.Pi / 2)
	} else if p < 0 {
		right = math.Cos(p * math.Pi / 2)
	}
	if p >= 1 {
		left = 0
	} else if p <= -1 {
		right = 0
	}
	return left, right
}
