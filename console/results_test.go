package console

import (
	"strings"
	"testing"

	"velada/demo"
)

// In search results says of each page what engines are told, why, and what the rehearsal does to it.
func TestWhatSearchEnginesAreTold(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	at := "/sites/society/settings"
	d.shows(at, "Getting here", "listed", "The door of “Members” lets no stranger in", "/sites/society/door?page=%2Fmembers", "User-agent: *", "http://society.localhost/visit")
	if body := d.shows(at + "?told=unread"); strings.Contains(body, ">Getting here<") || !strings.Contains(body, ">Minutes<") {
		t.Error("the list is not narrowed")
	}
	if body := d.shows(at + "?q=visit"); strings.Contains(body, ">Minutes<") || !strings.Contains(body, ">Getting here<") {
		t.Error("the list is not searched")
	}
	d.post("/sites/society/door/start", "start", "domain")
	if body := d.shows(at); !strings.Contains(body, "after the rehearsal: ") || !strings.Contains(body, "it no longer names") {
		t.Error("nothing is said of the rehearsal")
	}
}

// A page says what it is called; what is wrong is said where it was typed.
func TestAPageSaysWhatItIsCalled(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	at := "/sites/society/settings/result?page=/visit"
	d.post(at, "title", "The way up", "description", "By bus or on foot.")
	d.shows(at, "The way up · Cerro Alcor Society", "By bus or on foot.", "http://society.localhost/visit")
	if status, body, _ := d.post(at, "title", strings.Repeat("a", 121)); status != 422 || !strings.Contains(body, "at most 120 letters") || !strings.Contains(body, strings.Repeat("a", 121)) {
		t.Errorf("%d", status)
	}
	d.post("/sites/society/settings/titles", "pattern", "page")
	d.shows(at, "<b>The way up</b>")
	if status, body, _ := d.post("/sites/society/settings/robots", "robots", "Disallow: /visit"); status != 422 || !strings.Contains(body, "Line 1: This keeps robots from reading /visit") || !strings.Contains(body, ">Disallow: /visit<") {
		t.Errorf("%d", status)
	}
	d.post("/sites/society/settings/robots", "robots", "Disallow: /velada/")
	d.shows("/sites/society/settings", "Disallow: /velada/")
}

// A page is handed out on paper and by words that fit how one gets in; the mail is written for
// each alone, and what is wrong is said where it was typed.
func TestAPageIsHandedOut(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/society/hand-out", "Cerro Alcor Society", "For everybody", "society.localhost", "Copy the text")
	d.post("/sites/society/settings/short", "name", "hill", "path", "/visit")
	d.shows("/sites/society/hand-out?page=/visit&short=hill&as=cards", "society.localhost/go/hill", "http://society.localhost/go/hill")
	d.shows("/sites/variable-stars/hand-out?page=/notes", "Guests", "Sign in there with the address to which this was sent")
	jury := d.shows("/sites/dossier/hand-out", "You are asked for a password there. It comes separately")
	for _, p := range demo.Passes["dossier"] {
		if strings.Contains(jury, p) {
			t.Error("a text tells a password")
		}
	}
	at := "/sites/society/hand-out?page=/visit"
	if status, body, _ := d.post(at, "who", "everybody", "to", "nobody", "subject", "Come", "text", "Kept as typed"); status != 422 || !strings.Contains(body, "“nobody” is no e-mail address.") || !strings.Contains(body, ">Kept as typed<") {
		t.Errorf("%d", status)
	}
	d.post(at, "who", "everybody", "to", "a@lens.example, b@lens.example", "subject", "Come", "text", "Hello,\n\nthis is it.")
	mails, err := d.house.Outbox.Mails(t.Context(), "lens.example", 9)
	if err != nil || len(mails) != 2 {
		t.Errorf("%d letters: %v", len(mails), err)
	}
	_, token, _ := strings.Cut(mails[0].Text, "/stop/")
	token = strings.Fields(token)[0]
	anybody := d.another()
	if status, _, _ := anybody.post("/stop/"+token, "List-Unsubscribe", "One-Click"); status != 200 { // as a mail program does, RFC 8058
		t.Errorf("stopping at a click: %d", status)
	}
	if status, body, _ := d.post(at, "who", "everybody", "to", "a@lens.example, b@lens.example", "subject", "Come", "text", "Again"); status != 422 || !strings.Contains(body, mails[0].Address+" wants no more letters of this site") {
		t.Errorf("%d", status)
	}
}

// The domains of a site are shown with the records to set, and what was typed wrongly is kept.
func TestDomainsAreShown(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	at := "/sites/society/settings/address"
	d.shows(at, "www.cerroalcor.example", "not proven yet", "_velada.www", "velada-site=", "CNAME", "Not looked at yet.")
	if status, body, _ := d.post("/sites/society/settings/domains", "domain", "hill"); status != 422 || !strings.Contains(body, "A domain is such as hill.example") || !strings.Contains(body, `value="hill"`) {
		t.Errorf("%d", status)
	}
	d.post("/sites/society/settings/domains", "domain", "BÜCHER.example")
	d.shows(at, "bücher.example", "xn--bcher-kva.example", "ALIAS")
	if zone := d.shows("/sites/society/settings/domains/zone?name=xn--bcher-kva.example"); !strings.Contains(zone, "_velada.xn--bcher-kva.example.\t3600\tIN\tTXT\t\"velada-site=") {
		t.Error(zone)
	}
	d.post("/sites/society/settings/domains/one", "do", "drop", "name", "xn--bcher-kva.example")
	if strings.Contains(d.shows(at), "_velada.xn--bcher") {
		t.Error("it is still there")
	}
}
