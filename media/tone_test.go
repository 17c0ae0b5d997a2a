package media

import (
	"bytes"
	"math/rand/v2"
	"os"
	"slices"
	"sync"
	"testing"

	"blendseam/core/reel"
	"blendseam/media/wav"
)

// Tone is grown when it is heard, once for all that hear it at the same time,
// and anew, the same, after others took its place.
func TestToneIsGrownWhenItIsHeard(t *testing.T) {
	const rate = 48000
	l := library(t)
	rng := rand.New(rand.NewPCG(2, 2))
	v := make([]float32, 3*rate)
	for i := range v[:2*rate] {
		v[i] = float32(0.001 * rng.NormFloat64())
	}
	im, _, err := take(t, l, "room.wav", wavFile(t, v, rate), rate)
	if err != nil {
		t.Fatal(err)
	}
	bed := func(seed int64, to int64) reel.Source {
		return reel.Source{Recording: im.Hash, Right: -1, Length: 3600 * rate, Bed: reel.Bed{To: to, Seed: seed}}
	}
	read := func(s reel.Source) []float32 {
		t.Helper()
		r, err := l.Sound(s, rate)
		if err != nil || r.Channels() != 1 || r.Len() != 3600*rate {
			t.Error(err)
			return nil
		}
		out := make([]float32, 5000)
		if err := r.ReadAt(out, 0, 77*rate); err != nil {
			t.Error(err)
		}
		return out
	}
	want := read(bed(1, rate))
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			if !slices.Equal(read(bed(1, rate)), want) {
				t.Error("heard at once it differs")
			}
		})
	}
	all.Wait()
	if len(l.tones.beds) != 1 {
		t.Errorf("%d beds are kept for one", len(l.tones.beds))
	}
	l.tones.bytes = mostToneBytes - 1 // as after many others
	read(bed(2, rate))
	if len(l.tones.beds) != 1 {
		t.Errorf("%d beds are kept beyond the bound", len(l.tones.beds))
	}
	if !slices.Equal(read(bed(1, rate)), want) {
		t.Error("grown anew it differs")
	}
	// Of digital silence it is silence; of a recording that nobody has as well, which is told.
	silent := bed(1, 3*rate)
	silent.Bed.From = 2 * rate
	if got := read(silent); slices.ContainsFunc(got, func(s float32) bool { return s != 0 }) {
		t.Error("tone of digital silence sounds")
	}
	gone := bed(1, rate)
	gone.Recording = "00" + im.Hash[2:]
	if got := read(gone); slices.ContainsFunc(got, func(s float32) bool { return s != 0 }) {
		t.Error("tone of a recording that is gone sounds")
	}
	if !l.Gone(gone, rate) || l.Gone(bed(1, rate), rate) || !l.WasMissed(gone.Recording) || l.WasMissed(gone.Recording) {
		t.Error("it is not told that a recording is gone, or of one that is not")
	}
	// Where the file is there and its copy is not, the copy is lost, and made again.
	if err := os.RemoveAll(l.copyFolder(im.Hash, rate)); err != nil {
		t.Fatal(err)
	}
	other, err := openLibrary(l.dir, l.fs)
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	var told *Damaged
	other.OnDamage = func(d *Damaged) { told = d }
	if _, err := other.Sound(bed(1, rate), rate); err == nil || told == nil || told.Hash != im.Hash || other.Gone(bed(1, rate), rate) {
		t.Errorf("a copy that is lost: %v, told %+v", err, told)
	}
	if r, err := l.Sound(reel.Source{Right: 0, Length: 10, Bed: reel.Bed{Room: reel.Rooms[0], Seed: 1}}, rate); err != nil || r.Channels() != 2 {
		t.Error(err)
	}
}

// wavFile is a recording of 32-bit floats.
func wavFile(t *testing.T, v []float32, rate int) []byte {
	t.Helper()
	var b bytes.Buffer
	w, err := wav.NewWriter(&b, wav.Format{Rate: rate, Channels: 1, Bits: 32, Float: true}, int64(len(v)), false, wav.Meta{})
	if err == nil {
		err = w.Write([][]float32{v})
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}
