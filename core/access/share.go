package access

import (
	"strings"

	"github.com/RoaringBitmap/roaring/v2"
)

// Share is how many of some people open a page, and what the first of them meets
// where none does.
type Share struct {
	Open, Of int
	Else     Decision
}

// Sight answers for several people at once, on one site at one instant: what is worked
// out for one of them and one page serves the others too.
type Sight struct {
	house *Policy
	view  *surveyor
	of    map[string]people
}

// Sight looks at a site at an instant.
func (p *Policy) Sight(site string, t Instant) *Sight {
	return &Sight{p, p.Site(site).survey(t), map[string]people{}}
}

// people returns the people of a group (group:ID), of the guest lists of the site
// (guests), or of its team (team).
func (s *Sight) people(who string) people {
	set, known := s.of[who]
	if !known {
		set = s.view.named(who)
		s.of[who] = set
	}
	return set
}

// Count returns how many are of a group, the guest lists or the team.
func (s *Sight) Count(who string) int {
	if s.view == nil {
		return 0
	}
	return int(s.people(who).GetCardinality())
}

// Share returns the share of a page's audience among those whom some names mean.
func (s *Sight) Share(path string, who ...string) (share Share) {
	if s.view == nil || len(who) == 0 {
		return share
	}
	set := s.people(who[0])
	if len(who) > 1 {
		all := strings.Join(who, " ")
		if s.of[all] == nil {
			s.of[all] = roaring.New()
			for _, w := range who {
				s.of[all].Or(s.people(w))
			}
		}
		set = s.of[all]
	}
	page, a := s.view.site.locate(path)
	share.Open, share.Of = int(set.AndCardinality(s.view.page(page, a))), int(set.GetCardinality())
	if share.Open == 0 && share.Of > 0 {
		first := set.Minimum()
		share.Else = s.view.site.decide(a, page != nil, &Visitor{Identity: Identity{first, aPerson, s.house.people.address[first]}}, s.view.t, nil)
	}
	return share
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
