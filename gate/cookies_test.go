package gate

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// Cookies that other hosts set for the domain above are taken off where they are many, and dropped there;
// Velada's own stay, and what is long without them is refused.
func TestCookiesOfOthersDoNotShutAnybodyOut(t *testing.T) {
	const base = "house.example.org"
	tidy := func(host string, header http.Header) (*http.Request, *httptest.ResponseRecorder, bool) {
		r := httptest.NewRequest(http.MethodGet, "https://"+host+"/", nil)
		r.Header = header
		w := httptest.NewRecorder()
		return r, w, Tidy(w, r, base, true)
	}
	var many []string
	for i := range 170 {
		many = append(many, fmt.Sprintf("filler%d=%s", i, strings.Repeat("x", 3000)), fmt.Sprintf("velada_visit=%s", strings.Repeat("y", 100)))
	}
	many = append(many, "__Host-velada_visit=token", "__Host-velada_passes=others")
	r, w, answers := tidy("society."+base, http.Header{"Cookie": {strings.Join(many[:200], "; "), strings.Join(many[200:], "; ")}})
	left := r.Header.Get("Cookie")
	if !answers || len(left) > mostCookies+100 || !strings.Contains(left, "__Host-velada_visit=token") || !strings.Contains(left, "__Host-velada_passes=others") {
		t.Errorf("answered %t, with %d bytes of cookies", answers, len(left))
	}
	told := map[string]bool{}
	for _, c := range w.Result().Cookies() {
		told[c.Domain] = true
		if c.MaxAge >= 0 || strings.HasPrefix(c.Name, hostOnly) {
			t.Errorf("told to keep, or to drop what is Velada's: %v", c)
		}
	}
	if !told[base] || !told["example.org"] || told["org"] || len(told) != 2 {
		t.Errorf("dropped at %v", told)
	}
	few := http.Header{"Cookie": {"theirs=1; __Host-velada_visit=token"}, "User-Agent": {"a browser"}}
	if r, w, answers := tidy("society."+base, few.Clone()); !answers || r.Header.Get("Cookie") != few.Get("Cookie") || len(w.Result().Cookies()) > 0 {
		t.Error("few are not left as they are")
	}
	if _, w, _ := tidy("www.elsewhere.example", http.Header{"Cookie": {strings.Join(many, "; ")}}); len(w.Result().Cookies()) > 0 {
		t.Error("told to drop cookies at a domain that is not the house's")
	}
	if _, w, answers := tidy("society."+base, http.Header{"X-Long": {strings.Repeat("x", mostHeaders+1)}}); answers || w.Code != http.StatusRequestHeaderFieldsTooLarge {
		t.Errorf("long headers are answered: %d", w.Code)
	}
}
