package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/post"
	"velada/store"
)

// WayToSayYes is one way to let somebody in who asks, with what it would open.
type WayToSayYes struct {
	ID     string // guest, member or group:ID
	Text   string
	Opens  []string // paths that open to them by it, and do not now
	Enough bool     // the page that they asked for is among them
	change func(doc *access.Document) error
	then   *access.Policy
}

// WaysToSayYes works out the ways to let somebody in who asks, each with what it
// would open.
func (h *House) WaysToSayYes(ctx context.Context, a Actor, l store.LetIn) (list []WayToSayYes) {
	s := h.State()
	site := s.SiteDocument(l.Site)
	address := mustAddress(l.Address)
	w := Wording{Document: h.KnownTo(a, l.Site), Site: site, Zone: s.Zone, Hides: h.Outside(a)}
	candidates := []WayToSayYes{{ID: "guest", Text: "Put them on the guest list"}, {ID: "member", Text: "Make them a member"}}
	for _, g := range groupsOnTheWay(site, l.Path) {
		if h.MayKeep(ctx, a, g) {
			candidates = append(candidates, WayToSayYes{ID: "group:" + g, Text: "Put them into " + w.Group(g)})
		}
	}
	before := s.opensTo(s.Policy, l.Site, address, access.At(h.now()))
	for _, c := range candidates {
		c.change = h.yesBy(c.ID, l)
		if g, is := strings.CutPrefix(c.ID, "group:"); is { // never a right that the one who answers lacks
			if _, err := h.PlanHouse(ctx, a, HouseChange{Group: g, Do: c.change}); err != nil {
				continue
			}
		}
		doc := editable(s.Policy.Document())
		if err := c.change(doc); err != nil {
			continue
		}
		then, err := access.Compile(doc, s.Policy)
		if err != nil {
			continue
		}
		c.then = then
		for _, path := range s.opensTo(then, l.Site, address, access.At(h.now())) {
			if !slices.Contains(before, path) {
				c.Opens = append(c.Opens, path)
			}
		}
		c.Enough = slices.Contains(c.Opens, l.Path)
		list = append(list, c)
	}
	return list
}

// opensTo lists the pages of a site that open to an address.
func (s *State) opensTo(p *access.Policy, site string, a access.Address, at access.Instant) (paths []string) {
	visitor := access.Visitor{Identity: p.Address(a)}
	compiled := p.Site(site)
	for _, page := range compiled.Document().Pages {
		if compiled.Decide(page.Path, &visitor, at).Outcome == access.Open {
			paths = append(paths, page.Path)
		}
	}
	return paths
}

// groupsOnTheWay lists the groups that a way in to a path names.
func groupsOnTheWay(site *access.Site, path string) (ids []string) {
	ways := slices.Clone(site.Door.Ways)
	for _, d := range site.Doors {
		if covers(d.Path, path) {
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

func covers(a, path string) bool { return a == "/" || path == a || strings.HasPrefix(path, a+"/") }

// yesBy is the change of the house by which somebody is let in.
func (h *House) yesBy(id string, l store.LetIn) func(doc *access.Document) error {
	address := mustAddress(l.Address)
	return func(doc *access.Document) error {
		i := slices.IndexFunc(doc.Sites, func(s *access.Site) bool { return s.Address == l.Site })
		if i < 0 {
			return ErrNoSite
		}
		place := *doc.Sites[i]
		switch {
		case id == "guest":
			who := personWith(doc, address)
			if who == "" {
				who = address.String()
			}
			h.putOnGuestLists(doc, &place, i, l.Path, who, address)
		case id == "member":
			who := becomePerson(doc, address, h.nameOf(address))
			place.Members = slices.Clone(place.Members)
			k := slices.IndexFunc(place.Members, func(m access.Member) bool { return m.Who == who })
			switch {
			case k < 0:
				place.Members = append(place.Members, access.Member{Who: who, Status: "approved"})
			case place.Members[k].Status == "blocked":
				return ErrNothing
			default:
				place.Members[k].Status = "approved"
			}
		default:
			g := GroupAt(doc, strings.TrimPrefix(id, "group:"))
			if g == nil {
				return ErrNothing
			}
			if who := becomePerson(doc, address, h.nameOf(address)); !slices.Contains(g.People, who) {
				g.People = append(g.People, who)
			}
		}
		doc.Sites[i] = &place
		return nil
	}
}

// putOnGuestLists puts somebody on the guest list of the door nearest to a path,
// and, while that is not enough, of those above it.
func (h *House) putOnGuestLists(doc *access.Document, site *access.Site, at int, path, who string, address access.Address) {
	site.Doors = slices.Clone(site.Doors)
	var doors []int // the nearest first
	for i, d := range site.Doors {
		if covers(d.Path, path) {
			doors = append(doors, i)
		}
	}
	slices.SortFunc(doors, func(a, b int) int { return len(site.Doors[b].Path) - len(site.Doors[a].Path) })
	add := func(ways []access.Way) []access.Way {
		ways = slices.Clone(ways)
		for i := range ways {
			if ways[i].Way == "people" && ways[i].From.IsZero() && ways[i].Until.IsZero() {
				if !slices.Contains(ways[i].People, who) {
					ways[i].People = append(slices.Clone(ways[i].People), who)
				}
				return ways
			}
		}
		return append(ways, access.Way{Way: "people", People: []string{who}})
	}
	opens := func() bool {
		tried := *doc
		tried.Sites = slices.Clone(doc.Sites)
		copied := *site
		tried.Sites[at] = &copied
		p, err := access.Compile(&tried, h.State().Policy)
		if err != nil {
			return true // it is refused as a whole later
		}
		out := p.Site(site.Address).Decide(path, &access.Visitor{Identity: p.Address(address)}, access.At(h.now())).Outcome
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

// AnswerLetIn says yes to somebody who asks to be let in, by one of the ways, or
// no; they are told by mail, with a word.
func (h *House) AnswerLetIn(ctx context.Context, a Actor, site string, id int64, way, word string) error {
	if err := h.mayAdmit(a, site); err != nil {
		return err
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	asks, err := store.LetIns(ctx, h.DB, site)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(asks, func(l store.LetIn) bool { return l.ID == id })
	if i < 0 {
		return ErrNothing
	}
	l := asks[i]
	name, title := h.nameOf(mustAddress(l.Address)), h.title(site)
	letter := post.Letter{To: l.Address, Word: strings.TrimSpace(word), From: a.Name}
	if way == "" {
		letter.Subject = "You cannot be let in to " + title
		letter.Lines = []string{"You asked to be let in to " + title + ". The answer is no."}
		return store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
			return errors.Join(store.DropLetIn(ctx, tx, site, id), h.write(ctx, tx, site, "answer", letter),
				h.ledger(ctx, tx, a.Address.String(), site, "member", name+" asked to be let in, and was refused.", "", ""))
		})
	}
	ways := h.WaysToSayYes(ctx, a, l)
	k := slices.IndexFunc(ways, func(w WayToSayYes) bool { return w.ID == way })
	if k < 0 {
		return ErrNothing
	}
	letter.Subject = "You are let in to " + title
	letter.Lines = []string{"You asked to be let in to " + title + ", and you are. Sign in with this address: a link by mail is enough."}
	letter.Action = post.Action{Text: "Go there", URL: h.SiteURL(site) + access.EscapePath(l.Path)}
	what := fmt.Sprintf("%s asked to be let in: %s.", name, strings.ToLower(ways[k].Text[:1])+ways[k].Text[1:])
	return h.putHouse(ctx, a.Address.String(), HouseChange{What: what, Also: func(ctx context.Context, tx *sql.Tx) error {
		return errors.Join(store.DropLetIn(ctx, tx, site, id), h.write(ctx, tx, site, "answer", letter), h.ledger(ctx, tx, a.Address.String(), site, "member", what, "", ""))
	}}, ways[k].then)
}
