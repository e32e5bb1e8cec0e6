package console

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/demo"
	"velada/demo/demotest"
	"velada/demo/raced"
	"velada/gate"
	"velada/house"
)

// desk is the demo house's console with somebody at it.
type desk struct {
	console *web.Console
	glass   *gate.Glass
	testing.TB
	house  *house.House
	db     *sql.DB // to write behind its back
	server *httptest.Server
	client *http.Client
}

func openDesk(t testing.TB) *desk {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	db := demotest.Open(t)
	house, err := house.Open(ctx, db, func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	host := func(address string) string { return address + ".localhost" }
	site := func(address string) string { return "http://" + host(address) }
	glass := &gate.Glass{Gate: gate.New(house, site("velada"), false, site), Console: site("velada"), Origin: site}
	c := New(ctx, house, glass, "", false, host, site)
	server := httptest.NewServer(c)
	t.Cleanup(func() {
		server.Close()
		cancel()
		db.Close()
	})
	return (&desk{TB: t, db: db, house: house, server: server, console: c, glass: glass}).another()
}

// another is the same console in a browser of its own.
func (d *desk) another() *desk {
	jar, err := cookiejar.New(nil)
	if err != nil {
		d.Fatal(err)
	}
	copied := *d
	copied.client = &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	return &copied
}

func (d *desk) get(path string) (int, string, http.Header) {
	d.Helper()
	r, err := d.client.Get(d.server.URL + path)
	if err != nil {
		d.Fatal(err)
	}
	return read(d.TB, r)
}

func read(t testing.TB, r *http.Response) (int, string, http.Header) {
	t.Helper()
	defer r.Body.Close()
	body, err := io.ReadAll(r.Body)
	if err != nil {
		t.Fatal(err)
	}
	if strings.HasPrefix(r.Header.Get("Content-Type"), "text/html") {
		return r.StatusCode, demotest.CloseUp(string(body)), r.Header
	}
	return r.StatusCode, string(body), r.Header
}

// post sends a form as pairs of names and values.
func (d *desk) post(path string, pairs ...string) (int, string, http.Header) {
	d.Helper()
	form := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		form.Add(pairs[i], pairs[i+1])
	}
	r, err := d.client.PostForm(d.server.URL+path, form)
	if err != nil {
		d.Fatal(err)
	}
	return read(d.TB, r)
}

func (d *desk) signIn(address string) *desk {
	d.Helper()
	if status, body, _ := d.post("/sign-in", "address", address, "password", demo.Password); status != http.StatusSeeOther {
		d.Fatalf("%s is not let in: %d %s", address, status, body)
	}
	return d
}

func (d *desk) siteDoor(site string) access.Door { return d.house.State().SiteDocument(site).Door }

func TestHeaders(t *testing.T) {
	d := openDesk(t)
	_, body, h := d.get("/sign-in")
	for name, want := range map[string]string{"X-Content-Type-Options": "nosniff", "X-Frame-Options": "DENY", "Cache-Control": "private, no-store", "Referrer-Policy": "same-origin"} {
		if h.Get(name) != want {
			t.Errorf("%s is %q", name, h.Get(name))
		}
	}
	csp := h.Get("Content-Security-Policy")
	if !strings.Contains(csp, "default-src 'none'") || !strings.Contains(csp, "script-src 'self';") || strings.Contains(csp, "unsafe") {
		t.Error(csp)
	}
	if strings.Contains(body, "<script>") || strings.Contains(body, " style=") || regexp.MustCompile(` on[a-z]+=`).MatchString(body) {
		t.Error("something stands inline")
	}
}

func TestSigningIn(t *testing.T) {
	d := openDesk(t)
	if status, _, h := d.get("/sites/society/door"); status != 303 || h.Get("Location") != "/sign-in?then=%2Fsites%2Fsociety%2Fdoor" {
		t.Errorf("%d to %q", status, h.Get("Location"))
	}
	status, wrong, _ := d.post("/sign-in", "address", "ines@cerroalcor.example", "password", "no")
	_, unknown, _ := d.post("/sign-in", "address", "nobody@cerroalcor.example", "password", "no")
	if status != 422 || !strings.Contains(wrong, "ines@cerroalcor.example") || strings.ReplaceAll(wrong, "ines@", "nobody@") != unknown {
		t.Errorf("%d: an account shows, or what was typed is lost", status)
	}
	for then, want := range map[string]string{"/ledger": "/ledger", "//evil.example": "/sites", "https://evil.example": "/sites", "/\\evil.example": "/sites",
		"/\t/evil.example": "/sites", "/%09/evil.example": "/sites", "/%5Cevil.example": "/sites", "/%2F/evil.example": "/sites", "/ /evil.example": "/sites", "/\n/evil.example": "/sites", "/\x00": "/sites", "evil": "/sites", "/sites?find=a%20b": "/sites?find=a%20b", "/%2fevil.example": "/sites"} {
		if _, _, h := d.another().post("/sign-in", "address", "ines@cerroalcor.example", "password", demo.Password, "then", then); h.Get("Location") != want {
			t.Errorf("then %q leads to %q", then, h.Get("Location"))
		}
	}
	_, _, h := d.post("/sign-in", "address", "ines@cerroalcor.example", "password", demo.Password, "site", "society", "path", "/members", "nonce", "n")
	if to := h.Get("Location"); !strings.HasPrefix(to, "http://society.localhost/velada/enter?path=%2Fmembers&ticket=") {
		t.Errorf("to a site: %q", to)
	}
	cookie := h.Get("Set-Cookie")
	if !strings.Contains(cookie, "HttpOnly") || !strings.Contains(cookie, "SameSite=Lax") || strings.Contains(cookie, "Domain") {
		t.Error(cookie)
	}
	if status, _, _ := d.get("/sites"); status != 200 {
		t.Errorf("signed in: %d", status)
	}
	d.post("/sign-out")
	if status, _, _ := d.get("/sites"); status != 303 {
		t.Errorf("signed out: %d", status)
	}
}

func TestFormsFromElsewhereAreRefused(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	r, err := http.NewRequest(http.MethodPost, d.server.URL+"/sites/society/door/start", strings.NewReader("start=private"))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Sec-Fetch-Site", "same-site")
	answer, err := d.client.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	if status, _, _ := read(t, answer); status != 403 {
		t.Errorf("%d", status)
	}
}

// Every route with every role: what the table of capabilities says, and for
// whoever has nothing to do with a site it is not there.
func TestEveryRouteWithEveryRole(t *testing.T) {
	if raced.On {
		t.Skip("runs whole without the race detector")
	}
	d := openDesk(t)
	roles := map[string]*desk{
		"nobody": d, "steward": d.another().signIn("ines@cerroalcor.example"), "admin": d.another().signIn("pilar@cerroalcor.example"),
		"editor": d.another().signIn("jonas@cerroalcor.example"), "usher": d.another().signIn("seun@cerroalcor.example"), "outside": d.another().signIn("tobias@lens.example"),
	}
	type row struct {
		method, path                                   string
		nobody, steward, admin, editor, usher, outside int
	}
	rows := []row{
		{"GET", "/", 303, 303, 303, 303, 303, 303},
		{"GET", "/sites", 303, 200, 200, 200, 200, 200},
		{"GET", "/find/hits?q=soc", 303, 200, 200, 200, 200, 200},
		{"POST", "/strength", 303, 200, 200, 200, 200, 200},
		{"GET", "/ledger", 303, 200, 404, 404, 404, 404},
		{"GET", "/sites/society", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/door", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/sightlines", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/sightlines/rows?from=0", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/sightlines.csv", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/sightlines.svg", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/people?q=a", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/ledger", 303, 200, 200, 404, 404, 404},
		{"GET", "/sites/society/walk", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/passes", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/holding", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/rehearsal", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/team", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/members", 303, 200, 200, 403, 200, 404},
		{"POST", "/sites/society/members", 303, 303, 303, 403, 303, 404},
		{"GET", "/sites/society/settings", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/hand-out", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/tint", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/settings/domains/qr/www.cerroalcor.example.svg", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/hand-out", 303, 422, 422, 403, 403, 404},
		{"GET", "/sites/society/pick?kind=people&find=a", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/pages", 303, 303, 303, 303, 303, 404},
		{"GET", "/sites/society/pages?new=yes", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/look", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/publish", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/editions", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/editions/31", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/archive", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/files/hill.svg", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/links/none.svg", 303, 404, 404, 403, 403, 404},
		{"GET", "/sites/society/short/none.svg", 303, 404, 404, 404, 404, 404},
		{"GET", "/new-site", 303, 200, 404, 404, 404, 404},
		{"POST", "/new-site", 303, 422, 404, 404, 404, 404},
		{"POST", "/sites/society/passes/key", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/passes/link", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/holding", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/holding/words", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/team/entry", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/team/leave", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/team/role", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/team/invite", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/team/invitation", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/team/editors", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/team/hand-over", 303, 422, 403, 403, 403, 404},
		{"GET", "/account", 303, 200, 200, 200, 200, 200},
		{"POST", "/account", 303, 422, 422, 422, 422, 422},
		{"POST", "/account/password", 303, 422, 422, 422, 422, 422},
		{"POST", "/account/second-step", 303, 422, 422, 422, 422, 422},
		{"POST", "/account/passkeys", 303, 422, 422, 422, 422, 422},
		{"POST", "/account/passkeys/ask", 303, 200, 200, 200, 200, 200},
		{"POST", "/account/passkeys/drop", 303, 303, 303, 303, 303, 303},
		{"POST", "/account/browsers", 303, 303, 303, 303, 303, 303},
		{"POST", "/account/invitation", 303, 410, 410, 410, 410, 410},
		{"GET", "/notices", 303, 200, 200, 200, 200, 200},
		{"GET", "/outbox", 303, 200, 404, 404, 404, 404},
		{"GET", "/outbox/1", 303, 404, 404, 404, 404, 404},
		{"GET", "/outbox/1/eml", 303, 404, 404, 404, 404, 404},
		{"GET", "/outbox/1/state", 303, 404, 404, 404, 404, 404},
		{"POST", "/outbox/send", 303, 303, 404, 404, 404, 404},
		{"POST", "/outbox/1/send", 303, 303, 404, 404, 404, 404},
		{"GET", "/house-rules", 303, 200, 200, 200, 200, 404},
		{"POST", "/settings/second-step", 303, 303, 404, 404, 404, 404},
		{"POST", "/settings/front", 303, 303, 404, 404, 404, 404},
		{"POST", "/settings/no-mail", 303, 303, 404, 404, 404, 404},
		{"POST", "/settings/mail", 303, 422, 404, 404, 404, 404},
		{"POST", "/settings/providers", 303, 422, 404, 404, 404, 404},
		{"POST", "/settings/providers/try", 303, 404, 404, 404, 404, 404},
		{"GET", "/sites/society/here", 303, 0, 0, 0, 0, 404},
		{"GET", "/people", 303, 200, 404, 404, 404, 404},
		{"POST", "/people", 303, 422, 404, 404, 404, 404},
		{"POST", "/put-in-group", 303, 303, 404, 404, 404, 404},
		{"GET", "/people/katya-cifuentes", 303, 200, 404, 404, 404, 404},
		{"GET", "/people/katya-cifuentes/without/antlia", 303, 200, 404, 404, 404, 404},
		{"POST", "/people/katya-cifuentes", 303, 422, 404, 404, 404, 404},
		{"POST", "/people/katya-cifuentes/leave", 303, 200, 404, 404, 404, 404},
		{"POST", "/people/katya-cifuentes/merge", 303, 422, 404, 404, 404, 404},
		{"POST", "/people/katya-cifuentes/group", 303, 303, 404, 404, 404, 404},
		{"GET", "/new-group", 303, 200, 404, 404, 404, 404},
		{"POST", "/new-group", 303, 422, 404, 404, 404, 404},
		{"GET", "/groups/antlia", 303, 200, 404, 404, 404, 404},
		{"POST", "/groups/antlia", 303, 422, 404, 404, 404, 404},
		{"GET", "/groups/antlia/out", 303, 200, 404, 404, 404, 404},
		{"GET", "/groups/antlia/roster", 303, 200, 404, 404, 404, 404},
		{"GET", "/groups/antlia/roster/state?take=none", 303, 200, 404, 404, 404, 404},
		{"POST", "/groups/antlia/roster", 303, 303, 404, 404, 404, 404},
		{"POST", "/groups/antlia/people", 303, 303, 404, 404, 404, 404},
		{"POST", "/groups/antlia/slips", 303, 200, 404, 404, 404, 404},
		{"POST", "/groups/antlia/codes", 303, 422, 404, 404, 404, 404},
		{"POST", "/groups/antlia/joins", 303, 303, 404, 404, 404, 404},
		{"POST", "/groups/antlia/keepers", 303, 303, 404, 404, 404, 404},
		{"POST", "/groups/antlia/delete", 303, 200, 404, 404, 404, 404},
		{"GET", "/groups/none", 303, 404, 404, 404, 404, 404},
		{"GET", "/slips/none", 303, 410, 410, 410, 410, 410},
		{"GET", "/join", 200, 200, 200, 200, 200, 200},
		{"GET", "/stop/none", 404, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/team/sections", 303, 422, 422, 403, 403, 404},
		{"GET", "/sites/society/members.csv", 303, 200, 200, 403, 200, 404},
		{"POST", "/sites/society/members/sign-up", 303, 422, 422, 403, 422, 404},
		{"POST", "/sites/society/members/like", 303, 303, 303, 403, 303, 404},
		{"POST", "/sites/society/members/letter", 303, 422, 422, 403, 422, 404},
		{"POST", "/sites/society/members/asking", 303, 303, 303, 403, 303, 404},
		{"POST", "/sites/society/members/comments", 303, 303, 303, 403, 303, 404},
		{"GET", "/sign-in/with/none", 404, 404, 404, 404, 404, 404},
		{"GET", "/invitations/none", 410, 410, 410, 410, 410, 410},
		{"GET", "/by-mail/none", 410, 410, 410, 410, 410, 410},
		{"GET", "/second-step", 303, 303, 303, 303, 303, 303},
		{"GET", "/first-password", 303, 303, 303, 303, 303, 303},
		{"POST", "/sites/society/pages", 303, 422, 422, 422, 403, 404},
		{"POST", "/sites/society/pages/none/drop", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/publish", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/ask", 303, 303, 303, 303, 403, 404},
		{"POST", "/sites/society/previews/end", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/editions/back", 303, 404, 404, 403, 403, 404},
		{"POST", "/sites/society/editions/call-off", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/settings", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/settings/address", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/settings/short", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/settings/elsewhere", 303, 303, 403, 403, 403, 404},
		{"GET", "/sites/society/settings/pages", 303, 200, 200, 200, 200, 404},
		{"POST", "/sites/society/settings/pages", 303, 422, 422, 403, 403, 404},
		{"GET", "/sites/society/settings/result?page=/visit", 303, 200, 200, 200, 200, 404},
		{"POST", "/sites/society/settings/result?page=/visit", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/settings/titles", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/settings/robots", 303, 303, 303, 403, 403, 404},
		{"GET", "/sites/society/settings/domains/one?name=www.cerroalcor.example", 303, 200, 200, 403, 403, 404},
		{"GET", "/sites/society/settings/domains/zone?name=www.cerroalcor.example", 303, 200, 200, 200, 200, 404},
		{"POST", "/sites/society/settings/domains", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/settings/domains/one", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/settings/search-engines", 303, 200, 200, 403, 403, 404},
		{"GET", "/sites/society/holding/past", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/holding/words", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/archives", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/members/list", 303, 200, 200, 403, 200, 404},
		{"GET", "/sites/society/team/roles", 303, 200, 200, 200, 200, 404},
		{"POST", "/sites/society/team/links", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/door/handout", 303, 303, 303, 403, 403, 404},
		{"GET", "/sites/society/unpublish", 303, 200, 200, 403, 403, 404},
		{"POST", "/sites/society/publish/change", 303, 404, 404, 403, 403, 404},
		{"GET", "/sites/society/published", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/address.svg", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/address.png", 303, 200, 200, 200, 200, 404},
		{"POST", "/sites/society/steps/dismiss", 303, 303, 303, 303, 403, 404},
		{"GET", "/traffic", 303, 200, 404, 404, 404, 404},
		{"GET", "/sites/society/traffic", 303, 200, 200, 403, 403, 404},
		{"GET", "/sites/society/traffic/data.csv", 303, 200, 200, 403, 403, 404},
		{"GET", "/sites/society/traffic/data.json", 303, 200, 200, 403, 403, 404},
		{"GET", "/sites/society/traffic/replay", 303, 200, 200, 403, 403, 404},
		{"GET", "/sites/society/traffic/against", 303, 404, 404, 403, 403, 404},
		{"GET", "/sites/society/traffic/logs", 303, 200, 200, 403, 403, 404},
		{"GET", "/sites/society/traffic/logs/progress", 303, 200, 200, 403, 403, 404},
		{"POST", "/sites/society/traffic/logs", 303, 400, 400, 403, 403, 404},
		{"POST", "/sites/society/traffic/choices", 303, 422, 422, 403, 403, 404},
		{"GET", "/rounds", 303, 200, 200, 200, 200, 404},
		{"GET", "/rounds?site=society", 303, 200, 200, 200, 200, 404},
		{"POST", "/rounds/mend", 303, 303, 303, 303, 303, 303},
		{"POST", "/rounds/leave", 303, 303, 303, 303, 303, 303},
		{"POST", "/rounds/again", 303, 303, 303, 303, 303, 303},
		{"GET", "/calendar", 303, 200, 200, 200, 200, 404},
		{"GET", "/calendar/velada.ics", 303, 200, 200, 200, 200, 200},
		{"GET", "/calendar/exchange", 303, 200, 200, 200, 200, 200},
		{"GET", "/calendar/of/none", 404, 404, 404, 404, 404, 404},
		{"POST", "/calendar/move", 303, 404, 404, 404, 404, 404},
		{"POST", "/calendar/address", 303, 303, 303, 303, 303, 303},
		{"POST", "/calendar/read", 303, 422, 422, 403, 403, 403},
		{"POST", "/calendar/propose", 303, 404, 404, 404, 404, 404},
		{"GET", "/sites/society/calendar", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/calendar/velada.ics", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/calendar/exchange", 303, 200, 200, 200, 200, 404},
		{"POST", "/sites/society/calendar/read", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/calendar/propose", 303, 404, 404, 404, 404, 404},
		{"GET", "/house-rules/new?rule=no-listing", 303, 200, 404, 404, 404, 404},
		{"GET", "/house-rules/rule/records", 303, 200, 404, 404, 404, 404},
		{"POST", "/house-rules", 303, 422, 404, 404, 404, 404},
		{"POST", "/house-rules/remove", 303, 303, 404, 404, 404, 404},
		{"POST", "/house-rules/exceptions", 303, 404, 404, 404, 404, 404},
		{"GET", "/sites/instrument-log/exception?rule=records", 303, 200, 404, 404, 404, 404},
		{"GET", "/sites/society/exception?rule=records", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/exception", 303, 404, 404, 404, 404, 404},
		{"POST", "/settings/stewards", 303, 422, 404, 404, 404, 404},
		{"GET", "/settings", 303, 200, 404, 404, 404, 404},
		{"GET", "/settings/mail", 303, 200, 404, 404, 404, 404},
		{"POST", "/settings", 303, 422, 404, 404, 404, 404},
		{"POST", "/outbox/999/show", 303, 303, 404, 404, 404, 404},
		{"GET", "/find?q=soc", 303, 200, 200, 200, 200, 200},
		{"GET", "/help", 303, 200, 200, 200, 200, 200},
		{"GET", "/sites/no-such/door", 303, 404, 404, 404, 404, 404},
		{"GET", "/nowhere", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/door/start", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/door/add", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/door/change", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/door/remove", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/door/settings", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/door/own", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/door/pass", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/promises", 303, 422, 422, 403, 403, 404},
		{"POST", "/sites/society/promises/drop", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/rehearsal/apply", 303, 303, 303, 403, 303, 404},
		{"POST", "/sites/society/rehearsal/later", 303, 303, 303, 403, 303, 404},
		{"POST", "/sites/society/rehearsal/discard", 303, 303, 303, 403, 303, 404},
		{"POST", "/sites/society/ledger/undo", 303, 404, 404, 403, 403, 404},
		{"GET", "/again", 303, 200, 200, 200, 200, 200},
		{"GET", "/address-free?address=society", 303, 200, 404, 404, 404, 404},
		{"GET", "/forgot", 200, 200, 200, 200, 200, 200},
		{"GET", "/look/velada.css", 200, 200, 200, 200, 200, 200},
		{"GET", "/tint/society", 200, 200, 200, 200, 200, 200},
		{"GET", "/set-up", 303, 303, 303, 303, 303, 303},
		{"GET", "/sign-in/back", 400, 400, 400, 400, 400, 400},
		{"POST", "/again", 303, 422, 422, 422, 422, 422},
		{"POST", "/notices", 303, 400, 400, 400, 400, 400},
		{"POST", "/people/katya-cifuentes/release", 303, 303, 404, 404, 404, 404},
		{"POST", "/set-up", 303, 303, 303, 303, 303, 303},
		{"POST", "/by-mail/none", 410, 410, 410, 410, 410, 410},
		{"POST", "/invitations/none", 303, 303, 303, 303, 303, 303},
		{"POST", "/stop/none", 404, 404, 404, 404, 404, 404},
		{"POST", "/join", 422, 422, 422, 422, 422, 422},
		{"POST", "/forgot", 422, 422, 422, 422, 422, 422},
		{"POST", "/second-step", 303, 303, 303, 303, 303, 303},
		{"POST", "/first-password", 303, 303, 303, 303, 303, 303},
		{"GET", "/sites/society/pages/none", 303, 404, 404, 404, 404, 404},
		{"GET", "/sites/society/pages/none/live", 303, 404, 404, 404, 404, 404},
		{"GET", "/sites/society/pages/none/framed", 303, 404, 404, 404, 404, 404},
		{"GET", "/sites/society/look.css", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/settings/look", 303, 200, 200, 200, 200, 404},
		{"POST", "/sites/society/settings/look", 303, 303, 303, 303, 403, 404},
		{"POST", "/sites/society/pages/none/describe-file", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/pages/none/replace-file", 303, 303, 303, 303, 303, 404},
		{"GET", "/sites/society/find-link?find=a", 303, 200, 200, 200, 200, 404},
		{"GET", "/sites/society/address-free?address=society", 303, 200, 200, 403, 403, 404},
		{"POST", "/sites/society/pages/none", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/pages/none/place", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/pages/none/shift", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/pages/none/restore", 303, 404, 404, 404, 404, 404},
		{"GET", "/sites/society/pages/none/unmerged/1", 303, 404, 404, 404, 404, 404},
		{"POST", "/sites/society/pages/none/drop-file", 303, 303, 303, 303, 303, 404},
		{"POST", "/sites/society/files", 303, 422, 422, 422, 422, 404},
		{"POST", "/sites/society/archive", 303, 303, 303, 303, 303, 404},
		{"POST", "/sites/society/previews", 303, 303, 303, 303, 303, 404},
		{"POST", "/sites/society/door/check", 303, 200, 200, 403, 403, 404},
		{"POST", "/sites/society/settings/address/let-go", 303, 303, 303, 403, 403, 404},
		{"POST", "/sites/society/unpublish", 303, 200, 200, 403, 403, 404},
		{"POST", "/sites/society/team/leave-self", 303, 303, 303, 303, 303, 404},
		{"POST", "/sign-in/passkey/ask", 200, 200, 200, 200, 200, 200},
		{"POST", "/sign-in/go-on", 200, 303, 303, 303, 303, 303},
		{"POST", "/sign-in/passkey", 422, 422, 422, 422, 422, 422},
		{"GET", "/sign-in", 200, 303, 303, 303, 303, 303},
		{"POST", "/sign-in", 422, 422, 422, 422, 422, 422},
		{"POST", "/sign-out", 303, 303, 303, 303, 303, 303},
	}
	for _, r := range rows {
		want := map[string]int{"nobody": r.nobody, "steward": r.steward, "admin": r.admin, "editor": r.editor, "usher": r.usher, "outside": r.outside}
		for role, status := range want {
			if status == 0 { // a stream that does not end
				continue
			}
			var got int
			var body string
			if r.method == "GET" {
				got, body, _ = roles[role].get(r.path)
			} else {
				got, body, _ = roles[role].post(r.path, "kind", "domain")
			}
			if got != status {
				t.Errorf("%s %s as %s: %d, want %d\n%.300s", r.method, r.path, role, got, status, body)
			}
			if role == "outside" && r.path != "/sites" && strings.Contains(body, "Cerro Alcor Society") { // but for what they may read
				t.Errorf("%s %s tells an outside person of the site", r.method, r.path)
			}
		}
	}
	for _, route := range d.console.Engine.Routes() {
		if !slices.ContainsFunc(rows, func(r row) bool {
			path, _, _ := strings.Cut(r.path, "?")
			return r.method == route.Method && routeOf(d.console.Engine.Routes(), r.method, path) == route.Path
		}) {
			t.Errorf("nobody asks %s %s", route.Method, route.Path)
		}
	}
	if _, body, _ := roles["editor"].get("/sites/society/door"); strings.Contains(body, "<form method=\"post\" action=\"/sites/society/") {
		t.Error("an editor is shown what they may not do")
	}
}

// routeOf finds the route that answers a path: a plain one before one with a name in it.
// routeOf returns the route that answers a path: of those that match, the one
// with the fewest parameters.
func routeOf(routes gin.RoutesInfo, method, path string) string {
	found, fewest := "", 100
	for _, r := range routes {
		if r.Method != method {
			continue
		}
		pattern := regexp.MustCompile(`[:*]\w+`).ReplaceAllStringFunc(r.Path, func(name string) string {
			if name[0] == '*' {
				return ".*"
			}
			return "[^/]+"
		})
		if n := strings.Count(r.Path, ":") + strings.Count(r.Path, "*"); n < fewest && regexp.MustCompile("^"+pattern+"$").MatchString(path) {
			found, fewest = r.Path, n
		}
	}
	return found
}

func TestWaysInAreReadFromTheirForms(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	add := func(pairs ...string) (int, string) {
		status, body, _ := d.post("/sites/society/door/add", pairs...)
		return status, body
	}
	for _, c := range []struct {
		pairs []string
		wrong string // "" is rehearsed
	}{
		{[]string{"kind", "domain", "list", "casa.example, *.escuela.example"}, ""},
		{[]string{"kind", "domain", "list", "casa..example"}, "“casa..example” is not a domain"},
		{[]string{"kind", "domain", "list", " "}, "Name at least one domain."},
		{[]string{"kind", "network", "list", "192.0.2.7 10.0.0.0/8"}, ""},
		{[]string{"kind", "network", "list", "10.0.0.1/8"}, "an address inside a network"},
		{[]string{"kind", "people", "list", "Bram de Wit; Zoe <zoe@out.example>"}, ""},
		{[]string{"kind", "people", "list", "Nobody Atall"}, "“Nobody Atall” is neither an address nor the name"},
		{[]string{"kind", "groups", "list", "Council\njunior"}, ""},
		{[]string{"kind", "groups"}, "Name at least one group."},
		{[]string{"kind", "groups", "list", "Council\nStrikers"}, "There is no group “Strikers”."},
		{[]string{"kind", "link"}, "Choose at least one"},
		{[]string{"kind", "link", "any", "yes"}, ""},
		{[]string{"kind", "members"}, ""},
		{[]string{"kind", "signed-in", "from", "2026-12-01T10:00", "until", "2026-12-02T10:00"}, ""},
		{[]string{"kind", "signed-in", "from", "2026-12-03T10:00", "until", "2026-12-02T10:00"}, "It would end before it begins."},
		{[]string{"kind", "signed-in", "from", "soon"}, "This is no date and time"},
	} {
		status, body := add(c.pairs...)
		switch {
		case c.wrong == "" && status != 303:
			t.Errorf("%v: %d", c.pairs, status)
		case c.wrong != "" && (status != 422 || !strings.Contains(body, c.wrong)):
			t.Errorf("%v: %d without %q", c.pairs, status, c.wrong)
		case c.wrong != "" && len(c.pairs) > 3 && c.pairs[2] == "list" && strings.TrimSpace(c.pairs[3]) != "" && !strings.Contains(body, demotest.CloseUp(c.pairs[3])+"</textarea>"):
			t.Errorf("%v: what was typed is lost", c.pairs)
		}
	}
	tray, err := d.house.Trays.Tray(context.Background(), d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"}), "society")
	if err != nil || tray == nil || len(tray.Draft.Door.Ways) != 8 {
		t.Fatalf("%+v %v", tray, err)
	}
	if w := tray.Draft.Door.Ways[7]; w.From.String() != "2026-12-01T09:00:00Z" {
		t.Errorf("the house's zone is not heeded: %v", w.From)
	}
	if w := tray.Draft.Door.Ways[2]; strings.Join(w.Networks, " ") != "192.0.2.7/32 10.0.0.0/8" {
		t.Errorf("networks %v", w.Networks)
	}
}

func TestChangingAndTakingAway(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	key := web.WayKey(d.siteDoor("society").Ways[0])
	_, body, _ := d.get("/sites/society/door?edit=" + key)
	if !strings.Contains(body, "Change this way in") {
		t.Error("no form to change it")
	}
	d.post("/sites/society/door/change", "key", key, "kind", "signed-in")
	if _, body, _ := d.get("/sites/society/door"); !strings.Contains(body, "Anyone who signs in") || !strings.Contains(body, "removed, not applied yet") {
		t.Error("the change is not shown")
	}
	d.post("/sites/society/door/remove", "key", key)
	if _, body, _ := d.get("/sites/society/door"); !strings.Contains(body, "This way in was changed meanwhile") {
		t.Error("a stale form is not told so")
	}
	d.post("/sites/society/door/own", "page", "/library", "mode", "instead")
	d.post("/sites/society/door/settings", "page", "/library", "mode", "also", "hide", "yes")
	d.post("/sites/society/rehearsal/apply", "meant", "yes")
	door, there := parts.DoorAt(d.house.State().SiteDocument("society"), "/library")
	if !there || door.Mode != "also" || !door.Hide || d.siteDoor("society").Ways[0].Way != "signed-in" {
		t.Errorf("%+v %+v", door, d.siteDoor("society"))
	}
	d.post("/sites/society/door/own", "page", "/library")
	d.post("/sites/society/rehearsal/apply")
	if _, there := parts.DoorAt(d.house.State().SiteDocument("society"), "/library"); there {
		t.Error("the page's door is still there")
	}
}

func TestQuickStarts(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for start, want := range map[string]string{"private": "[]", "domain": "[domain]", "members": "[members]", "public": "[anyone]"} {
		d.post("/sites/society/door/start", "start", start)
		d.post("/sites/society/rehearsal/apply", "meant", "yes")
		kinds := []string{}
		for _, w := range d.siteDoor("society").Ways {
			kinds = append(kinds, w.Way)
		}
		if got := fmt.Sprint(kinds); got != want {
			t.Errorf("%s: %s", start, got)
		}
		if _, body, _ := d.get("/sites/society/door"); !regexp.MustCompile(`value="` + start + `"[^>]*>\s*<button[^>]*class="on"`).MatchString(body) {
			t.Errorf("%s is not shown as chosen", start)
		}
	}
	d.post("/sites/society/door/start", "start", "public", "page", "/members")
	d.post("/sites/society/rehearsal/apply", "meant", "yes")
	if door, _ := parts.DoorAt(d.house.State().SiteDocument("society"), "/members"); door.Mode != "also" || door.Ways[0].Way != "anyone" {
		t.Errorf("a door that was there keeps how it counts: %+v", door)
	}
}

func TestANewPassIsShownOnce(t *testing.T) {
	d := openDesk(t).signIn("pilar@cerroalcor.example")
	for _, c := range [][]string{
		{"label", "", "password", "walnut ferry indigo moss", "Enter a name: who will use it"},
		{"label", "Press", "password", "abc", "at least 4 characters"},
		{"label", "Press", "password", demo.Passes["dossier"]["nordlys"], "“Nordlys Fund” has this password already"},
	} {
		if status, body, _ := d.post("/sites/dossier/door/pass", "action", "add", c[0], c[1], c[2], c[3]); status != 422 || !strings.Contains(body, c[4]) || !strings.Contains(body, c[3]) {
			t.Errorf("%v: %d", c, status)
		}
	}
	d.post("/sites/dossier/door/pass", "action", "add", "label", "Nordlys Fund", "password", "walnut ferry indigo moss")
	_, first, _ := d.get("/sites/dossier/door")
	_, second, _ := d.get("/sites/dossier/door")
	d.post("/sites/dossier/door/handout")
	_, third, _ := d.get("/sites/dossier/door")
	for i, body := range []string{first, second, third} {
		if strings.Contains(body, "walnut ferry indigo moss") != (i < 2) {
			t.Errorf("it is shown until it is hidden: %d", i)
		}
	}
	d.post("/sites/dossier/rehearsal/apply")
	passes := d.house.State().SiteDocument("dossier").Passes
	if last := passes[len(passes)-1]; last.ID != "nordlys-fund" || last.Label != "Nordlys Fund" {
		t.Errorf("%+v", last)
	}
	if secret := d.house.State().Site("dossier").Passes["nordlys-fund"]; secret.Version != 1 || len(secret.Hash) != 32 || secret.Weak {
		t.Errorf("%+v", secret)
	}
}

func TestFindingPeopleAndPages(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	if _, body, _ := d.get("/sites/society/people?q=oluwa&page=/visit"); !strings.Contains(body, "Oluwaseun Adeyemi") || !strings.Contains(body, "page=%2Fvisit") {
		t.Error(body)
	}
	if _, body, _ := d.get("/sites/society/people?q=198.51.100.7"); !strings.Contains(body, "network%3A198.51.100.7%2F32") {
		t.Error(body)
	}
	if _, body, _ := d.get("/sites/society/people?q=crew+ant"); !strings.Contains(body, "group%3Aantlia") {
		t.Error(body)
	}
	if _, body, _ := d.get("/find/hits?q=algol"); !strings.Contains(body, "Week 2: Algol") {
		t.Error(body)
	}
	if _, body, _ := d.another().signIn("pilar@cerroalcor.example").get("/find/hits?q=algol"); strings.Contains(body, "Algol") {
		t.Error("a site that one has nothing to do with is found")
	}
	if _, body, _ := d.post("/strength", "password", "hollis1"); !strings.Contains(body, "Too easy to guess") {
		t.Error(body)
	}
}

func TestWalkInAs(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for query, want := range map[string]string{
		"page=/crew/antlia":                                         "asks them to sign in",
		"page=/crew/antlia&as=person:pilar":                         "This page is not for them",
		"page=/crew/antlia&as=group:antlia":                         "The page opens",
		"page=/crew/antlia&as=group:corvus":                         "This page is not for them",
		"page=/crew/antlia&as=group:corvus&at=2026-12-12T19:00:00Z": "The page opens",
		"page=/crew/antlia&as=pass:panel&at=2026-12-12T20:30":       "The page opens",
		"page=/notes&as=domain:cerroalcor.example":                  "The page opens",
		"page=/notes&as=search":                                     "Search engines are told not to list it.",
		"page=/no-page&as=person:ines":                              "There is no such page",
	} {
		if _, body, _ := d.get("/sites/variable-stars/door?" + query); !strings.Contains(body, want) {
			t.Errorf("%s: no %q", query, want)
		}
	}
}

func TestSightlinesExports(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	_, csv, h := d.get("/sites/variable-stars/sightlines.csv?at=2026-12-12T19:00:00Z")
	if !strings.HasPrefix(csv, "Page,Path,Strangers,Search engines,") || !strings.Contains(h.Get("Content-Disposition"), "attachment") || len(strings.Split(strings.TrimSpace(csv), "\n")) != 12 {
		t.Error(csv)
	}
	_, svg, h := d.get("/sites/variable-stars/sightlines.svg")
	if !strings.HasPrefix(strings.TrimSpace(svg), "<svg") || h.Get("Content-Type") != "image/svg+xml" || !strings.Contains(svg, "Crew Corvus") {
		t.Errorf("%.300s", svg)
	}
	_, folded, _ := d.get("/sites/variable-stars/sightlines?fold=group")
	if !strings.Contains(folded, `data-name="Groups"`) || !strings.Contains(folded, "opens to some of them") || strings.Contains(folded, ">Crew Lacerta<title>") {
		t.Error("groups are not folded")
	}
	if got := web.Harmless("=cmd()"); got != "'=cmd()" {
		t.Error(got)
	}
}
