package main

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/core/traffic"
	"velada/demo"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// size is how large a made-up house is.
type size struct {
	name                                              string
	people, groups, sites, pages, doors, members      int // pages, doors, members and editions are those of the large site
	editions, ledger, letters, comments, pagesOfOther int
}

// The sizes that are measured.
var sizes = map[string]size{
	"S": {"S", 1_000, 20, 10, 100, 15, 100, 5, 1_000, 250, 50, 5},
	"M": {"M", 20_000, 100, 100, 500, 60, 2_000, 20, 20_000, 5_000, 1_000, 5},
	"L": {"L", 200_000, 1_000, 1_000, 2_000, 300, 20_000, 100, 200_000, 50_000, 10_000, 5},
}

// The large site, who asks, and by which password.
const (
	largeSite = "large"
	steward   = "steward@house.example"
	password  = demo.Password
)

var given = []string{"Ada", "Benito", "Carmen", "Dario", "Edda", "Farid", "Greta", "Hugo", "Irene", "Jamal", "Katya", "Leandro", "Marisol", "Nils", "Odile", "Paco"}
var family = []string{"Abascal", "Brandt", "Cifuentes", "Duarte", "Fjeld", "Galindo", "Haddad", "Ibarra", "Kovacs", "Lozano", "Marin", "Novak"}

// document is a valid house of that size, the same whenever it is made.
func (z size) document(r *rand.Rand) *access.Document {
	doc := &access.Document{Velada: 1, House: access.House{Name: "A large house", Zone: "Europe/Madrid", Domains: []string{"house.example"}}}
	doc.People = append(doc.People, access.Person{ID: "steward", Name: "Sol Steward", Address: steward, Steward: true})
	id := func(i int) string { return fmt.Sprintf("p%d", i) }
	for i := 1; i < z.people; i++ {
		doc.People = append(doc.People, access.Person{ID: id(i), Name: fmt.Sprintf("%s %s %d", given[r.IntN(len(given))], family[r.IntN(len(family))], i), Address: id(i) + "@house.example"})
	}
	for g := range z.groups {
		group := access.Group{ID: fmt.Sprintf("g%d", g), Name: fmt.Sprintf("Group %d", g)}
		for k := range z.people / z.groups {
			group.People = append(group.People, id(1+(g*z.people/z.groups+k)%(z.people-1)))
		}
		doc.Groups = append(doc.Groups, group)
	}
	large := access.NewSite(largeSite, "The large site")
	large.State, large.Listing = "live", true
	large.Door.Ways = []access.Way{{Way: "anyone"}}
	large.Team = []access.TeamEntry{{Person: "steward", Role: "owner", Under: "/", Accepted: true}}
	for d := range z.doors {
		large.Doors = append(large.Doors, access.PageDoor{Path: fmt.Sprintf("/part-%d", d), Mode: "also", Ways: []access.Way{{Way: "groups", Groups: []string{fmt.Sprintf("g%d", d%z.groups)}}}})
	}
	for m := range z.members {
		large.Members = append(large.Members, access.Member{Who: id(1 + m*(z.people-2)/z.members), Status: "approved"})
	}
	doc.Sites = append(doc.Sites, large)
	for s := 1; s < z.sites; s++ {
		site := access.NewSite(fmt.Sprintf("site-%d", s), fmt.Sprintf("Site %d", s))
		site.State = "live"
		site.Door.Ways = []access.Way{{Way: "groups", Groups: []string{fmt.Sprintf("g%d", s%z.groups)}}}
		site.Team = []access.TeamEntry{{Person: id(1 + s%(z.people-1)), Role: "owner", Under: "/", Accepted: true}}
		doc.Sites = append(doc.Sites, site)
	}
	return doc
}

// pagesOf are the pages of a site in an edition, of which a tenth differs from the one before.
func pagesOf(z size, site *access.Site, many, edition int) (list []store.Page) {
	for i := range many {
		p := store.Page{ID: fmt.Sprintf("page-%d", i), Path: fmt.Sprintf("/page-%d", i), Title: fmt.Sprintf("Page %d", i), Listing: true, InMenu: i < 8}
		if i == 0 {
			p.Path = "/"
		} else if site.Address == largeSite && i <= 4*z.doors {
			p.Path = fmt.Sprintf("/part-%d/page-%d", i%z.doors, i)
			if i <= z.doors {
				p.Path = fmt.Sprintf("/part-%d", i-1)
			}
		}
		changed := edition
		if i%10 != edition%10 { // a tenth changes with each edition
			changed = i % 10
		}
		p.Body = fmt.Sprintf("# %s\n\nWhat page %d says since edition %d.\n\nIt goes on for a while, with [a link](/) and some more words.\n", p.Title, i, changed)
		list = append(list, p)
	}
	return list
}

// fill makes a house of that size in an empty database.
func (z size) fill(ctx context.Context, db *sql.DB, now time.Time) error {
	r := rand.New(rand.NewPCG(1, uint64(z.people)))
	doc := z.document(r)
	if err := access.Validate(doc); err != nil {
		return err
	}
	in := func(f func(tx *sql.Tx) error) error { return store.InTx(ctx, db, f) }
	if err := in(func(tx *sql.Tx) error {
		if err := store.SaveDocument(ctx, tx, doc); err != nil {
			return err
		}
		return store.NewAccount(ctx, tx, store.Account{Who: "steward", Name: "Sol Steward", Password: identity.HashPassword(password), SignedIn: true})
	}); err != nil {
		return err
	}
	ids, err := store.SiteIDs(ctx, db)
	if err != nil {
		return err
	}
	for n, site := range doc.Sites {
		many, editions := z.pagesOfOther, 1
		if site.Address == largeSite {
			many, editions = z.pages, z.editions
		}
		if err := in(func(tx *sql.Tx) error {
			var last []store.Page
			for e := 1; e <= editions; e++ {
				last = pagesOf(z, site, many, e)
				edition := &store.Edition{Site: ids[site.Address], Number: e, At: now.AddDate(0, 0, e-editions), Who: "steward", Pages: last}
				var err error
				if site, err = pages.PutEdition(ctx, tx, site, edition, n); err != nil {
					return err
				}
			}
			return store.SaveWorkingPages(ctx, tx, ids[site.Address], last)
		}); err != nil {
			return fmt.Errorf("pages of %s: %w", site.Address, err)
		}
	}
	return in(func(tx *sql.Tx) error {
		for i := range z.ledger {
			site := doc.Sites[r.IntN(len(doc.Sites))].Address
			e := store.Entry{At: now.Add(time.Duration(i-z.ledger) * time.Minute).Format(time.RFC3339), Who: steward, WhoID: "steward", Site: site, Kind: "door", What: fmt.Sprintf("Change number %d of the door.", i)}
			if err := store.WriteLedger(ctx, tx, e); err != nil {
				return err
			}
		}
		for i := range z.comments {
			c := store.Comment{Site: ids[largeSite], Path: "/", Person: doc.Sites[0].Members[i%len(doc.Sites[0].Members)].Who, At: now.Add(time.Duration(i-z.comments) * time.Minute), Status: "shown", Text: fmt.Sprintf("Comment %d.", i)}
			if err := store.SaveComment(ctx, tx, &c, now); err != nil {
				return err
			}
		}
		for _, m := range doc.Sites[0].Members {
			p := store.Profile{Person: m.Who, About: "Somebody who reads along.", Shows: map[string]bool{"name": true, "about": true}}
			if err := store.SaveProfile(ctx, tx, ids[largeSite], p); err != nil {
				return err
			}
		}
		if err := z.visits(ctx, tx, ids, now); err != nil {
			return err
		}
		return store.SaveMembership(ctx, tx, ids[largeSite], house.Membership{Corner: "head", List: true, Comments: []string{"/"}})
	})
}

// visits counts some weeks of visits: of every site a few, of the large one by page and hour.
func (z size) visits(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID, now time.Time) error {
	hits, days := map[traffic.Key]int{}, map[traffic.DayKey]int{}
	for _, id := range ids {
		for d := range int64(28) {
			hour, day := traffic.HourOf(now)-24*d, traffic.DayOf(now, time.UTC)-d
			days[traffic.DayKey{Site: string(id), Day: day, Kind: traffic.Visitors}] = 9
			hits[traffic.Key{Site: string(id), Hour: hour, Page: "/", Who: "stranger", Outcome: access.Open}] = 20
			for p := 0; id == ids[largeSite] && p < z.pages/20; p++ {
				hits[traffic.Key{Site: string(id), Hour: hour, Page: fmt.Sprintf("/part-%d", p%z.doors), Who: "stranger", Outcome: access.Open}] = 3
			}
		}
	}
	return store.AddTraffic(ctx, tx, hits, days, nil)
}

// letters writes letters into the outbox of a house, as it writes them itself.
func (z size) letterTo(ctx context.Context, h *house.House) error {
	const most = 5000 // in one change
	for from := 0; from < z.letters; from += most {
		err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
			for i := from; i < min(from+most, z.letters); i++ {
				tx.QueueMail(largeSite, "letter", letter(i))
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}
