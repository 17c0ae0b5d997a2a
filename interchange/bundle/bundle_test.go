package bundle

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"strings"
	"testing"
	"time"

	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// handed is a reel of two recordings, one of which is gone, and their files.
func handed(t testing.TB) (Handed, Opener) {
	t.Helper()
	files := map[string][]byte{}
	r := &reel.Reel{NextID: 1, Props: reel.Props{Name: "t", SampleRate: 48000, FrameRate: timecode.Rate25}}
	for i, name := range []string{"../../a/CON:1.wav", "a/con-1.wav", "gone"} {
		b := bytes.Repeat([]byte{byte(i + 1)}, 1000*(i+1))
		sum := sha256.Sum256(b)
		hash := hex.EncodeToString(sum[:])
		if name != "gone" {
			files[hash] = append([]byte(name+"\x00"), b...)
		}
		done, err := (&reel.AddSource{Source: reel.Source{Recording: hash, Name: fmt.Sprint("take ", i), Right: -1, Length: 1000, StartTC: -1}}).Apply(r)
		if err != nil {
			t.Fatal(err)
		}
		r = done.Reel
	}
	return Handed{Reel: r, Revision: 3}, func(hash string) (File, error) {
		b, ok := files[hash]
		if !ok {
			return File{}, fs.ErrNotExist
		}
		name, body, _ := bytes.Cut(b, []byte{0})
		return File{Name: string(name), Body: io.NopCloser(bytes.NewReader(body))}, nil
	}
}

func written(t testing.TB) ([]byte, Index) {
	t.Helper()
	h, open := handed(t)
	var b bytes.Buffer
	x, err := Write(t.Context(), &b, h, "test", time.Unix(1e9, 0), open, nil)
	if err != nil {
		t.Fatal(err)
	}
	return b.Bytes(), x
}

func TestThereAndBack(t *testing.T) {
	b, x := written(t)
	if len(x.Recordings) != 2 || len(x.Lacking) != 1 || x.Lacking[0] != "take 2" {
		t.Errorf("%+v", x)
	}
	seen := map[string]bool{}
	for _, r := range x.Recordings {
		name := strings.TrimPrefix(r.Path, soundFolder)
		if strings.ContainsAny(name, `/\:`) || seen[strings.ToLower(name)] {
			t.Errorf("entry %q", r.Path)
		}
		seen[strings.ToLower(name)] = true
	}
	a, err := Open(bytes.NewReader(b), int64(len(b)), Usual)
	if err != nil {
		t.Fatal(err)
	}
	want, _ := handed(t)
	if !reel.Diff(want.Reel, a.Handed.Reel).Empty() || a.Handed.Revision != 3 || len(a.Needs()) != 1 {
		t.Errorf("%+v", a)
	}
	for _, r := range a.Index.Recordings {
		f, err := a.Recording(r.Hash)
		if err != nil {
			t.Fatal(err)
		}
		got, err := io.ReadAll(f)
		if sum := sha256.Sum256(got); err != nil || hex.EncodeToString(sum[:]) != r.Hash {
			t.Errorf("%s: %v", r.Name, err)
		}
	}
}

// A damaged recording of the library is not handed on as if it were whole.
func TestDamagedIsNotHandedOn(t *testing.T) {
	h, open := handed(t)
	_, err := Write(t.Context(), io.Discard, h, "test", time.Now(), func(hash string) (File, error) {
		f, err := open(hash)
		if err == nil {
			f.Body = io.NopCloser(strings.NewReader("something else"))
		}
		return f, err
	}, nil)
	if err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("%v", err)
	}
}

// What could not be opened again is not written.
func TestTooLongToBeOpened(t *testing.T) {
	h, open := handed(t)
	h.Steps = []Step{{Revision: 1, Kind: "step", State: "done", Label: strings.Repeat("x", 200), Change: []byte("{}")}}
	was := Usual
	defer func() { Usual = was }()
	Usual.Text = 100
	if _, err := Write(t.Context(), io.Discard, h, "test", time.Now(), open, nil); !errors.Is(err, ErrTooLong) {
		t.Errorf("%v", err)
	}
}

// archive is one with these entries.
func archive(t testing.TB, entries ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(entries); i += 2 {
		w, err := z.Create(entries[i])
		if err != nil {
			t.Fatal(err)
		}
		_, _ = io.WriteString(w, entries[i+1])
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// What is hostile is refused in words, before it takes memory or time.
func TestHostileArchives(t *testing.T) {
	index := `{"format":"blend-seam-bundle","version":1}`
	many := make([]string, 0, 2*(mostEntries+1))
	for i := range mostEntries + 1 {
		many = append(many, fmt.Sprint(i), "")
	}
	// A list of files longer than any bundle's, told of as short.
	long := archive(t, many...)
	for range 6 {
		long = append(bytes.Repeat([]byte("PK\x01\x02"+strings.Repeat("\x00", 42)), 40000), long...)
	}
	lie := archive(t, indexName, index, reelName, "{}")
	binary.LittleEndian.PutUint32(lie[len(lie)-10:], 0xffffffff) // zip64 that is not there
	zeros := strings.Repeat("0", 1<<20)
	for name, b := range map[string][]byte{
		"nothing": {}, "short": []byte("PK\x05\x06"), "many": archive(t, many...), "long": long, "zip64": lie,
		"twice": archive(t, indexName, index, indexName, index), "no reel": archive(t, indexName, index),
		"null": archive(t, indexName, index, reelName, "null"), "bomb": archive(t, indexName, index, reelName, zeros),
		"deep": archive(t, indexName, index, reelName, strings.Repeat("[", 20000)),
	} {
		var bad *Malformed
		if _, err := Open(bytes.NewReader(b), int64(len(b)), Limits{Text: 1 << 16, Sound: 1 << 20}); !errors.As(err, &bad) || len(bad.Why) < 10 {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := Open(bytes.NewReader(archive(t, indexName, strings.Replace(index, "1", "9", 1))), 1<<10, Usual); err == nil {
		t.Error("a newer one was opened")
	}
}

// FuzzOpen: whatever comes, an archive is refused or its recordings can be read to an end.
func FuzzOpen(f *testing.F) {
	b, _ := written(f)
	f.Add(b)
	f.Add(archive(f, indexName, `{"format":"blend-seam-bundle","version":1}`, reelName, `{"props":{}}`))
	f.Add([]byte("PK\x05\x06"))
	f.Fuzz(func(t *testing.T, b []byte) {
		a, err := Open(bytes.NewReader(b), int64(len(b)), Limits{Text: 1 << 16, Sound: 1 << 20})
		if err != nil {
			return
		}
		if err := a.Handed.Reel.Check(); err != nil {
			t.Fatal(err)
		}
		for _, r := range a.Index.Recordings {
			if in, err := a.Recording(r.Hash); err == nil {
				_, _ = io.Copy(io.Discard, io.LimitReader(in, 1<<21))
			}
		}
	})
}
