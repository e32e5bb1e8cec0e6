package house_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/app/members"
	"velada/app/pages"
	"velada/app/teams"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// swap has two pages of a site change places, by three moves.
func swap(t *testing.T, h *house.House, by house.Actor, site, a, b string) {
	t.Helper()
	for _, m := range [][2]string{{a, "/under-way"}, {b, a}, {"/under-way", b}} {
		if _, err := pages.MovePage(ctx, h, by, site, pageAt(t, h, site, m[0]).ID, m[1], true, true); err != nil {
			t.Fatalf("from %s to %s: %v", m[0], m[1], err)
		}
	}
}

func publish(t *testing.T, h *house.House, by house.Actor, site string) {
	t.Helper()
	if _, err := pages.Publish(ctx, h, by, site, "", time.Time{}); err != nil {
		t.Fatal(err)
	}
}

// A door is its page's, and so is all else that is said of the page: two pages that change places
// take it along, in one step.
func TestPagesThatChangePlacesTakeEverythingAlong(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	_, author := aMember(t, h)
	if _, err := members.Comment(ctx, h, "society", "/members", author.Who, "Behind the door."); err != nil {
		t.Fatal(err)
	}
	said := len(comments(t, h))
	if said == 0 {
		t.Fatal("no comments to move")
	}
	for _, err := range []error{
		pages.SetShortName(ctx, h, ines, "society", "inside", "/members"),
		doors.AddPromise(ctx, h, ines, access.Promise{Who: "stranger", Must: "not-open", Site: "society", Path: "/members"}),
	} {
		if err != nil {
			t.Fatal(err)
		}
	}
	applyTo(t, h, ines, "society", func(s *access.Site) {
		s.Passes = append(s.Passes, access.Pass{ID: "for-members", Label: "For members", Under: "/members"})
		s.Holding.Exempt = append(s.Holding.Exempt, "/members")
	})
	if err := rehearse(h, ines, "society", func(s *access.Site) {
		s.Passes = append(s.Passes, access.Pass{ID: "tried", Label: "Tried out", Under: "/members"})
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := teams.Invite(ctx, h, ines, teams.Invitation{Addresses: []string{"new.writer@elsewhere.example"}, Sites: []string{"society"}, Role: "editor", Under: "/members", Reason: "client"}); err != nil {
		t.Fatal(err)
	}
	membership := h.State().Site("society").Membership
	stranger := func(path string) access.Outcome {
		return h.State().Policy.Site("society").Decide(path, &access.Visitor{}, access.At(h.Now())).Outcome
	}
	if stranger("/members") == access.Open || stranger("/visit") != access.Open {
		t.Fatal("the demo is another one")
	}
	door := h.State().SiteDocument("society").Doors
	swap(t, h, ines, "society", "/members", "/visit")
	plan, err := pages.PlanPublication(ctx, h, "society")
	if err != nil {
		t.Fatal(err)
	}
	if len(plan.Sees) != 0 || !strings.Contains(strings.Join(plan.Moved, " "), "The door of /members moves along to /visit.") {
		t.Errorf("it is said: %+v, %v", plan.Sees, plan.Moved)
	}
	if !slices.ContainsFunc(plan.Anew, func(f pages.FirstSight) bool { return f.Who == "stranger" && slices.Contains(f.Pages, "/members") }) {
		t.Errorf("nobody is told that the address opens: %+v", plan.Anew)
	}
	publish(t, h, ines, "society")
	if stranger("/members") != access.Open || stranger("/visit") == access.Open {
		t.Errorf("/members %v, /visit %v, with the doors %+v before and %+v", stranger("/members"), stranger("/visit"), door, h.State().SiteDocument("society").Doors)
	}
	s := h.State().Site("society")
	if len(s.Comments["/members"]) != 0 || len(s.Comments["/visit"]) != said {
		t.Errorf("%d comments stayed, %d of %d moved", len(s.Comments["/members"]), len(s.Comments["/visit"]), said)
	}
	if s.Short["inside"] != "/visit" {
		t.Errorf("the short name leads to %s", s.Short["inside"])
	}
	doc := h.State().SiteDocument("society")
	if i := slices.IndexFunc(doc.Passes, func(p access.Pass) bool { return p.ID == "for-members" }); i < 0 || doc.Passes[i].Under != "/visit" {
		t.Errorf("the password: %+v", doc.Passes)
	}
	if !slices.Contains(doc.Holding.Exempt, "/visit") || slices.Contains(doc.Holding.Exempt, "/members") {
		t.Errorf("exempt: %v", doc.Holding.Exempt)
	}
	promises := h.State().Policy.Document().Promises
	if i := slices.IndexFunc(promises, func(p access.Promise) bool { return p.Path == "/visit" && p.Who == "stranger" && p.Must == "not-open" }); i < 0 {
		t.Errorf("the promise: %+v", promises)
	}
	if i := slices.IndexFunc(doc.Team, func(e access.TeamEntry) bool { return !e.Accepted && e.Under == "/visit" }); i < 0 {
		t.Errorf("the section: %+v", doc.Team)
	}
	inv, err := store.WaitingInvitations(ctx, h.DB(), h.State().ID("society"))
	if err != nil || !slices.ContainsFunc(inv, func(i store.Invitation) bool {
		return slices.ContainsFunc(i.To, func(to store.Invited) bool { return to.Under == "/visit" })
	}) {
		t.Errorf("the invitation: %+v %v", inv, err)
	}
	r, err := store.FindRehearsal(ctx, h.DB(), h.State().ID("society"), ines.Who)
	if err != nil || r == nil || !slices.ContainsFunc(r.Draft.Passes, func(p access.Pass) bool { return p.ID == "tried" && p.Under == "/visit" }) {
		t.Errorf("what is tried out: %+v %v", r, err)
	}
	if was, is := fmt.Sprint(membership.Comments), fmt.Sprint(s.Membership.Comments); strings.ReplaceAll(was, "/members", "/visit") != is {
		t.Errorf("where members write: %s, then %s", was, is)
	}
	if drift := h.Drift(ctx); drift != "" {
		t.Error(drift)
	}
	// and back to the edition before
	if err := pages.PublishAgain(ctx, h, ines, "society", s.Live.Number-1); err != nil {
		t.Fatal(err)
	}
	if stranger("/members") == access.Open || stranger("/visit") != access.Open || len(h.State().Site("society").Comments["/members"]) != said {
		t.Error("going back did not take everything back")
	}
}

// Comments of a deleted page are no other page's, and are its own again when it comes back.
func TestCommentsOfADeletedPageWaitForIt(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	said := len(comments(t, h))
	if said == 0 {
		_, author := aMember(t, h)
		if _, err := members.Comment(ctx, h, "society", "/members", author.Who, "Behind the door."); err != nil {
			t.Fatal(err)
		}
		said = len(comments(t, h))
	}
	edition := h.State().Site("society").Live.Number
	if err := pages.DropPage(ctx, h, ines, "society", pageAt(t, h, "society", "/members").ID); err != nil {
		t.Fatal(err)
	}
	if _, err := pages.MovePage(ctx, h, ines, "society", pageAt(t, h, "society", "/visit").ID, "/members", true, true); err != nil {
		t.Fatal(err)
	}
	publish(t, h, ines, "society")
	for path, list := range h.State().Site("society").Comments {
		t.Errorf("%d comments are on %s", len(list), path)
	}
	if d := h.State().Policy.Site("society").Decide("/members", &access.Visitor{}, access.At(h.Now())); d.Outcome != access.Open {
		t.Errorf("the page that moved has the door of the one that is gone: %v", d.Outcome)
	}
	if err := pages.PublishAgain(ctx, h, ines, "society", edition); err != nil {
		t.Fatal(err)
	}
	if n := len(comments(t, h)); n != said {
		t.Errorf("%d of %d comments came back", n, said)
	}
}
