package work

import (
	"context"
	"fmt"
	"log/slog"
	"os/exec"
	"time"

	"blendseam/media"
	"blendseam/store"
)

// helpers are the programs that import needs.
var helpers = []string{"ffmpeg", "ffprobe"}

// LackingHelpers are the helpers that are not installed.
func LackingHelpers() []string {
	var out []string
	for _, name := range helpers {
		if _, err := exec.LookPath(name); err != nil {
			out = append(out, name)
		}
	}
	return out
}

// LookForHelpers keeps the notice of helpers that are not installed.
func (n *Notices) LookForHelpers() {
	text := ""
	if len(LackingHelpers()) > 0 {
		text = "ffmpeg is missing: only WAV and FLAC at the reel's rate can be imported. Install it with: apt-get install ffmpeg"
	}
	n.Set("ffmpeg", text)
	text = ""
	if _, err := exec.LookPath(media.StretchProgram); err != nil {
		text = "rubberband is missing: clips cannot be fitted. Install it with: apt-get install rubberband-cli"
	}
	n.Set("rubberband", text)
}

// LookAround looks at what can be told when the server starts.
func (n *Notices) LookAround(ctx context.Context, st *store.Store, open bool, log *slog.Logger) {
	if open {
		n.Set("open", "Anyone who can reach this address can read and change everything here.")
	}
	n.LookForHelpers()
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	facts, err := st.Facts(ctx)
	if err != nil {
		return
	}
	if facts.FlushAtCommit != 1 {
		text := fmt.Sprintf("The database may lose the last second of edits in a power failure: innodb_flush_log_at_trx_commit is %d. Set it to 1.", facts.FlushAtCommit)
		n.Set("flush", text)
		log.Warn(text)
	}
	if facts.Packet < 1<<20 {
		text := fmt.Sprintf("The database takes only %d bytes at once (max_allowed_packet). Large edits will be refused; set it to 16M.", facts.Packet)
		n.Set("packet", text)
		log.Warn(text)
	}
}

// WatchDatabase tells everyone when the database goes away and when it is back,
// for as long as the context lasts.
func WatchDatabase(ctx context.Context, st *store.Store, news News, log *slog.Logger) {
	st.Watch(ctx, func(away bool) {
		if away {
			log.Error("the database does not answer")
		} else {
			log.Info("the database answers again")
		}
		news.TellAll("database", map[string]bool{"away": away})
	})
}
