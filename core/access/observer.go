package access

import (
	"slices"
	"strings"
)

// observer is somebody who is not a person of the house: a stranger, whoever
// has an address at a domain, the holder of a pass.
type observer struct {
	who     string
	visitor Visitor
}

// observers lists the observers of a site in the order of section 8, from one
// document or, for a comparison, from two.
func observers(policies []*Policy, address string) []observer {
	list := []observer{{who: "stranger"}, {who: "outsider", visitor: unknownAt("")}}
	seen := map[string]bool{}
	add := func(kind string, names func(doc *Document, s *Site) []string, visitor func(name string) Visitor) {
		for _, p := range policies {
			for _, name := range names(p.doc, p.siteDocument(address)) {
				if who := kind + ":" + name; !seen[who] {
					seen[who] = true
					list = append(list, observer{who, visitor(name)})
				}
			}
		}
	}
	add("domain", domainsNamed, visitorAtDomain)
	add("address", func(_ *Document, s *Site) []string {
		return slices.DeleteFunc(addressesNamed(s), func(a string) bool {
			parsed, _ := ParseAddress(a) // validated before
			return slices.ContainsFunc(policies, func(p *Policy) bool { _, known := p.people.byKey.get(parsed); return known })
		})
	}, visitorWithAddress)
	add("network", func(_ *Document, s *Site) (names []string) {
		for _, w := range s.allWays() {
			names = append(names, w.Networks...)
		}
		return names
	}, visitorFromNetwork)
	add("pass", func(_ *Document, s *Site) (ids []string) {
		for _, p := range s.Passes {
			ids = append(ids, p.ID)
		}
		return ids
	}, func(id string) Visitor { return Visitor{Passes: []string{id}} })
	add("link", func(_ *Document, s *Site) (ids []string) {
		for _, l := range s.Links {
			ids = append(ids, l.ID)
		}
		return ids
	}, func(id string) Visitor { return Visitor{Links: []string{id}} })
	return list
}

// siteDocument is the site as the document has it, or an empty one.
func (p *Policy) siteDocument(address string) *Site {
	if s := p.sites[address]; s != nil {
		return s.doc
	}
	return &Site{}
}

// Ways lists the ways of a site's door, its doors, let_in and its tables.
func (s *CompiledSite) Ways() []Way {
	if s == nil {
		return nil
	}
	return s.doc.allWays()
}

// allWays lists the ways of a site's door, its doors, let_in and its tables.
func (s *Site) allWays() []Way {
	ways := slices.Clone(s.Door.Ways)
	for _, d := range s.Doors {
		ways = append(ways, d.Ways...)
	}
	ways = append(ways, s.Holding.LetIn...)
	for _, p := range s.Pages {
		for _, t := range p.Tables {
			ways = append(ways, t.Ways...)
		}
	}
	return ways
}

func domainsNamed(doc *Document, s *Site) []string {
	names := slices.Clone(doc.House.Domains)
	for _, g := range doc.Groups {
		names = append(names, g.Domains...)
	}
	for _, w := range s.allWays() {
		names = append(names, w.Domains...)
	}
	return append(names, s.SignUp.Domains...)
}

func addressesNamed(s *Site) (names []string) {
	for _, w := range s.allWays() {
		for _, who := range w.People {
			if strings.Contains(who, "@") {
				names = append(names, who)
			}
		}
	}
	for _, e := range s.Team {
		if e.Address != "" {
			names = append(names, e.Address)
		}
	}
	return names
}

// unknownAt is somebody with an address at a domain that nobody names: without
// a local part it equals no address.
func unknownAt(domain string) Visitor {
	return Visitor{Identity: Identity{kind: bareAddress, address: Address{"", domain}}}
}

func visitorAtDomain(name string) Visitor {
	p, _ := ParseDomainPattern(name) // validated before
	return visitorAt(p)
}

func visitorAt(p DomainPattern) Visitor {
	if p.Below {
		return unknownAt("any." + p.Domain)
	}
	return unknownAt(p.Domain)
}

func visitorWithAddress(name string) Visitor {
	a, _ := ParseAddress(name) // validated before
	return Visitor{Identity: Identity{kind: bareAddress, address: a}}
}

func visitorFromNetwork(name string) Visitor {
	n, _ := ParseNetwork(name) // validated before
	return Visitor{IP: n.Addr()}
}

// Member returns somebody who is in a group at an instant: its first person, or
// else somebody at its first domain; false where nobody can be.
func (p *Policy) Member(group string, t Instant) (Visitor, bool) {
	g := p.groupByID[group]
	if g == nil {
		return Visitor{}, false
	}
	if members := g.at(t); !members.IsEmpty() {
		i := members.Minimum()
		return Visitor{Identity: Identity{i, aPerson, p.people.address[i]}}, true
	}
	if domains := g.domains[g.stretch(t)]; len(domains) > 0 {
		return visitorAt(domains[0]), true
	}
	return Visitor{}, false
}

// Observer returns the visitor that an observer's name means on a site
// (stranger, outsider, person:ID, domain:D, address:A, network:N, pass:ID,
// link:ID), and whether it means one.
func (p *Policy) Observer(who string) (Visitor, bool) {
	kind, name, _ := strings.Cut(who, ":")
	switch kind {
	case "stranger":
		return Visitor{}, name == ""
	case "outsider":
		return unknownAt(""), name == ""
	case "person":
		id, ok := p.Person(name)
		return Visitor{Identity: id}, ok
	case "domain":
		_, err := ParseDomainPattern(name)
		return visitorAtDomain(name), err == nil
	case "address":
		a, err := ParseAddress(name)
		return Visitor{Identity: p.Address(a)}, err == nil
	case "network":
		_, err := ParseNetwork(name)
		return visitorFromNetwork(name), err == nil
	case "pass":
		return Visitor{Passes: []string{name}}, name != ""
	case "link":
		return Visitor{Links: []string{name}}, name != ""
	}
	return Visitor{}, false
}

// Observers names the observers of a site that are not people, in order.
func (p *Policy) Observers(site string) []string {
	var names []string
	for _, o := range observers([]*Policy{p}, site) {
		names = append(names, o.who)
	}
	return names
}
