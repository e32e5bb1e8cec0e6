package house_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"velada/app/members"
	"velada/app/people"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// asking has somebody ask to be let in, and returns what they asked.
func asking(t *testing.T, h *house.House, site, path, address string) store.LetIn {
	t.Helper()
	a, err := access.ParseAddress(address)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := members.Ask(ctx, h, site, "", store.LetIn{Path: path, Word: "Please", Who: h.State().WhoHas(a)}, house.From{}, nil); err != nil {
		t.Fatal(err)
	}
	list, err := store.LetIns(ctx, h.DB(), h.State().ID(site))
	if err != nil || len(list) == 0 {
		t.Fatal(err)
	}
	return list[len(list)-1]
}

// applyTo applies a change to a site, and means it.
func applyTo(t *testing.T, h *house.House, a house.Actor, site string, c change) {
	t.Helper()
	err := rehearse(h, a, site, c)
	if err == nil {
		err = h.Trays.Apply(ctx, a, site, true)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// wayIDs are the ids of ways to say yes.
func wayIDs(ways []members.WayToSayYes) (ids []string) {
	for _, w := range ways {
		ids = append(ids, w.ID)
	}
	return ids
}

func opens(h *house.House, site, path, address string) bool {
	a, _ := access.ParseAddress(address)
	p := h.State().Policy
	return p.Site(site).Decide(path, &access.Visitor{Identity: p.Address(a)}, access.At(h.Now())).Outcome == access.Open
}

func TestSayingYesOpensWhatItSaid(t *testing.T) {
	const zoe = "zoe@press.example"
	for _, way := range []string{"guest", "member"} {
		h := demoHouse(t)
		ines := who(t, h, "ines@cerroalcor.example")
		l := asking(t, h, "society", "/members/rota", zoe)
		ways := members.WaysToSayYes(ctx, h, ines, l)
		i := slices.IndexFunc(ways, func(w members.WayToSayYes) bool { return w.ID == way })
		if i < 0 || !ways[i].Enough || opens(h, "society", "/members/rota", zoe) {
			t.Fatalf("%s: %+v", way, ways)
		}
		var before []string
		for path := range h.State().Site("society").Working.Titles {
			if opens(h, "society", path, zoe) {
				before = append(before, path)
			}
		}
		if err := members.AnswerLetIn(ctx, h, ines, "society", l.ID, way, "Welcome to the hill"); err != nil {
			t.Fatal(way, err)
		}
		for path := range h.State().Site("society").Working.Titles {
			if got, want := opens(h, "society", path, zoe), slices.Contains(before, path) || slices.Contains(ways[i].Opens, path); got != want {
				t.Errorf("%s: %s opens %v, and %v was said", way, path, got, want)
			}
		}
		if list, err := h.Outbox.Mails(ctx, zoe, 9); err != nil || len(list) != 1 || !strings.Contains(list[0].Text, "Welcome to the hill") || !strings.Contains(list[0].Subject, "let in") {
			t.Errorf("%s: %+v %v", way, list, err)
		}
		if err := members.AnswerLetIn(ctx, h, ines, "society", l.ID, way, ""); !errors.Is(err, house.ErrNothing) {
			t.Errorf("%s: answered twice: %v", way, err)
		}
	}
}

func TestSayingNoOpensNothing(t *testing.T) {
	h := demoHouse(t)
	seun := who(t, h, "seun@cerroalcor.example")
	l := asking(t, h, "society", "/members", "zoe@press.example")
	policy := h.State().Policy
	if err := members.AnswerLetIn(ctx, h, seun, "society", l.ID, "", "Not this year"); err != nil {
		t.Fatal(err)
	}
	if h.State().Policy != policy {
		t.Error("something changed")
	}
	if list, err := h.Outbox.Mails(ctx, "zoe@press.example", 9); err != nil || len(list) != 1 || !strings.Contains(list[0].Text, "The answer is no") || !strings.Contains(list[0].Text, "Not this year") {
		t.Errorf("%+v %v", list, err)
	}
	if list, err := store.LetIns(ctx, h.DB(), h.State().ID("society")); err != nil || len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
}

// Whoever answers gives by an answer nothing that they could not give otherwise.
func TestAnAnswerGivesNoMoreThanOneHas(t *testing.T) {
	h := demoHouse(t)
	ines, bram, jonas := who(t, h, "ines@cerroalcor.example"), who(t, h, "bram@cerroalcor.example"), who(t, h, "jonas@cerroalcor.example")
	council := func(s *access.Site) {
		s.Team = append(s.Team, access.TeamEntry{Person: "bram", Role: "usher", Under: "/", Accepted: true})
		s.Doors[0].Ways = append(s.Doors[0].Ways, access.Way{Way: "groups", Groups: []string{"council", "night-crew"}})
	}
	applyTo(t, h, ines, "society", council)
	if err := people.SetKeepers(ctx, h, ines, "council", "Bram de Wit"); err != nil {
		t.Fatal(err)
	}
	l := asking(t, h, "society", "/members", "zoe@press.example")
	if ids := wayIDs(members.WaysToSayYes(ctx, h, bram, l)); !slices.Equal(ids, []string{"guest", "member", "group:council"}) {
		t.Errorf("an usher who keeps the council is offered %q", ids)
	}
	if err := members.AnswerLetIn(ctx, h, bram, "society", l.ID, "group:night-crew", ""); !errors.Is(err, house.ErrNothing) {
		t.Errorf("through a group that somebody else keeps: %v", err)
	}
	for role, from := range map[string]access.Instant{"admin": {}, "editor": access.At(h.Now().AddDate(0, 0, 7))} {
		applyTo(t, h, ines, "society", func(s *access.Site) {
			s.Team = append(s.Team, access.TeamEntry{Group: "council", Role: role, Under: "/", From: from, Accepted: true})
		})
		if ids := wayIDs(members.WaysToSayYes(ctx, h, bram, l)); slices.Contains(ids, "group:council") {
			t.Errorf("an usher is offered to make somebody %s: %q", role, ids)
		}
		policy := h.State().Policy
		if err := members.AnswerLetIn(ctx, h, bram, "society", l.ID, "group:council", ""); !errors.Is(err, house.ErrNothing) || h.State().Policy != policy {
			t.Errorf("an usher makes somebody %s: %v", role, err)
		}
		if ids := wayIDs(members.WaysToSayYes(ctx, h, ines, l)); !slices.Contains(ids, "group:council") {
			t.Errorf("a steward may: %q", ids)
		}
		applyTo(t, h, ines, "society", func(s *access.Site) { s.Team = s.Team[:len(s.Team)-1] })
	}
	for name, err := range map[string]error{
		"an editor":           members.AnswerLetIn(ctx, h, jonas, "society", l.ID, "guest", ""),
		"at another site":     members.AnswerLetIn(ctx, h, bram, "dossier", l.ID, "guest", ""),
		"a way made up":       members.AnswerLetIn(ctx, h, bram, "society", l.ID, "steward", ""),
		"what nobody asks":    members.AnswerLetIn(ctx, h, bram, "society", l.ID+7, "guest", ""),
		"a group of no way":   members.AnswerLetIn(ctx, h, ines, "society", l.ID, "group:antlia", ""),
		"a group made up":     members.AnswerLetIn(ctx, h, ines, "society", l.ID, "group:nobody", ""),
		"somebody of nowhere": members.AnswerLetIn(ctx, h, house.Actor{}, "society", l.ID, "guest", ""),
	} {
		if err == nil {
			t.Errorf("%s is heard", name)
		}
	}
	if opens(h, "society", "/members", "zoe@press.example") {
		t.Error("and in the end it opens")
	}
	if err := members.AnswerLetIn(ctx, h, bram, "society", l.ID, "group:council", ""); err != nil || !opens(h, "society", "/members", "zoe@press.example") {
		t.Errorf("the council, which has no rights again: %v", err)
	}
}

// Whoever is blocked among the members is not let in past that.
func TestSayingYesDoesNotUnblock(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	id := blockedMember(h)
	i := slices.IndexFunc(h.State().Policy.Document().People, func(p access.Person) bool { return p.ID == id })
	address := h.State().Policy.Document().People[i].Address
	l := asking(t, h, "society", "/members", address)
	if ids := wayIDs(members.WaysToSayYes(ctx, h, ines, l)); slices.Contains(ids, "member") {
		t.Errorf("%q", ids)
	}
	if err := members.AnswerLetIn(ctx, h, ines, "society", l.ID, "member", ""); !errors.Is(err, house.ErrNothing) {
		t.Error(err)
	}
}
