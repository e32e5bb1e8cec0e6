package console

import (
	"regexp"
	"strconv"
	"strings"
	"testing"

	"velada/core/access"
	"velada/store"
)

func TestMembersAreAdmittedAndBlocked(t *testing.T) {
	d := openDesk(t).signIn("seun@cerroalcor.example") // an usher
	d.shows("/sites/society/members", "Waiting to be approved (4)")
	d.shows("/sites/society/members/list", "Members (18)", "Blocked (1)")
	d.shows("/sites/society", "4 people wait to be approved", `href="/sites/society/members"`)
	status := func(who string) string {
		for _, m := range d.house.State().SiteDocument("society").Members {
			if m.Who == who {
				return m.Status
			}
		}
		return ""
	}
	var waiting []string
	for _, m := range d.house.State().SiteDocument("society").Members {
		if m.Status == "pending" {
			waiting = append(waiting, m.Who)
		}
	}
	meets := func(who string) access.Outcome {
		p := d.house.State().Policy
		id, _ := p.Person(who)
		return p.Site("society").Decide("/members", &access.Visitor{Identity: id}, access.At(d.house.Now())).Outcome
	}
	change := func(who, what string) {
		d.post("/sites/society/members", "who", who, "change", what, "meant", "yes")
	}
	meant, body, _ := d.post("/sites/society/members", "who", waiting[0], "change", "admit")
	if meant != 200 || status(waiting[0]) != "pending" || !strings.Contains(body, "Members, Keys, Minutes, Rota") {
		t.Errorf("it is shown first: %d %s", meant, body)
	}
	if meets(waiting[0]) != access.Pending {
		t.Errorf("while waiting: %v", meets(waiting[0]))
	}
	change(waiting[0], "admit")
	if status(waiting[0]) != "approved" || meets(waiting[0]) != access.Open {
		t.Errorf("admitted: %s %v", status(waiting[0]), meets(waiting[0]))
	}
	change(waiting[0], "block")
	if status(waiting[0]) != "blocked" || meets(waiting[0]) == access.Open {
		t.Errorf("blocked: %v", meets(waiting[0]))
	}
	change(waiting[0], "unblock")
	change(waiting[0], "remove")
	change(waiting[1], "refuse")
	if status(waiting[0]) != "" || status(waiting[1]) != "" {
		t.Errorf("removed and refused: %q %q", status(waiting[0]), status(waiting[1]))
	}
	change(waiting[1], "admit")
	d.shows("/sites/society/members", "somebody else was quicker")
	ines := d.another().signIn("ines@cerroalcor.example")
	ines.shows("/sites/society/ledger?kind=member", "was approved as a member", "was declined as a member")
	ines.post("/sites/society/team/entry", "list", waiting[2], "role", "viewer", "under", "/")
	ines.post("/sites/society/rehearsal/apply", "meant", "yes")
	change(waiting[2], "block")
	if body = d.shows("/sites/society/members"); status(waiting[2]) != "pending" || !strings.Contains(body, "take them off the team first") {
		t.Errorf("somebody on the team: %s", status(waiting[2]))
	}
}

// A sum that is told is what happened: as many letters as lie in the outbox, as many people as are changed.
func TestSumsThatAreToldAreWhatHappened(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	letters := func() (n int) {
		n, err := store.CountMails(d.Context(), d.house.Reader(), store.MailsLike{})
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	var waiting, approved []string
	for _, m := range d.house.State().SiteDocument("society").Members {
		switch m.Status {
		case "pending":
			waiting = append(waiting, m.Who)
		case "approved":
			approved = append(approved, m.Who)
		}
	}
	was := letters()
	_, body, _ := d.post("/sites/society/members", "who", waiting[0], "who", approved[0], "who", waiting[0], "change", "admit")
	if name := d.house.NameOf(store.Who(approved[0])); !strings.Contains(body, "Approve 1 person") || strings.Contains(body, name+" becomes") || strings.Contains(body, " and "+name) {
		t.Errorf("who is a member already is counted: %s", body)
	}
	d.post("/sites/society/members", "who", waiting[0], "who", approved[0], "who", waiting[0], "change", "admit", "meant", "yes")
	d.shows("/sites/society/members", "Applied to 1 person.")
	if n := letters() - was; n != 1 {
		t.Errorf("%d letters were written to one who was admitted", n)
	}
	was = letters()
	d.post("/sites/society/members/letter", "subject", "Hello", "text", "There", "to", "")
	told := regexp.MustCompile(`(\d+) letters? lies? in the Outbox`).FindStringSubmatch(d.shows("/sites/society/members/letters"))
	if told == nil || told[1] != strconv.Itoa(letters()-was) {
		t.Errorf("%v letters are told, %d were written", told, letters()-was)
	}
	was = letters()
	d.post("/sites/society/hand-out", "page", "/members", "to", "ana@x.example\nANA@x.example\nbo@x.example", "subject", "Look", "text", "Here")
	told = regexp.MustCompile(`(\d+) letters? lies? in the Outbox`).FindStringSubmatch(d.shows("/sites/society/hand-out?page=/members"))
	if told == nil || told[1] != strconv.Itoa(letters()-was) || told[1] != "2" {
		t.Errorf("%v letters are told, %d were written", told, letters()-was)
	}
}
