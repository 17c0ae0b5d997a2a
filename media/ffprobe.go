package media

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"blendseam/core/timecode"
)

// pictureContainers are the kinds of file that hold one picture.
const pictureContainers = "png_pipe,jpeg_pipe,bmp_pipe,tiff_pipe,webp_pipe,gif"

// mostLate is how far sound and picture of one file can begin apart, in
// seconds, and still be believed.
const mostLate = 10.0

// errUnreadable is returned for a file that ffprobe makes nothing of.
var errUnreadable = errors.New("nothing that is known here")

// probed is what ffprobe says of a file.
type probed struct {
	Streams []stream `json:"streams"`
	Format  struct {
		Name     string            `json:"format_name"`
		Duration string            `json:"duration"`
		Tags     map[string]string `json:"tags"`
	} `json:"format"`
}

// stream is one of its streams.
type stream struct {
	Index       int               `json:"index"`
	Kind        string            `json:"codec_type"`
	Codec       string            `json:"codec_name"`
	Width       int               `json:"width"`
	Height      int               `json:"height"`
	Rate        string            `json:"sample_rate"`
	Channels    int               `json:"channels"`
	Duration    string            `json:"duration"`
	Start       string            `json:"start_time"`
	Frames      string            `json:"nb_frames"`
	Real        string            `json:"r_frame_rate"`
	Mean        string            `json:"avg_frame_rate"`
	Tags        map[string]string `json:"tags"`
	Disposition struct {
		Attached int `json:"attached_pic"`
	} `json:"disposition"`
}

// probeTime is how long a look into a file may take. A variable for tests.
var probeTime = 20 * time.Second

// ffprobe asks what a file holds.
func ffprobe(ctx context.Context, path, name string) (probed, error) {
	var p probed
	limit, cancel := context.WithTimeout(ctx, probeTime)
	defer cancel()
	out, err := Helper(limit, "ffprobe", "-v", "error", "-protocol_whitelist", "file", "-format_whitelist", containers+","+pictureContainers,
		"-show_entries", "stream=index,codec_type,codec_name,width,height,sample_rate,channels,duration,start_time,nb_frames,r_frame_rate,avg_frame_rate:stream_tags=timecode:stream_disposition=attached_pic:format=duration,format_name:format_tags=title,time_reference,timecode",
		"-of", "json", "-i", "file:"+path).Output()
	if errors.Is(err, exec.ErrNotFound) {
		return p, noHelper()
	}
	switch {
	case ctx.Err() != nil:
		return p, ctx.Err()
	case limit.Err() != nil:
		return p, &Problem{"stalled", fmt.Sprintf("“%s” could not be looked into within %d seconds. Convert it to WAV or FLAC and import that; nothing was kept.", name, int(probeTime.Seconds()))}
	case killed(err):
		return p, stopped("ffprobe", name)
	}
	if jsonErr := json.Unmarshal(out, &p); err != nil || jsonErr != nil {
		return p, errUnreadable
	}
	return p, nil
}

// kind are the streams of a kind.
func (p probed) kind(kind string) []stream {
	var out []stream
	for _, s := range p.Streams {
		if s.Kind == kind {
			out = append(out, s)
		}
	}
	return out
}

// picture is the first stream of pictures that is no cover of a record.
func (p probed) picture() (stream, bool) {
	for _, s := range p.kind("video") {
		if s.Disposition.Attached == 0 {
			return s, true
		}
	}
	return stream{}, false
}

// still reports whether the stream is a single picture.
func (s stream) still(p probed) bool {
	return s.Frames == "1" || strings.HasSuffix(p.Format.Name, "_pipe")
}

// begins is when the stream begins, in seconds.
func (s stream) begins() float64 {
	sec, err := strconv.ParseFloat(s.Start, 64)
	if err != nil {
		return 0
	}
	return sec
}

// rateOf is the frame rate that a stream states, when it is one of those that
// are known; else its Num is 0.
func rateOf(s stream) timecode.Rate {
	for _, text := range []string{s.Real, s.Mean} {
		a, b, _ := strings.Cut(text, "/")
		num, errA := strconv.ParseInt(a, 10, 64)
		den, errB := strconv.ParseInt(b, 10, 64)
		if errA != nil || errB != nil || num <= 0 || den <= 0 {
			continue
		}
		for _, r := range timecode.Rates {
			if !r.Drop && num*r.Den == den*r.Num {
				return r
			}
		}
	}
	return timecode.Rate{}
}

// startFrame is the timecode that a file states for its first frame. A rate
// that can be counted in drop-frame is, where the file says so.
func startFrame(p probed, s stream, rate *timecode.Rate) (int64, bool) {
	texts := []string{s.Tags["timecode"], s.Tags["TIMECODE"], p.Format.Tags["timecode"], p.Format.Tags["TIMECODE"]}
	for _, other := range p.Streams {
		texts = append(texts, other.Tags["timecode"])
	}
	for _, text := range texts {
		if text == "" {
			continue
		}
		r := *rate
		if drop := (timecode.Rate{Num: r.Num, Den: r.Den, Drop: true}); strings.ContainsAny(text, ";.") && drop.Check() == nil {
			r = drop
		}
		if n, err := r.Parse(text); err == nil && n >= 0 {
			*rate = r
			return n, true
		}
	}
	return 0, false
}
