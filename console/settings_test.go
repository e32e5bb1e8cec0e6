package console

import (
	"regexp"
	"strconv"
	"strings"
	"testing"

	"velada/store"
)

// The house's own settings are seen first, then kept, and hold at once.
func TestTheHouseIsCalledSomethingElse(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/settings", "Cerro Alcor", "Europe/Madrid", "cerroalcor.example")
	set := []string{"name", "Cerro Nuevo", "zone", "America/Lima", "domains", "cerroalcor.example\nlens.example"}
	if status, body, _ := d.post("/settings", set...); status != 200 || !strings.Contains(body, "The house is called Cerro Nuevo") || d.house.State().Policy.Document().House.Name == "Cerro Nuevo" {
		t.Errorf("it is shown first: %d", status)
	}
	d.post("/settings", append(set, "meant", "yes")...)
	if h := d.house.State().Policy.Document().House; h.Name != "Cerro Nuevo" || h.Zone != "America/Lima" || strings.Join(h.Domains, " ") != "cerroalcor.example lens.example" || d.house.State().Zone.String() != "America/Lima" {
		t.Errorf("%+v in %v", h, d.house.State().Zone)
	}
	d.shows("/sites", "Cerro Nuevo", `data-zone="America/Lima"`)
	for field, bad := range map[string][]string{
		"A house has a name.": {"name", " ", "zone", "America/Lima"}, "Choose one of these.": {"name", "X", "zone", "Mars/Olympus"}, "“a..b” is": {"name", "X", "zone", "America/Lima", "domains", "a..b"},
	} {
		if status, body, _ := d.post("/settings", append(bad, "meant", "yes")...); status != 422 || !strings.Contains(body, field) {
			t.Errorf("%s: %d", field, status)
		}
	}
	if h := d.house.State().Policy.Document().House; h.Name != "Cerro Nuevo" {
		t.Errorf("%+v", h)
	}
}

// Links that sign somebody in are masked wherever the outbox shows or hands out a letter;
// whoever looks at one is written down, and the person is told.
func TestLinksInTheOutboxAreMasked(t *testing.T) {
	d := openDesk(t)
	stranger := d.another()
	stranger.post("/forgot", "address", "pilar@cerroalcor.example")
	stranger.post("/forgot", "address", "pilar@cerroalcor.example", "kind", "reset")
	d.house.Wait() // letters are written behind the answer
	ines := d.another().signIn("ines@cerroalcor.example")
	secret := regexp.MustCompile(`/by-mail/[\w-]{20,}`)
	mails, err := d.house.Outbox.Mails(t.Context(), "pilar@", 9)
	if err != nil || len(mails) != 2 {
		t.Fatalf("%d letters: %v", len(mails), err)
	}
	for _, m := range mails {
		path := "/outbox/" + strconv.FormatInt(m.ID, 10)
		for _, at := range []string{path, path + "/eml", "/outbox?find=pilar"} {
			if body := ines.shows(at); secret.MatchString(body) {
				t.Errorf("%s tells a link that signs in", at)
			}
		}
	}
	path := "/outbox/" + strconv.FormatInt(mails[0].ID, 10)
	if status, _, _ := d.another().signIn("pilar@cerroalcor.example").post(path + "/show"); status != 404 {
		t.Errorf("somebody who is no steward: %d", status)
	}
	status, body, h := ines.post(path + "/show")
	if status == 303 {
		body = ines.shows(h.Get("Location"))
	}
	if !secret.MatchString(body) {
		t.Errorf("the link is not shown: %d", status)
	}
	if body := ines.shows(path); secret.MatchString(body) {
		t.Error("it is shown more than once")
	}
	ines.shows("/ledger", "looked at the link in the message")
	list, err := store.Notices(t.Context(), d.house.Reader(), "pilar", 9)
	if err != nil || len(list) == 0 || !strings.Contains(list[0].What, "looked at the link") {
		t.Errorf("Pilar is not told: %+v %v", list, err)
	}
}
