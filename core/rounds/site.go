package rounds

import (
	"maps"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
)

// siteRound is the going through of one site.
type siteRound struct {
	*round
	doc  *access.Site
	site *access.CompiledSite
}

func (s *siteRound) look() {
	live := s.doc.State == "live"
	if live {
		s.strangers()
		s.doors()
		s.keys()
		s.holding()
		s.web()
		if lost := s.facts.Domains[s.doc.Address]; len(lost) > 0 {
			s.tell(Finding{Kind: DomainLost, Count: len(lost), Name: lost[0]}, lost...)
		}
		if against := s.facts.Robots[s.doc.Address]; len(against) > 0 {
			s.tell(Finding{Kind: RobotsAgainst, Count: len(against), Name: against[0]}, against...)
		}
		if who := s.site.BlockedInside(s.at); len(who) > 0 {
			s.tell(Finding{Kind: BlockedInside, Who: who, Count: len(who)})
		}
		if d := s.facts.Drafts[s.doc.Address]; d.Changes > 0 && !d.Since.IsZero() && d.Since.Before(s.ago(notLiveLong)) {
			s.tell(Finding{Kind: ChangesNotLive, Count: d.Changes, At: d.Since}, d.Since.String())
		}
	}
	s.leftovers()
	s.team()
	s.addresses()
	s.waiting(s.doc.Address)
}

// tell adds a finding of this site.
func (s *siteRound) tell(f Finding, state ...string) {
	f.Site = s.doc.Address
	s.round.tell(f, state...)
}

func (s *siteRound) paths() []string {
	var paths []string
	for _, p := range s.doc.Pages {
		paths = append(paths, p.Path)
	}
	return paths
}

func (s *siteRound) outcome(path string) access.Outcome {
	return s.site.Decide(path, &access.Visitor{}, s.at).Outcome
}

// strangers tells of pages that they open below a site that is shut to them, and of search
// engines.
func (s *siteRound) strangers() {
	held := s.site.HoldingUp(s.at)
	front := s.outcome("/")
	var open, unsaid []string
	for _, path := range s.paths() {
		if s.outcome(path) != access.Open {
			continue
		}
		open = append(open, path)
		if front != access.Open && front != access.Held && !s.meant(path) {
			unsaid = append(unsaid, path)
		}
	}
	if len(unsaid) > 0 {
		s.tell(Finding{Kind: StrangersBelow, Paths: unsaid, House: func(doc *access.Document) {
			for _, path := range unsaid {
				id := parts.FreeID("open "+path, "open", func(id string) bool {
					return slices.ContainsFunc(doc.Promises, func(p access.Promise) bool { return p.ID == id })
				})
				doc.Promises = append(doc.Promises, access.Promise{ID: id, Who: "stranger", Must: "open", Site: s.doc.Address, Path: path})
			}
		}})
	}
	if !s.doc.Listing || held {
		return
	}
	switch listed := s.site.Listed(s.at); {
	case len(open) == 0:
		s.tell(Finding{Kind: ListingShut, Mend: func(site *access.Site) { site.Listing = false }})
	case len(listed) == 0 && slices.ContainsFunc(s.policy.RulesInForce(s.doc.Address, s.at), func(r access.HouseRule) bool { return r.Rule == "no-listing" }):
		s.tell(Finding{Kind: ListingForbidden, Paths: open})
	}
}

// meant reports whether a promise says that strangers open a page.
func (s *siteRound) meant(path string) bool {
	return slices.ContainsFunc(s.round.doc.Promises, func(p access.Promise) bool {
		return p.Site == s.doc.Address && p.Who == "stranger" && p.Must == "open" && (p.Path == path || p.Below && access.Covers(p.Path, path))
	})
}

// door is a list of ways with where it stands: "" is the site's own.
type door struct {
	path string
	ways []access.Way
}

func (s *siteRound) allDoors() []door {
	list := []door{{"", s.doc.Door.Ways}}
	for _, d := range s.doc.Doors {
		list = append(list, door{d.Path, d.Ways})
	}
	return list
}

// doors tells of doors that nobody can pass, ways that change nothing, and doors at paths
// without pages.
func (s *siteRound) doors() {
	for _, d := range s.allDoors() {
		pages := s.below(d.path)
		if d.path != "" && len(pages) == 0 {
			s.tell(Finding{Kind: DoorWithoutPage, Thing: d.path, Mend: func(site *access.Site) {
				site.Doors = slices.DeleteFunc(site.Doors, func(o access.PageDoor) bool { return o.Path == d.path })
			}})
			continue
		}
		if len(d.ways) > 0 && s.nobody(d.ways) {
			s.tell(Finding{Kind: DoorForNobody, Thing: d.path, Paths: pages, Way: &d.ways[0], Count: len(d.ways), Mend: func(site *access.Site) { s.setWays(site, d.path, nil) }}, parts.Text(d.ways))
			continue
		}
		for i, way := range d.ways {
			by := s.besides(d.ways, i)
			if by == "" {
				continue
			}
			s.tell(Finding{Kind: WayWithout, Thing: d.path + " " + parts.Text(way), Paths: pages, Way: &way, Name: by, Mend: func(site *access.Site) {
				own, _ := parts.DoorAt(site, d.path)
				s.setWays(site, d.path, slices.DeleteFunc(slices.Clone(own.Ways), func(w access.Way) bool { return parts.Text(w) == parts.Text(way) }))
			}}, parts.Text(d.ways[slices.IndexFunc(d.ways, func(w access.Way) bool { return w.Way == by })]))
		}
	}
}

// below lists the pages that a door covers.
func (s *siteRound) below(path string) (pages []string) {
	for _, page := range s.paths() {
		if path == "" || access.Covers(path, page) {
			pages = append(pages, page)
		}
	}
	return pages
}

func (s *siteRound) setWays(site *access.Site, path string, ways []access.Way) {
	if path == "" {
		site.Door.Ways = ways
		return
	}
	for i := range site.Doors {
		if site.Doors[i].Path == path {
			site.Doors[i].Ways = ways
		}
	}
}

// nobody reports whether none of some ways lets anybody in, now or later.
func (s *siteRound) nobody(ways []access.Way) bool {
	for _, at := range append([]access.Instant{s.at}, s.site.Instants(s.at)...) {
		if slices.ContainsFunc(ways, func(w access.Way) bool { return s.site.LetsAnybodyIn(w, at) }) {
			return false
		}
	}
	return true
}

// besides returns the kind of a way beside which another of the same door changes nothing; ""
// where there is none. Of two alike the later one changes nothing.
func (s *siteRound) besides(ways []access.Way, i int) string {
	if s.passed(ways[i].Until) {
		return "" // a leftover
	}
	for k := range ways {
		if i == k || s.passed(ways[k].Until) || k > i && s.site.Wider(ways[i], ways[k]) {
			continue
		}
		if s.site.Wider(ways[k], ways[i]) {
			return ways[k].Way
		}
	}
	return ""
}

// keys tells of passwords and links.
func (s *siteRound) keys() {
	known := s.facts.Keys[s.doc.Address]
	for i := range s.doc.Passes {
		p := s.doc.Passes[i]
		if p.Revoked || s.passed(p.Until) {
			continue
		}
		k := known["pass:"+p.ID]
		off := onPass(p.ID, func(p *access.Pass) { p.Revoked = true })
		end := s.ahead(90)
		switch {
		case k.Weak:
			s.tell(Finding{Kind: WeakPassword, Thing: p.ID, Paths: s.openedBy("pass:" + p.ID)}, k.Made.String())
		case k.Shared != "":
			s.tell(Finding{Kind: SharedPassword, Thing: p.ID, Name: k.Shared}, k.Shared, k.Made.String())
		case s.unused(k):
			s.tell(Finding{Kind: UnusedPassword, Thing: p.ID, At: later(k.Last, k.Made), Mend: off}, parts.Text(p), k.Last.String())
		case p.Until.IsZero():
			s.tell(Finding{Kind: EndlessPassword, Thing: p.ID, Paths: s.openedBy("pass:" + p.ID), Until: end, Mend: onPass(p.ID, func(p *access.Pass) { p.Until = end })}, parts.Text(p))
		}
	}
	for i := range s.doc.Links {
		l := s.doc.Links[i]
		if l.Revoked || s.passed(l.Until) {
			continue
		}
		k := known["link:"+l.ID]
		off := func(site *access.Site) { parts.Link(site, l.ID).Revoked = true }
		switch {
		case k.From >= manyAddresses:
			s.tell(Finding{Kind: SpreadLink, Thing: l.ID, Count: k.From, Paths: s.openedBy("link:" + l.ID), Mend: off}, k.Made.String())
		case k.Uses == 0 && k.Made.Before(s.ago(linkUnused)):
			s.tell(Finding{Kind: UnusedLink, Thing: l.ID, At: k.Made, Mend: off}, parts.Text(l))
		}
	}
}

// onPass changes a password of a site.
func onPass(id string, change func(p *access.Pass)) func(site *access.Site) {
	return func(site *access.Site) {
		for i := range site.Passes {
			if site.Passes[i].ID == id {
				change(&site.Passes[i])
			}
		}
	}
}

// unused reports whether a password was not used for long.
func (s *siteRound) unused(k Key) bool {
	return later(k.Last, k.Made).Before(s.ago(unusedAfter)) && !later(k.Last, k.Made).IsZero()
}

func later(a, b access.Instant) access.Instant {
	if a.IsZero() || !b.IsZero() && a.Before(b) {
		return b
	}
	return a
}

// openedBy lists the pages that an observer opens and a stranger does not.
func (s *siteRound) openedBy(who string) (paths []string) {
	v, ok := s.policy.Observer(who)
	if !ok {
		return nil
	}
	for _, path := range s.paths() {
		if s.outcome(path) != access.Open && s.site.Decide(path, &v, s.at).Outcome == access.Open {
			paths = append(paths, path)
		}
	}
	return paths
}

// holding tells of a holding page without an end, or shown for long.
func (s *siteRound) holding() {
	h := s.doc.Holding
	if !s.site.HoldingUp(s.at) || h.Repeat != nil {
		return
	}
	since := later(h.From, s.facts.Held[s.doc.Address])
	long := !since.IsZero() && since.Before(s.ago(heldLong))
	switch {
	case h.Until.IsZero() && !long:
		end := s.ahead(7)
		s.tell(Finding{Kind: EndlessHolding, Paths: s.paths(), Until: end, Mend: func(site *access.Site) { site.Holding.Until = end }}, parts.Text(h))
	case long:
		s.tell(Finding{Kind: LongHolding, Paths: s.paths(), At: since, Mend: func(site *access.Site) { site.Holding.On = false }}, parts.Text(h))
	}
}

// leftovers tells of what has ended and still stands there.
func (s *siteRound) leftovers() {
	n := 0
	var state []string
	s.doc.EachWays(func(_ access.Opening, ways []access.Way) bool {
		for _, w := range ways {
			if s.passed(w.Until) {
				n, state = n+1, append(state, parts.Text(w))
			}
		}
		return true
	})
	for _, e := range s.doc.Team {
		if s.passed(e.Until) {
			n, state = n+1, append(state, parts.Text(e))
		}
	}
	h := s.doc.Holding
	if h.On && (h.Repeat == nil && s.passed(h.Until) || h.Repeat != nil && len(s.site.HoldingDates(s.at, 1)) == 0) {
		n, state = n+1, append(state, parts.Text(h))
	}
	if n == 0 {
		return
	}
	s.tell(Finding{Kind: Leftovers, Count: n, Mend: func(site *access.Site) {
		site.MapWays(func(list []access.Way) []access.Way {
			return slices.DeleteFunc(list, func(w access.Way) bool { return s.passed(w.Until) })
		})
		site.Team = slices.DeleteFunc(slices.Clone(site.Team), func(e access.TeamEntry) bool { return s.passed(e.Until) })
		if h.On && (h.Repeat == nil && s.passed(h.Until) || h.Repeat != nil && len(s.site.HoldingDates(s.at, 1)) == 0) {
			site.Holding.On = false
		}
	}}, state...)
}

// team tells of outsiders with power and no end, and of a site that has no owner, or soon
// none.
func (s *siteRound) team() {
	lasting := 0
	var ends []access.TeamEntry
	for _, e := range s.doc.Team {
		if !e.Accepted || s.passed(e.Until) {
			continue
		}
		if e.Role == "owner" && e.Under == "/" && e.Person != "" && !s.blocked(e.Person) && (e.From.IsZero() || !s.at.Before(e.From)) {
			if e.Until.IsZero() {
				lasting++
			} else {
				ends = append(ends, e)
			}
		}
		if e.Until.IsZero() && s.outside(e) && s.site.RoleCapabilities(e.Role)&^access.CapabilitiesOf("preview", "traffic") != 0 {
			end, who := s.ahead(90), e.Person
			if who == "" {
				who = e.Address
			}
			s.tell(Finding{Kind: EndlessOutsider, Thing: who + " " + e.Under, Who: []string{who}, Name: e.Role, Until: end, Mend: func(site *access.Site) {
				for i := range site.Team {
					if site.Team[i] == e {
						site.Team[i].Until = end
					}
				}
			}}, parts.Text(e))
		}
	}
	switch {
	case lasting > 0:
	case len(ends) == 0:
		s.tell(Finding{Kind: NoOwner})
	default:
		slices.SortFunc(ends, func(a, b access.TeamEntry) int { return b.Until.Compare(a.Until) })
		last := ends[0]
		s.tell(Finding{Kind: OwnerEnds, Who: []string{last.Person}, At: last.Until, Mend: func(site *access.Site) {
			for i := range site.Team {
				if site.Team[i] == last {
					site.Team[i].Until = access.Instant{}
				}
			}
		}}, parts.Text(last))
	}
}

func (s *siteRound) blocked(person string) bool {
	p := parts.PersonAt(s.round.doc, person)
	return p == nil || p.Blocked
}

// outside reports whether an entry of the team is that of somebody at none of the house's
// domains; a house without domains has no outside.
func (s *siteRound) outside(e access.TeamEntry) bool {
	if len(s.round.doc.House.Domains) == 0 || e.Group != "" {
		return false
	}
	if e.Address != "" {
		a, err := access.ParseAddress(e.Address)
		return err == nil && !s.policy.Inside(s.policy.Address(a))
	}
	p := parts.PersonAt(s.round.doc, e.Person)
	id, known := s.policy.Person(e.Person)
	return known && p != nil && !p.Steward && !s.policy.Inside(id)
}

// addresses tells of addresses at the house's own domains that are nobody's: of those who have
// left.
func (s *siteRound) addresses() {
	nobodys := func(address string) bool {
		a, err := access.ParseAddress(address)
		if err != nil || !access.MatchesAny(s.round.doc.House.Domains, a) {
			return false
		}
		_, known := s.policy.PersonOf(s.policy.Address(a))
		return !known
	}
	found := map[string]bool{}
	s.doc.EachWays(func(_ access.Opening, ways []access.Way) bool {
		for _, w := range ways {
			for _, who := range w.People {
				if strings.Contains(who, "@") && nobodys(who) {
					found[who] = true
				}
			}
		}
		return true
	})
	for _, e := range s.doc.Team {
		if e.Address != "" && e.Accepted && nobodys(e.Address) {
			found[e.Address] = true
		}
	}
	if len(found) == 0 {
		return
	}
	who := slices.Sorted(maps.Keys(found))
	s.tell(Finding{Kind: NobodysAddress, Who: who, Count: len(who), Mend: func(site *access.Site) {
		site.MapWays(func(list []access.Way) []access.Way {
			for i := range list {
				if list[i].People != nil {
					list[i].People = slices.DeleteFunc(slices.Clone(list[i].People), func(p string) bool { return found[p] })
				}
			}
			return slices.DeleteFunc(list, func(w access.Way) bool { return w.Way == "people" && len(w.People) == 0 })
		})
		site.Team = slices.DeleteFunc(slices.Clone(site.Team), func(e access.TeamEntry) bool { return found[e.Address] })
	}})
}

// web tells of links that lead nowhere, and of pages that nobody comes to.
func (s *siteRound) web() {
	web, there := s.facts.Webs[s.doc.Address]
	if !there {
		return
	}
	exists := map[string]bool{}
	for _, path := range s.paths() {
		exists[path] = true
	}
	broken := map[string][]string{} // targets by page
	for page, links := range web.Links {
		for _, to := range links {
			path, err := access.DocumentPath(to)
			if err != nil || !exists[path] && !web.Other[path] && !strings.HasPrefix(path, "/velada/") {
				broken[page] = append(broken[page], to)
			}
		}
	}
	for _, page := range slices.Sorted(maps.Keys(broken)) {
		s.tell(Finding{Kind: BrokenLink, Thing: page, Paths: []string{page}, Count: len(broken[page]), Name: broken[page][0]}, broken[page]...)
	}
	reached := map[string]bool{}
	var follow func(path string)
	follow = func(path string) {
		if reached[path] {
			return
		}
		reached[path] = true
		for _, to := range web.Links[path] {
			if p, err := access.DocumentPath(to); err == nil && exists[p] {
				follow(p)
			}
		}
	}
	follow("/")
	for _, path := range web.Menu {
		follow(path)
	}
	var lonely []string
	for _, path := range s.paths() {
		if !reached[path] {
			lonely = append(lonely, path)
		}
	}
	if len(lonely) > 0 {
		s.tell(Finding{Kind: LonelyPage, Paths: lonely, Count: len(lonely)})
	}
}
