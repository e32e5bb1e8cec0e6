package access

import "slices"

// SiteReach is what somebody can view and edit of one site, and through what.
type SiteReach struct {
	Site  string
	Pages []PageReach // that open to them, by path
	Open  int         // how many of the site's pages open to anybody, and are left out of Pages
	Team  []TeamEntry // the accepted entries that count for them
}

// PageReach is a page that opens to somebody, with the step of the why that let
// them in.
type PageReach struct {
	Path    string
	Via     Via
	Through Step
}

// Reach works out everything that an identity can view and edit of the house at
// an instant. Sites of which they reach nothing are left out.
func (p *Policy) Reach(id Identity, t Instant) (list []SiteReach) {
	visitor, stranger := Visitor{Identity: id}, Visitor{}
	for _, doc := range p.doc.Sites {
		s := p.sites[doc.Address]
		r := SiteReach{Site: doc.Address, Team: s.EntriesOf(id, t)}
		for _, page := range doc.Pages {
			path := normal(page.Path)
			mine := s.Decide(path, &visitor, t)
			if mine.Outcome != Open {
				continue
			}
			if s.Decide(path, &stranger, t).Outcome == Open {
				r.Open++
				continue
			}
			d, steps := p.Explain(doc.Address, path, &visitor, t)
			pr := PageReach{Path: path, Via: d.Via}
			for _, step := range steps[:max(0, len(steps)-1)] {
				if step.Sign == SignLit {
					pr.Through = step
				}
			}
			r.Pages = append(r.Pages, pr)
		}
		if len(r.Pages)+r.Open+len(r.Team) > 0 {
			list = append(list, r)
		}
	}
	return list
}

// InGroup reports whether an identity is in a group at an instant.
func (p *Policy) InGroup(group string, id Identity, t Instant) bool {
	g := p.groupByID[group]
	switch {
	case g == nil || !id.Known():
		return false
	case id.kind == aPerson:
		return g.at(t).Contains(id.index)
	}
	return g.hasAddress(id.address, t)
}

// GroupMembers lists the people in a group at an instant, by id, in the order of
// people.
func (p *Policy) GroupMembers(group string, t Instant) (ids []string) {
	g := p.groupByID[group]
	if g == nil {
		return nil
	}
	for it := g.at(t).Iterator(); it.HasNext(); {
		ids = append(ids, p.people.entries[it.Next()].ID)
	}
	return ids
}

// OpensMore reports whether a page opens to one identity that does not open to another, though that
// were in the groups that are meant: what is open to those it could open for itself.
func (p *Policy) OpensMore(one, other Identity, meant func(group string) bool, t Instant) bool {
	a, b := Visitor{Identity: one}, Visitor{Identity: other}
	for _, s := range p.sites {
		for _, area := range s.allAreas {
			if s.decide(area, true, &a, t, nil).Outcome == Open && s.decide(area, true, &b, t, nil).Outcome != Open && !s.opensByGroup(area, meant) {
				return true
			}
		}
	}
	return false
}

// opensByGroup reports whether each condition of an area has a way for one of the groups that are meant,
// or for any account.
func (s *CompiledSite) opensByGroup(a *area, meant func(group string) bool) bool {
	lists := []Door{s.doc.Door}
	for _, d := range s.doc.Doors {
		if !Covers(normal(d.Path), a.path) {
			continue
		}
		if d.Mode == "instead" {
			lists = lists[:0]
		}
		lists = append(lists, Door{Ways: d.Ways})
	}
	for _, door := range lists {
		by := slices.ContainsFunc(door.Ways, func(w Way) bool {
			return w.Way == "anyone" || w.Way == "signed-in" || slices.ContainsFunc(w.Groups, meant)
		})
		if !by {
			return false
		}
	}
	return true
}
