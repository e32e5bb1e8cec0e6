package teams

import (
	"context"
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// What becomes of somebody who hands a site over.
const (
	StayOwner = "owner"
	StayAdmin = "admin"
	StayAway  = "leave"
)

// stepBack takes the ownership of whoever hands a site over.
func stepBack(s *house.State, doc *access.Site, who store.Who, stay string) error {
	owns := func(e access.TeamEntry) bool { return s.Names(e, who) && e.Role == "owner" && e.Accepted }
	if !slices.ContainsFunc(doc.Team, owns) {
		return errNotTheirs
	}
	switch stay {
	case StayAway:
		doc.Team = slices.DeleteFunc(doc.Team, func(e access.TeamEntry) bool { return s.Names(e, who) })
	case StayAdmin:
		for i := range doc.Team {
			if owns(doc.Team[i]) {
				doc.Team[i].Role = "admin"
			}
		}
	}
	return nil
}

var errNotTheirs = access.TeamRefusal{Text: "Whoever wanted to hand this site over no longer owns it."}

// HandOver asks a person of the house to take a site over. Nothing changes until they
// accept. It returns house.FieldErrors.
func HandOver(ctx context.Context, h *house.House, a house.Actor, site, to, stay string) error {
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.Own}, func(tx *house.Tx) error {
		s := tx.State()
		guests := roster.ReadGuests(to, s.Policy.Document())
		if len(guests.People) != 1 || len(guests.Problems) > 0 || strings.Contains(guests.People[0], "@") {
			return house.FieldErrors{"to": "Name one person of the house: only they can own a site. A steward can bring somebody into the house."}
		}
		receiver := s.Policy.Document().Person(guests.People[0])
		if store.Who(receiver.ID) == a.Who {
			return house.FieldErrors{"to": "That is yourself."}
		}
		if !slices.Contains([]string{StayOwner, StayAdmin, StayAway}, stay) {
			return house.FieldErrors{"stay": "Choose what becomes of you."}
		}
		doc := tx.Site(site)
		if !slices.ContainsFunc(doc.Team, func(e access.TeamEntry) bool { return s.Names(e, a.Who) && e.Role == "owner" && e.Accepted }) {
			return house.FieldErrors{"to": "You do not own this site yourself. Put an owner on the team instead."}
		}
		if slices.ContainsFunc(doc.Team, func(e access.TeamEntry) bool { return s.Names(e, store.Who(receiver.ID)) && e.Role == "owner" }) {
			return house.FieldErrors{"to": receiver.Name + " owns it already, or is asked to."}
		}
		if address := parts.MustAddress(receiver.Address); keepsOut(s, []string{site}, address, access.At(tx.Now())) != "" {
			return house.FieldErrors{"to": fmt.Sprintf("%s is not at one of the house’s own domains, and a house rule counts no others on the team of this site.", address)}
		}
		if receiver.Blocked {
			return house.FieldErrors{"to": receiver.Name + " is blocked."}
		}
		doc.Team = append(doc.Team, access.TeamEntry{Person: receiver.ID, Role: "owner", Under: "/"})
		token := identity.Token()
		inv := store.Invitation{
			ID: identity.Token(), Who: store.Who(receiver.ID), By: a.Who, At: tx.Now(), Ends: tx.Now().Add(invitationLife),
			Token: sha256.Sum256([]byte(token)), Mailed: s.Settings.Reaches(parts.MustAddress(receiver.Address)), Stay: stay, Status: "waiting",
			To: []store.Invited{{Site: tx.State().ID(site), Under: "/", Role: "owner"}},
		}
		tx.Log(site, "invitation", fmt.Sprintf("%s was asked to take the site over.", receiver.Name), "", "")
		tx.Try(sendInvitation(ctx, h, tx, inv, invitationURL(h, token)))
		return store.SaveInvitation(ctx, tx, inv)
	})
}

// LeaveTeam takes somebody off a site's team at their own wish, at once. What they may
// do through a group stays. It returns house.ErrNothing for who is not on it by name,
// and access.TeamRefusal for a last owner.
func LeaveTeam(ctx context.Context, h *house.House, a house.Actor, site string) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		if h.CanAnywhere(a, site) == 0 {
			return house.ErrNoSite
		}
		s := tx.State()
		doc := tx.Site(site)
		was := len(doc.Team)
		doc.Team = slices.DeleteFunc(doc.Team, func(e access.TeamEntry) bool { return s.Names(e, a.Who) && e.Accepted })
		if len(doc.Team) == was {
			return house.ErrNothing
		}
		tx.Log(site, "invitation", a.Name+" left the team.", "", "")
		tx.Notify(tx.WhoMay(site, access.ManageTeam), site, "role", fmt.Sprintf("%s left the team of %s.", a.Name, doc.Title), "/sites/"+site+"/team")
		return nil
	})
}
