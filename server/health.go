package server

import (
	"context"
	"fmt"
	"net/http"
	"os/exec"
	"sync"
	"syscall"
	"time"
)

// notices are what everyone who opens a page has to know about how the server
// stands: each has a word for programs and a sentence for people.
type notices struct {
	mu  sync.Mutex
	all []notice
}

type notice struct {
	Kind string `json:"kind"`
	Text string `json:"text"`
}

func (n *notices) set(kind, text string) {
	n.mu.Lock()
	defer n.mu.Unlock()
	for i, o := range n.all {
		if o.Kind == kind {
			if text == "" {
				n.all = append(n.all[:i:i], n.all[i+1:]...)
			} else {
				n.all[i].Text = text
			}
			return
		}
	}
	if text != "" {
		n.all = append(n.all, notice{kind, text})
	}
}

func (n *notices) list() []notice {
	n.mu.Lock()
	defer n.mu.Unlock()
	return append([]notice{}, n.all...)
}

// helpers are the programs that import needs.
var helpers = []string{"ffmpeg", "ffprobe"}

// lacking are the helpers that are not installed.
func lacking() []string {
	var out []string
	for _, name := range helpers {
		if _, err := exec.LookPath(name); err != nil {
			out = append(out, name)
		}
	}
	return out
}

// notice looks at what can be told when the server starts.
func (s *Server) notice() {
	if s.open {
		s.notices.set("open", "Anyone who can reach this address can read and change everything here.")
	}
	s.noticeHelpers()
	ctx, cancel := context.WithTimeout(s.ctx, 5*time.Second)
	defer cancel()
	if facts, err := s.store.Facts(ctx); err == nil {
		if facts.FlushAtCommit != 1 {
			text := fmt.Sprintf("The database may lose the last second of edits in a power failure: innodb_flush_log_at_trx_commit is %d. Set it to 1.", facts.FlushAtCommit)
			s.notices.set("flush", text)
			s.log.Warn(text)
		}
		if facts.Packet < 1<<20 {
			text := fmt.Sprintf("The database takes only %d bytes at once (max_allowed_packet). Large edits will be refused; set it to 16M.", facts.Packet)
			s.notices.set("packet", text)
			s.log.Warn(text)
		}
	}
}

func (s *Server) noticeHelpers() {
	text := ""
	if len(lacking()) > 0 {
		text = "ffmpeg is missing: only WAV and FLAC at the reel's rate can be imported. Install it with: apt-get install ffmpeg"
	}
	s.notices.set("ffmpeg", text)
}

// watchDatabase tells everyone when the database goes away and when it is back.
func (s *Server) watchDatabase() {
	s.store.Watch(s.ctx, func(away bool) {
		if away {
			s.log.Error("the database does not answer")
		} else {
			s.log.Info("the database answers again")
		}
		s.hub.publishAll(event{"database", map[string]bool{"away": away}})
	})
}

// vitals are what a probe asks for.
type vitals struct {
	Status   string   `json:"status"` // ok, or what is wrong
	Database string   `json:"database"`
	Disk     disk     `json:"disk"`
	Helpers  []string `json:"missingHelpers"`
	Notices  []notice `json:"notices"`
}

// disk is the room where the recordings lie.
type disk struct {
	FreeBytes int64 `json:"freeBytes"`
	Low       bool  `json:"low"` // less than a gigabyte
}

// lowDisk is when room is called low.
const lowDisk = 1 << 30

func (s *Server) health(w http.ResponseWriter, r *http.Request) {
	v := vitals{Status: "ok", Database: "ok", Helpers: append([]string{}, lacking()...)}
	s.noticeHelpers()
	v.Notices = s.notices.list()
	var st syscall.Statfs_t
	if err := syscall.Statfs(s.library.Dir(), &st); err == nil {
		v.Disk.FreeBytes = int64(st.Bavail) * st.Bsize
		v.Disk.Low = v.Disk.FreeBytes < lowDisk
	}
	ctx, cancel := context.WithTimeout(r.Context(), 1500*time.Millisecond)
	defer cancel()
	status := http.StatusOK
	if err := s.store.Ping(ctx); err != nil {
		v.Status, v.Database, status = "away", "away", http.StatusServiceUnavailable
		w.Header().Set("Retry-After", "1")
	}
	writeJSON(w, status, v)
}
