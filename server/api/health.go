package api

import (
	"context"
	"net/http"
	"syscall"
	"time"

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

// health is the answer to a probe.
type health struct {
	Status     int
	RetryAfter string `header:"Retry-After"`
	Body       Vitals
}

func (s *API) getHealth(ctx context.Context, _ *struct{}) (*health, error) {
	s.Notices.LookForHelpers()
	out := &health{Status: http.StatusOK, Body: Vitals{Status: "ok", Database: "ok", Helpers: append([]string{}, work.LackingHelpers()...), Notices: s.Notices.List()}}
	v := &out.Body
	var st syscall.Statfs_t
	if err := syscall.Statfs(s.Library.Dir(), &st); err == nil {
		v.Disk.FreeBytes = int64(st.Bavail) * st.Bsize
		v.Disk.Low = v.Disk.FreeBytes < lowDisk
	}
	ctx, cancel := context.WithTimeout(ctx, 1500*time.Millisecond)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		v.Status, v.Database, out.Status, out.RetryAfter = "away", "away", http.StatusServiceUnavailable, "1"
	}
	return out, nil
}
