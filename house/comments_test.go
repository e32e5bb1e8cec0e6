package house_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"

	"velada/app/members"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// comments are those of the society's page for members, as they are kept.
func comments(t *testing.T, h *house.House) []store.Comment {
	t.Helper()
	return h.State().Site("society").Comments["/members"]
}

// aMember is one of the society's members, by person and as they are signed in.
func aMember(t *testing.T, h *house.House) (person string, a house.Actor) {
	t.Helper()
	members, people := h.State().SiteDocument("society").Members, h.State().Policy.Document().People
	i := slices.IndexFunc(members, func(m access.Member) bool { return m.Status == "approved" })
	k := slices.IndexFunc(people, func(p access.Person) bool { return p.ID == members[i].Who })
	return people[k].ID, who(t, h, people[k].Address)
}

func TestACommentIsItsAuthorsAndTheUshers(t *testing.T) {
	h := demoHouse(t)
	person, author := aMember(t, h)
	seun, jonas := who(t, h, "seun@cerroalcor.example"), who(t, h, "jonas@cerroalcor.example")
	before := len(comments(t, h))
	held, err := members.Comment(ctx, h, "society", "/members", author.Who, "  The gate squeaks.  ")
	if err != nil || !held {
		t.Fatal(held, err)
	}
	list := comments(t, h)
	mine := list[len(list)-1]
	if len(list) != before+1 || mine.Text != "The gate squeaks." || mine.Status != "held" || mine.Person != person {
		t.Errorf("%+v", mine)
	}
	find := func() store.Comment {
		t.Helper()
		c, err := store.FindComment(ctx, h.DB(), h.State().ID("society"), mine.ID)
		if err != nil || c == nil {
			t.Fatal(c, err)
		}
		return *c
	}
	for name, err := range map[string]error{
		"an editor approves":         moderate(ctx, h, jonas, "society", mine.ID, true),
		"an usher elsewhere":         moderate(ctx, h, seun, "variable-stars", mine.ID, true),
		"somebody else changes it":   members.ChangeComment(ctx, h, "society", mine.ID, seun.Who, "mine"),
		"too long":                   members.ChangeComment(ctx, h, "society", mine.ID, author.Who, strings.Repeat("x", 20000)),
		"as if on another site":      members.ChangeComment(ctx, h, "variable-stars", mine.ID, author.Who, "there"),
		"one that there is not":      members.ChangeComment(ctx, h, "society", mine.ID+99, author.Who, "there"),
		"on a page without comments": func() error { _, err := members.Comment(ctx, h, "society", "/visit", author.Who, "x"); return err }(),
		"by no member":               func() error { _, err := members.Comment(ctx, h, "society", "/members", jonas.Who, "x"); return err }(),
	} {
		if err == nil || find() != mine {
			t.Errorf("%s: %v %+v", name, err, find())
		}
	}
	if err := moderate(ctx, h, seun, "society", mine.ID, true); err != nil || find().Status != "shown" {
		t.Fatal(err, find())
	}
	if err := moderate(ctx, h, seun, "society", mine.ID, true); !errors.Is(err, house.ErrNothing) {
		t.Errorf("approved twice: %v", err)
	}
	if err := members.ChangeComment(ctx, h, "society", mine.ID, author.Who, "The gate sings."); err != nil || find().Status != "held" || !find().Changed || find().Text != "The gate sings." {
		t.Errorf("what was approved is not what it says now: %v %+v", err, find())
	}
	if err := moderate(ctx, h, seun, "society", mine.ID, false); err != nil || find().Status != "removed" || len(comments(t, h)) != before {
		t.Errorf("%v %+v", err, find())
	}
	for name, err := range map[string]error{
		"changed by its author": members.ChangeComment(ctx, h, "society", mine.ID, author.Who, "Back again"),
		"approved":              moderate(ctx, h, seun, "society", mine.ID, true),
	} {
		if err == nil || find().Status != "removed" {
			t.Errorf("removed, and %s: %v", name, err)
		}
	}
	entries, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{Sites: []store.SiteID{h.State().ID("society")}, Most: 2})
	if err != nil || !strings.Contains(entries[0].What, "removed") || !strings.Contains(entries[1].What, "approved") || entries[0].Who != "seun@cerroalcor.example" {
		t.Errorf("%+v %v", entries, err)
	}
}

func TestABlockedMemberSaysNothingMore(t *testing.T) {
	h := demoHouse(t)
	person, author := aMember(t, h)
	if _, err := members.Comment(ctx, h, "society", "/members", author.Who, "One"); err != nil {
		t.Fatal(err)
	}
	list := comments(t, h)
	mine := list[len(list)-1]
	if _, err := members.ChangeMembers(ctx, h, who(t, h, "seun@cerroalcor.example"), members.MembersChange{Site: "society", People: []string{person}, Change: members.Block, Word: ""}); err != nil {
		t.Fatal(err)
	}
	if _, err := members.Comment(ctx, h, "society", "/members", author.Who, "Two"); !errors.Is(err, house.ErrMayNot) {
		t.Errorf("writes: %v", err)
	}
	if err := members.ChangeComment(ctx, h, "society", mine.ID, author.Who, "Three"); !errors.Is(err, house.ErrMayNot) {
		t.Errorf("changes: %v", err)
	}
}

func TestWhoWritesMuchWaits(t *testing.T) {
	h := demoHouse(t)
	_, author := aMember(t, h)
	var wrong house.FieldErrors
	var err error
	for range 12 {
		if _, err = members.Comment(ctx, h, "society", "/members", author.Who, "Again"); err != nil {
			break
		}
	}
	if !errors.As(err, &wrong) || !strings.Contains(wrong["text"], "Wait a little") {
		t.Error(err)
	}
}

// Whoever is from outside the house learns of those alone who have to do with the
// site that they are at work on.
func TestOutsidersKnowOnlyWhoIsTied(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	applyTo(t, h, ines, "variable-stars", func(s *access.Site) {
		s.Team = append(s.Team, access.TeamEntry{Person: "tobias", Role: "admin", Under: "/", Accepted: true})
	})
	tobias := who(t, h, "tobias@lens.example")
	doc := h.KnownTo(tobias, "variable-stars")
	var groups, names []string
	for _, g := range doc.Groups {
		groups = append(groups, g.ID)
	}
	for _, p := range doc.People {
		names = append(names, p.ID)
	}
	slices.Sort(groups)
	if !slices.Equal(groups, []string{"antlia", "corvus", "lacerta", "variable-stars"}) {
		t.Errorf("groups: %q", groups)
	}
	for name, known := range map[string]bool{"tobias": true, "ines": true, "aiko": true, "mateo": true, "mirela": true, "katya-cifuentes": true, "pilar": false, "seun": false, "bram": false, "salma": false} {
		if slices.Contains(names, name) != known {
			t.Errorf("%s is known: %v", name, !known)
		}
	}
	if all := h.KnownTo(who(t, h, "pilar@cerroalcor.example"), "variable-stars"); len(all.People) != len(h.State().Policy.Document().People) {
		t.Error("whoever is of the house knows the house")
	}
	if none := h.KnownTo(tobias, "nowhere"); len(none.Groups) != 0 || len(none.People) != 1 {
		t.Errorf("of a site that there is not: %d people", len(none.People))
	}
}

func moderate(ctx context.Context, h *house.House, a house.Actor, site string, id int64, show bool) error {
	_, err := members.ModerateComments(ctx, h, a, site, []int64{id}, show)
	return err
}
