package console

import (
	"strings"
	"testing"

	"velada/core/access"
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
