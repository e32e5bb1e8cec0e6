package gate

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"velada/app/doors"
	"velada/core/access"
)

// lengthless is an answer without its length, where it says the path that was asked for.
func lengthless(answer string) string {
	if strings.Contains(answer, "you asked for") {
		return regexp.MustCompile(`Content-Length:\[\d+\] ?`).ReplaceAllString(answer, "")
	}
	return answer
}

// What hides on a site behind which a server stands cannot be told from what that server does not have:
// not by a length, an encoding, a slash, an escape or a method, on servers that say it in their own ways.
func TestWhatHidesBehindAServerIsMissing(t *testing.T) {
	there := func(path string) bool {
		return path == "/" || strings.HasPrefix(path, "/secret-plans") || path == "/visit"
	}
	servers := map[string]http.HandlerFunc{
		"a plain one": func(w http.ResponseWriter, r *http.Request) {
			if !there(r.URL.Path) {
				http.NotFound(w, r)
			}
		},
		"one that says the path, packed and tagged": func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Vary", "Accept-Encoding")
			text := []byte("<html>There is no " + r.URL.Path + " here, asked as " + r.RequestURI)
			w.Header().Set("ETag", fmt.Sprintf(`"%d"`, len(text)))
			if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
				var b bytes.Buffer
				z := gzip.NewWriter(&b)
				_, _ = z.Write(text)
				z.Close()
				text = b.Bytes()
				w.Header().Set("Content-Encoding", "gzip")
			}
			w.Header().Set("Content-Length", fmt.Sprint(len(text)))
			if !there(r.URL.Path) {
				w.WriteHeader(http.StatusNotFound)
			}
			if r.Method != http.MethodHead {
				_, _ = w.Write(text)
			}
		},
		"one that leads to the front": func(w http.ResponseWriter, r *http.Request) {
			if !there(r.URL.Path) {
				http.Redirect(w, r, "/?from=nowhere", http.StatusFound)
			}
		},
		"one that has no status for it": func(w http.ResponseWriter, r *http.Request) {
			text := "<html>Welcome, you asked for " + r.URL.Path
			if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
				w.Header().Set("Content-Encoding", "gzip")
				w.Header().Set("Vary", "Accept-Encoding")
				z := gzip.NewWriter(w)
				_, _ = z.Write([]byte(text))
				z.Close()
				return
			}
			w.Header().Set("Content-Length", fmt.Sprint(len(text)))
			if r.Method != http.MethodHead {
				_, _ = w.Write([]byte(text))
			}
		},
		"one that refuses by method": func(w http.ResponseWriter, r *http.Request) {
			if r.Method == http.MethodPost {
				http.Error(w, "no", http.StatusMethodNotAllowed)
				return
			}
			if !there(r.URL.Path) {
				http.NotFound(w, r)
			}
		},
	}
	for name, serve := range servers {
		d := open(t)
		d.change("society", func(s *access.Site) {
			s.Doors = append(s.Doors, access.PageDoor{Path: "/secret-plans", Mode: "also", Hide: true, Ways: []access.Way{{Way: "groups", Groups: []string{"council"}}}})
		})
		up := httptest.NewServer(serve)
		t.Cleanup(up.Close)
		d.elsewhere("society", doors.Elsewhere{Upstream: up.URL})
		say := func(method, path, encoding string) string {
			a := asked{site: "society", path: path, method: method, header: map[string]string{"Accept-Encoding": encoding}}
			if method == http.MethodPost {
				a.form = "a=b"
			}
			r := d.ask(a)
			r.Header.Del("Date")
			text := body(t, r)
			return fmt.Sprintf("%d %v\n%s", r.StatusCode, r.Header, text)
		}
		for _, method := range []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodDelete} {
			for _, encoding := range []string{"", "gzip"} {
				for _, pair := range [][2]string{
					{"/secret-plans", "/surely-nothing"}, {"/secret-plans/", "/surely-nothing/"}, {"/secret-plans/a/b.html", "/surely-nothing/a/b.html"}, {"/secret%2Dplans", "/surely%2Dnothing"},
					{"/secret-plans?x=1", "/surely-nothing?x=1"}, {"/secret-plans/%C3%A9", "/surely-nothing/%C3%A9"},
				} {
					hidden, missing := say(method, pair[0], encoding), strings.ReplaceAll(say(method, pair[1], encoding), "surely-nothing", "secret-plans")
					hidden, missing = lengthless(hidden), lengthless(missing)
					if hidden != missing {
						t.Errorf("%s, %s %s, %q:\nhidden  %.400s\nmissing %.400s", name, method, pair[0], encoding, hidden, missing)
					}
				}
			}
		}
	}
}

// A server behind sets no cookie of Velada's, not even one without a name.
func TestAServerSetsNoCookieOfVeladas(t *testing.T) {
	d := open(t)
	up := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		for _, line := range []string{"=velada_visit=X", " =velada_visit=X", "velada_visit", "velada_visit=X", "__Host-velada_visit=X", "theirs=1"} {
			w.Header().Add("Set-Cookie", line)
		}
	}))
	t.Cleanup(up.Close)
	d.elsewhere("society", doors.Elsewhere{Upstream: up.URL})
	if set := d.ask(asking("/")).Header["Set-Cookie"]; len(set) != 1 || set[0] != "theirs=1" {
		t.Errorf("%q", set)
	}
}
