package console

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/pages"
	"velada/app/people"
	"velada/app/teams"
	"velada/console/members"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/identity"
	"velada/store"
)

func TestALeftOpenBrowserChangesNothingThatSignsIn(t *testing.T) {
	d := openDesk(t)
	now := time.Now()
	d.console.Clock = func() time.Time { return now }
	pilar := d.another().signIn("pilar@cerroalcor.example")
	fresh := func(want bool) {
		t.Helper()
		for path, kind := range map[string]string{"/account/second-step": "", "/account/passkeys/drop": ""} {
			_, _, h := pilar.post(path, "code", "123456"+kind)
			if got := !strings.HasPrefix(h.Get("Location"), "/again"); got != want {
				t.Errorf("%s: goes on %v, want %v", path, got, want)
			}
		}
		_, _, h := pilar.get("/account?second=new")
		if got := !strings.HasPrefix(h.Get("Location"), "/again"); got != want {
			t.Errorf("setting up a second step: goes on %v, want %v", got, want)
		}
		r, err := http.NewRequest(http.MethodPost, pilar.server.URL+"/account/passkeys/ask", strings.NewReader("{}"))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Content-Type", "application/json")
		answer, err := pilar.client.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		if got := answer.StatusCode == http.StatusOK; got != want {
			t.Errorf("a passkey: %d", answer.StatusCode)
		}
	}
	fresh(true)
	now = now.Add(web.StayProven + time.Second)
	fresh(false)
	if status, body, _ := pilar.post("/again", "then", "/account", "password", "wrong"); status != 422 || !strings.Contains(body, "This is not your password.") {
		t.Errorf("%d", status)
	}
	fresh(false)
	if status, _, h := pilar.post("/again", "then", "/account?second=new#second", "password", demo.Password); status != 303 || h.Get("Location") != "/account?second=new#second" {
		t.Errorf("%d to %q", status, h.Get("Location"))
	}
	fresh(true)
	if _, _, h := pilar.post("/again", "then", "//evil.example", "password", demo.Password); h.Get("Location") != "/sites" {
		t.Errorf("led to %q", h.Get("Location"))
	}
}

func TestANewPasswordEndsTheOthersAndSaysWhatStays(t *testing.T) {
	d := openDesk(t)
	elsewhere, here := d.another().signIn("pilar@cerroalcor.example"), d.another().signIn("pilar@cerroalcor.example")
	if err := store.NewPasskey(t.Context(), d.db, store.Passkey{ID: []byte("k"), Handle: []byte("h"), Who: "pilar", Name: "A phone", Credential: "{}", Made: time.Now(), Used: time.Now()}); err != nil {
		t.Fatal(err)
	}
	here.post("/account/password", "old", demo.Password, "password", "walnut ferry indigo moss")
	if _, body, _ := here.get("/account"); !strings.Contains(body, "These passkeys still sign you in: “A phone”") {
		t.Error("what stays is not said")
	}
	if elsewhere.isIn() || !here.isIn() {
		t.Errorf("elsewhere %v, here %v", elsewhere.isIn(), here.isIn())
	}
	other := d.another()
	other.post("/sign-in", "address", "pilar@cerroalcor.example", "password", "walnut ferry indigo moss")
	_, body, _ := here.get("/account?second=new")
	secret := regexp.MustCompile(`<code[^>]*>([A-Z2-7]{32})</code>`).FindStringSubmatch(body)
	if secret == nil || !other.isIn() {
		t.Fatal("no second step is offered")
	}
	if status, _, _ := here.post("/account/second-step", "code", codeOf(t, secret[1], 0)); status != http.StatusOK {
		t.Fatal(status)
	}
	if other.isIn() || !here.isIn() {
		t.Errorf("after the second step: elsewhere %v, here %v", other.isIn(), here.isIn())
	}
}

// A passkey that is known is never taken over.
func TestAKnownPasskeyIsNotReplaced(t *testing.T) {
	d := openDesk(t)
	key := func(who store.Who) store.Passkey {
		return store.Passkey{ID: []byte("the same id"), Handle: []byte(who), Who: who, Name: "x", Credential: `{"of":"` + string(who) + `"}`, Made: time.Now(), Used: time.Now()}
	}
	if err := store.NewPasskey(t.Context(), d.db, key("pilar")); err != nil {
		t.Fatal(err)
	}
	if err := store.NewPasskey(t.Context(), d.db, key("jonas")); !errors.Is(err, store.ErrPasskey) {
		t.Errorf("another's credential id: %v", err)
	}
	if err := store.UsePasskey(t.Context(), d.db, key("jonas")); err != nil {
		t.Fatal(err)
	}
	if p, err := store.FindPasskey(t.Context(), d.house.Reader(), []byte("the same id")); err != nil || p.Who != "pilar" || !strings.Contains(p.Credential, "pilar") {
		t.Errorf("%+v %v", p, err)
	}
}

func TestSignedOutMeansTheStreamToo(t *testing.T) {
	d := openDesk(t)
	pilar := d.another().signIn("pilar@cerroalcor.example")
	answer, err := pilar.client.Get(pilar.server.URL + "/sites/society/here")
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if err := d.house.Sessions.SignOutEverywhere(t.Context(), "pilar", ""); err != nil {
		t.Fatal(err)
	}
	ended := make(chan struct{})
	go func() {
		_, _ = io.Copy(io.Discard, answer.Body)
		close(ended)
	}()
	select {
	case <-ended:
	case <-time.After(10 * time.Second):
		t.Error("somebody who is signed out is still told who is at work")
	}
}

// form sends a form with a file.
func (d *desk) form(path string, file []byte, pairs ...string) (int, string) {
	d.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for i := 0; i+1 < len(pairs); i += 2 {
		_ = w.WriteField(pairs[i], pairs[i+1])
	}
	if file != nil {
		part, _ := w.CreateFormFile("picture", "dot.png")
		_, _ = part.Write(file)
	}
	_ = w.Close()
	return d.raw(path, w.FormDataContentType(), &b)
}

func (d *desk) raw(path, kind string, body io.Reader) (int, string) {
	d.Helper()
	answer, err := d.client.Post(d.server.URL+path, kind, body)
	if err != nil {
		d.Fatal(err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	if err != nil {
		d.Fatal(err)
	}
	return answer.StatusCode, string(text)
}

func TestFormsThatDoNotArriveAreToldApart(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	const path = "/sites/society/holding/words"
	large := bytes.Repeat([]byte("x"), 20<<20)
	if status, body := d.form(path, large, "design", "poster", "heading", "Typed words", "words", "More of them"); status != 422 ||
		!strings.Contains(body, "Typed words") || !strings.Contains(body, "More of them") || !strings.Contains(body, "ile here has at most 2.0 MB") {
		t.Errorf("a file of 20 MB: %d %s", status, regexp.MustCompile(`role="alert"[^<]*<`).FindAllString(body, 9))
	}
	if status, body := d.form(path, demotest.Dot, "design", "neon", "heading", "Typed words"); status != 422 || !strings.Contains(body, "Choose this file again") || !strings.Contains(body, "Typed words") {
		t.Errorf("a file beside a field that is wrong: %d", status)
	}
	if status, body := d.raw(path, "multipart/form-data; boundary=x", strings.NewReader("--x\r\nContent-Disposition: form-data; name=\"heading\"\r\n\r\nbroken")); status != 400 || !strings.Contains(body, "arrived in part only") {
		t.Errorf("a form that arrived in part: %d", status)
	}
	if status, body := d.raw(path, "multipart/form-data; boundary=x", io.MultiReader(strings.NewReader("--x\r\nContent-Disposition: form-data; name=\"picture\"; filename=\"a\"\r\n\r\n"), io.LimitReader(zeros{}, web.MostForm+1))); status != 413 || !strings.Contains(body, "too large") {
		t.Errorf("a form that is too large: %d", status)
	}
	if status, _ := d.another().raw("/sign-in", "application/x-www-form-urlencoded", io.MultiReader(strings.NewReader("address="), io.LimitReader(zeros{}, web.MostSignIn))); status == http.StatusOK || status == http.StatusSeeOther {
		t.Errorf("a sign-in form of any size: %d", status)
	}
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = '0'
	}
	return len(p), nil
}

func TestAnArchiveWithOnePathTwiceIsRefused(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, name := range []string{"caf\u00e9.md", "cafe\u0301.md"} { // composed and not
		f, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		_, _ = f.Write([]byte("# Two"))
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	archive := b.Bytes()
	status, _ := d.send("/sites/august/archive", "archive", "two.zip", archive)
	if status >= 500 {
		t.Errorf("both Unicode forms of a path: %d", status)
	}
	if _, body, _ := d.get("/sites/august/pages?new=yes"); !strings.Contains(body, "are one path") {
		t.Errorf("why it is refused is not said: %.3000s", body)
	}
}

// Who may do what with other people's and other sites' things: whatever is not one's
// own is as if it were not there.
func TestOtherPeoplesAndOtherSitesThings(t *testing.T) {
	d := openDesk(t)
	h, ctx := d.house, context.Background()
	actor := func(id string) house.Actor { a, _ := h.ActorOf(store.Who(id)); return a }
	ines := actor("ines")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	s := h.State()
	crew := parts.GroupAt(s.Policy.Document(), "antlia").People[0]
	crewAddress, _ := s.AddressOf(store.Who(crew))
	// one of everything, on sites that pilar (admin of society, owner of dossier) and a crew have nothing to do with
	must(pages.SharePreview(ctx, h, actor("aiko"), "variable-stars", "whole", h.Now().Add(time.Hour)))
	previews, err := pages.PreviewsFor(ctx, h, ines, "variable-stars")
	must(err)
	must(h.Trays.Rehearse(ctx, ines, "new-dome", func(draft *access.Site, _ map[string]store.NewSecret) error {
		draft.Links = append(draft.Links, access.Link{ID: "press", Under: "/"})
		draft.Door.Ways = append(draft.Door.Ways, access.Way{Way: "link", Links: []string{"press"}})
		return nil
	}))
	must(h.Trays.Apply(ctx, ines, "new-dome", true))
	_, err = teams.Invite(ctx, h, ines, teams.Invitation{Addresses: []string{"helper@outside.example"}, Sites: []string{"variable-stars"}, Role: "editor", Mail: true})
	must(err)
	invitations, err := store.WaitingInvitations(ctx, h.Reader(), s.ID("variable-stars"))
	must(err)
	code, err := people.NewJoinCode(ctx, h, ines, "antlia", h.Now().Add(time.Hour), 9, true)
	must(err)
	_, err = people.Join(ctx, h, people.Joining{Code: code.Code, Name: "Lena", Password: "walnut ferry indigo moss"}, house.From{IP: "192.0.2.1"})
	must(err)
	joins, err := store.JoinRequests(ctx, h.Reader(), "antlia")
	must(err)
	asks, err := store.LetIns(ctx, h.Reader(), s.ID("variable-stars"))
	must(err)
	comment := s.Site("society").Comments["/members"][0]
	mails, err := h.Outbox.Mails(ctx, "", 1)
	must(err)
	pages, err := store.WorkingCopy(ctx, h.Reader(), s.ID("variable-stars"))
	must(err)
	foreign := pages[slices.IndexFunc(pages, func(p store.Page) bool { return p.Path == "/crew/corvus" })].ID
	mine := pages[slices.IndexFunc(pages, func(p store.Page) bool { return p.Path == "/crew/antlia" })].ID
	number := fmt.Sprint
	roles := map[string]*desk{"pilar": d.another().signIn("pilar@cerroalcor.example"), "crew": d.another().signIn(crewAddress.String()), "tobias": d.another().signIn("tobias@lens.example")}
	before := fmt.Sprint(everythingKept(t, h))
	for _, r := range []struct {
		what, method, path  string
		pairs               []string
		pilar, crew, tobias int
	}{
		{"a site", "GET", "/sites/variable-stars/door", nil, 404, 403, 404},
		{"a page of another section", "GET", "/sites/variable-stars/pages/" + foreign, nil, 404, 404, 404},
		{"the same, saved", "POST", "/sites/variable-stars/pages/" + foreign, []string{"version", "1", "title", "x", "body", "x"}, 404, 404, 404},
		{"the same, dropped", "POST", "/sites/variable-stars/pages/" + foreign + "/drop", nil, 404, 404, 404},
		{"the same, moved", "POST", "/sites/variable-stars/pages/" + foreign + "/place", []string{"path", "/crew/antlia/x"}, 404, 404, 404},
		{"the same, by way of another site", "POST", "/sites/society/pages/" + foreign + "/drop", nil, 404, 404, 404},
		{"one's own page, into another section", "POST", "/sites/variable-stars/pages/" + mine + "/place", []string{"path", "/crew/corvus/x"}, 404, 422, 404},
		{"a password", "POST", "/sites/new-dome/passes/key", []string{"kind", "pass", "id", "builders", "action", "revoke"}, 403, 404, 404},
		{"the same, by way of one's own site", "POST", "/sites/dossier/passes/key", []string{"kind", "pass", "id", "builders", "action", "revoke"}, 303, 404, 404},
		{"a link's QR code", "GET", "/sites/new-dome/links/press.svg", nil, 403, 404, 404},
		{"the same, by way of one's own site", "GET", "/sites/dossier/links/press.svg", nil, 404, 404, 404},
		{"an edition", "GET", "/sites/variable-stars/editions/7", nil, 404, 200, 404},
		{"the same, live again", "POST", "/sites/variable-stars/editions/back", []string{"number", "6"}, 404, 403, 404},
		{"an invitation", "POST", "/sites/variable-stars/team/invitation", []string{"id", invitations[0].ID, "action", "withdraw"}, 404, 403, 404},
		{"the same, by way of one's own site", "POST", "/sites/dossier/team/invitation", []string{"id", invitations[0].ID, "action", "withdraw"}, 303, 404, 404},
		{"the same, answered", "POST", "/account/invitation", []string{"id", invitations[0].ID, "action", "accept"}, 410, 410, 410},
		{"a preview", "POST", "/sites/variable-stars/previews/end", []string{"id", previews[0].ID}, 404, 404, 404},
		{"the same, by way of one's own site", "POST", "/sites/society/previews/end", []string{"id", previews[0].ID}, 404, 404, 404},
		{"a group", "GET", "/groups/antlia", nil, 404, 404, 404},
		{"its slips", "POST", "/groups/antlia/slips", nil, 404, 404, 404},
		{"its roster", "GET", "/groups/antlia/out", nil, 404, 404, 404},
		{"a request to join", "POST", "/groups/antlia/joins", []string{"id", number(joins[0].ID), "action", "admit"}, 404, 404, 404},
		{"a request to be let in", "POST", "/sites/variable-stars/members/asking", []string{"id", number(asks[0].ID), "way", "guest"}, 404, 403, 404},
		{"the same, by way of one's own site", "POST", "/sites/society/members/asking", []string{"id", number(asks[0].ID), "way", "guest"}, 303, 404, 404},
		{"a comment, by way of another site", "POST", "/sites/dossier/members/comments", []string{"id", number(comment.ID), "action", "remove"}, 303, 404, 404},
		{"a letter", "GET", "/outbox/" + number(mails[0].ID), nil, 404, 404, 404},
		{"its file", "GET", "/outbox/" + number(mails[0].ID) + "/eml", nil, 404, 404, 404},
		{"a person", "GET", "/people/bram", nil, 404, 404, 404},
		{"their addresses", "POST", "/people/bram/release", []string{"address", "bram@cerroalcor.example"}, 404, 404, 404},
		{"their sign-in elsewhere", "POST", "/account/browsers", []string{"id", "someone-elses"}, 303, 303, 303},
		{"their passkey", "POST", "/account/passkeys/drop", []string{"id", "a2V5"}, 303, 303, 303},
		{"an entry of the ledger", "POST", "/sites/dossier/ledger/undo", []string{"number", "1"}, 404, 404, 404},
		{"the team", "POST", "/sites/new-dome/team/leave", []string{"key", "bram|/"}, 403, 404, 404},
		{"a published state", "POST", "/sites/new-dome/unpublish", nil, 403, 404, 404},
		{"an old address, by way of one's own site", "POST", "/sites/society/settings/address/let-go", []string{"address", "old-dome"}, 303, 404, 404},
		{"where it lives", "POST", "/sites/new-dome/settings/elsewhere", []string{"upstream", "http://127.0.0.1:1"}, 403, 404, 404},
	} {
		for role, want := range map[string]int{"pilar": r.pilar, "crew": r.crew, "tobias": r.tobias} {
			var got int
			if r.method == "GET" {
				got, _, _ = roles[role].get(r.path)
			} else {
				got, _, _ = roles[role].post(r.path, r.pairs...)
			}
			if got != want {
				t.Errorf("%s, as %s: %s %s answers %d, want %d", r.what, role, r.method, r.path, got, want)
			}
		}
	}
	if after := fmt.Sprint(everythingKept(t, h)); after != before {
		t.Errorf("something of others was changed:\n%s\n%s", before, after)
	}
}

// everythingKept counts and marks what opponents were after.
func everythingKept(t *testing.T, h *house.House) (list []string) {
	t.Helper()
	for _, q := range []string{
		`SELECT group_concat(part, '') FROM sites`, `SELECT group_concat(id || path || version || body) FROM pages`, `SELECT count(*) || group_concat(status) FROM invitations`,
		`SELECT group_concat(id) FROM previews`, `SELECT group_concat(who) FROM join_requests`, `SELECT group_concat(who) FROM let_in_requests`, `SELECT group_concat(id || status) FROM comments`,
		`SELECT group_concat(who || coalesce(password, '')) FROM accounts`, `SELECT group_concat(id) FROM people`, `SELECT group_concat(part) FROM groups`, `SELECT group_concat(address || live) FROM sites`,
	} {
		var text string
		if err := h.Reader().QueryRowContext(context.Background(), `SELECT coalesce((`+q+`), '')`).Scan(&text); err != nil {
			t.Fatal(err)
		}
		list = append(list, fmt.Sprintf("%s: %s", q, identity.Nonced(text)))
	}
	return list
}

// Why somebody is on a team is kept with the entry, never for one that was refused.
func TestARefusedEntryLeavesNoReason(t *testing.T) {
	d := openDesk(t)
	pilar := d.another().signIn("pilar@cerroalcor.example")
	reasons := func() map[string]string {
		t.Helper()
		r, err := store.TeamReasons(t.Context(), d.house.Reader(), d.house.State().ID("society"))
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	const why, bram = "volunteer", "bram@cerroalcor.example"
	for what, pairs := range map[string][]string{
		"a right that she lacks":       {"list", bram, "role", "owner", "under", "/"},
		"a role that there is not":     {"list", bram, "role", "no-such", "under", "/"},
		"beginning after it has ended": {"list", bram, "role", "editor", "under", "/", "from", "2027-01-02T00:00", "until", "2027-01-01T00:00"},
		"an entry that is not there":   {"key", "nobody|", "role", "editor", "under", "/"},
	} {
		before := fmt.Sprint(reasons())
		status, _, _ := pilar.post("/sites/society/team/entry", append(pairs, "reason", why)...)
		if now := fmt.Sprint(reasons()); now != before {
			t.Errorf("%s (%d): %s", what, status, now)
		}
	}
	pilar.post("/sites/society/team/entry", "list", bram, "role", "editor", "under", "/", "reason", why)
	if reasons()["bram"] != why {
		t.Errorf("%v", reasons())
	}
}

// What saying yes would open is worked out for a few, however many ask.
func TestManyWhoAskAreLookedAtOneByOne(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	site := d.house.State().ID("society")
	for i := range 7 {
		address := access.Address{Local: fmt.Sprint("asks", i), Domain: "lens.example"}
		if err := store.SaveLetIn(t.Context(), d.db, store.LetIn{Site: site, Path: "/", Who: store.Who(address.String()), At: demo.Start}); err != nil {
			t.Fatal(err)
		}
	}
	const worked = "Add them to the guest list"
	_, body, _ := d.get("/sites/society/members")
	if n := strings.Count(body, worked); n != members.MostWaysShown {
		t.Errorf("worked out for %d", n)
	}
	look := regexp.MustCompile(`\?asking=(\d+)`).FindAllStringSubmatch(body, -1)
	if len(look) < 5 {
		t.Fatalf("%d of 7 can be looked at", len(look))
	}
	_, body, _ = d.get("/sites/society/members?asking=" + look[3][1])
	if n := strings.Count(body, worked); n != 1 || !strings.Contains(body, "asks") {
		t.Errorf("for the one alone: %d", n)
	}
	for i := range 60 {
		address := access.Address{Local: fmt.Sprint("more", i), Domain: "lens.example"}
		if err := store.SaveLetIn(t.Context(), d.db, store.LetIn{Site: site, Path: "/", Who: store.Who(address.String()), At: demo.Start}); err != nil {
			t.Fatal(err)
		}
	}
	body = d.shows("/sites/society/members", "1 to 50 of 67")
	if n := strings.Count(body, `class="panel asking"`); n != 50 {
		t.Errorf("%d who ask on the first page", n)
	}
	if n := strings.Count(d.shows("/sites/society/members?rows=2"), `class="panel asking"`); n != 17 {
		t.Errorf("%d who ask on the second page", n)
	}
}

// A site's code runs beside the console, and can set cookies for it under any name
// but this one.
func TestTheConsolesCookiesAreTheHostsOwn(t *testing.T) {
	d := openDesk(t)
	d.console.HTTPS = true
	d.console.Sessions.Cookie.Name, d.console.Sessions.Cookie.Secure = d.console.CookieName("velada"), true
	answer, err := d.client.PostForm(d.server.URL+"/sign-in", url.Values{"address": {"ines@cerroalcor.example"}, "password": {demo.Password}})
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	if answer.StatusCode != http.StatusSeeOther || len(answer.Cookies()) < 2 {
		t.Fatalf("%d %v", answer.StatusCode, answer.Cookies())
	}
	for _, c := range answer.Cookies() {
		if !strings.HasPrefix(c.Name, "__Host-") || !c.Secure || c.Path != "/" || c.Domain != "" || !c.HttpOnly {
			t.Errorf("%+v", c)
		}
	}
}
