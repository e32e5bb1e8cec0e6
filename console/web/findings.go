package web

import (
	"context"
	"log/slog"
	"net/url"
	"strconv"
	"strings"

	"velada/core/access"
	"velada/core/rounds"
	"velada/house"
	"velada/words"
)

// FindingRow is a finding of rounds as it is listed.
type FindingRow struct {
	Key, Grave string
	Title, Sub string
	Site       string // its address
	URL        string // where the finding itself is shown
	Windows    []Window
	More       int // windows that are not drawn
	Do         string
	To         string // where the button leads; "" where it mends, or there is none
	Mends      bool
	Found      words.Found
	Action     string // where the form of mending is sent
	Listing    bool   // it is the form for search engines
}

// mostWindows is how many windows a finding is drawn with.
const mostWindows = 6

// NewFindingRow puts a finding into words for somebody.
func (c *Console) NewFindingRow(f rounds.Finding, me house.Actor, withSite bool) FindingRow {
	s := c.House.State()
	w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
	if f.Site != "" {
		w.Site = s.SiteDocument(f.Site)
		known := c.House.KnownTo(me, f.Site)
		if w.Hides = known != s.Policy.Document(); w.Hides {
			w.Document = known
		}
	}
	title := func(path string) string { return s.Title(f.Site, path) }
	found := w.Finding(f, c.At(), title, OutcomeWords)
	r := FindingRow{Key: f.Key(), Grave: words.GravityWords[f.Gravity], Title: found.Title, Site: f.Site, Found: found, Do: found.Do, URL: "/rounds?find=" + url.QueryEscape(f.Key())}
	r.Sub = r.Grave + " · "
	if withSite && f.Site != "" {
		r.Sub += s.SiteTitle(f.Site) + ": "
	}
	r.Sub += found.Detail
	for _, path := range f.Paths {
		if len(r.Windows) == mostWindows {
			r.More = len(f.Paths) - mostWindows
			break
		}
		r.Windows = append(r.Windows, WindowOf(s.Policy.Site(f.Site).Decide(path, &access.Visitor{}, c.At())))
	}
	r.Action = "/rounds/mend"
	if r.Listing = f.Kind == rounds.ListingShut; r.Listing {
		r.Action = "/sites/" + f.Site + "/settings/search-engines"
	}
	r.Mends = (f.Mend != nil || f.House != nil) && c.mayMend(f, me)
	if !r.Mends {
		r.To = leadsTo(f)
		if f.Mend != nil || f.House != nil {
			r.Do = "See where it is set"
		}
	}
	return r
}

// mayMend reports whether somebody may make the change that mends a finding.
func (c *Console) mayMend(f rounds.Finding, me house.Actor) bool {
	if f.Site == "" {
		return c.House.IsSteward(me)
	}
	caps := c.House.Can(me, f.Site, "/")
	switch f.Kind {
	case rounds.EndlessOutsider, rounds.OwnerEnds:
		return caps.Has(access.ManageTeam)
	case rounds.ListingShut:
		return caps.Has(access.ManageListing)
	case rounds.Leftovers, rounds.NobodysAddress:
		return caps.Has(access.ChangeDoor) && caps.Has(access.ManageTeam)
	}
	return caps.Has(access.ChangeDoor)
}

// leadsTo is where somebody looks after a finding themselves.
func leadsTo(f rounds.Finding) string {
	site := "/sites/" + f.Site
	switch f.Kind {
	case rounds.PromiseBroken:
		return site + "#promises"
	case rounds.WeakPassword, rounds.SharedPassword:
		return PassesURL(f.Site, "pass", "password:"+f.Thing)
	case rounds.EndlessPassword, rounds.UnusedPassword, rounds.UnusedLink, rounds.SpreadLink:
		return site + "/passes"
	case rounds.NoOwner, rounds.BlockedInside, rounds.EndlessOutsider, rounds.OwnerEnds, rounds.NobodysAddress:
		return site + "/team"
	case rounds.OldInvitation:
		return site + "/team#waiting"
	case rounds.OldRequest:
		if f.Site == "" {
			return "/house-rules"
		}
		return site + "/members"
	case rounds.ListingShut:
		return site + "/settings"
	case rounds.DomainLost:
		return "/sites/" + f.Site + "/settings/address#domains"
	case rounds.RobotsAgainst:
		return "/sites/" + f.Site + "/settings#robots"
	case rounds.ListingForbidden:
		return "/house-rules"
	case rounds.ChangesNotLive:
		return site + "/publish"
	case rounds.BrokenLink:
		return site + "/pages?path=" + url.QueryEscape(f.Thing)
	case rounds.LonelyPage:
		return site + "/pages"
	case rounds.EndlessHolding, rounds.LongHolding:
		return site + "/holding"
	case rounds.OneSteward:
		return "/settings/stewards"
	case rounds.NoSecondStep:
		return "/settings/sign-in"
	case rounds.MailFailed:
		return "/outbox"
	case rounds.LeftoverGroup:
		return "/groups/" + f.Thing
	case rounds.Leftovers:
		return site + "/door"
	}
	path, _, _ := strings.Cut(f.Thing, " ")
	return DoorURL(f.Site, path, "")
}

// FindingURL leads to the thing that a finding is about.
func FindingURL(f rounds.Finding) string { return leadsTo(f) }

// foundNote is how many findings there are for somebody, beside the tab; "" where none.
func (c *Console) foundNote(ctx context.Context, me house.Actor) string {
	n, err := c.Rounds.Count(ctx, me)
	if err != nil {
		slog.Error("going through the house", "error", err)
	}
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}
