package house_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/doors"
	"velada/app/members"
	"velada/app/pages"
	"velada/app/people"
	"velada/app/teams"
	"velada/core/access"
	"velada/gate"
	"velada/house"
	"velada/store"
)

// Writers of every kind of change beside readers: each reader is answered as some one
// state would, and in the end what is in force is what was written.
func TestEverybodyAtOnce(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	ines, pilar, aiko := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example"), who(t, h, "aiko@cerroalcor.example")
	visit := pageAt(t, h, "society", "/visit")
	const rounds = 5
	refused := func(err error) error { // another was first
		for _, fine := range []error{house.ErrClash, house.ErrNothing, house.ErrMayNot, pages.ErrNothingNew, pages.ErrBusy, people.ErrMoved} {
			if errors.Is(err, fine) {
				return nil
			}
		}
		var wrong house.FieldErrors
		if errors.As(err, &wrong) {
			return nil
		}
		return err
	}
	writers := map[string]func(n int) error{
		"titles": func(n int) error {
			word := fmt.Sprintf("Title-%d-end", n)
			return pages.UpdateDetails(ctx, h, ines, "society", func(d *pages.Description) { d.Title, d.Description = word, word })
		},
		"doors": func(n int) error {
			err := rehearse(h, pilar, "society", func(s *access.Site) {
				s.Door.Ways = nil
				if n%2 == 0 {
					s.Door.Ways = []access.Way{{Way: "anyone"}}
				}
			})
			return errors.Join(err, h.Trays.Apply(ctx, pilar, "society", true))
		},
		"saves": func(n int) error {
			body := fmt.Sprintf("# Getting here\n\nFirst-%d-end\n\nSecond-%d-end\n", n, n)
			_, err := pages.SavePage(ctx, h, ines, "society", visit.ID, 0, "Getting here", body, true)
			return err
		},
		"editions": func(int) error {
			_, err := pages.Publish(ctx, h, ines, "society", "", time.Time{})
			return err
		},
		"comments": func(n int) error {
			_, err := members.Comment(ctx, h, "society", "/members", "rosa-galindo", fmt.Sprint("Night ", n))
			return err
		},
		"members": func(n int) error {
			_, err := members.ChangeMembers(ctx, h, ines, members.MembersChange{Site: "society", People: []string{"stellan-lozano"}, Change: []members.MemberChange{members.Block, members.Unblock}[n%2], Word: ""})
			return err
		},
		"membership": func(n int) error {
			return members.SetMembership(ctx, h, ines, "society", house.Membership{List: n%2 == 0, Comments: []string{"/members"}})
		},
		"groups": func(n int) error {
			change := people.PutIn(h, "antlia", []string{"seun"})
			if n%2 == 1 {
				change = people.TakeOut(h, "antlia", []string{"seun"})
			}
			return h.ChangePeople(ctx, ines, change)
		},
		"names": func(n int) error {
			c, err := people.ChangePerson(h, people.PersonForm{ID: "seun", Name: fmt.Sprint("Seun ", n), Address: "seun@cerroalcor.example"})
			if err != nil {
				return err
			}
			return h.ChangePeople(ctx, ines, c)
		},
		"invitations": func(n int) error {
			_, err := teams.Invite(ctx, h, ines, teams.Invitation{Addresses: []string{fmt.Sprintf("guest%d@lens.example", n)}, Sites: []string{"society"}, Role: "editor", Mail: true})
			return err
		},
		"settings": func(n int) error {
			return h.ChangeSettings(ctx, ines, "The domains without mail changed.", func(s *house.Settings) {
				s.NoMail = []string{"aula.cerroalcor.example", fmt.Sprintf("x%d.example", n)}
			})
		},
		"names of pages": func(n int) error { return pages.SetShortName(ctx, h, ines, "society", fmt.Sprint("n", n), "/visit") },
		"holding": func(n int) error {
			return doors.SetHoldingPage(ctx, h, pilar, "society", store.HoldingPage{Design: "plain", Heading: fmt.Sprint(n)})
		},
		"promises": func(n int) error {
			return doors.AddPromise(ctx, h, pilar, access.Promise{Site: "society", Who: "stranger", Must: "open", Path: "/visit"})
		},
		"addresses": func(n int) error {
			names := []string{"dossier", "papers"}
			return pages.ChangeAddress(ctx, h, ines, names[n%2], names[1-n%2])
		},
		"sites": func(n int) error {
			return pages.MakeSite(ctx, h, ines, pages.NewSite{Title: "A new one", Address: fmt.Sprint("new-", n)})
		},
		"previews": func(n int) error {
			return pages.SharePreview(ctx, h, aiko, "variable-stars", "a class", h.Now().Add(time.Hour))
		},
		"sessions": func(n int) error {
			id := fmt.Sprint("session ", n)
			err := h.Sessions.BeginSession(ctx, id, "aiko", "a browser", "password")
			if err != nil {
				return err
			}
			cookie, err := h.Sessions.SiteSessionFrom(ctx, h.SiteID("society"), id)
			if err != nil {
				return err
			}
			if who, in := h.Sessions.SiteSession(cookie, h.SiteID("society")); !in || who != "aiko" {
				return fmt.Errorf("who has just signed in is %q", who)
			}
			if err := h.Sessions.EndSession(ctx, id); err != nil {
				return err
			}
			if _, in := h.Sessions.SiteSession(cookie, h.SiteID("society")); in {
				return errors.New("who has signed out is still in")
			}
			return nil
		},
		"accounts": func(n int) error { return accounts.ChangeAccount(ctx, h, aiko, fmt.Sprint("Aiko ", n), nil) },
		"due":      func(int) error { return applyDue(h) },
	}
	reading, done := context.WithCancel(ctx)
	var readers, writing sync.WaitGroup
	g := gate.New(h, h.ConsoleURL, false, h.SiteURL)
	for range 3 {
		readers.Go(func() {
			for reading.Err() == nil {
				readOnce(t, g)
				sameState(t, h.State())
			}
		})
	}
	for name, write := range writers {
		writing.Go(func() {
			for n := range rounds {
				if err := refused(write(n)); err != nil {
					t.Errorf("%s, %d: %v", name, n, err)
				}
			}
		})
	}
	writing.Wait()
	done()
	readers.Wait()
}

var numbered = regexp.MustCompile(`(Title|First|Second)-(\d+)-end`)

// readOnce asks for a page as a stranger: it is shut, or it is whole, and all of it is
// of one state.
func readOnce(t *testing.T, g *gate.Gate) {
	r := httptest.NewRequest(http.MethodGet, "/visit", nil)
	w := httptest.NewRecorder()
	g.Serve(w, r, "society")
	text := w.Body.String()
	switch w.Code {
	case http.StatusOK:
	case http.StatusUnauthorized, http.StatusForbidden:
		if strings.Contains(text, "First-") {
			t.Error("a shut door shows the page")
		}
		return
	default:
		t.Errorf("answered %d", w.Code)
		return
	}
	seen := map[string]string{}
	for _, m := range numbered.FindAllStringSubmatch(text, -1) {
		kind := strings.Replace(m[1], "Second", "First", 1)
		if seen[kind] != "" && seen[kind] != m[2] {
			t.Errorf("one page has %s of %s and of %s", kind, seen[kind], m[2])
		}
		seen[kind] = m[2]
	}
}

// sameState checks that what a state says of a site in several places goes together.
func sameState(t *testing.T, s *house.State) {
	doc, site := s.SiteDocument("society"), s.Site("society")
	if word := site.Details.Description; word != "" && word != doc.Title {
		t.Errorf("the title is %q, and the description %q", doc.Title, word)
	}
	if len(doc.Pages) != len(site.Live.Pages) {
		t.Errorf("%d pages are decided, %d are live", len(doc.Pages), len(site.Live.Pages))
	}
	for _, p := range doc.Pages {
		if site.Live.Page(p.Path) == nil {
			t.Errorf("%s is decided and not live", p.Path)
		}
	}
	for _, d := range s.Policy.Document().Sites {
		if id := s.ID(d.Address); id == "" || s.SiteAddress(id) != d.Address {
			t.Errorf("the site %s has the id %q, which is %s's", d.Address, id, s.SiteAddress(id))
		}
	}
}
