package web

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/house"
	"velada/words"
)

// MySites lists the sites that somebody has to do with, and how each stands.
func MySites(c *Console, me house.Actor) (mine []*access.Site, standing map[string]access.Standing) {
	s, at := c.House.State(), c.At()
	standing = map[string]access.Standing{}
	for _, doc := range s.Policy.Document().Sites {
		if c.House.CanAnywhere(me, doc.Address) == 0 {
			continue
		}
		mine = append(mine, doc)
		standing[doc.Address] = s.Policy.Standing(doc.Address, at)
	}
	return mine, standing
}

// HousePage begins a view of the house that is about all sites: its head says how many of
// them anyone can view, and what changes next.
func (c *Console) HousePage(x *gin.Context, here string) *Page {
	p := c.Page(x, here)
	p.Here = here
	if mine, standing := MySites(c, Actor(x)); len(mine) > 0 {
		SayOfSites(c.House.State(), p, mine, standing, c.At())
	}
	return p
}

// SayOfSites puts into the head how many of the sites anyone can view, and what changes next.
func SayOfSites(s *house.State, p *Page, mine []*access.Site, standing map[string]access.Standing, at access.Instant) {
	open, inPart := 0, 0
	for _, st := range standing {
		switch {
		case st.Strangers == 0:
		case st.Strangers == st.Pages:
			open++
		default:
			inPart++
		}
	}
	sites := fmt.Sprintf("%d of %s", open+inPart, Count(len(mine), "site", "sites"))
	switch {
	case open+inPart == 0:
		p.Standing.Say("Strangers can view none of " + Count(len(mine), "site", "sites") + ".")
	case inPart == 0:
		p.Standing.Anyone(" can view " + sites + ".")
	case open == 0:
		p.Standing.Anyone(" can view " + sites + " in part.")
	default:
		p.Standing.Anyone(fmt.Sprintf(" can view %s, %d of them in part.", sites, inPart))
	}
	p.Standing.Quietly(nextChange(s, mine, at))
}

// nextChange tells what changes next by the passing of time on the sites shown. Sites are asked in the order
// in which something may change on them, until what may change there is later than what was found.
func nextChange(s *house.State, sites []*access.Site, at access.Instant) string {
	type candidate struct {
		doc *access.Site
		may access.Instant
	}
	var candidates []candidate
	for _, doc := range sites {
		if next := s.Policy.Site(doc.Address).Instants(at); len(next) > 0 {
			candidates = append(candidates, candidate{doc, next[0]})
		}
	}
	slices.SortStableFunc(candidates, func(a, b candidate) int { return a.may.Compare(b.may) })
	var soonest access.Instant
	site := ""
	for _, one := range candidates {
		if site != "" && !one.may.Before(soonest) {
			break
		}
		if turns, _ := s.Policy.Turns(one.doc.Address, at, 1); len(turns) > 0 && (site == "" || turns[0].At.Before(soonest)) {
			soonest, site = turns[0].At, cmp.Or(one.doc.Title, one.doc.Address)
		}
	}
	if site == "" {
		return "Nothing changes by itself."
	}
	return fmt.Sprintf("Next change: %s, at %s.", Soon(soonest.Time().In(s.Zone), at.Time().In(s.Zone)), site)
}

// Soon says when something is, as seen from now: today or tomorrow by name.
func Soon(t, now time.Time) string {
	switch days := words.DaysBetween(now, t); {
	case days == 0:
		return "today " + t.Format("15:04")
	case days == 1:
		return "tomorrow " + t.Format("15:04")
	}
	return words.Moment(t)
}
