package house_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/app/pages"
	"velada/app/rounds"
	"velada/app/rules"
	"velada/core/access"
	find "velada/core/rounds"
	"velada/house"
	"velada/post"
	"velada/store"
)

// foundOn lists the kinds that rounds find on a site, with what each is about.
func foundOn(t *testing.T, h *house.House, r *rounds.Rounds, site string) map[find.Kind]find.Finding {
	t.Helper()
	look, err := r.Look(ctx)
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[find.Kind]find.Finding{}
	for _, f := range look.All {
		if f.Site == site {
			kinds[f.Kind] = f
		}
	}
	return kinds
}

// What is found of passwords and links follows from how they were made and used.
func TestRoundsKnowHowKeysAreUsed(t *testing.T) {
	h, now := clockedHouse(t)
	r := rounds.New(h)
	pilar := who(t, h, "pilar@cerroalcor.example")
	applyTo(t, h, pilar, "society", func(s *access.Site) {
		s.Links = append(s.Links, access.Link{ID: "press", Label: "Press", Under: "/members"})
		s.Doors = slices.Clone(s.Doors)
		s.Doors[0].Ways = append(slices.Clone(s.Doors[0].Ways), access.Way{Way: "link", Links: []string{"press"}})
	})
	if f := foundOn(t, h, r, "society"); f[find.UnusedLink].Thing != "" {
		t.Error("a link is told of on the day it was made")
	}
	*now = now.AddDate(0, 0, 31)
	if f := foundOn(t, h, r, "society"); f[find.UnusedLink].Thing != "press" {
		t.Errorf("a link that was never followed: %+v", f)
	}
	token := h.Keys.LinkToken("society", "press", 1)
	for i := range 60 {
		from := house.From{IP: fmt.Sprintf("198.51.%d.7", i)}
		if _, _, err := doors.FollowLink(ctx, h, "society", token, "", from); err != nil {
			t.Fatal(err)
		}
		if _, _, err := doors.FollowLink(ctx, h, "society", token, "", from); err != nil {
			t.Fatal(err)
		}
	}
	*now = now.Add(2 * time.Minute)
	f := foundOn(t, h, r, "society")
	if f[find.SpreadLink].Count != 60 || f[find.UnusedLink].Thing != "" {
		t.Errorf("a link followed from 60 places: %+v", f[find.SpreadLink])
	}
	var sources int
	if err := h.DB().QueryRowContext(ctx, `SELECT count(*) FROM link_sources WHERE source LIKE '%198.51%'`).Scan(&sources); err != nil || sources > 0 {
		t.Errorf("%d addresses are kept, %v", sources, err)
	}
	applyTo(t, h, pilar, "society", f[find.SpreadLink].Mend)
	if f := foundOn(t, h, r, "society"); f[find.SpreadLink].Thing != "" {
		t.Error("it is still found")
	}
}

func TestRoundsKnowWhatIsNotLive(t *testing.T) {
	h, now := clockedHouse(t)
	r := rounds.New(h)
	ines := who(t, h, "ines@cerroalcor.example")
	page := pageAt(t, h, "society", "/visit")
	if _, err := pages.SavePage(ctx, h, ines, "society", page.ID, page.Version, page.Title, page.Body+"\n\n[Nowhere](/nowhere)", false); err != nil {
		t.Fatal(err)
	}
	*now = now.AddDate(0, 0, 13)
	if f := foundOn(t, h, r, "society"); f[find.ChangesNotLive].Count != 0 {
		t.Error("told of before two weeks are over")
	}
	*now = now.AddDate(0, 0, 2)
	if f := foundOn(t, h, r, "society"); f[find.ChangesNotLive].Count != 1 || f[find.ChangesNotLive].At.Time().Day() != 24 {
		t.Errorf("%+v", f[find.ChangesNotLive])
	}
	if f := foundOn(t, h, r, "society"); f[find.BrokenLink].Thing != "/open-nights" {
		t.Errorf("what is live: %+v", f[find.BrokenLink])
	}
	if _, err := pages.Publish(ctx, h, ines, "society", "", time.Time{}); err != nil {
		t.Fatal(err)
	}
	*now = now.Add(2 * time.Minute)
	look, err := r.Look(ctx)
	if err != nil {
		t.Fatal(err)
	}
	broken := ""
	for _, f := range look.All {
		if f.Kind == find.BrokenLink {
			broken += f.Thing + " "
		}
	}
	if f := foundOn(t, h, r, "society"); f[find.ChangesNotLive].Count != 0 || broken != "/open-nights /visit " {
		t.Errorf("published: %q %+v", broken, f[find.ChangesNotLive])
	}
}

func TestRoundsKnowWhatWaitsAndFails(t *testing.T) {
	h, now := clockedHouse(t)
	r := rounds.New(h)
	pilar := who(t, h, "pilar@cerroalcor.example")
	if err := rules.Ask(ctx, h, who(t, h, "bram@cerroalcor.example"), "new-dome", "records", "Once more."); err != nil {
		t.Fatal(err)
	}
	if err := h.Change(ctx, pilar, house.Needs{Site: "society", Cap: access.ChangeDoor}, func(tx *house.Tx) error {
		tx.QueueMail("society", "answer", post.Letter{To: "zoe@press.example", Subject: "Hello", Lines: []string{"Hello."}})
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := h.DB().ExecContext(ctx, `UPDATE mails SET status = 'failed'`); err != nil {
		t.Fatal(err)
	}
	*now = now.AddDate(0, 0, 8)
	f := foundOn(t, h, r, "")
	if f[find.MailFailed].Count != 1 || f[find.OldRequest].Count != 1 || f[find.NoSecondStep].Count != 1 || f[find.OneSteward].Who[0] != "ines" {
		t.Errorf("%+v", f)
	}
	if f := foundOn(t, h, r, "variable-stars"); f[find.OldRequest].Name != "nadia@lens.example" {
		t.Errorf("%+v", f[find.OldRequest])
	}
	withSecondStep(t, h, "ines")
	*now = now.Add(2 * time.Minute)
	if f := foundOn(t, h, r, ""); f[find.NoSecondStep].Count != 0 {
		t.Error("a second step is not seen")
	}
}

// What is left as it is, is so by somebody who may, for everybody, until the thing changes.
func TestLeavingIsByRight(t *testing.T) {
	h, now := clockedHouse(t)
	r := rounds.New(h)
	aiko, pilar := who(t, h, "aiko@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	weak := foundOn(t, h, r, "dossier")[find.WeakPassword]
	if _, err := r.Find(ctx, aiko, weak.Key()); !errors.Is(err, house.ErrNothing) {
		t.Errorf("somebody else finds it: %v", err)
	}
	if err := r.Leave(ctx, aiko, &weak, "x", "x"); !errors.Is(err, house.ErrNoSite) {
		t.Errorf("somebody else leaves it: %v", err)
	}
	if err := r.Leave(ctx, pilar, &weak, "The title", strings.Repeat("x", 400)); err == nil {
		t.Error("a reason without end")
	}
	if err := r.Leave(ctx, pilar, &weak, "The title", "They say it aloud."); err != nil {
		t.Fatal(err)
	}
	if f := foundOn(t, h, r, "dossier"); f[find.WeakPassword].Thing != "" {
		t.Error("it is told of again")
	}
	if err := r.TakeUp(ctx, aiko, weak.Key()); !errors.Is(err, house.ErrNoSite) {
		t.Errorf("somebody else takes it up: %v", err)
	}
	err := h.Trays.Rehearse(ctx, pilar, "dossier", func(_ *access.Site, secrets map[string]store.NewSecret) error {
		secrets["hollis"] = h.State().SecretFor("dossier", "hollis2")
		return nil
	})
	if err == nil {
		*now = now.Add(time.Hour)
		err = h.Trays.Apply(ctx, pilar, "dossier", true)
	}
	if err != nil {
		t.Fatal(err)
	}
	if f := foundOn(t, h, r, "dossier"); f[find.WeakPassword].Thing != "hollis" {
		t.Errorf("a new weak password is left as the old one was: %+v", f)
	}
	if err := r.TakeUp(ctx, pilar, "nothing"); !errors.Is(err, house.ErrNothing) {
		t.Errorf("what was not left: %v", err)
	}
}

// A rule's end, a request that stays behind, and an exception that comes too late.
func TestRequestsForExceptionsEndWithTheirRule(t *testing.T) {
	h, _ := clockedHouse(t)
	ines, bram := who(t, h, "ines@cerroalcor.example"), who(t, h, "bram@cerroalcor.example")
	list, err := store.Exceptions(ctx, h.DB())
	if err != nil || len(list) != 1 {
		t.Fatalf("%+v %v", list, err)
	}
	grant := rules.Grant(h, list[0])
	if err := h.ChangePeople(ctx, bram, grant); !errors.Is(err, house.ErrMayNot) {
		t.Errorf("whoever asks grants it: %v", err)
	}
	if err := h.ChangePeople(ctx, ines, rules.Remove(h, "records")); err != nil {
		t.Fatal(err)
	}
	if list, err := store.Exceptions(ctx, h.DB()); err != nil || len(list) > 0 {
		t.Errorf("a request stays behind: %+v %v", list, err)
	}
	if notes, err := store.RuleNotes(ctx, h.DB()); err != nil || len(notes) > 0 {
		t.Errorf("who set it stays behind: %+v %v", notes, err)
	}
	if err := h.ChangePeople(ctx, ines, grant); !errors.Is(err, house.ErrNothing) {
		t.Errorf("granted too late: %v", err)
	}
	if err := rules.Ask(ctx, h, bram, "new-dome", "records", "Please"); !errors.Is(err, house.ErrNothing) {
		t.Errorf("asked too late: %v", err)
	}
	if err := rules.Ask(ctx, h, who(t, h, "tobias@lens.example"), "new-dome", "records", "Please"); !errors.Is(err, house.ErrNoSite) {
		t.Errorf("asked by nobody of the site: %v", err)
	}
	only, err := rules.Set(h, rules.Form{Rule: "no-listing", Scope: rules.OnOnly, Sites: []string{"society"}})
	if err != nil {
		t.Fatal(err)
	}
	apply(t, h, ines, only, nil)
	id := h.State().Policy.Document().Rules[0].ID
	if err := rules.Ask(ctx, h, who(t, h, "pilar@cerroalcor.example"), "society", id, "We want to be found."); err != nil {
		t.Fatal(err)
	}
	asked, err := store.Exceptions(ctx, h.DB())
	if err != nil || len(asked) != 1 {
		t.Fatalf("%+v %v", asked, err)
	}
	apply(t, h, ines, rules.Grant(h, asked[0]), nil)
	if n := len(h.State().Policy.Document().Rules); n != 0 {
		t.Errorf("a rule that holds on no site is kept: %d", n)
	}
}
