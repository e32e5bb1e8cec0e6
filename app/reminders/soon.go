// Package reminders tells people what ends, opens or breaks soon on what they look after: each
// once in the console, and by choice in a mail a day or a week.
package reminders

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/calendar"
	"velada/house"
	"velada/store"
	"velada/words"
)

// How far ahead people are reminded.
const (
	deadline = 3 * 24 * time.Hour // of what opens, of roles and groups
	eve      = 36 * time.Hour     // of passwords and links that end
	weekly   = 8 * 24 * time.Hour // in a mail a week
	upFor    = 24 * time.Hour     // after which a maintenance page without an end is told of
)

// Item is one thing to be reminded of.
type Item struct {
	Key  string // tells it from all others, its time among it
	Site string // "" is the house
	At   access.Instant
	What string // a sentence, with instants as words.Then keeps them
	URL  string // of the console: where the action is
	To   []store.Who
}

// Soon lists what ends, opens or breaks within a time from now, each with whom it concerns.
func Soon(h *house.House, s *house.State, held map[string]access.Instant, now time.Time, within time.Duration) (list []Item) {
	g := &gathering{h: h, s: s, now: access.At(now), until: access.At(now.Add(within)), eve: access.At(now.Add(max(eve, within-deadline+eve)))}
	judged := s.Policy.Judge(g.now)
	for _, doc := range s.Policy.Document().Sites {
		g.site(doc, calendar.OfSite(s.Policy, doc.Address, nil, judged, g.now, g.until), held[doc.Address])
	}
	g.house(calendar.OfHouse(s.Policy, nil))
	slices.SortStableFunc(g.list, func(a, b Item) int { return a.At.Compare(b.At) })
	return g.list
}

type gathering struct {
	h               *house.House
	s               *house.State
	now, until, eve access.Instant
	list            []Item
}

func (g *gathering) add(site, key string, at access.Instant, what, url string, to []store.Who) {
	if len(to) > 0 {
		g.list = append(g.list, Item{strings.Join([]string{site, key, at.String()}, " "), site, at, what, url, to})
	}
}

func (g *gathering) site(doc *access.Site, lanes []calendar.Lane, held access.Instant) {
	if doc.State != "live" {
		return
	}
	address := doc.Address
	title := g.s.SiteTitle(address)
	w := words.Wording{Document: g.s.Policy.Document(), Site: doc, Zone: g.s.Zone}
	at := "/sites/" + address
	doors := g.s.WhoMay(address, access.ChangeDoor, g.now)
	for _, change := range g.s.Policy.TimelineOf(address, g.now, g.until) {
		if opens(change.Sites[0]) {
			g.add(address, "opens", change.At, fmt.Sprintf("%s: %s, %s.", title, words.Then(change.At.Time()), w.Turn(change.Sites[0])), at+"/sightlines?at="+change.At.String(), doors)
		}
	}
	for _, e := range calendar.Edges(lanes, g.now, g.until) {
		l := lanes[e.Lane]
		name := w.Lane(l, func(path string) string { return g.s.Title(address, path) })
		switch {
		case l.Look == calendar.Broken:
			if g.now.Before(e.At) {
				g.add(address, l.Key, e.At, fmt.Sprintf("%s: a promise will be broken %s: %s.", title, words.Then(e.At.Time()), name), at+"#promises", doors)
			}
		case e.Begins || l.Off:
		case l.Kind == calendar.Password && e.At.Before(g.eve):
			g.add(address, l.Key, e.At, fmt.Sprintf("%s: the password “%s” ends %s.", title, w.Pass(l.ID), words.Then(e.At.Time())), at+"/passes?pass="+l.ID, doors)
		case l.Kind == calendar.Link && e.At.Before(g.eve):
			g.add(address, l.Key, e.At, fmt.Sprintf("%s: the link %s ends %s.", title, w.Link(l.ID), words.Then(e.At.Time())), at+"/passes?link="+l.ID, doors)
		case l.Kind == calendar.Role:
			g.role(w, l, e.At, title)
		case l.Kind == calendar.Holding && doc.Holding.Repeat == nil:
			g.add(address, l.Key, e.At, fmt.Sprintf("%s: the holding page ends %s, and visitors get the site.", title, words.Then(e.At.Time())), at+"/holding", doors)
		}
	}
	if since := holdingSince(doc, held, g.now); !since.IsZero() && !g.now.Before(access.At(since.Time().Add(upFor))) {
		g.add(address, "holding up", since, fmt.Sprintf("%s: the maintenance page is still shown, since %s, and has no end.", title, w.When(since)), at+"/holding", doors)
	}
}

// role reminds whoever has a role, and those who look after the team, that it ends.
func (g *gathering) role(w words.Wording, l calendar.Lane, at access.Instant, title string) {
	managers := g.s.WhoMay(l.Site, access.ManageTeam, g.now)
	g.add(l.Site, l.Key, at, fmt.Sprintf("%s: %s is %s until %s, and no longer then.", title, w.Entry(*l.Entry), words.Role(l.Entry.Role), w.When(at)), "/sites/"+l.Site+"/team", managers)
	if l.Entry.Person != "" && !slices.Contains(managers, store.Who(l.Entry.Person)) {
		g.add(l.Site, l.Key+" own", at, fmt.Sprintf("%s: your role as %s ends %s.", title, words.Role(l.Entry.Role), words.Then(at.Time())), "/account", []store.Who{store.Who(l.Entry.Person)})
	}
}

// house reminds stewards of groups and house rules that end.
func (g *gathering) house(lanes []calendar.Lane) {
	w := words.Wording{Document: g.s.Policy.Document(), Zone: g.s.Zone}
	for _, e := range calendar.Edges(lanes, g.now, g.until) {
		l := lanes[e.Lane]
		name := w.Lane(l, func(path string) string { return path })
		switch {
		case l.Kind == calendar.Group && !e.Begins:
			g.add("", l.Key, e.At, fmt.Sprintf("The group %s ends %s: %d people leave what it opens.", name, words.Then(e.At.Time()), len(g.s.Policy.GroupMembers(l.ID, g.now))), "/groups/"+l.ID, g.s.Stewards())
		case l.Kind == calendar.Rule:
			verb := "ends"
			if e.Begins {
				verb = "begins"
			}
			g.add("", l.Key+" "+verb, e.At, fmt.Sprintf("%s %s %s.", name, verb, words.Then(e.At.Time())), "/house-rules", g.s.Stewards())
		}
	}
}

// opens reports whether anything opens to somebody.
func opens(site access.SiteImpact) bool {
	for _, p := range site.Pages {
		if p.Gains.Count() > 0 || slices.ContainsFunc(p.Observers, func(o access.ObserverChange) bool { return o.After == access.Open && o.Before != access.Held }) {
			return true
		}
	}
	return false
}

// holdingSince returns since when a maintenance page without an end is shown; the zero
// instant where none is, or it is not known.
func holdingSince(doc *access.Site, held, now access.Instant) access.Instant {
	h := doc.Holding
	if !h.On || h.Kind == "soon" || h.Repeat != nil || !h.Until.IsZero() || now.Before(h.From) {
		return access.Instant{}
	}
	if !h.From.IsZero() {
		return h.From
	}
	return held
}
