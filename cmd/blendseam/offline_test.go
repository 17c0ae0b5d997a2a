package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"blendseam/dbserver/dbtest"
	"blendseam/demo"
	"blendseam/media"
	"blendseam/outside"
	"blendseam/store"
	"blendseam/work"
)

// ran runs the command and gives what it says and its status.
func ran(t *testing.T, stdin []byte, args ...string) (out, errs string, status int) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	var o, e bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(stdin), &o, &e
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return o.String(), e.String(), cmd.ProcessState.ExitCode()
}

// demoBundle is a demo reel as a bundle, and the verdicts of its seams as the server
// measures them, by the names of the clips.
func demoBundle(t *testing.T) (path string, verdicts map[string]string) {
	t.Helper()
	ctx := t.Context()
	st, err := store.Open(ctx, dbtest.DSN(t))
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	library, err := media.OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer library.Close()
	if err := demo.Load(ctx, st, library); err != nil {
		t.Fatal(err)
	}
	path = filepath.Join(t.TempDir(), "reel.bundle.zip")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	x := &work.Bundles{Store: st, Library: library}
	if _, err := x.Write(ctx, f, 1, work.BundleSettings{History: true}, nil); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	v, err := st.Load(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	verdicts = map[string]string{}
	m := work.NewMeasuring(work.NewCrew(), st, work.OpenerOf(library), nil, nil)
	for _, s := range v.Reel.Seams() {
		j, err := m.Judged(ctx, v.ID, v.Reel, s)
		if err != nil {
			t.Fatal(err)
		}
		verdicts[fmt.Sprint(s.At, v.Reel.Title(s))] = fmt.Sprint(j.Verdict, j.Why, j.Findings)
	}
	return path, verdicts
}

// What check tells of a bundle is what the bench tells: every seam, verdict, reason and
// figure. Its statuses are for scripts.
func TestCheckSaysWhatTheBenchSays(t *testing.T) {
	path, want := demoBundle(t)
	out, errs, status := ran(t, nil, "check", "--json", path)
	if status != 1 || errs != "" {
		t.Fatalf("status %d, %q", status, errs)
	}
	var got struct{ Files []checkedFile }
	if err := json.Unmarshal([]byte(out), &got); err != nil {
		t.Fatal(err)
	}
	f := got.Files[0]
	if len(f.Seams) != len(want) || f.Counts["mend"] != 3 {
		t.Errorf("%d seams, %v", len(f.Seams), f.Counts)
	}
	for _, s := range f.Seams {
		key := fmt.Sprint(s.At, s.Title)
		mine := fmt.Sprint(s.Verdict, s.Why, s.Findings)
		// The weight of a finding, by which the bench orders, is not told.
		weight := regexp.MustCompile(`( \S+)\}`)
		if a, b := weight.ReplaceAllString(mine, "}"), weight.ReplaceAllString(want[key], "}"); a != b {
			t.Errorf("%s %s: %s, on the bench %s", s.Timecode, s.Title, a, b)
		}
	}
	// A table for people, with nothing but it where there is no terminal.
	if out, errs, status = ran(t, nil, "check", path); status != 1 || errs != "" || !strings.Contains(out, "3 to mend") || strings.Contains(out, "\x1b") {
		t.Errorf("%d %q %q", status, out, errs)
	}
	// Limits of one's own.
	lax := filepath.Join(t.TempDir(), "lax.json")
	if err := os.WriteFile(lax, []byte(`{"click":{"hear":-1,"mend":-1},"room":{"hear":-1,"mend":-1},"hole":{"hear":-1,"mend":-1},"voice":{"hear":-1,"mend":-1}}`), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, _, status := ran(t, nil, "check", "--limits", lax, path); status != 0 || !strings.Contains(out, " 0 to mend") {
		t.Errorf("with lax limits status %d: %s", status, out)
	}
	// SARIF: as many results as ask for something, each with a rule that is described.
	out, _, _ = ran(t, nil, "check", "--sarif", path)
	var log struct {
		Version string
		Runs    []struct {
			Tool struct {
				Driver struct{ Rules []struct{ ID string } }
			}
			Results []struct {
				RuleID, Level string
				Message       struct{ Text string }
			}
		}
	}
	if err := json.Unmarshal([]byte(out), &log); err != nil || log.Version != "2.1.0" || len(log.Runs) != 1 {
		t.Fatalf("%v %+v", err, log)
	}
	known := map[string]bool{}
	for _, r := range log.Runs[0].Tool.Driver.Rules {
		known[r.ID] = true
	}
	for _, r := range log.Runs[0].Results {
		if !known[r.RuleID] || r.Message.Text == "" || r.Level != "error" && r.Level != "warning" {
			t.Errorf("%+v", r)
		}
	}
	if n := f.Counts["mend"] + f.Counts["check"]; len(log.Runs[0].Results) != n {
		t.Errorf("%d results of %d", len(log.Runs[0].Results), n)
	}
	// What cannot be read is told of, and the others all the same.
	none := filepath.Join(t.TempDir(), "none.zip")
	if err := os.WriteFile(none, []byte("nothing"), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, _, status := ran(t, nil, "check", none, path); status != 2 || !strings.Contains(out, "no whole ZIP") || !strings.Contains(out, "3 to mend") {
		t.Errorf("%d %s", status, out)
	}
}

// What mend writes asks for nothing more, and the file it was made of is as it was.
func TestMendWithoutABrowser(t *testing.T) {
	path, _ := demoBundle(t)
	before, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	out := filepath.Join(t.TempDir(), "mended.bundle.zip")
	if said, _, status := ran(t, nil, "mend", path, "--dry-run"); status != 0 || !strings.Contains(said, "0 still to mend") {
		t.Errorf("%d %s", status, said)
	}
	if _, err := os.Stat(out); err == nil {
		t.Error("a dry run wrote a file")
	}
	if said, errs, status := ran(t, nil, "mend", path, "--out", out); status != 0 {
		t.Fatalf("%d %s %s", status, said, errs)
	}
	if said, _, status := ran(t, nil, "check", out); status != 0 {
		t.Errorf("after mending: %d %s", status, said)
	}
	outside.Run(t, nil, "unzip", "-tq", out)
	if after, err := os.ReadFile(path); err != nil || !bytes.Equal(before, after) {
		t.Error("the file was changed")
	}
	// Rendered, down a pipe too, and measured: as loud as ffmpeg says.
	wav := filepath.Join(t.TempDir(), "mix.wav")
	ran(t, nil, "render", out, wav)
	piped, _, _ := ran(t, nil, "render", out, "-")
	if file, err := os.ReadFile(wav); err != nil || piped != string(file) {
		t.Error("down a pipe it is another file")
	}
	said, _, _ := ran(t, []byte(piped), "loudness", "--json", "-")
	var got struct {
		Files []struct {
			Loudness struct{ LUFS, TruePeak float64 }
		}
	}
	if err := json.Unmarshal([]byte(said), &got); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("ffmpeg", "-nostats", "-i", wav, "-af", "ebur128=peak=true", "-f", "null", "-")
	text, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatal(err)
	}
	found := regexp.MustCompile(`(?s)Summary:.*?I:\s+(-?[\d.]+) LUFS.*?Peak:\s+(-?[\d.]+) dBFS`).FindSubmatch(text)
	i, _ := strconv.ParseFloat(string(found[1]), 64)
	p, _ := strconv.ParseFloat(string(found[2]), 64)
	if l := got.Files[0].Loudness; math.Abs(l.LUFS-i) > 0.1 || math.Abs(l.TruePeak-p) > 0.2 {
		t.Errorf("%+v, by ffmpeg %.1f LUFS, %.1f dBTP", l, i, p)
	}
}

// Room tone is grown of a recording to the sample, as loud as its quiet stretch; lists
// are converted, and told what they lack; a list is checked with the recordings beside it.
func TestRecordingsAndListsWithoutABrowser(t *testing.T) {
	take := "../../demo/sound/warden take 3.flac"
	said, _, status := ran(t, nil, "quiet", "--json", take)
	var found struct {
		Quiet []struct{ From, To, Level float64 }
	}
	if err := json.Unmarshal([]byte(said), &found); err != nil || status != 0 || len(found.Quiet) == 0 {
		t.Fatalf("%d %v %s", status, err, said)
	}
	tone, errs, status := ran(t, nil, "tone", take, "7s", "-")
	if status != 0 {
		t.Fatal(errs)
	}
	// sox tells its length and level.
	stat := string(outside.Run(t, []byte(tone), "sh", "-c", "sox -t wav - -n stat 2>&1"))
	if !regexp.MustCompile(`Length \(seconds\):\s+7\.000000`).MatchString(stat) {
		t.Errorf("%s", stat)
	}
	// As loud as the stretch that it is grown of, by sox.
	rms := func(stat string) float64 {
		v, _ := strconv.ParseFloat(regexp.MustCompile(`RMS\s+amplitude:\s+([\d.]+)`).FindStringSubmatch(stat)[1], 64)
		return 20 * math.Log10(v)
	}
	q := found.Quiet[0]
	stretch := string(outside.Run(t, nil, "sh", "-c", fmt.Sprintf("sox '%s' -n trim %f =%f stat 2>&1", take, q.From, q.To)))
	if d := rms(stat) - rms(stretch); math.Abs(d) > 0.5 {
		t.Errorf("the tone is %.1f dB off its stretch", d)
	}
	list := "../../demo/picture/frost warning.edl"
	dir := t.TempDir()
	there := filepath.Join(dir, "a.otio")
	if _, errs, status := ran(t, nil, "convert", list, there); status != 0 {
		t.Fatal(errs)
	}
	back := filepath.Join(dir, "a.edl")
	if _, errs, status := ran(t, nil, "convert", there, back); status != 0 {
		t.Fatal(errs)
	}
	one, _, s1 := ran(t, nil, "check", "--json", list, "--media", "../../demo")
	two, _, s2 := ran(t, nil, "check", "--json", back, "--media", "../../demo")
	seams := func(text string) string {
		var got struct{ Files []checkedFile }
		if err := json.Unmarshal([]byte(text), &got); err != nil {
			t.Fatal(err)
		}
		out := ""
		for _, s := range got.Files[0].Seams {
			out += fmt.Sprintln(s.Timecode, s.Title, s.Verdict)
		}
		return out
	}
	if s1 != 1 || s2 != 1 || seams(one) != seams(two) || !strings.Contains(seams(one), "mend") {
		t.Errorf("there and back another list: %d %s\n%d %s", s1, seams(one), s2, seams(two))
	}
	// Without its recordings nothing is to be mended, and it is no clean pass either.
	none, _, status := ran(t, nil, "check", "--json", list)
	if text := seams(none); status != 1 || strings.Contains(text, " mend") || !strings.Contains(none, "missing media") {
		t.Errorf("without its media it ends with %d: %s", status, text)
	}
	if report, _, status := ran(t, nil, "check", "--sarif", list); status != 1 || strings.Count(report, `"ruleId": "material"`) == 0 {
		t.Errorf("%d: %s", status, report)
	}
	for _, args := range [][]string{{"check", "../../README.md"}, {"check", "nowhere.zip"}, {"loudness", "../../README.md"}, {"quiet", "nowhere.wav"}, {"convert", list, "x.txt"}, {"mend", "nowhere.zip", "--dry-run"}} {
		if out, errs, status := ran(t, nil, args...); status != 2 || out+errs == "" {
			t.Errorf("%v ends with %d: %s %s", args, status, out, errs)
		}
	}
}
