// Package demo makes the made-up house that Velada shows itself with. Every
// name, address and password in it is invented.
package demo

import (
	"context"
	"database/sql"
	_ "embed"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/standin"
	"velada/store"
)

//go:embed house.yaml
var houseFile []byte

//go:embed pages.txt
var pagesFile string

// Password is that of every account of the demo house.
const Password = "lantern over the hill"

// Start is the instant at which the demo house was written down: its clock
// stands there when frozen, and its dates are shifted from there to today otherwise.
var Start = time.Date(2026, 11, 24, 17, 0, 0, 0, time.UTC)

// Passes are the passwords of the demo house's passes, by site and pass.
var Passes = map[string]map[string]string{
	"variable-stars": {"panel": "velvet comet on show night"},
	"new-dome":       {"builders": "six metres of copper"},
	"dossier":        {"hollis": "hollis1", "ribera": "quartz beacon thimble", "nordlys": "aurora over the fjord"},
}

// SignIns are the accounts worth trying.
var SignIns = []struct{ Address, Who string }{
	{"ines@cerroalcor.example", "steward of the house"},
	{"pilar@cerroalcor.example", "looks after the society and the dossier"},
	{"aiko@cerroalcor.example", "publishes Variable Stars, edits the Instrument Log"},
	{"tobias@lens.example", "from outside, on a guest list"},
}

// ProviderAccounts are whom the stand-in identity provider signs in: people of
// the house, one whose address it has not verified, one of which it does not say so,
// and one at a domain that is not its own.
var ProviderAccounts = []standin.ProviderAccount{
	{Address: "jonas@cerroalcor.example", Name: "Jonas Lindqvist", Verified: true},
	{Address: "nadia@cerroalcor.example", Name: "Nadia Sorel", Verified: true},
	{Address: "salma@cerroalcor.example", Name: "Somebody as Salma", Verified: false},
	{Address: "desk@cerroalcor.example", Name: "The desk"},
	{Address: "tobias@lens.example", Name: "Somebody as Tobias", Verified: true},
}

var (
	firstNames = []string{"Ada", "Benito", "Carmen", "Dario", "Edda", "Farid", "Greta", "Hugo", "Irene", "Jamal", "Katya", "Leandro", "Marisol", "Nils", "Odile", "Paco", "Quim", "Rosa", "Stellan", "Tamsin"}
	lastNames  = []string{"Abascal", "Brandt", "Cifuentes", "Duarte", "Escobedo", "Fjeld", "Galindo", "Haddad", "Ibarra", "Jansen", "Kovacs", "Lozano"}
)

// Document is the demo house's policy at a time, and the address of everyone
// who can sign in.
func Document(now time.Time) (*access.Document, error) {
	doc, err := access.Read(houseFile)
	if err != nil {
		return nil, err
	}
	for i := range 60 {
		first, last := firstNames[i%len(firstNames)], lastNames[(i*5+i/20)%len(lastNames)]
		p := access.Person{ID: fmt.Sprintf("%s-%s", strings.ToLower(first), strings.ToLower(last)), Name: first + " " + last}
		switch {
		case i < 26:
			p.Address = p.ID + "@cerroalcor.example"
		case i < 44:
			p.Address = p.ID + "@aula.cerroalcor.example"
		default:
			p.Address = p.ID + "@post.example"
		}
		doc.People = append(doc.People, p)
		place(doc, p.ID, i)
	}
	shift(doc, daysSince(now))
	return doc, access.Validate(doc)
}

// daysSince is by how many days the demo house is shifted at a time.
func daysSince(now time.Time) int {
	if now.Before(Start) {
		return -int(Start.Sub(now).Hours() / 24)
	}
	return int(now.Sub(Start).Hours()/24 + 1.0/48)
}

// place puts somebody of the roster into groups and memberships.
func place(doc *access.Document, id string, i int) {
	group := func(name string) {
		g := slices.IndexFunc(doc.Groups, func(g access.Group) bool { return g.ID == name })
		doc.Groups[g].People = append(doc.Groups[g].People, id)
	}
	switch {
	case i < 10:
		group("night-crew")
	case i < 14:
		group("antlia")
	case i < 18:
		group("corvus")
	case i < 21:
		group("lacerta")
	}
	if i >= 37 {
		status := "approved"
		switch {
		case i >= 59:
			status = "blocked"
		case i >= 55:
			status = "pending"
		}
		doc.Sites[0].Members = append(doc.Sites[0].Members, access.Member{Who: id, Status: status})
	}
}

// shift moves every instant of the document by whole days, in the house's zone.
func shift(doc *access.Document, days int) {
	zone, err := time.LoadLocation(doc.House.Zone)
	if err != nil {
		panic(err) // the document was validated
	}
	move := func(instants ...*access.Instant) {
		for _, i := range instants {
			if !i.IsZero() {
				*i = access.At(i.Time().In(zone).AddDate(0, 0, days))
			}
		}
	}
	ways := func(list []access.Way) {
		for i := range list {
			move(&list[i].From, &list[i].Until)
		}
	}
	for i := range doc.Groups {
		move(&doc.Groups[i].From, &doc.Groups[i].Until)
	}
	for i := range doc.Rules {
		move(&doc.Rules[i].From, &doc.Rules[i].Until)
	}
	for _, s := range doc.Sites {
		ways(s.Door.Ways)
		for i := range s.Doors {
			ways(s.Doors[i].Ways)
		}
		for i := range s.Passes {
			move(&s.Passes[i].From, &s.Passes[i].Until)
		}
		move(&s.Holding.From, &s.Holding.Until)
		if s.Holding.Repeat != nil {
			move(&s.Holding.Repeat.Until)
		}
		ways(s.Holding.LetIn)
		for i := range s.Team {
			move(&s.Team[i].From, &s.Team[i].Until)
		}
	}
	for i := range doc.Promises {
		move(&doc.Promises[i].At, &doc.Promises[i].From, &doc.Promises[i].Until)
	}
}

// OwnDomain is a domain that the society's site asks for and has not proven.
const OwnDomain = "www.cerroalcor.example"

// Zone is what the demo's name servers say at first: the site is still where it was before.
const Zone = `; Records of the demo, one a line: name, seconds that others may keep it, IN, type, value.
cerroalcor.example.       60  IN  A      203.0.113.40
www.cerroalcor.example.   60  IN  CNAME  old-host.example.
old-host.example.         60  IN  A      203.0.113.40
`

// Make fills an empty database with the demo house.
func Make(ctx context.Context, db *sql.DB, now time.Time) error {
	doc, err := Document(now)
	if err != nil {
		return fmt.Errorf("the demo house: %w", err)
	}
	hash := identity.HashPassword(Password)
	return store.InTx(ctx, db, func(tx *sql.Tx) error {
		if err := store.SaveDocument(ctx, tx, doc); err != nil {
			return err
		}
		for _, p := range doc.People {
			if err := store.NewAccount(ctx, tx, store.Account{Who: store.Who(p.ID), Name: p.Name, Password: hash, SignedIn: true}); err != nil {
				return err
			}
		}
		if err := store.SaveSetting(ctx, tx, "house", `{"no_mail":["aula.cerroalcor.example"]}`); err != nil {
			return err
		}
		ids, err := store.SiteIDs(ctx, tx)
		if err != nil {
			return err
		}
		if err := makeMembership(ctx, tx, ids, doc, now); err != nil {
			return err
		}
		if err := makeRules(ctx, tx, ids, now); err != nil {
			return err
		}
		www := store.Domain{Name: OwnDomain, Site: ids["society"], Token: identity.Token()[:32], Added: now, Next: now}
		if err := store.SaveDomain(ctx, tx, www); err != nil {
			return err
		}
		if err := makeDates(ctx, tx, ids, now); err != nil {
			return err
		}
		if err := store.SaveKeepers(ctx, tx, "variable-stars", []store.Who{"aiko"}); err != nil {
			return err
		}
		if err := makeEditions(ctx, tx, ids, doc, now); err != nil {
			return err
		}
		if err := makePasses(ctx, tx, ids, now); err != nil {
			return err
		}
		for site, details := range said {
			if err := store.SaveDetails(ctx, tx, ids[site], details); err != nil {
				return err
			}
		}
		if err := makeHolding(ctx, tx, ids); err != nil {
			return err
		}
		if err := makeLedger(ctx, tx, doc, now); err != nil {
			return err
		}
		return makeTraffic(ctx, tx, ids, doc, now)
	})
}

// makeMembership says what being a member of the society is like, and what a few
// members have said.
func makeMembership(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID, doc *access.Document, now time.Time) error {
	m := house.Membership{
		Questions: []string{"What brings you to the observatory?"}, Terms: "Members look after the instruments, and after each other on the dark path.",
		Corner: "head", List: true, Comments: []string{"/members"}, Held: true,
	}
	if err := store.SaveMembership(ctx, tx, ids["society"], m); err != nil {
		return err
	}
	said := []string{"Jupiter, seen from a balcony.", "My daughter asked what a nova is.", "A night at the August party.", "I grind mirrors."}
	waiting := 0
	for i, member := range doc.Sites[0].Members {
		p := store.Profile{Person: member.Who, Since: now.AddDate(0, 0, -3*i-1), Agreed: m.Terms, Answers: []store.Answer{{Question: m.Questions[0], Answer: said[i%len(said)]}}}
		if i < 6 {
			p.Shows = map[string]bool{"name": true, "about": i%2 == 0}
			p.About = "At the small dome on most Fridays."
		}
		if err := store.SaveProfile(ctx, tx, ids["society"], p); err != nil {
			return err
		}
		if member.Status != "approved" || waiting > 1 {
			continue
		}
		c := store.Comment{Site: ids["society"], Path: "/members", Person: member.Who, At: now.AddDate(0, 0, -2), Status: []string{"shown", "held"}[waiting], Text: []string{"The red lamps are back in the cupboard by the stairs.", "Is the small dome free on Friday?"}[waiting]}
		waiting++
		if err := store.SaveComment(ctx, tx, &c, now); err != nil {
			return err
		}
	}
	return store.SaveLetIn(ctx, tx, store.LetIn{Site: ids["variable-stars"], Path: "/notes", Who: "nadia@lens.example", Word: "I photograph the show night for the paper. May I read the notes before?", At: now.Add(-3 * time.Hour)})
}

// makeDates says since when passwords and the coming soon page are as they are.
func makeDates(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID, now time.Time) error {
	for site, passes := range Passes {
		for pass := range passes {
			if err := store.SaveMade(ctx, tx, ids[site], "pass:"+pass, now.AddDate(0, 0, -21)); err != nil {
				return err
			}
		}
	}
	return store.SaveMade(ctx, tx, ids["new-dome"], "holding", now.AddDate(0, 0, -12))
}

// makeRules says who set the house rule and why, and who asks for one more exception.
func makeRules(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID, now time.Time) error {
	note := store.RuleNote{Rule: "records", Who: "ines", At: now.AddDate(0, 0, -23), Reason: "Observations carry the names of those who made them. The society publishes its programme as a table, and may."}
	if err := store.SaveRuleNote(ctx, tx, note); err != nil {
		return err
	}
	return store.SaveException(ctx, tx, store.Exception{
		Site: ids["new-dome"], Rule: "records", Who: "bram", Word: "The list of instruments for the dome is no secret, and has no names in it.", At: now.Add(-26 * time.Hour),
	})
}

func makePasses(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID, now time.Time) error {
	rows, err := store.SiteRows(ctx, tx)
	if err != nil {
		return err
	}
	salts := map[store.SiteID][]byte{}
	for _, row := range rows {
		salts[row.ID] = row.Salt
	}
	salt, err := store.HouseSalt(ctx, tx)
	if err != nil {
		return err
	}
	for site, passes := range Passes {
		for pass, password := range passes {
			weak := identity.StrengthOf(password, site).Score < 3
			if err := store.SavePassSecret(ctx, tx, ids[site], pass, store.NewSecret{Hash: identity.Key(password, salts[ids[site]]), Reuse: identity.Key(password, salt), Weak: weak}); err != nil {
				return err
			}
		}
	}
	for range 14 {
		if err := store.CountPassUse(ctx, tx, ids["dossier"], "nordlys", now.AddDate(0, 0, -2)); err != nil {
			return err
		}
	}
	return nil
}

// makeEditions reads pages.txt: a line "@ site edition" begins a site, "= path |
// title | menu" a page, and what follows is its Markdown.
func makeEditions(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID, doc *access.Document, now time.Time) error {
	for _, block := range strings.Split(pagesFile, "@ ")[1:] {
		var site string
		var number int
		head, rest, _ := strings.Cut(block, "\n")
		if _, err := fmt.Sscan(head, &site, &number); err != nil {
			return fmt.Errorf("pages.txt: %q: %w", head, err)
		}
		var list []store.Page
		for _, part := range strings.Split("\n"+rest, "\n= ")[1:] {
			line, body, _ := strings.Cut(part, "\n")
			fields := strings.Split(line, " | ")
			if len(fields) < 2 {
				return fmt.Errorf("pages.txt: %q has no title", line)
			}
			list = append(list, store.Page{
				ID: pageID(fields[0]), Path: fields[0], Title: fields[1], Body: shiftDates(strings.TrimSpace(body), daysSince(now)), InMenu: len(fields) > 2, Listing: true,
				SavedAt: now.AddDate(0, 0, -number%9-1), SavedBy: "ines",
			})
		}
		position := slices.IndexFunc(doc.Sites, func(s *access.Site) bool { return s.Address == site })
		if position < 0 {
			return errors.New("pages.txt: there is no site " + site)
		}
		have, err := filesOf(ctx, tx, site, ids[site])
		if err != nil {
			return err
		}
		if err := store.SaveLook(ctx, tx, ids[site], worn[site]); err != nil {
			return err
		}
		if number > 0 {
			e := &store.Edition{Site: ids[site], Number: number, At: now.AddDate(0, 0, -number%9-1), Who: "ines", Note: notes[site], Pages: slices.Clone(list), Files: have, Look: worn[site]}
			for _, before := range earlier[site] {
				was := &store.Edition{Site: ids[site], Number: before.number, At: now.AddDate(0, 0, -before.days), Who: before.who, Note: before.note, Pages: before.pages(slices.Clone(list)), Files: slices.Clone(e.Files), Look: e.Look}
				if _, err := pages.PutEdition(ctx, tx, doc.Sites[position], was, position); err != nil {
					return err
				}
			}
			if _, err := pages.PutEdition(ctx, tx, doc.Sites[position], e, position); err != nil {
				return err
			}
		}
		if site == "variable-stars" {
			list = begunChanges(list)
		}
		if err := store.SaveWorkingPages(ctx, tx, ids[site], list); err != nil {
			return err
		}
	}
	return nil
}

// notes are what was said of the editions that are live.
var notes = map[string]string{"society": "The open night of 11 December", "variable-stars": "Week 2"}

// earlier are editions that were live before, by site: who made them how many days
// ago, and how their pages differ from today's.
var earlier = map[string][]struct {
	number, days int
	who          store.Who
	note         string
	pages        func([]store.Page) []store.Page
}{
	"society": {
		{29, 61, "ines", "The courses of the autumn", func(list []store.Page) []store.Page {
			list = without(list, "/history")
			replace(list, "/open-nights", "| 27 November | Pleiades and Hyades | Aiko |\n| 11 December | The winter hexagon | Bram |", "| 30 October | Andromeda | Bram |")
			replace(list, "/visit", " Please drive the last bend with dipped lights.", "")
			return list
		}},
		{30, 20, "pilar", "How it began, and the open night of November", func(list []store.Page) []store.Page {
			replace(list, "/open-nights", "\n| 11 December | The winter hexagon | Bram |", "")
			return list
		}},
	},
	"variable-stars": {
		{6, 13, "aiko", "Week 1", func(list []store.Page) []store.Page { return without(list, "/notes/week-2") }},
	},
}

func without(list []store.Page, path string) []store.Page {
	return slices.DeleteFunc(list, func(p store.Page) bool { return p.Path == path })
}

// replace puts other words into what a page says.
func replace(list []store.Page, path, words, by string) {
	i := slices.IndexFunc(list, func(p store.Page) bool { return p.Path == path })
	list[i].Body = strings.Replace(list[i].Body, words, by, 1)
}

// pageID is the id of a page of the demo house.
func pageID(path string) string {
	return "p" + strings.ReplaceAll(path, "/", "-")
}

// begunChanges is a working copy that somebody is in the middle of.
func begunChanges(list []store.Page) []store.Page {
	list = slices.Clone(list)
	for i := range list {
		switch list[i].Path {
		case "/notes/week-2":
			list[i].Body += "\n\nBring a watch that shows seconds."
		case "/crew/corvus":
			list[i].Body += " Two more nights since."
		}
	}
	return append(list, store.Page{ID: pageID("/notes/week-3"), Path: "/notes/week-3", Listing: true, Title: "Week 3: Delta Cephei", Body: "# Week 3: Delta Cephei\n\nFive days and nine hours, like a clock."})
}
