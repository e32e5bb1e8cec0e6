package house_test

import (
	"errors"
	"path"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/pages"
	"velada/app/people"
	"velada/app/rules"
	"velada/app/teams"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// demote takes somebody off the team of a site behind everybody's back.
func demote(t *testing.T, h *house.House, site, person string) {
	t.Helper()
	applyTo(t, h, who(t, h, "ines@cerroalcor.example"), site, func(s *access.Site) {
		s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Person == person })
	})
}

// What takes effect later asks for the right of whoever set it going, and ends where that is gone.
func TestAnInvitationOfSomebodyWithoutTheRightEnds(t *testing.T) {
	h := demoHouse(t)
	pilar := who(t, h, "pilar@cerroalcor.example")
	sent, err := teams.Invite(ctx, h, pilar, teams.Invitation{Addresses: []string{"bram@cerroalcor.example"}, Sites: []string{"society"}, Role: "admin"})
	if err != nil {
		t.Fatal(err)
	}
	demote(t, h, "society", "pilar")
	bram := who(t, h, "bram@cerroalcor.example")
	o, err := teams.FindOffer(ctx, h, path.Base(sent[0].Link))
	if err != nil || !o.Over {
		t.Errorf("it is offered still: %+v %v", o, err)
	}
	if _, err := teams.Accept(ctx, h, bram, o.ID); !errors.Is(err, teams.ErrInvitationEnded) {
		t.Errorf("accepted: %v", err)
	}
	if h.CanAnywhere(bram, "society") != 0 || slices.ContainsFunc(h.State().SiteDocument("society").Team, func(e access.TeamEntry) bool { return e.Person == "bram" }) {
		t.Error("they are on the team")
	}
	told := false
	if err := store.EachEntry(ctx, h.DB(), store.LedgerFilter{}, func(e store.Entry) error {
		told = told || strings.Contains(e.What, "may not give that role any more")
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if !told {
		t.Error("it ended without a word")
	}
	if w, err := store.WaitingInvitations(ctx, h.DB(), h.SiteID("society")); err != nil || slices.ContainsFunc(w, func(i store.Invitation) bool { return i.ID == o.ID }) {
		t.Errorf("it waits still: %v", err)
	}
}

// An invitation that somebody else sends again is theirs: it stands by what they may give.
func TestAnInvitationSentAgainIsTheSenders(t *testing.T) {
	h := demoHouse(t)
	pilar, ines := who(t, h, "pilar@cerroalcor.example"), who(t, h, "ines@cerroalcor.example")
	sent, err := teams.Invite(ctx, h, pilar, teams.Invitation{Addresses: []string{"bram@cerroalcor.example"}, Sites: []string{"society"}, Role: "admin"})
	if err != nil {
		t.Fatal(err)
	}
	o, _ := teams.FindOffer(ctx, h, path.Base(sent[0].Link))
	if _, err := teams.SendAgain(ctx, h, ines, "society", o.ID, false); err != nil {
		t.Fatal(err)
	}
	demote(t, h, "society", "pilar")
	if _, err := teams.Accept(ctx, h, who(t, h, "bram@cerroalcor.example"), o.ID); err != nil {
		t.Errorf("who sent it again may: %v", err)
	}
}

// A site is handed over by its owner alone, and to somebody whom the house counts on a team.
func TestHandingOver(t *testing.T) {
	h := demoHouse(t)
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	if err := teams.HandOver(ctx, h, ines, "society", "bram@cerroalcor.example", teams.StayAdmin); err != nil {
		t.Fatal(err)
	}
	list, err := store.WaitingInvitations(ctx, h.DB(), h.SiteID("society"))
	i := slices.IndexFunc(list, func(i store.Invitation) bool { return i.Stay != "" })
	if err != nil || i < 0 {
		t.Fatal(list, err)
	}
	if sent, err := teams.SendAgain(ctx, h, pilar, "society", list[i].ID, false); !errors.Is(err, house.ErrMayNot) || sent.Link != "" {
		t.Errorf("an admin has the link of a hand-over made anew: %v", err)
	}
	if err := h.ChangePeople(ctx, ines, house.PeopleChange{What: "x", Do: func(doc *access.Document) error {
		doc.Rules = append(doc.Rules, access.HouseRule{ID: "inside", Rule: "inside-team-only"})
		return nil
	}}); err != nil {
		t.Fatal(err)
	}
	outside := ""
	for _, p := range h.State().Policy.Document().People {
		if !strings.HasSuffix(p.Address, "@cerroalcor.example") && !strings.HasSuffix(p.Address, ".cerroalcor.example") && !p.Blocked {
			outside = p.Address
		}
	}
	var wrong house.FieldErrors
	if err := teams.HandOver(ctx, h, ines, "society", outside, teams.StayAway); !errors.As(err, &wrong) || !strings.Contains(wrong["to"], "house rule") {
		t.Errorf("handed over to %s, who is not counted on a team: %v", outside, err)
	}
}

// A slip is made by the manager of the group in which an account begins, opens nothing that they cannot
// open, and ends with their right.
func TestSlipsAreTheManagersOwn(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	bram, jonas := who(t, h, "bram@cerroalcor.example"), who(t, h, "jonas@cerroalcor.example")
	learner := ""
	err := h.ChangePeople(ctx, ines, house.PeopleChange{What: "x", Do: func(doc *access.Document) error {
		doc.People = append(doc.People, access.Person{ID: "lena", Name: "Lena", Address: "lena@aula.cerroalcor.example"}, access.Person{ID: "ole", Name: "Ole", Address: "ole@aula.cerroalcor.example"})
		doc.Groups = append(doc.Groups, access.Group{ID: "mine", Name: "Mine", People: []string{"lena", "ole"}}, access.Group{ID: "theirs", Name: "Theirs", People: []string{"lena"}})
		learner = "lena"
		return nil
	}, Also: func(tx *house.Tx) error {
		return errors.Join(store.SaveKeepers(ctx, tx, "mine", []store.Who{bram.Who}), store.SaveKeepers(ctx, tx, "theirs", []store.Who{jonas.Who}))
	}})
	if err != nil || learner == "" {
		t.Fatal(err)
	}
	for group, by := range map[string]house.Actor{"mine": bram, "theirs": jonas} {
		if slips, left, err := people.MakeSlips(ctx, h, by, group, []string{"lena"}, true); err != nil || len(slips) != 0 || len(left) != 1 || !strings.Contains(left[0].Text, "in another group too") {
			t.Errorf("%s: %v %v %v", group, slips, left, err)
		}
	}
	slips, left, err := people.MakeSlips(ctx, h, bram, "mine", []string{"ole"}, true)
	if err != nil || len(slips) != 1 {
		t.Fatal(slips, left, err)
	}
	from := house.From{IP: "192.0.2.1"}
	if _, err := accounts.SignIn(ctx, h, "ole@aula.cerroalcor.example", slips[0].Code, from); err != nil {
		t.Fatalf("the slip lets nobody in: %v", err)
	}
	// into the group of another, before the first sign-in
	if err := h.ChangePeople(ctx, ines, people.PutIn(h, "theirs", []string{"ole"})); err != nil {
		t.Fatal(err)
	}
	if slips, left, err := people.MakeSlips(ctx, h, jonas, "theirs", []string{"ole"}, true); err != nil || len(slips) != 0 || len(left) != 1 || !strings.Contains(left[0].Text, "began elsewhere") {
		t.Errorf("another's learner: %v %v %v", slips, left, err)
	}
	// a page that the manager cannot open, though they were in the group
	applyTo(t, h, ines, "society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/courses", Mode: "instead", Ways: []access.Way{{Way: "people", People: []string{"ole"}}}})
	})
	if slips, left, err := people.MakeSlips(ctx, h, bram, "mine", []string{"ole"}, true); err != nil || len(slips) != 0 || len(left) != 1 || !strings.Contains(left[0].Text, "can open pages that you cannot") {
		t.Errorf("a learner who opens more: %v %v %v", slips, left, err)
	}
	if err := h.Change(ctx, ines, house.Needs{Steward: true}, func(tx *house.Tx) error {
		return store.SaveKeepers(ctx, tx, "mine", nil)
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := accounts.SignIn(ctx, h, "ole@aula.cerroalcor.example", slips[0].Code, from); err == nil {
		t.Error("the slip of somebody who manages the group no more lets in")
	}
	if a, err := store.FindAccount(ctx, h.DB(), "ole"); err != nil || a.Password != "" {
		t.Errorf("the code stays: %+v %v", a, err)
	}
}

// A preview ends with the right of whoever shared it, and an exception with that of whoever asked.
func TestPreviewsAndExceptionsAskAgain(t *testing.T) {
	h := demoHouse(t)
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	if err := pages.SharePreview(ctx, h, pilar, "society", "Press", h.Now().Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	list, err := pages.PreviewsFor(ctx, h, pilar, "society")
	if err != nil || len(list) != 1 {
		t.Fatal(list, err)
	}
	token := pages.PreviewToken(h, list[0].ID)
	if _, err := pages.FindPreview(ctx, h, token); err != nil {
		t.Fatal(err)
	}
	if err := h.ChangePeople(ctx, ines, house.PeopleChange{What: "x", Do: func(doc *access.Document) error {
		doc.Rules = append(doc.Rules, access.HouseRule{ID: "r-in", Rule: "sign-in-required"})
		return nil
	}}); err != nil {
		t.Fatal(err)
	}
	if err := rules.Ask(ctx, h, pilar, "society", "r-in", "please"); err != nil {
		t.Fatal(err)
	}
	demote(t, h, "society", "pilar")
	if _, err := pages.FindPreview(ctx, h, token); !errors.Is(err, pages.ErrNoPreview) {
		t.Errorf("the preview opens still: %v", err)
	}
	asked, err := store.Exceptions(ctx, h.DB())
	if err != nil || len(asked) == 0 {
		t.Fatal(asked, err)
	}
	if err := h.ChangePeople(ctx, ines, rules.Grant(h, asked[len(asked)-1])); err == nil || !strings.Contains(err.Error(), "may not set anything") {
		t.Errorf("an exception is granted to somebody without a right there: %v", err)
	}
}
