package console

import (
	"bytes"
	"context"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"velada/app/doors"
	"velada/core/access"
	"velada/core/parts"
)

func (d *desk) draft(site string) *access.Site {
	d.Helper()
	tray, err := d.house.Trays.Tray(context.Background(), d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"}), site)
	if err != nil {
		d.Fatal(err)
	}
	if tray == nil {
		return nil
	}
	return tray.Draft
}

func (d *desk) shows(path string, wanted ...string) string {
	d.Helper()
	status, body, _ := d.get(path)
	if status != http.StatusOK {
		d.Fatalf("%s: %d", path, status)
	}
	for _, want := range wanted {
		if !strings.Contains(body, want) {
			d.Errorf("%s has no %q", path, want)
		}
	}
	return body
}

func TestLinksAreMadeAndShown(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	status, _, h := d.post("/sites/society/passes/link", "label", "The Printer!", "under", "/members", "page", "/members", "on_door", "yes")
	if status != http.StatusSeeOther || h.Get("Location") != "/sites/society/passes?show=the-printer" {
		t.Fatalf("%d %s", status, h.Get("Location"))
	}
	made := d.draft("society")
	if door, _ := parts.DoorAt(made, "/members"); len(door.Ways) != 2 || door.Ways[1].Links[0] != "the-printer" || made.Links[0].Under != "/members" {
		t.Errorf("%+v", made.Links)
	}
	d.shows("/sites/society/passes?show=the-printer", "http://society.localhost/velada/in/", "It leads nowhere until you have applied the change", "QR code", "not followed yet")
	if _, svg, h := d.get("/sites/society/links/the-printer.svg"); h.Get("Content-Type") != "image/svg+xml" || !strings.HasPrefix(svg, "<svg") {
		t.Error("the QR code as SVG")
	}
	_, picture, _ := d.get("/sites/society/links/the-printer.png")
	if _, err := png.Decode(strings.NewReader(picture)); err != nil {
		t.Errorf("the QR code as PNG: %v", err)
	}
	if status, _, _ := d.get("/sites/society/links/nobody.svg"); status != 404 {
		t.Errorf("a link that is not there: %d", status)
	}
	d.post("/sites/society/passes/key", "kind", "link", "id", "the-printer", "action", "delete")
	if d.draft("society") != nil {
		t.Error("made and deleted again, and something is left")
	}
	if status, body, _ := d.post("/sites/society/passes/link", "label", " ", "under", "members"); status != 422 || !strings.Contains(body, "Enter a name") || !strings.Contains(body, "must begin with /") {
		t.Errorf("a bad link: %d", status)
	}
}

func TestPassesAreChanged(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	act := func(id, action string, more ...string) *access.Site {
		d.post("/sites/dossier/passes/key", append([]string{"kind", "pass", "id", id, "action", action}, more...)...)
		return d.draft("dossier")
	}
	d.shows("/sites/dossier/passes", "End on 24 Feb 2027", "too easy to guess", "used 14 times")
	if s := act("hollis", "ends", "until", "2027-02-24T00:00"); s.Passes[0].Until.String() != "2027-02-23T23:00:00Z" {
		t.Errorf("ends %v", s.Passes[0].Until)
	}
	if s := act("nordlys", "end"); s.Passes[2].Until.Time() != d.house.Now() {
		t.Errorf("ends now %v", s.Passes[2].Until)
	}
	if s := act("ribera", "revoke"); !s.Passes[1].Revoked {
		t.Error("not revoked")
	}
	if s := act("hollis", "delete"); len(s.Passes) != 2 {
		t.Error("not deleted")
	}
	d.post("/sites/dossier/door/pass", "action", "change", "pass", "nordlys", "label", "Nordlys", "under", "/budget", "until", "2027-03-01T00:00")
	if p := d.draft("dossier").Passes[1]; p.Label != "Nordlys" || p.Under != "/budget" {
		t.Errorf("%+v", p)
	}
	status, body, _ := d.post("/sites/dossier/door/pass", "action", "new", "label", "Copy", "password", "quartz beacon thimble", "under", "/")
	if status != 422 || !strings.Contains(body, "“Fundación Ribera” has this password already") {
		t.Errorf("a password that is taken: %d", status)
	}
	d.post("/sites/dossier/door/pass", "action", "new", "label", "Again", "password", "six metres of copper", "under", "/")
	d.shows("/sites/dossier/passes", "The same password opens “The New Dome” too", "six metres of copper")
}

func TestAHoldingPageThatComesAgain(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/instrument-log/holding", "Every Tuesday from 02:00 to 04:00, the first time on", "Next: Tue ")
	d.shows("/sites/instrument-log", "every Tuesday until")
	again := []string{"stands", "yes", "kind", "maintenance", "from", "2027-03-14T02:30", "until", "2027-03-14T03:00", "repeat", "week"}
	d.post("/sites/society/holding", append(again, "every", "2", "last", "2027-05-01T00:00")...)
	h := d.draft("society").Holding
	if h.Repeat == nil || *h.Repeat != (access.Repeat{Every: 2, Unit: "week", Until: h.Repeat.Until}) || h.Repeat.Until.String() != "2027-04-30T22:00:00Z" {
		t.Fatalf("%+v", h)
	}
	d.shows("/sites/society/holding", "Every 2 weeks on a Sunday from 02:30 to 03:00, the first time on 14 Mar 2027, until 1 May 2027",
		"Sun 14 Mar 2027 02:30 to 03:00; Sun 28 Mar 2027 03:30 to 04:00; Sun 11 Apr 2027 02:30 to 03:00")
	for _, c := range []struct{ every, last, says string }{
		{"0", "2027-05-01T00:00", "0 is not from 1 to 366."}, {"often", "2027-05-01T00:00", "This is no whole number from 1 to 366."},
		{"1", "", "It must come again for the last time."}, {"1", "2027-03-01T00:00", "It is not after the first time."},
	} {
		status, body, _ := d.post("/sites/society/holding", append(again, "every", c.every, "last", c.last)...)
		if status != 422 || !strings.Contains(body, c.says) {
			t.Errorf("every %s until %q: %d without %q", c.every, c.last, status, c.says)
		}
	}
}

func TestHoldingPageIsRehearsedAndWritten(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/new-dome/holding", "3 people still get the site, 1 network and 1 password part of it now", "Search engines may list the front page", "http://look-")
	d.shows("/sites/new-dome/holding/past", "“Builders”", "192.0.2.0/24")
	d.post("/sites/society/holding", "stands", "yes", "kind", "maintenance", "from", "2026-12-01T02:00", "until", "2026-12-01T04:00", "exempt", "/privacy", "exempt", "/visit")
	h := d.draft("society").Holding
	if !h.On || h.Kind != "maintenance" || h.From.String() != "2026-12-01T01:00:00Z" || strings.Join(h.Exempt, " ") != "/privacy /visit" {
		t.Errorf("%+v", h)
	}
	if status, body, _ := d.post("/sites/society/holding", "stands", "yes", "kind", "soon", "from", "2026-12-02T02:00", "until", "2026-12-01T04:00"); status != 422 || !strings.Contains(body, "It would end before it begins.") {
		t.Errorf("an end before its beginning: %d", status)
	}
	status, _, to := d.post("/sites/society/door/add", "page", parts.LetIn, "kind", "network", "list", "192.0.2.7")
	if h := d.draft("society").Holding; status != 303 || to.Get("Location") != "/sites/society/holding/past" || len(h.LetIn) != 1 || h.LetIn[0].Networks[0] != "192.0.2.7/32" {
		t.Errorf("%d %s %+v", status, to.Get("Location"), h)
	}
	d.shows("/sites/society/holding", "come back: the page answers 503", "from 1 Dec")
	d.shows("/sites/society/holding/past", "192.0.2.7", "not applied yet")

	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	for name, value := range map[string]string{"design": "paper", "heading": "Painting the stairs", "words": "Two hours.", "contact": "https://status.example/hill"} {
		if err := w.WriteField(name, value); err != nil {
			t.Fatal(err)
		}
	}
	part, err := w.CreateFormFile("picture", "dot.gif")
	if err != nil {
		t.Fatal(err)
	}
	_, _ = io.WriteString(part, "GIF89a")
	w.Close()
	r, err := d.client.Post(d.server.URL+"/sites/society/holding/words", w.FormDataContentType(), &form)
	if err != nil {
		t.Fatal(err)
	}
	if status, body, _ := read(t, r); status != 303 {
		t.Fatalf("%d %s", status, body)
	}
	if p := doors.HoldingPage(d.house.State(), "society"); p.Heading != "Painting the stairs" || p.Design != "paper" || p.PictureType != "image/gif" || p.Countdown {
		t.Errorf("%+v", p)
	}
	if status, body, _ := d.post("/sites/society/holding/words", "design", "own", "heading", "Kept words"); status != 422 || !strings.Contains(body, "Paste the page here") || !strings.Contains(body, "Kept words") {
		t.Errorf("a page of their own that is empty: %d", status)
	}
}

func TestListsAreCheckedAsTyped(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for _, c := range []struct{ kind, list, want string }{
		{"people", "Okafor, Tobias <tobias@lens.example>; BRAM de Wit\nzoe@out.example, bram@cerroalcor.example", "2 people of the house.|1 address from outside: zoe@out.example.|counted once: Bram de Wit."},
		{"people", "Nobody Atall, x@", "“Nobody Atall” is neither|“x@” is not an address."},
		{"groups", "Night crew\nStrikers", "1 group.|There is no group “Strikers”."},
		{"network", "192.0.2.0/24 10.1.2.3 10.0.0.1/8 fe80::/10 ::ffff:1.2.3.0/120", "192.0.2.0/24: 256 addresses|10.1.2.3/32: one address.|write the network itself|a very large network|write it as IPv4"},
		{"domain", "cerroalcor.example a..b", "people of the house now.|“a..b” is"},
	} {
		_, body, _ := d.post("/sites/society/door/check", "kind", c.kind, "list", c.list)
		for _, want := range strings.Split(c.want, "|") {
			if !strings.Contains(body, want) {
				t.Errorf("%s %q: no %q in %s", c.kind, c.list, want, body)
			}
		}
	}
	d.shows("/sites/society/pick?kind=people&find=okaf", "Tobias Okafor", `data-line="Tobias Okafor"`)
	d.shows("/sites/society/pick?kind=groups&find=crew", "Night crew")
}

func TestARehearsalInDetail(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/society/rehearsal", "No change is being tried out")
	d.post("/sites/society/door/start", "start", "domain")
	d.shows("/sites/society/rehearsal", "Who can open less", "Ada", "<a href=\"/sites/society/door?as=person%3A", "They are told to drop “Welcome” (/).", "A stranger", "becomes")
	d.shows("/sites/society/walk?as=search&width=phone", `class="frame phone"`, "401 Unauthorized", "WWW-Authenticate")
}

func TestABreachIsShownInSightlines(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/dossier", "sightlines?as=person%3Aseun")
	d.shows("/sites/dossier/sightlines?promise=council-dossier", "a promise is broken there", "Oluwaseun Adeyemi", `class="w-breach"`)
	if body := d.shows("/sites/dossier/sightlines?promise=privacy-dome"); strings.Contains(body, "promise is broken") {
		t.Error("a breach of another site's promise")
	}
}
