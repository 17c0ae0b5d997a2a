// Package gate stands before all that answers: it lets in whom it may, gives
// each piece its time, and writes down who came.
package gate

import (
	"net"
	"net/http"
	"slices"
	"strings"

	"blendseam/server/answer"
)

// Host refuses requests for names that are not this server's, so that a
// foreign page cannot reach it through a name that points to loopback. Names are
// let in besides those of loopback, and any address where it is open to the network.
func Host(names []string, open bool) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			host := r.Host
			if h, _, err := net.SplitHostPort(host); err == nil {
				host = h
			}
			host = strings.Trim(strings.ToLower(host), "[]")
			ip := net.ParseIP(host)
			// An address cannot be pointed elsewhere, as a name can.
			address := ip != nil && (ip.IsLoopback() || open)
			if host != "localhost" && !address && !slices.Contains(names, host) {
				answer.Write(w, r, answer.Problem{Status: http.StatusMisdirectedRequest, Title: "Unknown host", Detail: "This server does not answer for that name. Open it as http://localhost, or name the host with --host when it is started."})
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

// Origin refuses writes that another site's page makes a browser send.
func Origin(next http.Handler) http.Handler {
	p := http.NewCrossOriginProtection()
	p.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answer.Write(w, r, answer.Problem{Status: http.StatusForbidden, Title: "From another site", Detail: "Changes are taken only from this server's own pages."})
	}))
	return p.Handler(next)
}

// policy lets a page load and reach nothing but this server.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; worker-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

// Headers keeps pages to this server.
func Headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}
