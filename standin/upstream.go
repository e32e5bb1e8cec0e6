// Package standin holds small simulated outside services, so that what needs
// them runs without a network.
package standin

import (
	"fmt"
	"html"
	"net/http"
	"sort"
	"strings"
	"time"

	"golang.org/x/net/websocket"
)

// Upstream is a small web server that a site can stand in front of: it tells
// every visitor what it was asked, streams at /stream and echoes at /echo.
func Upstream() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprintf(w, "<!doctype html><title>Weather mast</title><h1>Weather mast</h1><p>Asked for %s %s</p>", html.EscapeString(r.Method), html.EscapeString(r.URL.RequestURI()))
		if who := r.Header.Get("Velada-Identity"); who != "" {
			fmt.Fprintf(w, "<p>Signed in as %s</p>", html.EscapeString(who))
		}
		var names []string
		for name := range r.Header {
			if strings.HasPrefix(name, "Velada-") || name == "Cookie" {
				names = append(names, name)
			}
		}
		sort.Strings(names)
		fmt.Fprint(w, "<dl>")
		for _, name := range names {
			fmt.Fprintf(w, "<dt>%s<dd>%s", html.EscapeString(name), html.EscapeString(r.Header.Get(name)))
		}
		fmt.Fprint(w, "</dl>")
	})
	mux.HandleFunc("/cookie", func(w http.ResponseWriter, r *http.Request) {
		http.SetCookie(w, &http.Cookie{Name: "velada_passes", Value: "forged"})
		http.SetCookie(w, &http.Cookie{Name: "theirs", Value: "kept"})
	})
	mux.HandleFunc("/stream", func(w http.ResponseWriter, r *http.Request) {
		for i := range 3 {
			fmt.Fprintf(w, "reading %d\n", i+1)
			_ = http.NewResponseController(w).Flush()
			select {
			case <-r.Context().Done():
				return
			case <-time.After(40 * time.Millisecond):
			}
		}
	})
	mux.Handle("/echo", websocket.Handler(func(c *websocket.Conn) {
		var text string
		for websocket.Message.Receive(c, &text) == nil {
			if websocket.Message.Send(c, "echo "+text) != nil {
				return
			}
		}
	}))
	return mux
}
