package console

import (
	"net/http"
	"regexp"
	"strings"
	"testing"

	"velada/core/access"
)

// invites has Pilar invite an address, by mail or by a link to hand on, and gives
// where the link leads.
func (d *desk) invites(address, mail string, more ...string) string {
	d.Helper()
	pilar := d.another().signIn("pilar@cerroalcor.example")
	pairs := append([]string{"list", address, "role", "editor", "under", "/open-nights", "mail", mail}, more...)
	if status, body, _ := pilar.post("/sites/society/team/invite", pairs...); status != http.StatusSeeOther {
		d.Fatalf("%d %.600s", status, body)
	}
	_, body, _ := pilar.get("/sites/society/team")
	if mail == "yes" {
		d.house.Wait()
		list, err := d.house.Outbox.Mails(d.Context(), address, 1)
		if err != nil || len(list) == 0 {
			d.Fatalf("no letter to %s: %v", address, err)
		}
		body = list[0].Text
	}
	at := regexp.MustCompile(`/invitations/[\w-]+`).FindString(body)
	if at == "" {
		d.Fatalf("no link in %.900s", body)
	}
	return at
}

func (d *desk) mayWrite(address, path string) bool {
	a, _ := access.ParseAddress(address)
	return d.house.Can(d.house.Actor(a), "society", path).Has(access.Write)
}

func TestANewcomerIsInvitedByMail(t *testing.T) {
	d := openDesk(t)
	const zoe = "zoe@press.example"
	link := d.invites(zoe, "yes")
	d.shows(link, "An account for "+zoe, "Editor, for /open-nights")
	for _, wrong := range [][2]string{{"", "walnut ferry indigo moss"}, {"Zoë Lara", ""}, {"Zoë Lara", "zoe@press.example"}} {
		if status, body, _ := d.post(link, "action", "account", "name", wrong[0], "password", wrong[1]); status != http.StatusUnprocessableEntity || !strings.Contains(body, `value="`+wrong[0]+`"`) || d.isIn() {
			t.Errorf("%q: %d, or what was typed is lost", wrong, status)
		}
	}
	if status, _, h := d.post(link, "action", "account", "name", "Zoë Lara", "password", "walnut ferry indigo moss"); status != http.StatusSeeOther || h.Get("Location") != link || !d.isIn() {
		t.Fatalf("%d to %q", status, h.Get("Location"))
	}
	if d.mayWrite(zoe, "/open-nights") {
		t.Error("an account is not an answer yet")
	}
	second := d.another()
	if status, body, _ := second.post(link, "action", "account", "name", "Somebody", "password", "another walnut ferry moss"); status != http.StatusUnprocessableEntity || !strings.Contains(body, "There is an account for ") || second.isIn() {
		t.Errorf("a second account: %d", status)
	}
	if _, _, h := d.post(link, "action", "accept"); h.Get("Location") != "/sites/society" || !d.mayWrite(zoe, "/open-nights") || d.mayWrite(zoe, "/visit") {
		t.Errorf("accepted, to %q", h.Get("Location"))
	}
	for _, action := range []string{"accept", "decline", "account", ""} {
		if status, _, _ := d.post(link, "action", action, "name", "Zoë", "password", "walnut ferry indigo moss"); status == http.StatusOK {
			t.Errorf("%q after it was answered: %d", action, status)
		}
	}
	if status, _, _ := d.another().get(link); status != http.StatusGone {
		t.Errorf("the link afterwards: %d", status)
	}
}

// A link that is handed on by hand proves no address: whoever holds it makes no
// account at an address that is not theirs.
func TestALinkHandedOnProvesNothing(t *testing.T) {
	d := openDesk(t)
	const edda = "edda@press.example"
	link := d.invites(edda, "no")
	status, body, _ := d.post(link, "action", "account", "name", "Edda", "password", "walnut ferry indigo moss")
	if status != http.StatusOK || !strings.Contains(body, "A message to "+edda+" is written. No mail server sends it") || d.isIn() {
		t.Fatalf("%d %.300s", status, body)
	}
	if status, _, _ := d.post("/sign-in", "address", edda, "password", "walnut ferry indigo moss"); status != http.StatusUnprocessableEntity {
		t.Errorf("there is an account before the address is proven: %d", status)
	}
	reader := d.another() // who reads the mail
	mailed := d.mailed(edda)
	if status, body, _ := reader.post(mailed, "kind", "account"); status != http.StatusUnprocessableEntity || !strings.Contains(body, `value="Edda"`) && !strings.Contains(body, "An account for "+edda) {
		t.Errorf("without a password: %d", status)
	}
	if _, _, h := reader.post(mailed, "kind", "account", "name", "Edda", "password", "quartz beacon thimble lane"); h.Get("Location") != link || !reader.isIn() {
		t.Errorf("led to %q", h.Get("Location"))
	}
	if status, _, _ := d.another().post("/sign-in", "address", edda, "password", "walnut ferry indigo moss"); status != http.StatusUnprocessableEntity {
		t.Errorf("whoever held the link chose the password: %d", status)
	}
	reader.post(link, "action", "accept")
	if !d.mayWrite(edda, "/open-nights") {
		t.Error("accepted, and not on the team")
	}
}

func TestWhoeverElseHoldsAnInvitation(t *testing.T) {
	d := openDesk(t)
	link := d.invites("zoe@press.example", "yes")
	mateo := d.another().signIn("mateo@cerroalcor.example")
	mateo.shows(link, "You are signed in under another address")
	for _, action := range []string{"accept", "decline"} {
		if status, _, _ := mateo.post(link, "action", action); status != http.StatusGone {
			t.Errorf("%s: %d", action, status)
		}
	}
	if status, body, _ := mateo.post(link, "action", "ask"); status != http.StatusOK || !strings.Contains(body, "Nothing was accepted") {
		t.Errorf("asked for one of their own: %d", status)
	}
	pilar := d.another().signIn("pilar@cerroalcor.example")
	pilar.shows("/notices", "Mateo Ferrán (mateo@cerroalcor.example) has the invitation to zoe@press.example")
	if last := regexp.MustCompile(`name="last" value="(\d+)"`).FindStringSubmatch(pilar.shows("/notices")); last == nil {
		t.Error("what is new cannot be put aside")
	} else if pilar.post("/notices", "last", last[1]); strings.Contains(pilar.shows("/notices"), `name="last"`) {
		t.Error("put aside, and new still")
	}
	if d.another().post(link, "action", "ask"); d.mayWrite("mateo@cerroalcor.example", "/open-nights") {
		t.Error("asking gives something")
	}
	if _, _, h := mateo.post(link, "action", "switch"); h.Get("Location") != link || mateo.isIn() {
		t.Error("going on as somebody else begins with signing out")
	}
}

func TestAnInvitationIsDeclinedOrWithdrawn(t *testing.T) {
	d := openDesk(t)
	link := d.invites("bram@cerroalcor.example", "yes")
	bram := d.another().signIn("bram@cerroalcor.example")
	if status, _, _ := bram.post(link, "action", "decline"); status != http.StatusSeeOther || d.mayWrite("bram@cerroalcor.example", "/open-nights") {
		t.Errorf("%d", status)
	}
	if status, _, _ := bram.post(link, "action", "accept"); status == http.StatusOK || d.mayWrite("bram@cerroalcor.example", "/open-nights") {
		t.Error("declined, and accepted after all")
	}
	link = d.invites("salma@cerroalcor.example", "yes")
	pilar := d.another().signIn("pilar@cerroalcor.example")
	id := regexp.MustCompile(`name="id" value="([\w-]+)"`).FindStringSubmatch(pilar.shows("/sites/society/team", "salma@cerroalcor.example"))
	if id == nil {
		t.Fatal("what waits is not listed")
	}
	pilar.post("/sites/society/team/invitation", "id", id[1], "action", "withdraw")
	salma := d.another().signIn("salma@cerroalcor.example")
	if status, _, _ := salma.post(link, "action", "accept"); status == http.StatusOK || d.mayWrite("salma@cerroalcor.example", "/open-nights") {
		t.Errorf("withdrawn, and accepted: %d", status)
	}
}
