package access

import (
	"strings"

	"github.com/RoaringBitmap/roaring/v2"
)

// Share is how many of some people open a page, and what the first of those who
// do not meets instead.
type Share struct {
	Open, Of int
	Else     Decision
}

// Shares returns the share of a page's audience that each path has among the people
// of a group (group:ID), of the guest lists of the site (guests), or of its team (team).
func (p *Policy) Shares(site, who string, paths []string, t Instant) []Share {
	s := p.Site(site)
	shares := make([]Share, len(paths))
	if s == nil {
		return shares
	}
	v := s.survey(t)
	set := v.named(who)
	for i, path := range paths {
		page, a := s.locate(path)
		open := roaring.And(set, v.page(page, a))
		shares[i] = Share{Open: int(open.GetCardinality()), Of: int(set.GetCardinality())}
		if rest := roaring.AndNot(set, open); !rest.IsEmpty() {
			first := rest.Minimum()
			shares[i].Else = s.decide(a, page != nil, &Visitor{Identity: Identity{first, aPerson, p.people.address[first]}}, t, nil)
		}
	}
	return shares
}

// named returns the people whom a name of several means now.
func (v *surveyor) named(who string) people {
	s, set := v.site, roaring.New()
	if id, ok := strings.CutPrefix(who, "group:"); ok {
		if g := s.house.groupByID[id]; g != nil {
			return g.at(v.t)
		}
		return set
	}
	switch who {
	case "guests":
		for i := range s.doc.Door.Ways {
			if s.doc.Door.Ways[i].Way == "people" {
				set.Or(s.door.ways[i].people)
			}
		}
	case "team":
		for _, e := range s.team {
			if e.doc.Accepted && e.win.holds(v.t) {
				set.Or(v.entry(e))
			}
		}
	}
	return set
}

// GroupsNamed lists the groups that a site's ways and its team name, once each.
func (s *CompiledSite) GroupsNamed() []string {
	if s == nil {
		return nil
	}
	var ids []string
	seen := map[string]bool{}
	add := func(id string) {
		if id != "" && !seen[id] {
			seen[id] = true
			ids = append(ids, id)
		}
	}
	for _, w := range s.doc.allWays() {
		for _, id := range w.Groups {
			add(id)
		}
	}
	for _, e := range s.doc.Team {
		add(e.Group)
	}
	return ids
}
