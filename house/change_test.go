package house_test

import (
	"context"
	"errors"
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

// What nobody was asked for is let through to nobody.
func TestAChangeAsksForARight(t *testing.T) {
	h := demoHouse(t)
	ines, seun, nobody := who(t, h, "ines@cerroalcor.example"), who(t, h, "seun@cerroalcor.example"), house.Actor{}
	for name, c := range map[string]struct {
		by    house.Actor
		needs house.Needs
		want  error
	}{
		"nothing said":               {ines, house.Needs{}, house.ErrMayNot},
		"a steward":                  {ines, house.Needs{Steward: true}, nil},
		"no steward":                 {seun, house.Needs{Steward: true}, house.ErrMayNot},
		"nobody":                     {nobody, house.Needs{Steward: true}, house.ErrMayNot},
		"a door":                     {ines, house.Needs{Site: "society", Cap: access.ChangeDoor}, nil},
		"a door of one's own":        {seun, house.Needs{Site: "society", Cap: access.ChangeDoor}, house.ErrMayNot},
		"one of two":                 {seun, house.Needs{Site: "society", Cap: access.ChangeDoor, Or: []access.Capability{access.ManageMembers}}, nil},
		"a site of others":           {seun, house.Needs{Site: "dossier", Cap: access.Preview}, house.ErrNoSite},
		"a site that is not there":   {ines, house.Needs{Site: "nowhere", Cap: access.Preview}, house.ErrNoSite},
		"a page":                     {seun, house.Needs{Site: "society", Path: "/", Cap: access.Write}, house.ErrSection},
		"a group":                    {seun, house.Needs{Keeps: "variable-stars"}, house.ErrMayNot},
		"a group that they keep":     {who(t, h, "aiko@cerroalcor.example"), house.Needs{Keeps: "variable-stars"}, nil},
		"by the change itself":       {nobody, house.Needs{Asks: true}, nil},
		"what Velada does, whatever": {house.Velada, house.Needs{}, nil},
	} {
		ran := false
		err := h.Change(ctx, c.by, c.needs, func(*house.Tx) error {
			ran = true
			return nil
		})
		if !errors.Is(err, c.want) || ran != (c.want == nil) {
			t.Errorf("%s: %v, ran %v; want %v", name, err, ran, c.want)
		}
		if _, err := h.Preview(ctx, c.by, c.needs, func(*house.Tx) error { return nil }); !errors.Is(err, c.want) {
			t.Errorf("%s, tried: %v; want %v", name, err, c.want)
		}
	}
}

// A change that fails, or panics, leaves nothing: no row, no state, no lock.
func TestAChangeThatFailsLeavesNothing(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	before := h.State()
	entries := func() int {
		list, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{})
		if err != nil {
			t.Fatal(err)
		}
		return len(list)
	}
	was := entries()
	broken := errors.New("halfway")
	do := func(end func(tx *house.Tx) error) func(*house.Tx) error {
		return func(tx *house.Tx) error {
			tx.Site("society").Title = "Another"
			tx.Settings().SecondStep = []string{"owner"}
			tx.Log("society", "listing", "It is called otherwise.", "", "")
			tx.Notify([]store.Who{"aiko"}, "society", "role", "It is called otherwise.", "/sites/society")
			tx.EndSignIns("aiko", "")
			tx.After(func() { t.Error("what follows a commit was done") })
			return end(tx)
		}
	}
	for name, end := range map[string]func(tx *house.Tx) error{
		"an error":            func(*house.Tx) error { return broken },
		"an error to go on":   func(tx *house.Tx) error { tx.Try(broken); tx.Try(errors.New("a second one")); return nil },
		"an invalid document": func(tx *house.Tx) error { tx.Site("society").Doors = []access.PageDoor{{Path: "no path"}}; return nil },
		"no owner any more":   func(tx *house.Tx) error { tx.Site("society").Team = nil; return nil },
	} {
		err := h.Change(ctx, ines, house.Needs{Steward: true}, do(end))
		if err == nil || strings.HasPrefix(name, "an error") && !errors.Is(err, broken) {
			t.Errorf("%s: %v", name, err)
		}
	}
	func() {
		defer func() {
			if recover() == nil {
				t.Error("the panic was swallowed")
			}
		}()
		_ = h.Change(ctx, ines, house.Needs{Steward: true}, do(func(*house.Tx) error { panic("a mistake") }))
	}()
	ended, cancel := context.WithCancel(ctx)
	err := h.Change(ended, ines, house.Needs{Steward: true}, do(func(*house.Tx) error { cancel(); return nil }))
	if !errors.Is(err, context.Canceled) {
		t.Errorf("given up: %v", err)
	}
	if h.State() != before || entries() != was {
		t.Error("something is left")
	}
	if err := teams.SetReason(ctx, h, ines, "society", "aiko", "staff"); err != nil { // the lock is free, and the database too
		t.Error(err)
	}
}

// What was compiled and checked is what is written: a draft that is written in later
// fails the change, and never gets past the rules.
func TestNothingIsDraftedPastTheRules(t *testing.T) {
	h := demoHouse(t)
	seun := who(t, h, "seun@cerroalcor.example") // who may not change the team
	owner := access.TeamEntry{Person: "seun", Role: "owner", Under: "/", Accepted: true}
	for name, do := range map[string]func(tx *house.Tx) error{
		"at once": func(tx *house.Tx) error {
			site := tx.Site("society")
			site.Team = append(site.Team, owner)
			return nil
		},
		"later": func(tx *house.Tx) error {
			site := tx.Site("society")
			if err := tx.Check(); err != nil {
				return err
			}
			site.Team = append(site.Team, owner)
			return nil
		},
		"in a list that was there": func(tx *house.Tx) error {
			site := tx.Site("society")
			if _, err := tx.Policy(); err != nil {
				return err
			}
			site.Team[len(site.Team)-1].Role = "owner"
			return nil
		},
		"in the document": func(tx *house.Tx) error {
			doc := tx.Document()
			if err := tx.Check(); err != nil {
				return err
			}
			doc.People[0].Blocked = true
			return nil
		},
		"a site of the document": func(tx *house.Tx) error {
			_ = tx.Document()
			site := tx.Site("society")
			site.Team = append(site.Team, owner)
			return nil
		},
	} {
		before := h.State()
		if err := h.Change(ctx, seun, house.Needs{Asks: true}, do); err == nil || h.State() != before {
			t.Errorf("%s: it is in force (%v)", name, err)
		}
	}
}

// What is tried is what is made, and trying it makes nothing.
func TestAPreviewIsTheChangeThatIsNotMade(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	before := h.State()
	shut := func(tx *house.Tx) error {
		tx.Site("society").Door.Ways = nil
		tx.Log("society", "door", "Shut.", "", "")
		return store.SaveTeamReason(ctx, tx, tx.State().ID("society"), "aiko", "staff")
	}
	needs := house.Needs{Site: "society", Cap: access.ChangeDoor}
	would, err := h.Preview(ctx, ines, needs, shut)
	if err != nil {
		t.Fatal(err)
	}
	if would.Impact.StrangersLose == 0 || h.State() != before {
		t.Errorf("strangers lose %d pages", would.Impact.StrangersLose)
	}
	if reasons, err := store.TeamReasons(ctx, h.DB(), before.ID("society")); err != nil || reasons["aiko"] != "" {
		t.Errorf("it was written: %v %v", reasons, err)
	}
	if err := h.Change(ctx, ines, needs, shut); err != nil {
		t.Fatal(err)
	}
	is, err1 := h.State().Policy.Document().JSON()
	then, err2 := would.Then.Document().JSON()
	if err := errors.Join(err1, err2); err != nil || string(is) != string(then) {
		t.Error("what was made is not what was tried", err)
	}
}

// A change of one site leaves the states of the others, with what was rendered for
// them, as they are.
func TestAChangeOfOneSiteTouchesNoOther(t *testing.T) {
	h := demoHouse(t)
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	page := pageAt(t, h, "society", "/visit")
	for _, c := range []struct {
		name string
		do   func() error
		seen bool // visitors meet it
	}{
		{"a save", func() error {
			_, err := pages.SavePage(ctx, h, ines, "society", page.ID, page.Version, page.Title, page.Body+"\nMore.\n", true)
			return err
		}, false},
		{"a comment", func() error {
			_, err := members.Comment(ctx, h, "society", "/members", "rosa-galindo", "Good night.")
			return err
		}, true},
		{"a door", func() error {
			return errors.Join(rehearse(h, pilar, "society", siteDoor()), h.Trays.Apply(ctx, pilar, "society", true))
		}, true},
		{"a title", func() error {
			return pages.UpdateDetails(ctx, h, ines, "society", func(d *pages.Description) { d.Title = "Another" })
		}, true},
		{"a short name", func() error { return pages.SetShortName(ctx, h, ines, "society", "hill", "/visit") }, true},
		{"an edition", func() error {
			_, err := pages.Publish(ctx, h, ines, "society", "", time.Time{})
			return err
		}, true},
		{"a promise", func() error {
			return doors.AddPromise(ctx, h, ines, access.Promise{Site: "society", Who: "stranger", Must: "open", Path: "/"})
		}, true},
	} {
		before := h.State()
		if err := c.do(); err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		after := h.State()
		if before == after {
			t.Errorf("%s is not in force", c.name)
		}
		if c.name != "a promise" && before.Site("dossier") != after.Site("dossier") {
			t.Errorf("%s touched another site", c.name)
		}
		if same := before.RenderedOf("society") == after.RenderedOf("society"); same == c.seen {
			t.Errorf("%s: what was rendered stays %v", c.name, same)
		}
	}
}
