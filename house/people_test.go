package house_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/people"
	"velada/app/teams"
	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/store"
)

func apply(t *testing.T, h *house.House, a house.Actor, c house.PeopleChange, err error) {
	t.Helper()
	if err == nil {
		err = h.ChangePeople(ctx, a, c)
	}
	if err != nil {
		t.Fatal(err)
	}
}

func TestAPersonLeavesAndEveryDoorCloses(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	reach := func(id string) int {
		identity, _ := h.State().Policy.Person(id)
		n := 0
		for _, r := range h.State().Policy.Reach(identity, access.At(h.Now())) {
			n += len(r.Pages) + len(r.Team)
		}
		return n
	}
	if reach("aiko") == 0 || reach("katya-cifuentes") == 0 {
		t.Fatal("nothing to lose")
	}
	for _, id := range []string{"aiko", "katya-cifuentes"} {
		change, err := people.LeaveHouse(h, id)
		plan, perr := h.PreviewPeople(ctx, ines, change)
		if perr != nil || plan.Impact.Lose.People.Count() != 1 || reach(id) == 0 {
			t.Fatalf("the rehearsal: %+v %v", plan, perr)
		}
		apply(t, h, ines, change, err)
		if got := reach(id); got != 0 {
			t.Errorf("%s still reaches %d", id, got)
		}
	}
	// the whole house, read anew, says the same
	if err := h.Reload(ctx); err != nil || reach("aiko") != 0 {
		t.Error(err)
	}
	if change, err := people.LeaveHouse(h, "ines"); err != nil || h.ChangePeople(ctx, ines, change) == nil {
		t.Error("the last steward and owner leaves")
	}
	pilar := who(t, h, "pilar@cerroalcor.example")
	if change, _ := people.LeaveHouse(h, "bram"); !errors.Is(h.ChangePeople(ctx, pilar, change), house.ErrMayNot) {
		t.Error("who is no steward")
	}
}

func TestTwoRecordsOfOnePersonBecomeOne(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	doc := h.State().Policy.Document()
	member := doc.Sites[0].Members[0].Who
	change, err := people.Merge(h, "bram", member, "")
	apply(t, h, ines, change, err)
	if doc = h.State().Policy.Document(); slices.ContainsFunc(doc.People, func(p access.Person) bool { return p.ID == member }) {
		t.Error("the other record is still there")
	}
	if !slices.ContainsFunc(doc.Sites[0].Members, func(m access.Member) bool { return m.Who == "bram" && m.Status == "approved" }) {
		t.Error("the membership is lost")
	}
	var wrong house.FieldErrors
	for _, with := range []string{"bram", "nobody", ""} {
		if _, err := people.Merge(h, "bram", with, ""); !errors.As(err, &wrong) {
			t.Errorf("with %q: %v", with, err)
		}
	}
	var f people.PersonForm
	f.ID, f.Name, f.Address = "salma", "Salma Rachidi", "BRAM@cerroalcor.example"
	if _, err := people.ChangePerson(h, f); !errors.As(err, &wrong) || !strings.Contains(wrong["address"], "merge the two") {
		t.Errorf("another's address: %v", err)
	}
}

func TestDeletingAGroupTakesItFromWhatHangsOnIt(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	if uses := people.UsesOf(h, "antlia"); len(uses) < 3 {
		t.Errorf("%+v", uses)
	}
	change, err := people.ChangeGroup(h, people.GroupForm{Name: "A ring", Groups: []string{"antlia"}})
	apply(t, h, ines, change, err)
	apply(t, h, ines, people.DeleteGroup(h, "antlia"), nil)
	doc := h.State().Policy.Document()
	if parts.GroupAt(doc, "antlia") != nil || len(people.UsesOf(h, "antlia")) != 0 || len(parts.GroupAt(doc, "a-ring").Groups) != 0 {
		t.Error("it is still there")
	}
	door, there := parts.DoorAt(h.State().SiteDocument("variable-stars"), "/crew/antlia")
	if !there || slices.ContainsFunc(door.Ways, func(w access.Way) bool { return w.Way == "groups" && len(w.Groups) == 0 }) {
		t.Errorf("%+v", door)
	}
	if visitor := (access.Visitor{}); h.State().Policy.Site("variable-stars").Decide("/crew/antlia", &visitor, access.At(h.Now())).Outcome == access.Open {
		t.Error("deleting a group opens a door")
	}
}

func TestARosterKnowsPeopleByAnyOfTheirAddresses(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	text := "dn: cn=b\nobjectClass: person\nsn: x\ncn: Bram\nmail: nobody@lens.example\nmail: bram@cerroalcor.example\n\ndn: cn=n\nobjectClass: person\nsn: x\ncn: New\nmail: not an address\nmail: new@lens.example\nmail: newer@lens.example\n"
	plan := planned(t, h, ines, "night-crew", text, func(f *people.RosterForm) { f.Gone = false })
	if len(plan.New) != 1 || plan.New[0].Address != "new@lens.example" || len(plan.Renamed) != 1 || plan.Renamed[0].Address != "bram@cerroalcor.example" || len(plan.Problems) != 0 {
		t.Errorf("%+v", plan)
	}
}

func takeIn(t *testing.T, h *house.House, a house.Actor, group, text string, set func(*people.RosterForm)) *people.RosterPlan {
	t.Helper()
	plan := planned(t, h, a, group, text, set)
	apply(t, h, a, plan.Change, nil)
	return plan
}

// planned works out what a roster would change.
func planned(t *testing.T, h *house.House, a house.Actor, group, text string, set func(*people.RosterForm)) *people.RosterPlan {
	t.Helper()
	sheet, err := roster.Read([]byte(text), roster.Options{Head: -1})
	if err != nil {
		t.Fatal(err)
	}
	f := people.RosterForm{Sheet: sheet, Fields: sheet.Fields, Group: group, Teams: true, Gone: true}
	if set != nil {
		set(&f)
	}
	plan, err := people.PlanRoster(ctx, h, a, f)
	if err != nil {
		t.Fatal(err)
	}
	return plan
}

func TestARosterComesInAndAgainNextWeek(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	change, err := people.ChangeGroup(h, people.GroupForm{Name: "Night sky 1"})
	apply(t, h, ines, change, err)
	plan := takeIn(t, h, ines, "night-sky-1", "name,team,address\nNoor Haddad,Hydra,noor@aula.cerroalcor.example\nEmil Sol,Lyra,emil@aula.cerroalcor.example\nBram,Lyra,bram@cerroalcor.example\nBroken,Lyra,broken\nTwice,Lyra,noor@aula.cerroalcor.example\n,,\nNobody,Lyra,", nil)
	if len(plan.New) != 2 || len(plan.Moved) != 1 || len(plan.Renamed) != 1 || len(plan.Gone) != 0 || len(plan.Problems) != 3 || strings.Join(plan.Groups, " ") != "Hydra Lyra" {
		t.Errorf("%+v", plan)
	}
	if plan.Problems[0].Line != 5 || !strings.Contains(plan.Problems[1].Text, "line 2") {
		t.Errorf("%+v", plan.Problems)
	}
	groups := func() string {
		var list []string
		for _, p := range people.GroupPeople(h, "night-sky-1") {
			list = append(list, p.Name+":"+p.Group)
		}
		slices.Sort(list)
		return strings.Join(list, " ")
	}
	if got := groups(); got != "Bram:Lyra Emil Sol:Lyra Noor Haddad:Hydra" {
		t.Error(got)
	}
	plan = takeIn(t, h, ines, "night-sky-1", "name,team,address\nNoor Haddad,Lyra,noor@aula.cerroalcor.example\nBram,Lyra,bram@cerroalcor.example\nAda Neu,Hydra,ada.neu@aula.cerroalcor.example", nil)
	if len(plan.New) != 1 || len(plan.Moved) != 1 || len(plan.Gone) != 1 || plan.Same != 1 || len(plan.Groups) != 0 || plan.Moved[0].Text != "from Hydra to Lyra" {
		t.Errorf("next week: %+v", plan)
	}
	if got := groups(); got != "Ada Neu:Hydra Bram:Lyra Noor Haddad:Lyra" {
		t.Error(got)
	}
	// a list without teams leaves everybody where they stand
	plan = takeIn(t, h, ines, "night-sky-1", "ada.neu@aula.cerroalcor.example\nbram@cerroalcor.example\nnoor@aula.cerroalcor.example", func(f *people.RosterForm) { f.Teams = false })
	if plan.Same != 3 || groups() != "Ada Neu:Hydra Bram:Lyra Noor Haddad:Lyra" {
		t.Errorf("%+v %s", plan, groups())
	}
	if err := h.Reload(ctx); err != nil || groups() != "Ada Neu:Hydra Bram:Lyra Noor Haddad:Lyra" {
		t.Errorf("what is kept differs: %v", err)
	}
}

func TestAKeeperLooksAfterLearnersAndNoMore(t *testing.T) {
	h := demoHouse(t)
	aiko := who(t, h, "aiko@cerroalcor.example") // keeps the variable stars class
	plan := takeIn(t, h, aiko, "variable-stars", "name,address,crew\nNoor Haddad,noor@aula.cerroalcor.example,Crew Antlia\nA Stranger,stranger@post.example,Crew Antlia", func(f *people.RosterForm) { f.Gone = false })
	if len(plan.New) != 1 || len(plan.Problems) != 1 || !strings.Contains(plan.Problems[0].Text, "Only a steward") {
		t.Errorf("%+v", plan)
	}
	slips, left, err := people.MakeSlips(ctx, h, aiko, "variable-stars", nil, false)
	if err != nil || len(slips) != 1 || slips[0].Address != "noor@aula.cerroalcor.example" || len(left) != 11 {
		t.Fatalf("%+v %+v %v", slips, left, err)
	}
	account, err := store.FindAccount(ctx, h.DB(), who(t, h, slips[0].Address).Who)
	if err != nil || !account.MustChange || strings.Contains(account.Password, slips[0].Code) {
		t.Errorf("%+v %v", account, err)
	}
	for _, typed := range []string{slips[0].Code, strings.ToUpper(slips[0].Code), strings.ReplaceAll(slips[0].Code, "-", " ")} {
		if _, err := accounts.SignIn(ctx, h, slips[0].Address, typed, house.From{IP: "192.0.2.1"}); err != nil {
			t.Errorf("%q: %v", typed, err)
		}
	}
	if _, _, err := people.MakeSlips(ctx, h, aiko, "council", nil, true); !errors.Is(err, house.ErrMayNot) {
		t.Error(err)
	}
	// a colleague among them: with a mailbox, and as one who keeps a group
	ines := who(t, h, "ines@cerroalcor.example")
	apply(t, h, ines, people.PutIn(h, "variable-stars", []string{"mateo"}), nil)
	if slips, left, err := people.MakeSlips(ctx, h, aiko, "variable-stars", []string{"mateo"}, true); err != nil || len(slips) != 0 || !strings.Contains(left[0].Text, "a steward can do it") {
		t.Errorf("a keeper stands in for a mailbox: %+v %+v %v", slips, left, err)
	}
	if slips, _, err := people.MakeSlips(ctx, h, ines, "variable-stars", []string{"mateo"}, true); err != nil || len(slips) != 1 {
		t.Errorf("a steward, where no mail server is set up: %+v %v", slips, err)
	}
	if err := people.SetKeepers(ctx, h, ines, "antlia", "Noor Haddad"); err != nil {
		t.Fatal(err)
	}
	if slips, left, err := people.MakeSlips(ctx, h, aiko, "variable-stars", []string{"noor-haddad"}, true); err != nil || len(slips) != 0 || !strings.Contains(left[0].Text, "keeps a group") {
		t.Errorf("%+v %+v %v", slips, left, err)
	}
	var refusal access.TeamRefusal
	council := people.PutIn(h, "antlia", []string{"bram"})
	if err := h.ChangePeople(ctx, who(t, h, "noor@aula.cerroalcor.example"), council); err != nil && !errors.As(err, &refusal) {
		t.Error(err)
	}
}

// A first code lets whoever has it in as somebody: a keeper makes none for a learner
// who may write a section where the keeper may not.
func TestAKeeperMakesNoSlipForRightsTheyLack(t *testing.T) {
	h := demoHouse(t)
	ines, bram := who(t, h, "ines@cerroalcor.example"), who(t, h, "bram@cerroalcor.example")
	takeIn(t, h, ines, "antlia", "name,address\nNoor Haddad,noor@aula.cerroalcor.example", func(f *people.RosterForm) { f.Gone = false })
	if err := people.SetKeepers(ctx, h, ines, "antlia", "Bram de Wit"); err != nil {
		t.Fatal(err)
	}
	if slips, left, err := people.MakeSlips(ctx, h, bram, "antlia", []string{"noor-haddad"}, true); err != nil || len(slips) != 0 || !strings.Contains(left[0].Text, "what you may not") {
		t.Errorf("%+v %+v %v", slips, left, err)
	}
	if slips, _, err := people.MakeSlips(ctx, h, who(t, h, "aiko@cerroalcor.example"), "antlia", []string{"noor-haddad"}, true); err != nil || len(slips) != 1 {
		t.Errorf("by whoever may write there too: %+v %v", slips, err)
	}
}

// Whoever keeps a group that has rights on a site gives them to nobody, unless they
// have them: not to somebody of the house, not to somebody new, not by a code, not
// for later, and not by a group within it.
func TestAKeeperGivesNoRightsTheyLack(t *testing.T) {
	for name, entry := range map[string]access.TeamEntry{
		"the whole site": {Group: "council", Role: "publisher", Under: "/", Accepted: true},
		"a section":      {Group: "council", Role: "editor", Under: "/crew/lacerta", Accepted: true},
		"later":          {Group: "council", Role: "editor", Under: "/", Accepted: true},
	} {
		h := demoHouse(t)
		ines, keeper := who(t, h, "ines@cerroalcor.example"), who(t, h, "bram@cerroalcor.example")
		if name == "later" {
			entry.From = access.At(h.Now().Add(7 * 24 * time.Hour))
		}
		inner := people.GroupForm{Name: "Newcomers"}
		change, err := people.ChangeGroup(h, inner)
		apply(t, h, ines, change, err)
		council := *parts.GroupAt(h.State().Policy.Document(), "council")
		change, err = people.ChangeGroup(h, people.GroupForm{ID: "council", Name: council.Name, Groups: []string{"newcomers"}})
		apply(t, h, ines, change, err)
		applyTo(t, h, ines, "variable-stars", func(s *access.Site) { s.Team = append(s.Team, entry) })
		for _, g := range []string{"council", "newcomers"} {
			if err := people.SetKeepers(ctx, h, ines, g, "Bram de Wit"); err != nil {
				t.Fatal(err)
			}
		}
		before := h.State().Policy
		var refusal access.TeamRefusal
		for _, g := range []string{"council", "newcomers"} {
			if err := h.ChangePeople(ctx, keeper, people.PutIn(h, g, []string{"salma"})); !errors.As(err, &refusal) {
				t.Errorf("%s, %s: somebody of the house: %v", name, g, err)
			}
			if _, err := people.NewJoinCode(ctx, h, keeper, g, h.Now().Add(time.Hour), 3, false); !errors.As(err, &refusal) {
				t.Errorf("%s, %s: a code: %v", name, g, err)
			}
			sheet, err := roster.Read([]byte("name,address\nNoor Haddad,noor@aula.cerroalcor.example"), roster.Options{Head: -1})
			if err != nil {
				t.Fatal(err)
			}
			plan, err := people.PlanRoster(ctx, h, keeper, people.RosterForm{Sheet: sheet, Fields: sheet.Fields, Group: g})
			if err != nil {
				t.Fatal(err)
			}
			if err := h.ChangePeople(ctx, keeper, plan.Change); !errors.As(err, &refusal) {
				t.Errorf("%s, %s: somebody new: %v", name, g, err)
			}
		}
		if err := h.ChangePeople(ctx, keeper, people.TakeOut(h, "council", []string{"jonas"})); !errors.As(err, &refusal) {
			t.Errorf("%s: taken away: %v", name, err)
		}
		if h.State().Policy != before {
			t.Errorf("%s: something changed", name)
		}
		// whoever has the rights may
		applyTo(t, h, ines, "variable-stars", func(s *access.Site) {
			s.Team = append(s.Team, access.TeamEntry{Person: "bram", Role: "publisher", Under: "/", Accepted: true})
		})
		if err := h.ChangePeople(ctx, keeper, people.PutIn(h, "council", []string{"salma"})); err != nil {
			t.Errorf("%s: with the rights: %v", name, err)
		}
		code, err := people.NewJoinCode(ctx, h, keeper, "newcomers", h.Now().Add(time.Hour), 3, false)
		if err != nil {
			t.Fatal(name, err)
		}
		// and no longer once they are gone, also by a code from before
		applyTo(t, h, ines, "variable-stars", func(s *access.Site) { s.Team = s.Team[:len(s.Team)-1] })
		if _, err := people.Join(ctx, h, people.Joining{Code: code.Code, Name: "Zoë Lara", Password: "walnut ferry indigo moss"}, house.From{IP: "192.0.2.1"}); !errors.As(err, &refusal) {
			t.Errorf("%s: by a code from before: %v", name, err)
		}
	}
}

func TestJoinCodesEndAndAreCounted(t *testing.T) {
	h := demoHouse(t)
	aiko := who(t, h, "aiko@cerroalcor.example")
	var wrong house.FieldErrors
	if _, err := people.NewJoinCode(ctx, h, aiko, "antlia", h.Now(), 3, false); !errors.As(err, &wrong) {
		t.Errorf("a code that ended: %v", err)
	}
	code, err := people.NewJoinCode(ctx, h, aiko, "antlia", h.Now().Add(time.Hour), 1, false)
	if err != nil || len(strings.Split(code.Code, "-")) != 5 {
		t.Fatal(code, err)
	}
	if _, err := people.Join(ctx, h, people.Joining{Code: code.Code, Name: "", Password: "x"}, house.From{IP: "192.0.2.1"}); !errors.As(err, &wrong) || wrong["name"] == "" || wrong["password"] == "" {
		t.Error(err)
	}
	done, err := people.Join(ctx, h, people.Joining{Code: strings.ToUpper(strings.ReplaceAll(code.Code, "-", "  ")), Name: "Zoë Lara", Password: "walnut ferry indigo moss"}, house.From{IP: "192.0.2.1"})
	if err != nil || done.Address != "zoe-lara@aula.cerroalcor.example" || done.Waits {
		t.Fatalf("%+v %v", done, err)
	}
	zoe := who(t, h, done.Address)
	if !h.State().Policy.InGroup("antlia", h.State().Identity(zoe.Who), access.At(h.Now())) || !h.CanAnywhere(zoe, "variable-stars").Has(access.Write) {
		t.Error("she is not in")
	}
	if _, err := accounts.SignIn(ctx, h, done.Address, "walnut ferry indigo moss", house.From{IP: "192.0.2.1"}); err != nil {
		t.Error(err)
	}
	if _, err := people.Join(ctx, h, people.Joining{Code: code.Code, Name: "Another", Password: "walnut ferry indigo moss"}, house.From{IP: "192.0.2.1"}); !errors.As(err, &wrong) || wrong["code"] == "" {
		t.Errorf("used up: %v", err)
	}
	code, err = people.NewJoinCode(ctx, h, aiko, "antlia", h.Now().Add(time.Hour), 5, true)
	if err != nil {
		t.Fatal(err)
	}
	done, err = people.Join(ctx, h, people.Joining{Code: code.Code, Name: "Zoë Lara", Password: "walnut ferry indigo moss"}, house.From{IP: "192.0.2.1"})
	if err != nil || !done.Waits || done.Address != "zoe-lara-2@aula.cerroalcor.example" {
		t.Fatalf("%+v %v", done, err)
	}
	waiting, err := store.JoinRequests(ctx, h.DB(), "antlia")
	if err != nil || len(waiting) != 1 {
		t.Fatal(waiting, err)
	}
	if _, err := accounts.SignIn(ctx, h, done.Address, "walnut ferry indigo moss", house.From{IP: "192.0.2.1"}); err == nil {
		t.Error("there is an account before it was approved")
	}
	if err := people.AnswerJoin(ctx, h, aiko, "antlia", waiting[0].ID, true); err != nil {
		t.Error(err)
	}
	if !h.State().Policy.InGroup("antlia", h.State().Identity(who(t, h, done.Address).Who), access.At(h.Now())) {
		t.Error("approved, and not in")
	}
}

func TestSectionsForTheTeamsOfAClass(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	opens, _ := access.ParseInstant("2026-12-12T19:00:00Z")
	made, err := teams.GiveSections(ctx, h, ines, "august", teams.SectionsForm{Class: "variable-stars", Parent: "/teams", Opens: opens, OpensTo: "anyone"})
	if err != nil || made != 3 {
		t.Fatal(made, err)
	}
	tray, err := h.Trays.Tray(ctx, ines, "august")
	if err != nil || len(tray.Draft.Doors) != 3 || len(tray.Draft.Team) < 3 {
		t.Fatalf("%+v %v", tray, err)
	}
	if err := h.Trays.Apply(ctx, ines, "august", true); err != nil {
		t.Fatal(err)
	}
	published := *h.State().SiteDocument("august")
	published.State = "live"
	for _, crew := range []string{"antlia", "corvus", "lacerta"} {
		published.Pages = append(published.Pages, access.Page{Path: "/teams/crew-" + crew, Listing: true})
	}
	p, err := h.State().Policy.Replace(&published)
	if err != nil {
		t.Fatal(err)
	}
	opensTo := func(id, path string, at access.Instant) bool {
		v := access.Visitor{}
		if id != "" {
			v.Identity, _ = p.Person(id)
		}
		return p.Site("august").Decide(path, &v, at).Outcome == access.Open
	}
	now := access.At(h.Now())
	if !opensTo("katya-cifuentes", "/teams/crew-antlia", now) || opensTo("katya-cifuentes", "/teams/crew-corvus", now) || opensTo("", "/teams/crew-antlia", now) {
		t.Error("teams see each other before the day")
	}
	if !opensTo("katya-cifuentes", "/teams/crew-corvus", opens) || !opensTo("", "/teams/crew-antlia", opens) {
		t.Error("it does not open on the day")
	}
	states, err := teams.Sections(ctx, h, "august")
	if err != nil || len(states) != 3 || states[0].Pages != 1 || states[0].People != 4 || !states[0].LastAt.IsZero() {
		t.Errorf("%+v %v", states, err)
	}
	var wrong house.FieldErrors
	if _, err := teams.GiveSections(ctx, h, ines, "august", teams.SectionsForm{Class: "council", Parent: "/", OpensTo: "pass:none"}); !errors.As(err, &wrong) || len(wrong) != 3 {
		t.Errorf("%v", err)
	}
	if _, err := teams.GiveSections(ctx, h, who(t, h, "jonas@cerroalcor.example"), "society", teams.SectionsForm{}); !errors.Is(err, house.ErrMayNot) {
		t.Error(err)
	}
}
