package access

import (
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// apart compiles a way of a site without noting it there.
func (s *CompiledSite) apart(doc *Way) *way {
	alone := *s
	alone.ways = map[*Way]*way{}
	return alone.compileWay(doc)
}

// LetsAnybodyIn reports whether a way of the site lets anybody in at an instant, house rules
// considered: somebody of the house, an address that a domain or a list names, whoever has a
// password that counts. A way for members counts where one may sign up. It answers for the
// way alone, whatever else stands at the door.
func (s *CompiledSite) LetsAnybodyIn(doc Way, t Instant) bool {
	w := s.apart(&doc)
	if !w.win.holds(t) {
		return false
	}
	v := s.survey(t)
	insideOnly := v.rules&houseDomainsOnly != 0
	counts := func(d DomainPattern) bool {
		somebody := visitorAt(d)
		return !insideOnly || s.house.inside(somebody.Identity)
	}
	switch w.via {
	case ViaAnyone, ViaSignedIn:
		return true
	case ViaNetwork:
		return v.rules&(signInRequired|houseDomainsOnly) == 0
	case ViaPass, ViaLink:
		q := asking{site: s, t: t, rules: v.rules, area: s.areaOf("/")}
		for _, k := range w.allKeys {
			q.area = s.areaOf(k.under)
			if w.lists(k) && q.counts(k) {
				return true
			}
		}
		return false
	case ViaDomain:
		return slices.ContainsFunc(w.domains, counts)
	case ViaMembers:
		if s.doc.SignUp.Mode != "closed" && s.doc.SignUp.Mode != "" {
			return true
		}
	case ViaPeople:
		for a := range w.bare {
			if !insideOnly || s.house.inside(Identity{kind: bareAddress, address: a}) {
				return true
			}
		}
	case ViaGroups:
		for _, g := range w.groups {
			if slices.ContainsFunc(g.domains[g.stretch(t)], counts) {
				return true
			}
		}
	}
	return !roaring.AndNot(v.satisfying([]*way{w}), s.house.blocked).IsEmpty()
}

// Wider reports whether one way of the site lets in everybody whom another does, whenever the
// other holds, so that beside it the other changes nothing.
func (s *CompiledSite) Wider(one, other Way) bool {
	a, b := s.apart(&one), s.apart(&other)
	if b.win.from.Before(a.win.from) || a.win.until.Before(b.win.until) {
		return false
	}
	switch {
	case a.via == ViaAnyone:
		return true
	case b.via == ViaAnyone || b.via == ViaPass || b.via == ViaLink || b.via == ViaNetwork:
		return false
	case a.via == ViaSignedIn:
		return true
	case a.via != ViaDomain || b.via == ViaSignedIn || b.via == ViaMembers && s.doc.SignUp.Mode != "closed":
		return false
	}
	covers := func(d DomainPattern) bool {
		return slices.ContainsFunc(a.domains, func(by DomainPattern) bool {
			return by == d || by.Below && !d.Below && by.Matches(d.Domain)
		})
	}
	if !slices.ContainsFunc(b.domains, func(d DomainPattern) bool { return !covers(d) }) && b.via == ViaDomain {
		return true
	}
	for address := range b.bare {
		if !anyMatches(a.domains, address.Domain) {
			return false
		}
	}
	everybody := b.people
	if b.via == ViaGroups {
		everybody = roaring.New()
		for _, g := range b.groups {
			for _, members := range g.members {
				everybody.Or(members)
			}
			for _, domains := range g.domains {
				if slices.ContainsFunc(domains, func(d DomainPattern) bool { return !covers(d) }) {
					return false
				}
			}
		}
	}
	if b.via == ViaDomain || everybody == nil || everybody.IsEmpty() {
		return false // it says more than the other, or nobody: told elsewhere
	}
	return roaring.AndNot(everybody, a.people).IsEmpty()
}

// BlockedInside lists the members whom the site has blocked and who open a page all the same
// that strangers do not, by person.
func (s *CompiledSite) BlockedInside(t Instant) (ids []string) {
	if s == nil || !s.bars {
		return nil
	}
	v := s.survey(t)
	inside := roaring.New()
	for _, p := range s.pages {
		if s.decide(p.area, true, &Visitor{}, t, nil).Outcome != Open {
			inside.Or(roaring.And(v.area(p.area).open, s.barred))
		}
	}
	for it := inside.Iterator(); it.HasNext(); {
		ids = append(ids, s.house.people.entries[it.Next()].ID)
	}
	return ids
}
