package timecode

import (
	"fmt"
	"strconv"
	"strings"
)

// DayFrames is the number of frames after which timecode begins anew.
func (r Rate) DayFrames() int64 {
	return 24*60*60*r.Nominal() - 24*r.dropped()*54
}

// dropped is how many frame numbers a drop-frame minute leaves out: two at
// 30, four at 60 (ST 12-1).
func (r Rate) dropped() int64 {
	if !r.Drop {
		return 0
	}
	return r.Nominal() / 15
}

// Format writes frame n as hh:mm:ss:ff, with a semicolon before the frames in
// drop-frame counting. Frames wrap at 24 hours; those before zero count back
// from it with a minus sign.
func (r Rate) Format(n int64) string {
	sign := ""
	if n < 0 {
		sign, n = "-", -n
	}
	n %= r.DayFrames()
	fps, sep := r.Nominal(), ":"
	if d := r.dropped(); d > 0 {
		sep = ";"
		ten := 600*fps - 9*d // frames in ten minutes
		minute := 60*fps - d
		tens, rest := n/ten, n%ten
		n += 9 * d * tens
		if rest >= 60*fps {
			n += d * ((rest-60*fps)/minute + 1)
		}
	}
	return fmt.Sprintf("%s%02d:%02d:%02d%s%02d", sign, n/fps/3600, n/fps/60%60, n/fps%60, sep, n%fps)
}

// Parse reads hh:mm:ss:ff, also with fewer parts from the right (ss:ff, ff)
// and with ; or . before the frames, and returns the frame. Numbers that
// drop-frame counting leaves out are refused.
func (r Rate) Parse(text string) (int64, error) {
	s := strings.TrimSpace(text)
	sign := int64(1)
	if strings.HasPrefix(s, "-") {
		sign, s = -1, s[1:]
	}
	parts := strings.FieldsFunc(s, func(c rune) bool { return c == ':' || c == ';' || c == '.' })
	if len(parts) == 0 || len(parts) > 4 || strings.ContainsAny(s, "+- ") {
		return 0, fmt.Errorf("%q is not a timecode: write hours:minutes:seconds:frames", text)
	}
	var v [4]int64 // h m s f
	for i, p := range parts {
		n, err := strconv.ParseInt(p, 10, 32)
		if err != nil {
			return 0, fmt.Errorf("%q is not a timecode: %q is not a number", text, p)
		}
		v[4-len(parts)+i] = n
	}
	fps := r.Nominal()
	if v[0] > 23 || v[1] > 59 || v[2] > 59 || v[3] >= fps {
		return 0, fmt.Errorf("%q is not a timecode at %s frames a second: hours go to 23, minutes and seconds to 59, frames to %d", text, r, fps-1)
	}
	d := r.dropped()
	if d > 0 && v[3] < d && v[2] == 0 && v[1]%10 != 0 {
		return 0, fmt.Errorf("%q does not exist in drop-frame counting: the minute begins at frame %02d", text, d)
	}
	minutes := v[0]*60 + v[1]
	return sign * ((minutes*60+v[2])*fps + v[3] - d*(minutes-minutes/10)), nil
}
