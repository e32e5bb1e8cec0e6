package console

import (
	"archive/zip"
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"mime/multipart"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"velada/app/pages"
	views "velada/console/pages"
	teamviews "velada/console/team"
	"velada/core/parts"
	"velada/demo/demotest"
	"velada/store"
)

func (d *desk) working(site, path string) store.Page {
	d.Helper()
	pages, err := store.WorkingCopy(context.Background(), d.house.Reader(), d.house.State().ID(site))
	if err != nil {
		d.Fatal(err)
	}
	i := slices.IndexFunc(pages, func(p store.Page) bool { return p.Path == path })
	if i < 0 {
		d.Fatalf("no page %s", path)
	}
	return pages[i]
}

// save sends a page as the script of the editor does.
func (d *desk) save(site, id string, version int, title, body string) (int, views.SavedAnswer) {
	d.Helper()
	form := url.Values{"version": {strconv.Itoa(version)}, "title": {title}, "body": {body}}
	r, err := http.NewRequest(http.MethodPost, d.server.URL+"/sites/"+site+"/pages/"+id, strings.NewReader(form.Encode()))
	if err != nil {
		d.Fatal(err)
	}
	r.Header.Set("Accept", "application/json")
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	answer, err := d.client.Do(r)
	if err != nil {
		d.Fatal(err)
	}
	defer answer.Body.Close()
	var saved views.SavedAnswer
	_ = json.NewDecoder(answer.Body).Decode(&saved)
	return answer.StatusCode, saved
}

// send sends a file in a form.
func (d *desk) send(path, field, name string, data []byte, pairs ...string) (int, string) {
	d.Helper()
	status, body, _ := d.sendFor(path, field, name, data, pairs...)
	return status, body
}

func (d *desk) sendFor(path, field, name string, data []byte, pairs ...string) (int, string, http.Header) {
	d.Helper()
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	for i := 0; i+1 < len(pairs); i += 2 {
		if err := w.WriteField(pairs[i], pairs[i+1]); err != nil {
			d.Fatal(err)
		}
	}
	part, err := w.CreateFormFile(field, name)
	if err != nil {
		d.Fatal(err)
	}
	_, _ = part.Write(data)
	w.Close()
	r, err := d.client.Post(d.server.URL+path, w.FormDataContentType(), &form)
	if err != nil {
		d.Fatal(err)
	}
	return read(d.TB, r)
}

func TestWritingAPage(t *testing.T) {
	d := openDesk(t).signIn("jonas@cerroalcor.example")
	p := d.working("society", "/visit")
	d.shows("/sites/society/pages/"+p.ID, "Preview", "kilometre 14", "Find a page of this site", "Page history")
	status, saved := d.save("society", p.ID, p.Version, "Getting here", "Up the *hill*. ![x](/hill.svg) [All](/members) <script>alert(1)</script>")
	if status != 200 || saved.Version != p.Version+1 {
		t.Errorf("%d %+v", status, saved)
	}
	if status, saved := d.save("society", p.ID, saved.Version, " ", "x"); status != 422 || saved.Error != "A page has a title." {
		t.Errorf("without a title: %d %+v", status, saved)
	}
	if status, _ := d.save("society", p.ID, p.Version, "Getting here", "Another text altogether"); status != 409 {
		t.Errorf("over another's lines: %d", status)
	}
	status, body, _ := d.post("/sites/society/pages/"+p.ID, "version", strconv.Itoa(p.Version), "title", "Getting here", "body", "Another text altogether")
	// what was not merged is in the page's history, once, and leads back to both
	history := d.shows("/sites/society/pages/"+p.ID, "Not merged, since somebody else had changed the same lines")
	link := regexp.MustCompile(`/sites/society/pages/[^"/]+/unmerged/[0-9]+`).FindAllString(history, -1)
	if len(link) != 1 {
		t.Fatalf("%q", link)
	}
	d.shows(link[0], "changed the same lines meanwhile", "Another text altogether</textarea>", "<del>", `name="over" value="yes"`)
	for _, who := range []string{"mateo@cerroalcor.example", "seun@cerroalcor.example"} { // nobody of the team, and one who reads the draft
		if status, _, _ := d.another().signIn(who).get(link[0]); status != 404 {
			t.Errorf("%s, who may not write, reads what was not merged: %d", who, status)
		}
	}
	if _, body, _ := d.another().signIn("seun@cerroalcor.example").get("/sites/society/pages/" + p.ID); strings.Contains(body, "Not merged") {
		t.Error("who may not write is told of what was not merged")
	}
	if status != 409 || !strings.Contains(body, "changed the same lines meanwhile") || !strings.Contains(body, "Another text altogether</textarea>") || !strings.Contains(body, "<del>") {
		t.Errorf("both are not shown: %d", status)
	}
	status, _, _ = d.post("/sites/society/pages/"+p.ID, "version", "2", "title", "Getting here", "body", "Put together", "over", "yes")
	if status != 303 || d.working("society", "/visit").Body != "Put together" {
		t.Errorf("saved on purpose: %d", status)
	}
	status, _, _ = d.post("/sites/society/pages/"+p.ID+"/restore", "version", "1")
	if status != 303 || !strings.Contains(d.working("society", "/visit").Body, "kilometre 14") {
		t.Errorf("an earlier state: %d", status)
	}
	if _, _, h := d.get("/sites/society/pages?path=/visit"); h.Get("Location") != "/sites/society/pages/"+p.ID {
		t.Error(h.Get("Location"))
	}
	d.shows("/sites/society/find-link?find=memb", "[Members](/members)")
}

func TestPagesArePlaced(t *testing.T) {
	d := openDesk(t).signIn("jonas@cerroalcor.example")
	status, _, h := d.post("/sites/society/pages", "title", "Night Sky!", "under", "/courses")
	if status != 303 {
		t.Fatal(status)
	}
	p := d.working("society", "/courses/night-sky")
	if h.Get("Location") != "/sites/society/pages/"+p.ID {
		t.Error(h.Get("Location"))
	}
	if status, body, _ := d.post("/sites/society/pages", "title", "Again", "path", "/courses"); status != 422 || !strings.Contains(body, "There is a page at that path already.") {
		t.Errorf("a path that is taken: %d", status)
	}
	if status, body, _ := d.post("/sites/society/pages/"+p.ID+"/place", "path", "/velada/x"); status != 422 || !strings.Contains(body, "Velada itself answers there") {
		t.Errorf("Velada's own path: %d", status)
	}
	d.post("/sites/society/pages/"+p.ID+"/place", "path", "sky", "in_menu", "yes")
	if moved := d.working("society", "/sky"); !moved.InMenu || moved.Listing {
		t.Errorf("%+v", moved)
	}
	order := func() string {
		pages, _ := store.WorkingCopy(context.Background(), d.house.Reader(), d.house.State().ID("society"))
		var paths []string
		for _, p := range pages {
			if strings.Count(p.Path, "/") == 1 && p.Path != "/" {
				paths = append(paths, p.Path)
			}
		}
		return strings.Join(paths, " ")
	}
	before := order()
	d.post("/sites/society/pages/"+p.ID+"/shift", "to", "up")
	if after := order(); after == before || !strings.HasSuffix(after, "/sky /privacy") {
		t.Errorf("%s, then %s", before, after)
	}
	d.post("/sites/society/pages/" + p.ID + "/drop")
	d.shows("/sites/society/pages?new=yes", "is deleted from the draft")
}

func TestFilesOfTheWorkingCopy(t *testing.T) {
	d := openDesk(t).signIn("jonas@cerroalcor.example")
	status, body := d.send("/sites/society/files", "file", "My Sky (1).PNG", demotest.Dot, "under", "/visit")
	if status != 200 || !strings.Contains(body, `"markdown":"![](/visit/my-sky-1-.png)"`) {
		t.Fatalf("%d %s", status, body)
	}
	r, err := d.client.Get(d.server.URL + "/sites/society/files/visit/my-sky-1-.png")
	if err != nil {
		t.Fatal(err)
	}
	if status, _, h := read(t, r); status != 200 || h.Get("Content-Type") != "image/png" || !strings.Contains(h.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("%d %v", status, h)
	}
	if status, body := d.send("/sites/society/files", "file", "nights.csv", []byte("Night;Star\n1;Mira\n")); status != 200 || !strings.Contains(body, `[[table nights: /files/nights.csv]]`) {
		t.Errorf("%d %s", status, body)
	}
	if status, body := d.send("/sites/society/files", "file", "bad.csv", []byte("a,b\n1,2,3\n")); status != 422 || !strings.Contains(body, "line 2 has more fields") {
		t.Errorf("%d %s", status, body)
	}
	if status, _ := d.send("/sites/society/files", "file", "empty.txt", nil); status != 422 {
		t.Errorf("an empty file: %d", status)
	}
	crew := d.another().signIn("katya-cifuentes@cerroalcor.example")
	if status, body := crew.send("/sites/variable-stars/files", "file", "curve.png", demotest.Dot, "under", "/crew/antlia"); status != 200 || !strings.Contains(body, "/crew/antlia/curve.png") {
		t.Errorf("a crew's own: %d %s", status, body)
	}
	if status, _ := crew.send("/sites/variable-stars/files", "file", "curve.png", demotest.Dot, "under", "/crew/corvus"); status != 403 {
		t.Errorf("another crew's: %d", status)
	}
	if status, _, _ := crew.get("/sites/variable-stars/pages/" + d.working("variable-stars", "/crew/corvus").ID); status != 404 {
		t.Errorf("another crew's page: %d", status)
	}
	if status, _, _ := crew.get("/sites/variable-stars/look?page=/crew/corvus"); status != 404 {
		t.Errorf("a look at another crew's page: %d", status)
	}
}

func TestPublishingOnScreen(t *testing.T) {
	d := openDesk(t)
	jonas, ines := d.another().signIn("jonas@cerroalcor.example"), d.another().signIn("ines@cerroalcor.example")
	jonas.post("/sites/society/pages", "title", "Sky", "path", "/sky")
	jonas.send("/sites/society/files", "file", "sky.png", demotest.Dot)
	jonas.shows("/sites/society/publish", "You can write here, not publish", "added", "Who gets what for the first time", "A stranger", "Pictures that anybody can open", "/files/sky.png", "Search engines may list 1 more: /sky")
	if status, _, _ := jonas.post("/sites/society/publish", "when", "now"); status != 403 {
		t.Errorf("published by an editor: %d", status)
	}
	jonas.post("/sites/society/ask", "note", "The sky is ready")
	ines.shows("/sites/society", "Jonas Lindqvist asks for the draft to be published")
	ines.shows("/sites/society/publish", "The sky is ready", "Publish edition 32")
	if status, body, _ := ines.post("/sites/society/publish", "when", "later", "due", "2026-01-01T00:00", "note", "kept"); status != 422 || !strings.Contains(body, "That time has passed") || !strings.Contains(body, `value="kept"`) {
		t.Errorf("in the past: %d", status)
	}
	ines.post("/sites/society/publish", "when", "later", "due", "2026-12-24T18:00")
	ines.shows("/sites/society/editions", "Edition 32 goes live by itself on 24 Dec 2026 18:00.", "Live now")
	ines.post("/sites/society/editions/call-off")
	ines.post("/sites/society/publish", "when", "now", "note", "Sky")
	ines.shows("/sites/society/editions", "Edition 33", "Inés Ortuño: Sky")
	ines.shows("/sites/society/editions/31", "Going back to edition 31", "deleted", "/sky")
	ines.post("/sites/society/editions/back", "number", "31")
	if n := d.house.State().Site("society").Live.Number; n != 31 {
		t.Errorf("edition %d is live", n)
	}
	// what is to go live by itself is called off by what comes before it, and that is said before
	ines.post("/sites/society/publish", "when", "later", "due", "2026-12-24T18:00")
	ines.shows("/sites/society/publish", "Edition 34 goes live by itself on 24 Dec 2026 18:00. Publishing now, or on another date, calls that off.")
	ines.post("/sites/society/publish", "when", "later", "due", "2026-12-25T18:00")
	ines.shows("/sites/society/ledger", "Edition 34 did not go live by itself: another one is to go live.")
	_, body, _ := ines.post("/sites/society/unpublish", "action", "gone")
	if !strings.Contains(body, "Edition 35, which would go live by itself on 25 Dec 2026 18:00, is called off.") {
		t.Error("unpublishing does not say what it calls off")
	}
	if n := d.house.State().Site("society").Live.Number; n != 31 || !strings.Contains(body, "Can open less") || !strings.Contains(body, "This breaks a promise") {
		t.Errorf("what unpublishing does is shown before it is done: edition %d is live", n)
	}
	ines.post("/sites/society/unpublish", "action", "gone", "meant", "yes")
	if body := ines.shows("/sites/society/editions", "Unpublished: comes back when the site is published again"); strings.Contains(body, "Live now") || strings.Contains(body, "goes live by itself") {
		t.Error("an unpublished site is said to be live")
	}
	ines.shows("/sites/society/editions", "The site is unpublished", "See what publishing edition 31 again does")
	if status, _, _ := jonas.post("/sites/society/unpublish", "action", "back"); status != 403 {
		t.Errorf("put back by an editor: %d", status)
	}
	if status, _, _ := ines.get("/sites/society/editions/999"); status != 404 {
		t.Errorf("an edition that is not there: %d", status)
	}
}

func TestListingOnScreen(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/society/address-free?address=dossier", "Another site has this address.", "dossier-site")
	d.shows("/sites/society/address-free?address=hill", "hill.localhost is free.")
	if status, body, _ := d.post("/sites/society/settings/pages", "title", "", "phone", "call me", "contact", "nobody", "link_url", "ftp://x", "link_name", "Theirs", "cookie_notice", "kept words"); status != 422 ||
		!strings.Contains(body, "A site has a title.") || !strings.Contains(body, "A phone number is") || !strings.Contains(body, `value="Theirs"`) || !strings.Contains(body, "kept words") || !strings.Contains(body, "begin with https://") {
		t.Errorf("bad details: %d", status)
	}
	d.post("/sites/society/settings/pages", "title", "The Society", "contact", "hill@cerroalcor.example", "link_url", "https://a.example/x", "link_name", "A", "link_icon_0", "films", "licence", "cc0", "cookie_notice", "None.")
	d.post("/sites/society/settings/missing", "not_found", "# Lost")
	d.post("/sites/society/settings/code", "foot", "<script>hello()</script>")
	d.post("/sites/society/settings", "description", "A hill")
	got := d.house.State().Site("society").Details
	if len(got.Links) != 1 || got.Links[0] != (store.Link{URL: "https://a.example/x", Name: "A", Icon: "films"}) || got.Licence != "cc0" || got.Foot == "" || got.NotFound != "# Lost" || got.Description != "A hill" || got.Contact != "hill@cerroalcor.example" || got.Consent != "ines" || d.house.State().SiteDocument("society").Title != "The Society" {
		t.Errorf("%+v", got)
	}
	d.shows("/sites/society/settings/code", "With the consent of Inés Ortuño.", "in the name of whoever reads the page", "write comments, change or end their membership")
	pilar := d.another().signIn("pilar@cerroalcor.example")
	if status, body, _ := pilar.post("/sites/society/settings/code", "foot", "<script>evil()</script>"); status != 422 || !strings.Contains(body, "Only stewards of the house may set code") {
		t.Errorf("code by an admin: %d", status)
	}
	if status, _, _ := pilar.post("/sites/society/settings/elsewhere", "upstream", "http://127.0.0.1:1"); status != 403 {
		t.Errorf("an upstream by an admin: %d", status)
	}
	if status, body, _ := d.post("/sites/society/settings/elsewhere", "upstream", "file:///etc/passwd", "askers", "10.2.0.0/16 nobody"); status != 422 || !strings.Contains(body, "“nobody” is neither an address") || !strings.Contains(body, "10.2.0.0/16") {
		t.Errorf("a bad web server: %d", status)
	}
	d.shows("/sites/society/settings/elsewhere", "with the secret of this site")
	d.post("/sites/society/settings/short", "name", "Hill", "path", "/visit")
	d.shows("/sites/society/settings/address", "http://society.localhost/go/hill")
	d.shows("/sites/society/hand-out?page=/visit&short=hill", "society.localhost/go/hill")
	if status, body, _ := d.post("/sites/society/settings/short", "name", "a b", "path", "/"); status != 422 || !strings.Contains(body, "A short name has") {
		t.Errorf("a bad short name: %d", status)
	}
	if status, _, h := d.post("/sites/society/settings/address", "address", "hill"); status != 303 || h.Get("Location") != "/sites/hill/settings/address" {
		t.Errorf("%d %s", status, h.Get("Location"))
	}
	d.shows("/sites/hill/settings/address", "Addresses it had", "society.localhost")
	if status, body, _ := d.post("/new-site", "title", "Another", "address", "society"); status != 422 || !strings.Contains(body, "it still leads there") {
		t.Errorf("an old address: %d", status)
	}
	d.post("/sites/hill/settings/address/let-go", "address", "society")
	if status, _, h := d.post("/new-site", "title", "Night walks"); status != 303 || h.Get("Location") != "/sites/night-walks/pages?new=yes" {
		t.Errorf("%d %s", status, h.Get("Location"))
	}
	if status, _, _ := pilar.get("/new-site"); status != 404 {
		t.Errorf("a new site by somebody who is no steward: %d", status)
	}
}

func TestArchivesOnScreen(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	_, data, h := d.get("/sites/society/archive")
	z, err := zip.NewReader(strings.NewReader(data), int64(len(data)))
	if err != nil || len(z.File) != 19 || !strings.Contains(h.Get("Content-Disposition"), "society.zip") {
		t.Fatalf("%v %v", err, h)
	}
	if status, _ := d.send("/sites/society/archive", "archive", "a.zip", []byte("no zip")); status != 303 {
		t.Error(status)
	}
	d.shows("/sites/society/pages?new=yes", "Nothing was imported. It is no ZIP that can be read")
	d.send("/sites/august/archive", "archive", "society.zip", []byte(data))
	d.shows("/sites/august/pages?new=yes", "12 pages and 7 files are in the draft now.")
}

func TestPreviewLinks(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.post("/sites/variable-stars/previews", "label", "The printer", "until", "2026-12-01T00:00")
	body := d.shows("/sites/variable-stars/look", "The printer", ".localhost/velada/look/")
	at := strings.Index(body, `id="preview-`)
	_, token, _ := strings.Cut(body[at:], ".localhost/velada/look/")
	token, _, _ = strings.Cut(token, "/")
	r, err := http.NewRequest(http.MethodGet, "/", nil)
	if err != nil {
		t.Fatal(err)
	}
	site, as, ok := views.Preview(d.console, r, token)
	if !ok || site != "variable-stars" || as.Edition.Page("/notes/week-3") == nil || !as.May("/crew/antlia") {
		t.Errorf("%s %v", site, ok)
	}
	if _, _, ok := views.Preview(d.console, r, token[1:]+token[:1]+"x"); ok {
		t.Error("a made-up token")
	}
	for _, until := range []string{"2026-01-01T00:00", "2028-01-01T00:00", ""} {
		d.post("/sites/variable-stars/previews", "label", "x", "until", until)
	}
	list, err := store.Previews(context.Background(), d.house.Reader(), d.house.State().ID("variable-stars"), "")
	if err != nil || len(list) != 1 {
		t.Fatalf("%d previews: %v", len(list), err)
	}
	d.post("/sites/variable-stars/previews/end", "id", list[0].ID)
	if _, _, ok := views.Preview(d.console, r, token); ok {
		t.Error("after it was taken back")
	}
	crew := d.another().signIn("katya-cifuentes@cerroalcor.example")
	crew.post("/sites/variable-stars/previews", "label", "Ours", "until", "2026-12-01T00:00")
	list, err = store.Previews(context.Background(), d.house.Reader(), d.house.State().ID("variable-stars"), "")
	if err != nil || len(list) != 1 {
		t.Fatal(err)
	}
	_, as, ok = views.Preview(d.console, r, pages.PreviewToken(d.house, list[0].ID))
	if !ok || as.May("/crew/corvus") || !as.May("/crew/antlia") {
		t.Error("a crew shares what is not theirs")
	}
}

func TestWhoIsHere(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	jonas := d.another().signIn("jonas@cerroalcor.example")
	p := d.working("society", "/visit")
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	listen := func(from *desk, at ...string) *bufio.Scanner {
		path := "/sites/society/pages/" + p.ID + "/live"
		if len(at) > 0 {
			path = at[0]
		}
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, d.server.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		answer, err := from.client.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { answer.Body.Close() })
		if kind := answer.Header.Get("Content-Type"); kind != "text/event-stream" || answer.Header.Get("X-Accel-Buffering") != "no" {
			t.Fatal(kind)
		}
		return bufio.NewScanner(answer.Body)
	}
	until := func(s *bufio.Scanner, want string) {
		t.Helper()
		for s.Scan() {
			if strings.Contains(s.Text(), want) {
				return
			}
		}
		t.Errorf("never told %q: %v", want, s.Err())
	}
	mine := listen(d)
	until(mine, `"name":"Inés Ortuño"`)
	theirs := listen(jonas)
	until(theirs, `"name":"Inés Ortuño","page":"`+p.ID+`","title":"Getting here","me":false`)
	until(mine, `"name":"Jonas Lindqvist"`)
	jonas.save("society", p.ID, p.Version, p.Title, p.Body+"\nMore.")
	until(mine, `"name":"Jonas Lindqvist","version":2`)
	// whoever has a section alone is told who is at work, not on which page of another
	secret, own := d.working("variable-stars", "/marking"), d.working("variable-stars", "/crew/antlia")
	listen(d, "/sites/variable-stars/pages/"+secret.ID+"/live")
	crew := d.another().signIn("katya-cifuentes@cerroalcor.example")
	until(listen(crew, "/sites/variable-stars/pages/"+own.ID+"/live"), `{"name":"Inés Ortuño","page":"","title":"","me":false}`)
	if status, _, _ := crew.get("/sites/variable-stars/pages/" + secret.ID + "/live"); status == http.StatusOK {
		t.Error("a page outside one's section is followed")
	}
}

func TestTeamOnScreen(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/variable-stars/team", "Who may do what, now", "Everyone in Crew Antlia", "A half one: in a section of it", "Add someone with an account")
	if status, body, _ := d.post("/sites/society/team/entry", "list", "Nobody Atall", "role", "viewer", "under", "/"); status != 422 || !strings.Contains(body, "neither an address nor the name") || !strings.Contains(body, "Nobody Atall</textarea>") {
		t.Errorf("somebody unknown: %d", status)
	}
	d.post("/sites/society/team/entry", "list", "Night crew\nbram@cerroalcor.example\nzoe@out.example", "role", "editor", "under", "/courses", "until", "2027-01-01T00:00")
	team := d.draft("society").Team
	if len(team) != 7 || team[4].Group != "night-crew" || team[5].Person != "bram" || team[6].Address != "zoe@out.example" || team[6].Under != "/courses" || team[6].Until.IsZero() {
		t.Errorf("%+v", team)
	}
	d.post("/sites/society/team/role", "id", "Proof Reader", "can", "preview", "can", "write")
	if roles := d.draft("society").Roles; len(roles) != 1 || roles[0].ID != "proof-reader" || strings.Join(roles[0].Can, " ") != "preview write" {
		t.Errorf("%+v", roles)
	}
	d.shows("/sites/society/team/roles", "proof-reader", "not applied yet")
	d.shows("/sites/society/team", "not applied yet", "from outside")
	for _, c := range [][2]string{{"owner", "There is a role owner already."}, {"!", "Enter what its holder does"}} {
		if status, body, _ := d.post("/sites/society/team/role", "id", c[0], "can", "preview"); status != 422 || !strings.Contains(body, c[1]) {
			t.Errorf("a role %q: %d", c[0], status)
		}
	}
	d.post("/sites/society/team/role", "role", "proof-reader", "action", "delete")
	if len(d.draft("society").Roles) != 0 {
		t.Error("the role is still there")
	}
	pilar := d.another().signIn("pilar@cerroalcor.example")
	key := ""
	for _, e := range d.house.State().SiteDocument("society").Team {
		if e.Role == "owner" {
			key = teamviews.EntryKey(e)
		}
	}
	pilar.post("/sites/society/team/leave", "key", key)
	pilar.shows("/sites/society/team", "and so cannot end or alter it")
	jonas := d.another().signIn("jonas@cerroalcor.example")
	if body := jonas.shows("/sites/society/team", "Pilar Quintero"); strings.Contains(body, "Add someone with an account") {
		t.Error("an editor is offered to bring somebody in")
	}
	if status, _, _ := jonas.post("/sites/society/team/entry", "list", "bram"); status != 403 {
		t.Errorf("by an editor: %d", status)
	}
}

func TestTheDoorOfATable(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	door := parts.TableDoor("/", "nights")
	at := "/sites/instrument-log/door?page=" + url.QueryEscape(door)
	d.shows(at, "Who may view the table “nights” on Log", "It is shown to whoever the page opens to", "its own door")
	d.post("/sites/instrument-log/door/own", "page", door, "mode", "also")
	d.post("/sites/instrument-log/door/add", "page", door, "kind", "people", "list", "Salma Rachidi")
	if got, own := parts.DoorAt(d.draft("instrument-log"), door); !own || len(got.Ways) != 1 || got.Ways[0].People[0] != "salma" {
		t.Errorf("%+v %v", got, own)
	}
	d.shows(at+"&as=person:bram", "No table on it is shown.", "not applied yet")
	d.shows(at+"&as=person:salma", "Shown on it: the table nights.")
	d.shows("/sites/instrument-log/rehearsal", "The table “nights” on / gets a door of its own.", "“Salma Rachidi” is let in")
	d.post("/sites/instrument-log/door/start", "page", door, "start", "public")
	if got, _ := parts.DoorAt(d.draft("instrument-log"), door); got.Ways[0].Way != "anyone" {
		t.Errorf("%+v", got)
	}
	d.post("/sites/instrument-log/door/own", "page", door)
	if d.draft("instrument-log") != nil {
		t.Error("the rehearsal is not back at its beginning")
	}
}
