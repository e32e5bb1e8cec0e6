package members

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/post"
	"velada/store"
	"velada/words"
)

// WayToSayYes is one way to let somebody in who asks, with what it would open.
type WayToSayYes struct {
	ID     string // guest, member or group:ID
	Text   string
	Opens  []string // paths that open to them by it, and do not now
	Enough bool     // the page that they asked for is among them
	change func(doc *access.Document) error
}

// WaysToSayYes works out the ways to let somebody in who asks, each with what it
// would open.
func WaysToSayYes(ctx context.Context, h *house.House, a house.Actor, l store.LetIn) (list []WayToSayYes) {
	s := h.State()
	address := s.SiteAddress(l.Site)
	site := s.SiteDocument(address)
	if site == nil || !s.Identity(l.Who).Known() {
		return nil
	}
	w := words.Wording{Document: h.KnownTo(a, address), Site: site, Zone: s.Zone, Hides: h.Outside(a)}
	candidates := []WayToSayYes{{ID: "guest", Text: "Add them to the guest list"}, {ID: "member", Text: "Make them a member"}}
	for _, g := range groupsOnTheWay(site, l.Path) {
		if h.MayKeep(ctx, a, g) {
			candidates = append(candidates, WayToSayYes{ID: "group:" + g, Text: "Add them to " + w.Group(g)})
		}
	}
	before := opensTo(s.Policy, address, l.Who, access.At(h.Now()))
	for _, c := range candidates {
		c.change = yesBy(h, c.ID, l)
		then, err := saidYes(ctx, h, a, s, c)
		if err != nil {
			continue
		}
		for _, path := range opensTo(then, address, l.Who, access.At(h.Now())) {
			if !slices.Contains(before, path) {
				c.Opens = append(c.Opens, path)
			}
		}
		c.Enough = slices.Contains(c.Opens, l.Path)
		list = append(list, c)
	}
	return list
}

// saidYes works out the policy in which one of the ways was chosen.
func saidYes(ctx context.Context, h *house.House, a house.Actor, s *house.State, way WayToSayYes) (*access.Policy, error) {
	c := way.asChange("")
	tx, err := h.Draft(ctx, s, a, c.Needs(), c.In)
	if err != nil {
		return nil, err
	}
	return tx.Policy()
}

// asChange is the way as a change of the house. Who is put into a group never gets a
// right by it that the one who answers lacks; the others are for whoever may admit.
func (w WayToSayYes) asChange(what string) house.PeopleChange {
	c := house.PeopleChange{What: what, Do: w.change, Admits: true}
	if g, is := strings.CutPrefix(w.ID, "group:"); is {
		c.Group, c.Admits = g, false
	}
	return c
}

// opensTo lists the pages of a site that open to somebody by a policy.
func opensTo(p *access.Policy, site string, who store.Who, at access.Instant) (paths []string) {
	visitor := access.Visitor{Identity: becoming(p, who)}
	compiled := p.Site(site)
	for _, page := range compiled.Document().Pages {
		if compiled.Decide(page.Path, &visitor, at).Outcome == access.Open {
			paths = append(paths, page.Path)
		}
	}
	return paths
}

// becoming is somebody in a policy that may make a person of them.
func becoming(p *access.Policy, who store.Who) access.Identity {
	if who.Bare() {
		return p.Address(parts.MustAddress(string(who)))
	}
	return house.IdentityIn(p, who)
}

// groupsOnTheWay lists the groups that a way in to a path names.
func groupsOnTheWay(site *access.Site, path string) (ids []string) {
	ways := slices.Clone(site.Door.Ways)
	for _, d := range site.Doors {
		if access.Covers(d.Path, path) {
			ways = append(ways, d.Ways...)
		}
	}
	for _, w := range ways {
		for _, g := range w.Groups {
			if !slices.Contains(ids, g) {
				ids = append(ids, g)
			}
		}
	}
	return ids
}

// yesBy is the change of the house by which somebody is let in.
func yesBy(h *house.House, id string, l store.LetIn) func(doc *access.Document) error {
	return func(doc *access.Document) error {
		address := h.State().SiteAddress(l.Site)
		i := slices.IndexFunc(doc.Sites, func(s *access.Site) bool { return s.Address == address })
		if i < 0 {
			return house.ErrNoSite
		}
		place := *doc.Sites[i]
		switch {
		case id == "guest":
			putOnGuestLists(h, &place, l.Path, l.Who)
		case id == "member":
			who := house.BecomePerson(h, doc, l.Who)
			place.Members = slices.Clone(place.Members)
			k := slices.IndexFunc(place.Members, func(m access.Member) bool { return m.Who == who })
			switch {
			case k < 0:
				place.Members = append(place.Members, access.Member{Who: who, Status: "approved"})
			case place.Members[k].Status == "blocked":
				return house.ErrNothing
			default:
				place.Members[k].Status = "approved"
			}
		default:
			g := parts.GroupAt(doc, strings.TrimPrefix(id, "group:"))
			if g == nil {
				return house.ErrNothing
			}
			if who := house.BecomePerson(h, doc, l.Who); !slices.Contains(g.People, who) {
				g.People = append(g.People, who)
			}
		}
		doc.Sites[i] = &place
		return nil
	}
}

// putOnGuestLists puts somebody on the guest list of the door nearest to a path,
// and, while that is not enough, of those above it.
func putOnGuestLists(h *house.House, site *access.Site, path string, who store.Who) {
	site.Doors = slices.Clone(site.Doors)
	var doors []int // the nearest first
	for i, d := range site.Doors {
		if access.Covers(d.Path, path) {
			doors = append(doors, i)
		}
	}
	slices.SortFunc(doors, func(a, b int) int { return len(site.Doors[b].Path) - len(site.Doors[a].Path) })
	add := func(ways []access.Way) []access.Way {
		ways = slices.Clone(ways)
		for i := range ways {
			if ways[i].Way == "people" && ways[i].From.IsZero() && ways[i].Until.IsZero() {
				if !slices.Contains(ways[i].People, string(who)) {
					ways[i].People = append(slices.Clone(ways[i].People), string(who))
				}
				return ways
			}
		}
		return append(ways, access.Way{Way: "people", People: []string{string(who)}})
	}
	opens := func() bool {
		copied := *site
		p, err := h.State().Policy.Replace(&copied)
		if err != nil {
			return true // it is refused as a whole later
		}
		out := p.Site(site.Address).Decide(path, &access.Visitor{Identity: becoming(p, who)}, access.At(h.Now())).Outcome
		return out == access.Open || out == access.Missing
	}
	for _, i := range doors {
		site.Doors[i].Ways = add(site.Doors[i].Ways)
		if opens() {
			return
		}
	}
	site.Door.Ways = add(site.Door.Ways)
}

// AnswerLetIn says yes to somebody who asks to be let in, by one of the ways, or no;
// they are told by mail, with a word. It returns house.ErrNothing where nobody asks any
// more, or the way does not fit.
func AnswerLetIn(ctx context.Context, h *house.House, a house.Actor, site string, id int64, way, word string) error {
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageMembers}, func(tx *house.Tx) error {
		s := tx.State()
		asks, err := store.LetIns(ctx, tx, s.ID(site))
		if err != nil {
			return err
		}
		i := slices.IndexFunc(asks, func(l store.LetIn) bool { return l.ID == id })
		if i < 0 {
			return house.ErrNothing
		}
		l := asks[i]
		address, there := s.AddressOf(l.Who)
		if err := store.DropLetIn(ctx, tx, s.ID(site), id); err != nil || !there { // gone since they asked
			return err
		}
		name, title := h.NameOf(l.Who), s.SiteTitle(site)
		letter := post.Letter{To: address.String(), Word: strings.TrimSpace(word), From: a.Name}
		if way == "" {
			letter.Subject = "You cannot be let in to " + title
			letter.Lines = []string{"You asked to be let in to " + title + ". The answer is no."}
			tx.QueueMail(site, "answer", letter)
			tx.Log(site, "member", name+" asked to be let in, and was declined.", "", "")
			return nil
		}
		ways := WaysToSayYes(ctx, h, a, l)
		k := slices.IndexFunc(ways, func(w WayToSayYes) bool { return w.ID == way })
		if k < 0 {
			return house.ErrNothing
		}
		letter.Subject = "You are let in to " + title
		letter.Lines = []string{"You asked to be let in to " + title + ", and you are. Sign in with this address: a link by mail is enough."}
		letter.Action = post.Action{Text: "Go there", URL: h.SiteURL(site) + access.EscapePath(l.Path)}
		tx.QueueMail(site, "answer", letter)
		what := fmt.Sprintf("%s asked to be let in: %s.", name, strings.ToLower(ways[k].Text[:1])+ways[k].Text[1:])
		tx.Log(site, "member", what, "", "")
		return ways[k].asChange(what).In(tx)
	})
}
