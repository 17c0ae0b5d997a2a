package gate

import (
	"log/slog"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5/middleware"
)

// Log gives each request an id, which is sent back with its answer, and writes
// down what came of it: what changes something or goes wrong always, the rest
// at the level of debugging. Queries are left out, as they can hold names.
func Log(log *slog.Logger) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return middleware.RequestID(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			id := middleware.GetReqID(r.Context())
			w.Header().Set("X-Request-Id", id)
			seen := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
			began := time.Now()
			defer func() {
				level := slog.LevelDebug
				switch status := seen.Status(); {
				case status >= 500:
					level = slog.LevelWarn
				case r.Method != http.MethodGet && r.Method != http.MethodHead, status >= 400:
					level = slog.LevelInfo
				}
				log.Log(r.Context(), level, "request", "id", id, "method", r.Method, "path", r.URL.Path, "status", seen.Status(), "bytes", seen.BytesWritten(), "took", time.Since(began).Round(time.Millisecond))
			}()
			next.ServeHTTP(seen, r)
		}))
	}
}
