package access

import (
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// Shut is what a house rule takes from a way in: whom the way would let in if the rule
// were not, and does not.
type Shut struct {
	Rule      *HouseRule
	Strangers bool     // whoever comes by it without signing in
	People    People   // people of the house
	Others    bool     // signed in, and nobody of the house
	Keys      []string // passwords or links that do not count, having no end of their own
}

// Shuts lists the house rules in force for a site at an instant that take something from
// a way in, one of each kind.
func (p *Policy) Shuts(site string, doc Way, t Instant) (list []Shut) {
	s := p.sites[site]
	if s == nil {
		return nil
	}
	var w *way
	var seen ruleSet
	for i := range s.rules {
		r := &s.rules[i]
		if !r.win.holds(t) || seen&r.kind != 0 {
			continue
		}
		seen |= r.kind
		if w == nil {
			w = s.apart(&doc)
		}
		shut := Shut{Rule: r.doc}
		switch r.kind {
		case signInRequired:
			shut.Strangers = w.withoutIdentity()
		case houseDomainsOnly:
			shut.Strangers, shut.Others = w.withoutIdentity(), w.opensOutside(s.house)
			v := &surveyor{site: s, t: t, members: s.house.people.everyone}
			if shutOut := roaring.AndNot(v.satisfying([]*way{w}), s.house.inHouse); !shutOut.IsEmpty() {
				shut.People = People{shutOut, p.people}
			}
		case passMustEnd:
			shut.Keys = w.endless()
		}
		if shut.Strangers || shut.Others || shut.People.Count() > 0 || len(shut.Keys) > 0 {
			list = append(list, shut)
		}
	}
	return list
}

// withoutIdentity reports whether a way lets in whoever is not signed in.
func (w *way) withoutIdentity() bool {
	return w.via == ViaAnyone || w.via == ViaPass || w.via == ViaLink || w.via == ViaNetwork
}

// opensOutside reports whether a way lets in an address that is nobody's of the house and
// at none of its domains.
func (w *way) opensOutside(h *houseSets) bool {
	inside := func(v Visitor) bool { return h.inside(v.Identity) }
	switch w.via {
	case ViaDomain:
		return slices.ContainsFunc(w.domains, func(d DomainPattern) bool { return !inside(visitorAt(d)) })
	case ViaPeople:
		for a := range w.bare {
			if !inside(Visitor{Identity: Identity{kind: bareAddress, address: a}}) {
				return true
			}
		}
		return false
	case ViaGroups:
		for _, g := range w.groups {
			for _, domains := range g.domains {
				if slices.ContainsFunc(domains, func(d DomainPattern) bool { return !inside(visitorAt(d)) }) {
					return true
				}
			}
		}
		return false
	case ViaMembers:
		return false
	}
	return true
}

// endless lists the keys of a way that are in use and have no end.
func (w *way) endless() (ids []string) {
	for id, k := range w.allKeys {
		if !k.ends && !k.revoked && w.lists(k) {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	return ids
}

// RulesInForce lists the house rules that cap a site at an instant, in the document's
// order.
func (p *Policy) RulesInForce(site string, t Instant) (list []HouseRule) {
	s := p.sites[site]
	if s == nil {
		return nil
	}
	for i := range s.rules {
		if s.rules[i].win.holds(t) {
			list = append(list, *s.rules[i].doc)
		}
	}
	return list
}

// Inside reports whether somebody has an address at one of the house's own domains.
func (p *Policy) Inside(id Identity) bool { return p.inside(id) }

// Caps reports whether a house rule has a site in its scope.
func (r HouseRule) Caps(site string) bool {
	c := rule{doc: &r}
	return c.caps(site)
}
