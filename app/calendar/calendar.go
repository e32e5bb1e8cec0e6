// Package calendar gathers what begins or ends for somebody, moves it, and exchanges it with
// other calendars.
package calendar

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"velada/core/access"
	"velada/core/calendar"
	"velada/house"
	"velada/store"
)

// Of is the lanes of a house, or of some of its sites, that somebody may know.
type Of struct {
	Policy *access.Policy
	Lanes  []calendar.Lane // those of the house first, then site by site
}

// Site returns the lanes of a site for somebody who works on it. policy is the house's, or
// one in which they rehearse.
func Site(ctx context.Context, h *house.House, a house.Actor, policy *access.Policy, site string, from, until access.Instant) (*Of, error) {
	id := h.State().ID(site)
	invited, err1 := store.WaitingInvitations(ctx, h.Reader(), id)
	previews, err2 := store.Previews(ctx, h.Reader(), id, "")
	due, err3 := store.DueEditions(ctx, h.Reader(), never, id)
	all, err4 := newDated(ctx, h, a, due, invited, previews)
	if err := errors.Join(err1, err2, err3, err4); err != nil {
		return nil, fmt.Errorf("reading what is dated on a site: %w", err)
	}
	facts := all.of(h, a, site)
	now := access.At(h.Now())
	of := &Of{Policy: policy}
	for _, l := range calendar.OfHouse(policy, nil) { // rules over the site, and the groups that it names
		if l.Kind == calendar.Rule && capsSite(policy, l.ID, site) {
			l.Moves = false
			of.Lanes = append(of.Lanes, l)
		}
	}
	of.Lanes = append(of.Lanes, calendar.OfSite(policy, site, facts, policy.Judge(now), from, until)...)
	return of, nil
}

// House returns the lanes of all sites that somebody may work on as a whole; the house's
// own for stewards, and for others the rules over their sites.
func House(ctx context.Context, h *house.House, a house.Actor, from, until access.Instant) (*Of, error) {
	s := h.State()
	of := &Of{Policy: s.Policy}
	sites := SitesOf(h, a)
	var facts []calendar.Fact
	steward := h.IsSteward(a)
	if steward {
		codes, err := store.AllJoinCodes(ctx, h.Reader(), h.Now())
		if err != nil {
			return nil, err
		}
		for _, c := range codes {
			facts = append(facts, calendar.Fact{Kind: calendar.JoinCode, ID: c.Code, Name: c.Group, Until: access.At(c.Ends)})
		}
	}
	for _, l := range calendar.OfHouse(s.Policy, facts) {
		mine := l.Kind == calendar.Rule && slices.ContainsFunc(sites, func(site string) bool { return capsSite(s.Policy, l.ID, site) })
		if steward || mine {
			l.Moves = l.Moves && steward
			of.Lanes = append(of.Lanes, l)
		}
	}
	judged := map[string][]access.Judgement{}
	for _, j := range s.Policy.Judge(access.At(h.Now())) {
		judged[j.Promise.Site] = append(judged[j.Promise.Site], j)
	}
	invited, err1 := store.AllWaitingInvitations(ctx, h.Reader())
	previews, err2 := store.AllPreviews(ctx, h.Reader())
	due, err3 := store.DueEditions(ctx, h.Reader(), never, "")
	all, err4 := newDated(ctx, h, a, due, invited, previews)
	if err := errors.Join(err1, err2, err3, err4); err != nil {
		return nil, fmt.Errorf("reading what is dated: %w", err)
	}
	for _, site := range sites {
		of.Lanes = append(of.Lanes, calendar.OfSite(s.Policy, site, all.of(h, a, site), judged[site], from, until)...)
	}
	return of, nil
}

// SitesOf lists the sites that somebody may work on as a whole, by title.
func SitesOf(h *house.House, a house.Actor) (sites []string) {
	s := h.State()
	for _, doc := range s.Policy.Document().Sites {
		if h.Can(a, doc.Address, "/") != 0 {
			sites = append(sites, doc.Address)
		}
	}
	slices.SortFunc(sites, func(a, b string) int { return cmp.Compare(s.SiteTitle(a), s.SiteTitle(b)) })
	return sites
}

func capsSite(p *access.Policy, rule, site string) bool {
	return slices.ContainsFunc(p.Document().Rules, func(r access.HouseRule) bool { return r.ID == rule && r.Caps(site) })
}

// dated is what is dated and stands in no document, by site: editions that go live by
// themselves, somebody's own changes that are applied by themselves, invitations, preview links.
type dated struct {
	due      map[store.SiteID][]store.DueEdition
	mine     map[store.SiteID]time.Time
	invited  map[store.SiteID][]store.Invitation
	previews map[store.SiteID][]store.Preview
}

// never is later than whatever happens.
var never = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// newDated sorts what is dated by site.
func newDated(ctx context.Context, h *house.House, a house.Actor, due []store.DueEdition, invited []store.Invitation, previews []store.Preview) (*dated, error) {
	all := &dated{due: map[store.SiteID][]store.DueEdition{}, invited: map[store.SiteID][]store.Invitation{}, previews: map[store.SiteID][]store.Preview{}}
	var err error
	if all.mine, err = store.RehearsalDates(ctx, h.Reader(), a.Who); err != nil {
		return nil, err
	}
	for _, d := range due {
		all.due[d.Site] = append(all.due[d.Site], d)
	}
	for _, inv := range invited {
		for i, to := range inv.To {
			if !slices.ContainsFunc(inv.To[:i], func(earlier store.Invited) bool { return earlier.Site == to.Site }) {
				all.invited[to.Site] = append(all.invited[to.Site], inv)
			}
		}
	}
	for _, p := range previews {
		all.previews[p.Site] = append(all.previews[p.Site], p)
	}
	return all, nil
}

// of returns what of this is of a site, as far as somebody may know it.
func (all *dated) of(h *house.House, a house.Actor, site string) (facts []calendar.Fact) {
	caps, id := h.Can(a, site, "/"), h.State().ID(site)
	for _, d := range all.due[id] {
		facts = append(facts, calendar.Fact{Site: site, Kind: calendar.Edition, ID: fmt.Sprint(d.Number), Until: access.At(d.Due)})
	}
	if at := all.mine[id]; !at.IsZero() {
		facts = append(facts, calendar.Fact{Site: site, Kind: calendar.Rehearsal, ID: "mine", Until: access.At(at)})
	}
	if caps.Has(access.ManageTeam) {
		for _, inv := range all.invited[id] {
			facts = append(facts, calendar.Fact{Site: site, Kind: calendar.Invitation, ID: inv.ID, Name: h.NameOf(inv.Who), From: access.At(inv.At), Until: access.At(inv.Ends)})
		}
	}
	if caps.Has(access.Write) {
		for _, p := range all.previews[id] {
			facts = append(facts, calendar.Fact{Site: site, Kind: calendar.Preview, ID: p.ID, Name: p.Label, Until: access.At(p.Until)})
		}
	}
	return facts
}

// Shift is how far an end of a lane is moved, in days and hours of the house's zone.
type Shift struct{ Days, Hours int }

// from returns where the shift leads from an instant.
func (s Shift) from(at access.Instant, zone *time.Location) access.Instant {
	return access.At(at.Time().In(zone).AddDate(0, 0, s.Days).Add(time.Duration(s.Hours) * time.Hour))
}

// mostShift is how far an end is moved at once.
const mostShift = 3660

// ErrMoved says that the thing whose end is to be moved is not as it was shown.
var ErrMoved = fmt.Errorf("this was changed meanwhile: look again, then move it")

// end returns an end of a lane as it is; false where it is none.
func end(lanes []calendar.Lane, key string, begins bool) (access.Instant, bool) {
	i := slices.IndexFunc(lanes, func(l calendar.Lane) bool { return l.Key == key && l.Moves })
	if i < 0 {
		return access.Instant{}, false
	}
	at := lanes[i].Last()
	if begins {
		at = lanes[i].First()
	}
	return at, !at.IsZero()
}

// Move rehearses that an end of a lane of a site is moved. It returns ErrMoved.
func Move(ctx context.Context, h *house.House, a house.Actor, site, key string, begins bool, by Shift) error {
	if by.Days < -mostShift || by.Days > mostShift || by.Hours < -24 || by.Hours > 24 {
		return ErrMoved
	}
	zone := h.State().Zone
	return h.Trays.Rehearse(ctx, a, site, func(draft *access.Site, _ map[string]store.NewSecret) error {
		p, err := h.State().Policy.Replace(draft.Clone())
		if err != nil {
			return err
		}
		at, there := end(calendar.OfSite(p, site, nil, nil, access.Instant{}, access.Instant{}), key, begins)
		if !there || !calendar.Move(draft, key, begins, by.from(at, zone)) {
			return ErrMoved
		}
		return nil
	})
}

// MoveInHouse is the change that moves an end of a group or a house rule.
func MoveInHouse(h *house.House, key, name string, begins bool, by Shift) (house.PeopleChange, error) {
	s := h.State()
	at, there := end(calendar.OfHouse(s.Policy, nil), key, begins)
	if !there || by.Days < -mostShift || by.Days > mostShift || by.Hours < -24 || by.Hours > 24 {
		return house.PeopleChange{}, ErrMoved
	}
	to := by.from(at, s.Zone)
	edge := "ends"
	if begins {
		edge = "begins"
	}
	return house.PeopleChange{
		What: fmt.Sprintf("%s %s on %s instead of %s.", name, edge, to.Time().In(s.Zone).Format("2 Jan 2006 15:04"), at.Time().In(s.Zone).Format("2 Jan 2006 15:04")), Kind: "house",
		Do: func(doc *access.Document) error {
			now, there := end(calendar.OfHouse(h.State().Policy, nil), key, begins)
			if !there || now != at || !calendar.MoveInHouse(doc, key, begins, to) {
				return ErrMoved
			}
			return nil
		},
	}, nil
}
