package console

import (
	"net/http"
	"regexp"
	"strings"
	"testing"

	"velada/core/access"
	"velada/identity"
	"velada/store"
	"velada/words"
)

func TestTheAnswerTellsNoAccount(t *testing.T) {
	d := openDesk(t)
	_, known, _ := d.post("/forgot", "address", "mateo@cerroalcor.example")
	_, unknown, _ := d.post("/forgot", "address", "nobody@cerroalcor.example")
	d.house.Wait()
	if !strings.Contains(known, "Check your mail") || strings.ReplaceAll(known, "mateo@", "nobody@") != unknown {
		t.Error("the answer tells whether there is an account")
	}
	if status, body, _ := d.post("/forgot", "address", "no address"); status != 422 || !strings.Contains(body, `value="no address"`) {
		t.Errorf("%d: what was typed is lost", status)
	}
}

func TestFirstCodesAreChangedBeforeAnythingElse(t *testing.T) {
	d := openDesk(t)
	if err := store.SetPassword(t.Context(), d.db, "mateo", identity.HashPassword("abcdefghjk"), true); err != nil {
		t.Fatal(err)
	}
	_, _, h := d.post("/sign-in", "address", "mateo@cerroalcor.example", "password", "ABCDE-fghjk", "site", "instrument-log", "path", "/", "nonce", "n")
	if h.Get("Location") != "/first-password" {
		t.Fatalf("led to %q", h.Get("Location"))
	}
	for _, path := range []string{"/sites", "/account", "/sign-in?site=instrument-log", "/sites/instrument-log"} {
		if _, _, h := d.get(path); h.Get("Location") != "/first-password" {
			t.Errorf("%s leads to %q", path, h.Get("Location"))
		}
	}
	for _, password := range []string{"abcde-fghjk", "short"} {
		if status, _, _ := d.post("/first-password", "password", password); status != 422 {
			t.Errorf("%q: %d", password, status)
		}
	}
	if status, _, h := d.post("/first-password", "password", "walnut ferry indigo moss"); status != 303 || !strings.HasPrefix(h.Get("Location"), "http://instrument-log.localhost/velada/enter?") {
		t.Errorf("%d: led to %q, not to where they were going", status, h.Get("Location"))
	}
}

func TestOutboxAndHouseRulesAreForStewards(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	pilar := d.another().signIn("pilar@cerroalcor.example")
	if status, body, _ := pilar.post("/sites/society/team/invite", "list", "zoe@press.example", "role", "editor", "mail", "yes", "under", "/"); status != 303 {
		t.Fatalf("%d %.600s", status, body)
	}
	_, list, _ := d.get("/outbox?find=ZOE")
	at := regexp.MustCompile(`/outbox/\d+`).FindString(list)
	_, body, _ := d.get(at)
	if !strings.Contains(body, "Pilar Quintero invites you to work on Cerro Alcor Society") || strings.Contains(body, " style=") || !strings.Contains(body, "http://velada.localhost/invitations/") {
		t.Errorf("%.900s", body)
	}
	if _, raw, h := d.get(at + "/eml"); h.Get("Content-Type") != "message/rfc822" || !strings.Contains(raw, "multipart/alternative") || !strings.Contains(raw, "To: <zoe@press.example>") {
		t.Errorf("%.300s", raw)
	}
	for _, path := range []string{"/outbox", at, at + "/eml"} { // whoever reads the letter could accept it
		if status, _, _ := pilar.get(path); status != http.StatusNotFound {
			t.Errorf("%s for an admin of a site: %d", path, status)
		}
	}
	for _, c := range [][]string{
		{"/settings/no-mail", "domains", "aula.cerroalcor.example casa..example", "is not a domain"},
		{"/settings/mail", "host", "", "Enter the name of the mail server"},
		{"/settings/providers", "issuer", "http://evil.example", "beginning with https://"},
	} {
		if status, body, _ := d.post(c[0], c[1], c[2]); status != 422 || !strings.Contains(body, c[3]) || !strings.Contains(body, c[2]) {
			t.Errorf("%v: %d", c, status)
		}
		if status, _, _ := pilar.post(c[0], c[1], c[2]); status != http.StatusNotFound {
			t.Errorf("%s for an admin of a site: %d", c[0], status)
		}
	}
	if status, _, _ := d.post("/settings/providers", "name", "School", "issuer", "https://id.school.example", "client", "v", "secret", "s3", "domains", "school.example"); status != 303 {
		t.Error("a provider is not kept")
	}
	if _, body, _ := d.another().get("/sign-in?site=society&path=/a&then="); !strings.Contains(body, `/sign-in/with/school?path=%2Fa&amp;site=society`) {
		t.Error("it is not offered")
	}
	if _, body, _ := d.get("/house-rules"); strings.Contains(body, "s3") {
		t.Error("the secret is shown")
	}
	if status, _, _ := d.another().get("/sign-in/back?code=a&state=b"); status != http.StatusBadRequest {
		t.Errorf("an answer that nobody asked for: %d", status)
	}
	d.post("/settings/no-mail", "domains", "*.class.example\nclass.example")
	if got := d.house.State().Settings.NoMail; len(got) != 2 {
		t.Errorf("%v", got)
	}
}

func TestWhatEditorsMayDoIsRehearsed(t *testing.T) {
	d := openDesk(t).signIn("pilar@cerroalcor.example")
	jonas := d.another().signIn("jonas@cerroalcor.example")
	if _, body, _ := jonas.get("/sites/society/publish"); !strings.Contains(body, "Editors of this site may not publish. Inés Ortuño, Pilar Quintero can change that") {
		t.Error("it is not said where it bites")
	}
	d.post("/sites/society/team/editors", "can", "publish", "can", "own")
	if _, body, _ := d.get("/sites/society/rehearsal"); !strings.Contains(body, "Jonas Lindqvist becomes editors, from editor.") || !strings.Contains(body, "A new role editors: its holder may see the draft, edit pages and publish.") {
		t.Error("it is not rehearsed")
	}
	d.post("/sites/society/rehearsal/apply")
	actor := d.house.Actor(access.Address{Local: "jonas", Domain: "cerroalcor.example"})
	if got := words.CapabilityWords(d.house.Can(actor, "society", "/")); got != "see the draft, edit pages and publish" {
		t.Error(got)
	}
	if _, body, _ := jonas.get("/notices"); !strings.Contains(body, "Jonas Lindqvist becomes editors") {
		t.Error("he is not told")
	}
	d.post("/sites/society/team/editors")
	d.post("/sites/society/rehearsal/apply")
	if site := d.house.State().SiteDocument("society"); len(site.Roles) != 0 || site.Team[2].Role != "editor" {
		t.Errorf("%+v", site.Team)
	}
}

func TestVisitorsSignInUnderTheNameOfTheSite(t *testing.T) {
	d := openDesk(t)
	_, body, _ := d.get("/sign-in?site=variable-stars&path=/notes")
	if !strings.Contains(body, "<h1>Sign in to read Variable Stars on Thursdays</h1>") || strings.Contains(body, `class="band"`) || !strings.Contains(body, `href="http://variable-stars.localhost"`) {
		t.Errorf("%.900s", body)
	}
	if _, body, _ := d.get("/forgot?site=variable-stars"); strings.Contains(body, `class="band"`) {
		t.Error("asking for a link shows Velada's band")
	}
	if _, body, _ := d.get("/sign-in?site=august"); strings.Contains(body, "August") || !strings.Contains(body, `class="band"`) {
		t.Error("a site that strangers do not learn of is named")
	}
	if status, _, _ := d.get("/tint/august"); status != http.StatusNotFound {
		t.Errorf("its tint: %d", status)
	}
	if status, _, h := d.get("/tint/society"); status != http.StatusOK || !strings.HasPrefix(h.Get("Content-Type"), "text/css") {
		t.Errorf("%d", status)
	}
}
