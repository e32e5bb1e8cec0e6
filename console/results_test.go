package console

import (
	"strings"
	"testing"
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
