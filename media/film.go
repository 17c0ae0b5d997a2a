package media

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"blendseam/core/reel"
	"blendseam/core/timecode"
)

// FilmPart is a stretch of a film that is put together.
type FilmPart struct {
	Hash   string        // of the file whose pictures are seen; empty for black
	First  int64         // its frame that is seen first
	Frames int64         // of the film
	Rate   timecode.Rate // of the file
	Still  bool
	Pace   reel.Pace
	In     int64 // First in frames of the film, at its pace
}

// copied are the codings of pictures that an MP4 file takes as they are.
var copied = map[string]bool{"h264": true, "hevc": true, "mpeg4": true, "av1": true}

// Film puts pictures of recordings together, with sound of a WAV file, as an MP4 file.
// Pictures of one file from its first frame on, at the rate of the film, are copied as
// they are; others are coded anew, as H.264. It tells whether they were copied.
func (l *Library) Film(ctx context.Context, parts []FilmPart, rate timecode.Rate, sound, out string, told func(float64)) (whole bool, err error) {
	frames := int64(0)
	for _, p := range parts {
		frames += p.Frames
	}
	args, whole, err := l.filming(ctx, parts, rate, sound)
	if err != nil {
		return false, err
	}
	args = append(args, "-c:a", "aac", "-b:a", "256k", "-movflags", "+faststart", "-f", "mp4", "-progress", "pipe:1", "-y", out)
	ctx, cancel := context.WithTimeout(ctx, 20*time.Minute+time.Duration(frames)*time.Second/5)
	defer cancel()
	cmd := Helper(ctx, "ffmpeg", append([]string{"-v", "error", "-nostdin"}, args...)...)
	var said bytes.Buffer
	cmd.Stderr = &Limited{Buffer: &said, Most: 4096}
	pipe, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	if errors.Is(err, exec.ErrNotFound) {
		return false, noHelper()
	}
	if err != nil {
		return false, err
	}
	for lines := bufio.NewScanner(pipe); lines.Scan(); {
		if n, ok := strings.CutPrefix(lines.Text(), "frame="); ok && told != nil {
			if k, err := strconv.ParseFloat(strings.TrimSpace(n), 64); err == nil {
				told(min(k/float64(max(frames, 1)), 1))
			}
		}
	}
	err = cmd.Wait()
	switch {
	case ctx.Err() != nil:
		return false, ctx.Err()
	case killed(err):
		return false, errors.New("ffmpeg was stopped by the system, perhaps for lack of memory. Repeat it")
	case Unwritten(said.String()) != nil:
		return false, Unwritten(said.String())
	case err != nil:
		return false, fmt.Errorf("ffmpeg cannot write the video: %s", firstLine(said.String()))
	}
	return whole, nil
}

// paced has the frames of a part come later or sooner: each from the first frame of the
// film on that does not begin before it.
func (p FilmPart) paced(rate timecode.Rate, fps string) string {
	const little = 1e-6 // seconds, so that what begins with a frame is not rounded beyond it
	by := float64(p.Pace.Over) / float64(p.Pace.Own)
	in := float64(p.In) + float64(p.Pace.Shift)/float64(p.Pace.Own)
	begun := in*float64(rate.Den)/float64(rate.Num) - float64(p.First)*float64(p.Rate.Den)/float64(p.Rate.Num)*by
	return fmt.Sprintf("setpts=(PTS-STARTPTS)*%d/%d-%.9f/TB,fps=%s:round=up", p.Pace.Over, p.Pace.Own, begun+little, fps)
}

// filming are ffmpeg's arguments for what is seen and heard.
func (l *Library) filming(ctx context.Context, parts []FilmPart, rate timecode.Rate, sound string) (args []string, whole bool, err error) {
	var files []string
	at := map[string]int{}
	width, height := 0, 0
	codec, own := "", timecode.Rate{}
	for _, p := range parts {
		if _, known := at[p.Hash]; p.Hash == "" || known {
			continue
		}
		path := l.original(p.Hash)
		if _, err := os.Stat(path); err != nil {
			return nil, false, errors.New("the file of a picture is not in the library any more. Import it again")
		}
		at[p.Hash] = len(files)
		files = append(files, path)
		info, err := ffprobe(ctx, path, "a picture")
		if err != nil {
			return nil, false, err
		}
		if v, ok := info.picture(); ok && width == 0 {
			width, height = v.Width&^1, v.Height&^1
			codec, own = v.Codec, rateOf(v)
		}
	}
	if width < 2 || height < 2 {
		return nil, false, errors.New("no picture is seen there. Insert shots, or export the sound alone")
	}
	for _, f := range files {
		args = append(args, "-i", "file:"+f)
	}
	args = append(args, "-i", "file:"+sound)
	hear := fmt.Sprintf("%d:a", len(files))
	if one := parts[0]; len(parts) == 1 && one.First == 0 && !one.Still && one.Pace == (reel.Pace{}) && copied[codec] && own.Num*rate.Den == rate.Num*own.Den {
		return append(args, "-map", "0:v:0", "-map", hear, "-c:v", "copy", "-frames:v", fmt.Sprint(one.Frames)), true, nil
	}
	fps := fmt.Sprintf("%d/%d", rate.Num, rate.Den)
	var graph strings.Builder
	for i, p := range parts {
		if p.Hash == "" {
			fmt.Fprintf(&graph, "color=black:s=%dx%d:r=%s,trim=end_frame=%d,setsar=1,format=yuv420p[p%d];", width, height, fps, p.Frames, i)
			continue
		}
		seen := fmt.Sprintf("trim=start_frame=%d", p.First)
		if p.Still {
			seen += fmt.Sprintf(":end_frame=%d", p.First+1)
		}
		run := "setpts=PTS-STARTPTS,fps=" + fps
		if p.Pace.Over != 0 {
			run = p.paced(rate, fps)
		}
		fmt.Fprintf(&graph, "[%d:v:0]%s,%s:start_time=0,tpad=stop=-1:stop_mode=clone,trim=end_frame=%d,"+
			"scale=%d:%d:force_original_aspect_ratio=decrease,pad=%d:%d:(ow-iw)/2:(oh-ih)/2,setsar=1,format=yuv420p[p%d];",
			at[p.Hash], seen, run, p.Frames, width, height, width, height, i)
	}
	for i := range parts {
		fmt.Fprintf(&graph, "[p%d]", i)
	}
	fmt.Fprintf(&graph, "concat=n=%d:v=1:a=0[seen]", len(parts))
	return append(args, "-filter_complex", graph.String(), "-map", "[seen]", "-map", hear, "-c:v", "libx264", "-preset", "veryfast", "-crf", "18"), false, nil
}
