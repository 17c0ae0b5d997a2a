package api

import (
	"context"
	"net/http"
	"syscall"
	"time"

	"blendseam/server/answer"
	"blendseam/work"
)

// Vitals are what a probe asks for.
type Vitals struct {
	Status   string        `json:"status"` // ok, or what is wrong
	Database string        `json:"database"`
	Disk     Disk          `json:"disk"`
	Helpers  []string      `json:"missingHelpers"`
	Notices  []work.Notice `json:"notices"`
}

// Disk is the room where the recordings lie.
type Disk struct {
	FreeBytes int64 `json:"freeBytes"`
	Low       bool  `json:"low"` // less than a gigabyte
}

// lowDisk is when room is called low.
const lowDisk = 1 << 30

func (s *API) getHealth(w http.ResponseWriter, r *http.Request) {
	v := Vitals{Status: "ok", Database: "ok", Helpers: append([]string{}, work.LackingHelpers()...)}
	s.Notices.LookForHelpers()
	v.Notices = s.Notices.List()
	var st syscall.Statfs_t
	if err := syscall.Statfs(s.Library.Dir(), &st); err == nil {
		v.Disk.FreeBytes = int64(st.Bavail) * st.Bsize
		v.Disk.Low = v.Disk.FreeBytes < lowDisk
	}
	ctx, cancel := context.WithTimeout(r.Context(), 1500*time.Millisecond)
	defer cancel()
	status := http.StatusOK
	if err := s.Store.Ping(ctx); err != nil {
		v.Status, v.Database, status = "away", "away", http.StatusServiceUnavailable
		w.Header().Set("Retry-After", "1")
	}
	answer.JSON(w, status, v)
}
