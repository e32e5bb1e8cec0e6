package house_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/core/access"
	"velada/core/parts"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/store"
)

// clockedHouse is the demo house with a clock that is moved by hand.
func clockedHouse(t testing.TB) (*house.House, *time.Time) {
	t.Helper()
	now := demo.Start
	db := demotest.Open(t)
	h, err := house.Open(ctx, db, func() time.Time { return now })
	if err != nil {
		t.Fatal(err)
	}
	return h, &now
}

func TestApplyLater(t *testing.T) {
	h, now := clockedHouse(t)
	pilar := who(t, h, "pilar@cerroalcor.example")
	if err := rehearse(h, pilar, "society", siteDoor(access.Way{Way: "members"})); err != nil {
		t.Fatal(err)
	}
	if err := h.Trays.ApplyLater(ctx, pilar, "society", *now, false); !errors.Is(err, house.ErrPast) {
		t.Errorf("at a time that has passed: %v", err)
	}
	due := now.Add(3 * time.Hour)
	if err := h.Trays.ApplyLater(ctx, pilar, "society", due, false); err != nil {
		t.Fatal(err)
	}
	kind := func(h *house.House) string {
		if err := applyDue(h); err != nil {
			t.Fatal(err)
		}
		return h.State().SiteDocument("society").Door.Ways[0].Way
	}
	*now = due.Add(-time.Second)
	if got := kind(h); got != "anyone" {
		t.Errorf("a second early it is %s", got)
	}
	*now = due
	again, err := house.Open(ctx, h.DB(), func() time.Time { return *now }) // it outlives a restart
	if err != nil {
		t.Fatal(err)
	}
	if got := kind(again); got != "members" {
		t.Errorf("when it is due it is %s", got)
	}
	entries, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{Sites: []store.SiteID{h.State().ID("society")}, Most: 1})
	if err != nil || len(entries) != 1 || entries[0].Who != "pilar@cerroalcor.example" || entries[0].At != due.UTC().Format(time.RFC3339) {
		t.Errorf("%+v %v", entries, err)
	}
}

func TestWhatNoLongerFitsIsNotApplied(t *testing.T) {
	h, now := clockedHouse(t)
	pilar, ines := who(t, h, "pilar@cerroalcor.example"), who(t, h, "ines@cerroalcor.example")
	if err := errors.Join(
		rehearse(h, pilar, "society", siteDoor(access.Way{Way: "members"})),
		h.Trays.ApplyLater(ctx, pilar, "society", now.Add(time.Hour), false),
		rehearse(h, ines, "society", siteDoor(access.Way{Way: "signed-in"})),
		h.Trays.Apply(ctx, ines, "society", false),
	); err != nil {
		t.Fatal(err)
	}
	*now = now.Add(2 * time.Hour)
	if err := applyDue(h); err != nil {
		t.Fatal(err)
	}
	if got := h.State().SiteDocument("society").Door.Ways[0].Way; got != "signed-in" {
		t.Errorf("it overwrote what somebody else changed: %s", got)
	}
	tray, err := h.Trays.Tray(ctx, pilar, "society")
	if err != nil || tray == nil || !strings.Contains(tray.Trouble, "not applied by itself") || !tray.Due.IsZero() {
		t.Errorf("its author is not told: %+v %v", tray, err)
	}
}

// A change on a date is seen by everybody who works on the site, and so is that it will not be made; when it
// is not, the ledger, its author and the owners learn why.
func TestADatedChangeDoesNotEndInSilence(t *testing.T) {
	h, now := clockedHouse(t)
	pilar, ines := who(t, h, "pilar@cerroalcor.example"), who(t, h, "ines@cerroalcor.example")
	due := now.Add(time.Hour)
	if err := errors.Join(
		rehearse(h, pilar, "society", siteDoor(access.Way{Way: "members"})),
		h.Trays.ApplyLater(ctx, pilar, "society", due, true),
	); err != nil {
		t.Fatal(err)
	}
	dated := func() house.Dated {
		list, err := h.Trays.DatedOn(ctx, "society")
		if err != nil || len(list) != 1 {
			t.Fatalf("%+v %v", list, err)
		}
		return list[0]
	}
	if d := dated(); !d.Stands || d.Who != "pilar" || d.Changes == 0 || !d.Due.Equal(due) {
		t.Errorf("%+v", d)
	}
	applyTo(t, h, ines, "society", func(s *access.Site) {
		s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Person == "pilar" })
		s.Team = append(s.Team, access.TeamEntry{Person: "salma", Role: "owner", Under: "/", Accepted: true})
	})
	if dated().Stands {
		t.Error("it stands though its author went")
	}
	*now = due
	if err := applyDue(h); err != nil {
		t.Fatal(err)
	}
	const why = "who set the date, may no longer make this change"
	entries, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{Sites: []store.SiteID{h.State().ID("society")}, Most: 1})
	if err != nil || len(entries) != 1 || entries[0].Who != "velada" || !strings.Contains(entries[0].What, why) {
		t.Errorf("%+v %v", entries, err)
	}
	for _, person := range []store.Who{"pilar", "salma"} {
		told, err := store.Notices(ctx, h.DB(), person, 20)
		if err != nil || !slices.ContainsFunc(told, func(n store.Notice) bool { return strings.Contains(n.What, "not applied by") }) {
			t.Errorf("%s is not told: %+v %v", person, told, err)
		}
	}
	if list, err := h.Trays.DatedOn(ctx, "society"); err != nil || len(list) != 0 {
		t.Errorf("it still waits: %v %v", list, err)
	}
}

func TestChangingARehearsalCallsItOff(t *testing.T) {
	h, now := clockedHouse(t)
	pilar := who(t, h, "pilar@cerroalcor.example")
	if err := errors.Join(
		rehearse(h, pilar, "society", siteDoor(access.Way{Way: "members"})),
		h.Trays.ApplyLater(ctx, pilar, "society", now.Add(time.Hour), false),
		rehearse(h, pilar, "society", siteDoor()),
	); err != nil {
		t.Fatal(err)
	}
	*now = now.Add(2 * time.Hour)
	if err := applyDue(h); err != nil || len(h.State().SiteDocument("society").Door.Ways) != 1 {
		t.Errorf("what nobody looked at was applied (%v)", err)
	}
}

func TestWhatIsGraveMustBeMeant(t *testing.T) {
	h, now := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	open := func(s *access.Site) {
		for i := range s.Doors {
			if s.Doors[i].Path == "/crew/antlia" {
				s.Doors[i].Mode, s.Doors[i].Ways = "instead", []access.Way{{Way: "anyone"}}
			}
		}
	}
	if err := rehearse(h, ines, "variable-stars", open); err != nil {
		t.Fatal(err)
	}
	if err := h.Trays.Apply(ctx, ines, "variable-stars", false); !errors.Is(err, house.ErrGrave) {
		t.Errorf("a promise was broken in passing: %v", err)
	}
	if err := h.Trays.ApplyLater(ctx, ines, "variable-stars", now.Add(time.Hour), false); !errors.Is(err, house.ErrGrave) {
		t.Errorf("later: %v", err)
	}
	if err := h.Trays.Apply(ctx, ines, "variable-stars", true); err != nil {
		t.Error(err)
	}
}

func TestShuttingOneselfOutMustBeMeant(t *testing.T) {
	h, _ := clockedHouse(t)
	pilar := who(t, h, "pilar@cerroalcor.example")
	err := rehearse(h, pilar, "society", func(s *access.Site) {
		s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Person == "pilar" })
	})
	if err != nil {
		t.Fatal(err)
	}
	if tray, err := h.Trays.Tray(ctx, pilar, "society"); err != nil || !tray.OwnLoss || tray.Changes[0].Text != "Pilar Quintero leaves the team, where they are admin for the whole site." {
		t.Errorf("%+v %v", tray, err)
	}
	if err := h.Trays.Apply(ctx, pilar, "society", false); !errors.Is(err, house.ErrGrave) {
		t.Errorf("not meant: %v", err)
	}
	if err := h.Trays.Apply(ctx, pilar, "society", true); err != nil {
		t.Errorf("meant: %v", err)
	}
	if err := rehearse(h, pilar, "society", siteDoor()); !errors.Is(err, house.ErrNoSite) {
		t.Errorf("off the team: %v", err)
	}
}

// Each is allowed to change what their capabilities reach, and nothing more.
func TestWhoMayChangeWhat(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	add := func(person, role string) func(s *access.Site) {
		return func(s *access.Site) {
			s.Team = append(s.Team, access.TeamEntry{Person: person, Role: role, Under: "/", Accepted: true})
		}
	}
	err := rehearse(h, ines, "society", func(s *access.Site) {
		s.Roles = []access.Role{{ID: "keeper", Can: []string{"preview", "door"}}, {ID: "chief", Can: []string{"preview", "team"}}}
		add("bram", "keeper")(s)
		add("salma", "chief")(s)
	})
	if err != nil {
		t.Fatal(err)
	}
	if err := h.Trays.Apply(ctx, ines, "society", true); err != nil {
		t.Fatal(err)
	}
	bram, salma, pilar := who(t, h, "bram@cerroalcor.example"), who(t, h, "salma@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	role := func(person, role string) func(s *access.Site) {
		return func(s *access.Site) {
			for i := range s.Team {
				if s.Team[i].Person == person {
					s.Team[i].Role = role
				}
			}
		}
	}
	var refusal access.TeamRefusal
	for _, c := range []struct {
		name   string
		by     house.Actor
		change func(s *access.Site)
		want   string // "" is allowed
	}{
		{"a keeper the door", bram, siteDoor(), ""},
		{"a keeper the team", bram, add("mateo", "viewer"), house.ErrMayNot.Error()},
		{"a chief the door", salma, siteDoor(), house.ErrMayNot.Error()},
		{"a chief a viewer", salma, add("mateo", "viewer"), ""},
		{"a chief an editor", salma, add("mateo", "editor"), "lets somebody edit pages, which you may not do yourself"},
		{"a chief a role", salma, func(s *access.Site) { s.Roles[0].Can = []string{"preview"} }, "cannot alter it"},
		{"a chief their own role", salma, func(s *access.Site) { s.Roles[1].Can = []string{"preview", "team", "write"} }, "which you may not do yourself"},
		{"an admin the owner", pilar, role("ines", "admin"), "hand the site over; you may not"},
		{"an admin an admin", pilar, add("mateo", "admin"), ""},
		{"the last owner", ines, role("ines", "admin"), "would have no owner"},
		{"a blocked member", ines, add(blockedMember(h), "viewer"), "is a blocked member"},
	} {
		err := rehearse(h, c.by, "society", c.change)
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
		if c.want != "" && c.want != house.ErrMayNot.Error() && !errors.As(err, &refusal) {
			t.Errorf("%s: %T", c.name, err)
		}
		_ = h.Trays.Discard(ctx, c.by, "society")
	}
}

func blockedMember(h *house.House) string {
	for _, m := range h.State().SiteDocument("society").Members {
		if m.Status == "blocked" {
			return m.Who
		}
	}
	return ""
}

func TestUndo(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	_, before, err := store.VerifyLedger(ctx, h.DB())
	if err := errors.Join(err,
		rehearse(h, ines, "society", siteDoor()), h.Trays.Apply(ctx, ines, "society", true),
		rehearse(h, ines, "society", pageDoor("/library", access.Way{Way: "members"})), h.Trays.Apply(ctx, ines, "society", true),
		h.Trays.Undo(ctx, ines, "society", int64(before+1)),
	); err != nil {
		t.Fatal(err)
	}
	if len(h.State().SiteDocument("society").Door.Ways) != 0 {
		t.Error("undoing is rehearsed first")
	}
	if err := h.Trays.Apply(ctx, ines, "society", true); err != nil {
		t.Fatal(err)
	}
	s := h.State().SiteDocument("society")
	if len(s.Door.Ways) != 1 || s.Door.Ways[0].Way != "anyone" {
		t.Errorf("the door is %+v", s.Door)
	}
	if _, there := parts.DoorAt(s, "/library"); !there {
		t.Error("what came later was undone too")
	}
	if err := h.Trays.Undo(ctx, ines, "society", 99); !errors.Is(err, house.ErrNothing) {
		t.Errorf("no such entry: %v", err)
	}
	if err := h.Trays.Undo(ctx, who(t, h, "tobias@lens.example"), "society", int64(before+1)); !errors.Is(err, house.ErrNoSite) {
		t.Errorf("by a stranger: %v", err)
	}
}

func TestPromisesAreWrittenAndTakenAway(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	p := access.Promise{Who: "stranger", Must: "not-open", Site: "society", Path: "/members", Below: true}
	if err := doors.AddPromise(ctx, h, ines, p); err != nil {
		t.Fatal(err)
	}
	list := h.State().Policy.Document().Promises
	if last := list[len(list)-1]; last.ID != "society-1" || last.Path != "/members" {
		t.Errorf("%+v", last)
	}
	p.Who = "person:nobody"
	var problems access.Problems
	if err := doors.AddPromise(ctx, h, ines, p); !errors.As(err, &problems) {
		t.Errorf("about nobody: %v", err)
	}
	if err := doors.AddPromise(ctx, h, who(t, h, "jonas@cerroalcor.example"), p); !errors.Is(err, house.ErrMayNot) {
		t.Errorf("by an editor: %v", err)
	}
	if err := doors.RemovePromise(ctx, h, ines, "society", "society-1"); err != nil || len(h.State().Policy.Document().Promises) != len(list)-1 {
		t.Error(err)
	}
	again, err := house.Open(ctx, h.DB(), h.Now)
	if err != nil || len(again.State().Policy.Document().Promises) != len(list)-1 {
		t.Error("after a restart:", err)
	}
}
