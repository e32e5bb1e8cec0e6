package house_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"velada/app/doors"
	"velada/app/members"
	"velada/app/pages"
	"velada/app/people"
	"velada/core/access"
	"velada/core/parts"
	"velada/demo/demotest"
	"velada/house"
	"velada/store"
)

// moving is a house whose clock can be moved.
func moving(t *testing.T) (*house.House, *time.Time) {
	t.Helper()
	h := demoHouseFor(t)
	now := h.Now()
	moved, err := house.Open(ctx, h.DB(), func() time.Time { return now })
	if err != nil {
		t.Fatal(err)
	}
	moved.SiteURL, moved.ConsoleURL = h.SiteURL, "http://velada.localhost"
	holdsInTheEnd(t, moved)
	return moved, &now
}

func TestASiteIsKnownByItsIDAndNotByItsAddress(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	var cookie string
	enter := func(site, password string) error {
		var err error
		cookie, err = doors.EnterPass(ctx, h, site, "/", password, "", house.From{IP: "192.0.2.1"})
		return err
	}
	if err := enter("dossier", "aurora over the fjord"); err != nil {
		t.Fatal(err)
	}
	if err := h.Sessions.BeginSession(ctx, "in", "pilar", "A browser", "password"); err != nil {
		t.Fatal(err)
	}
	visit, err := h.Sessions.SiteSessionFrom(ctx, h.State().ID("dossier"), "in")
	if err != nil {
		t.Fatal(err)
	}
	front := func(site string) string {
		e := h.State().Site(site).Live
		text, err := h.PageHTML(ctx, e, e.Page("/"))
		if err != nil {
			t.Fatal(err)
		}
		return text
	}
	was := front("dossier") // kept from now on
	if err := pages.ChangeAddress(ctx, h, ines, "dossier", "papers"); err != nil {
		t.Fatal(err)
	}
	// the site that moved knows its visitors
	if got := doors.Held(h, "pass", h.State(), "papers", cookie); len(got) != 1 {
		t.Error("a visitor of the site that moved is locked out")
	}
	if _, in := h.Sessions.SiteSession(visit, h.State().ID("papers")); !in {
		t.Error("so is somebody who had signed in")
	}
	// another site at the address that is free again knows none of it
	if err := pages.ReleaseAddress(ctx, h, ines, "papers", "dossier"); err != nil {
		t.Fatal(err)
	}
	if err := pages.MakeSite(ctx, h, ines, pages.NewSite{Title: "Another", Address: "dossier"}); err != nil {
		t.Fatal(err)
	}
	if _, err := pages.NewPage(ctx, h, ines, "dossier", house.PageDraft{Path: "/", Title: "Another", Body: "Another text."}); err != nil {
		t.Fatal(err)
	}
	if _, err := pages.Publish(ctx, h, ines, "dossier", "", time.Time{}); err != nil {
		t.Fatal(err)
	}
	applyTo(t, h, ines, "dossier", func(s *access.Site) {
		s.Passes = []access.Pass{{ID: "nordlys", Label: "Another", Under: "/"}}
		s.Door.Ways = []access.Way{{Way: "pass", Passes: []string{"nordlys"}}}
	})
	if text := front("dossier"); text == was || !strings.Contains(text, "Another text.") {
		t.Errorf("the earlier site's text is shown: %.80s", text)
	}
	if got := doors.Held(h, "pass", h.State(), "dossier", cookie); len(got) != 0 {
		t.Errorf("the earlier site's password opens it: %v", got)
	}
	if _, in := h.Sessions.SiteSession(visit, h.State().ID("dossier")); in {
		t.Error("a visit of the earlier site counts on it")
	}
	list, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{Sites: []store.SiteID{h.State().ID("dossier")}})
	if err != nil || slices.ContainsFunc(list, func(e store.Entry) bool { return strings.Contains(e.What, "moved from") }) {
		t.Errorf("its ledger tells of the earlier site: %v", err)
	}
}

// A title that is saved while somebody else shuts the door does not open it again,
// nor does it take anybody out of a group.
func TestATitleNeverBringsAnOldDoorBack(t *testing.T) {
	h := demoHouse(t)
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	var both sync.WaitGroup
	for range 20 {
		for _, shut := range []bool{true, false} {
			ways := []access.Way{{Way: "anyone"}}
			if shut {
				ways = []access.Way{{Way: "groups", Groups: []string{"council"}}}
			}
			both.Go(func() {
				d := h.State().Site("society").Details
				if err := pages.UpdateDetails(ctx, h, pilar, "society", func(e *pages.Description) { e.Title, e.Details = "A title", d }); err != nil {
					t.Error(err)
				}
			})
			both.Go(func() { applyTo(t, h, ines, "society", siteDoor(ways...)) })
			group := people.PutIn(h, "antlia", []string{"bram"})
			if !shut {
				group = people.TakeOut(h, "antlia", []string{"bram"})
			}
			both.Go(func() { apply(t, h, ines, group, nil) })
			both.Wait()
			if open := opens(h, "society", "/", "nobody@nowhere.example"); open == shut {
				t.Fatalf("shut: %v, open: %v", shut, open)
			}
			if in := h.State().Policy.InGroup("antlia", h.State().Identity("bram"), access.At(h.Now())); in != shut {
				t.Fatalf("put in: %v, in: %v", shut, in)
			}
		}
	}
	if err := h.Reload(ctx); err != nil || !opens(h, "society", "/", "nobody@nowhere.example") {
		t.Error("the database says otherwise", err)
	}
}

func TestWhatIsDueAsksForTheRightOfWhoeverSetIt(t *testing.T) {
	for name, c := range map[string]struct {
		spoil func(h *house.House, ines house.Actor)
		why   string
	}{
		"off the team": {func(h *house.House, ines house.Actor) {
			applyTo(t, h, ines, "variable-stars", func(s *access.Site) {
				s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Person == "aiko" })
			})
		}, "may no longer publish here"},
		"blocked": {func(h *house.House, ines house.Actor) {
			if err := changed(t, h, people.PersonForm{ID: "aiko", Name: "Aiko Tanabe", Address: "aiko@cerroalcor.example", Blocked: true}); err != nil {
				t.Fatal(err)
			}
		}, "may no longer publish here"},
		"taken down": {func(h *house.House, ines house.Actor) {
			if err := pages.Unpublish(ctx, h, ines, pages.Unpublishing{Site: "variable-stars", Down: true}); err != nil {
				t.Fatal(err)
			}
		}, "was unpublished"},
		"fine": {func(*house.House, house.Actor) {}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			h, now := moving(t)
			ines, aiko := who(t, h, "ines@cerroalcor.example"), who(t, h, "aiko@cerroalcor.example")
			was := h.State().Site("variable-stars").Live.Number
			if _, err := pages.Publish(ctx, h, aiko, "variable-stars", "", now.Add(time.Hour)); err != nil {
				t.Fatal(err)
			}
			c.spoil(h, ines)
			*now = now.Add(2 * time.Hour)
			if err := applyDue(h); err != nil {
				t.Fatal(err)
			}
			s := h.State()
			if live := s.Site("variable-stars").Live.Number > was; live != (c.why == "") {
				t.Errorf("live: %v", live)
			}
			if c.why == "" {
				return
			}
			if name == "taken down" && s.SiteDocument("variable-stars").State != "down" {
				t.Error("the site came back by itself")
			}
			if due, err := store.DueEditions(ctx, h.DB(), time.Time{}, s.ID("variable-stars")); err != nil || len(due) != 0 {
				t.Errorf("it still waits: %v %v", due, err)
			}
			told, err := store.Notices(ctx, h.DB(), "ines", 20)
			if err != nil || !slices.ContainsFunc(told, func(n store.Notice) bool { return strings.Contains(n.What, c.why) }) {
				t.Errorf("the team is not told: %+v %v", told, err)
			}
		})
	}
}

func TestOneDueEditionDoesNotHoldUpAnother(t *testing.T) {
	h, now := moving(t)
	aiko, ines := who(t, h, "aiko@cerroalcor.example"), who(t, h, "ines@cerroalcor.example")
	was := h.State().Site("variable-stars").Live.Number
	if _, err := pages.NewPage(ctx, h, ines, "society", house.PageDraft{Path: "/new", Title: "New", Body: "x"}); err != nil {
		t.Fatal(err)
	}
	if _, err := pages.Publish(ctx, h, ines, "society", "", now.Add(time.Minute)); err != nil {
		t.Fatal(err)
	}
	if _, err := pages.Publish(ctx, h, aiko, "variable-stars", "", now.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if _, err := h.DB().ExecContext(ctx, `DELETE FROM editions WHERE site = ? AND number = 32`, string(h.State().ID("society"))); err != nil {
		t.Fatal(err)
	}
	*now = now.Add(2 * time.Hour)
	_ = applyDue(h)
	if h.State().Site("variable-stars").Live.Number == was {
		t.Error("the edition after the one that failed did not go live")
	}
	if err := h.Reload(ctx); err != nil { // an edition was deleted behind its back
		t.Error(err)
	}
}

func TestPreviewsAreKnownToWhoSeesAsMuch(t *testing.T) {
	h := demoHouse(t)
	ines, aiko := who(t, h, "ines@cerroalcor.example"), who(t, h, "aiko@cerroalcor.example")
	crews := map[string]house.Actor{}
	for _, crew := range []string{"antlia", "corvus"} {
		crews[crew], _ = h.ActorOf(store.Who(parts.GroupAt(h.State().Policy.Document(), crew).People[0]))
	}
	share := func(a house.Actor, label string) {
		if err := pages.SharePreview(ctx, h, a, "variable-stars", label, h.Now().Add(time.Hour)); err != nil {
			t.Fatal(err)
		}
	}
	share(aiko, "whole")
	share(crews["antlia"], "antlia")
	share(crews["corvus"], "corvus")
	ids := map[string]string{}
	all, err := pages.PreviewsFor(ctx, h, ines, "variable-stars")
	if err != nil || len(all) != 3 {
		t.Fatalf("the owner sees %d, %v", len(all), err)
	}
	for _, p := range all {
		ids[p.Label] = p.ID
	}
	for crew, a := range crews {
		list, err := pages.PreviewsFor(ctx, h, a, "variable-stars")
		if err != nil || len(list) != 1 || list[0].Label != crew {
			t.Errorf("crew %s is shown %+v %v", crew, list, err)
		}
		for label, id := range ids {
			if label != crew && !errors.Is(pages.EndPreview(ctx, h, a, "variable-stars", id), pages.ErrNoPreview) {
				t.Errorf("crew %s ends the preview of %s", crew, label)
			}
		}
	}
	if err := pages.EndPreview(ctx, h, crews["antlia"], "variable-stars", ids["antlia"]); err != nil {
		t.Error(err)
	}
	if !errors.Is(pages.EndPreview(ctx, h, ines, "society", ids["whole"]), pages.ErrNoPreview) {
		t.Error("a preview is ended by way of another site")
	}
}

// What takes long holds up nobody: a page that was written anew whole, and one that a
// parser takes ages for, are published in a second, and changes elsewhere go on.
func TestPublishingFreezesNobody(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	words := func(from int) string {
		var b strings.Builder
		for i := range 8000 {
			b.WriteString("word")
			b.WriteString(strings.Repeat("x", (i*7+from)%13))
			b.WriteByte(' ')
		}
		return b.String()
	}
	for i, body := range []string{words(0), words(5), strings.Repeat("*a_", 100_000), strings.Repeat("> ", 50_000), strings.Repeat("[a](", 60_000)} {
		p := pageAt(t, h, "society", "/history")
		if _, err := pages.SavePage(ctx, h, ines, "society", p.ID, p.Version, p.Title, body, false); err != nil {
			t.Fatal(err)
		}
		done := make(chan time.Duration)
		go func() {
			began := time.Now()
			if _, err := pages.Publish(ctx, h, ines, "society", "", time.Time{}); err != nil {
				t.Error(err)
			}
			done <- time.Since(began)
		}()
		slowest := time.Duration(0)
		for going := true; going; {
			began := time.Now()
			d := h.State().Site("new-dome").Details
			if err := pages.UpdateDetails(ctx, h, ines, "new-dome", func(e *pages.Description) { e.Details = d }); err != nil {
				t.Fatal(err)
			}
			slowest = max(slowest, time.Since(began))
			select {
			case took := <-done:
				going = false
				t.Logf("text %d: published in %v, another site's change took %v at most", i, took, slowest)
				if took > 20*time.Second || slowest > 10*time.Second { // far above what is aimed at: it must not hang
					t.Errorf("text %d: published in %v, another site's change took %v", i, took, slowest)
				}
			default:
			}
		}
	}
	// whoever hangs up ends the work
	gone, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := pages.PlanPublication(gone, h, "society"); !errors.Is(err, context.Canceled) {
		t.Errorf("it goes on for nobody: %v", err)
	}
}

func TestDeletingAFileKeepsWhatOthersUse(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	member := h.State().SiteDocument("society").Members[0].Who
	png := demotest.Dot
	if err := members.ChangeProfile(ctx, h, "society", store.Who(member), store.Profile{Name: "Somebody"}, png, false); err != nil {
		t.Fatal(err)
	}
	if _, err := pages.SaveFile(ctx, h, ines, "august", "/a.txt", "text/plain", []byte("a"), ""); err != nil {
		t.Fatal(err)
	}
	if err := pages.DropFile(ctx, h, ines, "august", "/a.txt"); err != nil {
		t.Fatal(err)
	}
	p, err := members.Profile(ctx, h, "society", store.Who(member))
	if err != nil {
		t.Fatal(err)
	}
	if data, err := h.FileData(ctx, &house.LiveFile{Blob: p.Picture}); err != nil || string(data) != string(png) {
		t.Errorf("a member's picture is gone: %v", err)
	}
}

// An old address is let go by the site that it leads to, and by no other.
func TestAnotherSitesOldAddressStays(t *testing.T) {
	h := demoHouse(t)
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	if err := pages.ChangeAddress(ctx, h, ines, "variable-stars", "thursdays"); err != nil {
		t.Fatal(err)
	}
	entries := func() int {
		list, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{})
		if err != nil {
			t.Fatal(err)
		}
		return len(list)
	}
	before := entries()
	for _, address := range []string{"variable-stars", "no-such"} {
		if err := pages.ReleaseAddress(ctx, h, pilar, "society", address); !errors.Is(err, house.ErrNothing) {
			t.Errorf("%s: %v", address, err)
		}
	}
	if h.State().LedTo("variable-stars") != "thursdays" || entries() != before {
		t.Error("the old address of another site leads nowhere")
	}
}
