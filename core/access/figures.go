package access

import (
	"encoding/json"
	"io"
	"slices"
	"strings"

	"github.com/RoaringBitmap/roaring/v2"
)

// Figures is who can view and edit a site at an instant, counted over all its
// existing pages: section 10 of the model. More means: opens at least one page
// that a stranger does not.
type Figures struct {
	Site       string `json:"site"`
	State      string `json:"state"`
	Pages      int    `json:"pages"`
	Strangers  int    `json:"strangers"`  // pages that open to a stranger
	Held       int    `json:"held"`       // pages where a stranger meets the holding page
	People     int    `json:"people"`     // people of the document who open more
	Everywhere int    `json:"everywhere"` // how many of those open every page
	Outsiders  int    `json:"outsiders"`  // pages more that any account opens
	Domains    int    `json:"domains"`    // observers who open more, each counted once
	Addresses  int    `json:"addresses"`
	Networks   int    `json:"networks"`
	Passes     int    `json:"passes"`
	Links      int    `json:"links"`
	Listed     int    `json:"listed"`         // pages in the sitemap
	Edit       int    `json:"edit"`           // people and addresses of team entries who may write somewhere
	Publish    int    `json:"publish"`        // those who may publish
	Past       *Past  `json:"past,omitempty"` // who gets by the holding page; nil where no page is held

	part bool // an observer opens more, but not every page
}

// Past is who gets by a holding page, counted over the pages on which a stranger is held.
type Past struct {
	People     int `json:"people"`     // who open at least one of them
	Everywhere int `json:"everywhere"` // how many of those open every page of the site
	Outsiders  int `json:"outsiders"`  // pages of them that any account opens
	Domains    int `json:"domains"`    // observers who open at least one, each counted once
	Addresses  int `json:"addresses"`
	Networks   int `json:"networks"`
	Passes     int `json:"passes"`
	Links      int `json:"links"`
}

// Figures counts every site at an instant, by address in byte order.
func (p *Policy) Figures(t Instant) []Figures {
	list := make([]Figures, 0, len(p.doc.Sites))
	for _, s := range p.doc.Sites {
		list = append(list, p.SiteFigures(s.Address, t))
	}
	slices.SortFunc(list, func(a, b Figures) int { return strings.Compare(a.Site, b.Site) })
	return list
}

// SiteFigures counts one site at an instant; all is zero where there is none.
func (p *Policy) SiteFigures(address string, t Instant) Figures {
	s := p.sites[address]
	if s == nil {
		return Figures{}
	}
	f := Figures{Site: address, State: s.doc.State, Pages: len(s.pages), Listed: len(s.Listed(t))}
	v := s.survey(t)
	shut := f.countPages(s, v)
	f.countObservers(p, s, shut, t)
	f.countTeam(s, v)
	return f
}

// areaPages is an area with how many existing pages it has.
type areaPages struct {
	area  *area
	pages int
	held  bool // a stranger meets the holding page there
}

// countPages counts pages by what a stranger meets, and people; it returns the
// areas with pages that a stranger does not open.
func (f *Figures) countPages(s *CompiledSite, v *surveyor) (shut []areaPages) {
	pages := map[*area]int{}
	for _, p := range s.pages {
		pages[p.area]++
	}
	more, past, everywhere := roaring.New(), roaring.New(), s.house.people.everyone
	for a, n := range pages {
		switch outcome := s.decide(a, true, &Visitor{}, v.t, nil).Outcome; outcome {
		case Open:
			f.Strangers += n
		default:
			if outcome == Held {
				f.Held += n
				past.Or(v.area(a).open)
			}
			shut = append(shut, areaPages{a, n, outcome == Held})
			more.Or(v.area(a).open)
		}
		everywhere = roaring.And(everywhere, v.area(a).open)
	}
	f.People, f.Everywhere = int(more.GetCardinality()), int(more.AndCardinality(everywhere))
	if f.Held > 0 {
		f.Past = &Past{People: int(past.GetCardinality()), Everywhere: int(past.AndCardinality(everywhere))}
	}
	return shut
}

// countObservers counts the observers who open some of the areas that are shut
// to a stranger; what means the same domain, address or network counts once.
func (f *Figures) countObservers(p *Policy, s *CompiledSite, shut []areaPages, t Instant) {
	seen := map[string]bool{}
	for _, o := range observers([]*Policy{p}, f.Site) {
		kind, name, _ := strings.Cut(o.who, ":")
		if name = kind + ":" + canonicalObserver(kind, name); seen[name] {
			continue
		}
		seen[name] = true
		opened, past := 0, 0
		for _, at := range shut {
			if s.decide(at.area, true, &o.visitor, t, nil).Outcome == Open {
				opened += at.pages
				if at.held {
					past += at.pages
				}
			}
		}
		if opened == 0 {
			continue
		}
		f.part = f.part || opened < f.Pages-f.Strangers
		countKind(kind, opened, &f.Outsiders, &f.Domains, &f.Addresses, &f.Networks, &f.Passes, &f.Links)
		if past > 0 {
			countKind(kind, past, &f.Past.Outsiders, &f.Past.Domains, &f.Past.Addresses, &f.Past.Networks, &f.Past.Passes, &f.Past.Links)
		}
	}
}

// countKind counts an observer of a kind who opens some pages: any account by its pages, all others by
// how many they are.
func countKind(kind string, opened int, outsiders, domains, addresses, networks, passes, links *int) {
	switch kind {
	case "outsider":
		*outsiders = opened
	case "domain":
		*domains++
	case "address":
		*addresses++
	case "network":
		*networks++
	case "pass":
		*passes++
	case "link":
		*links++
	}
}

// canonicalObserver returns the one spelling of an observer's name: a domain and
// an address in ASCII form, a network by its first address and length.
func canonicalObserver(kind, name string) string {
	switch kind { // all validated before
	case "domain":
		d, _ := ParseDomainPattern(name)
		return d.String()
	case "address":
		a, _ := ParseAddress(name)
		return a.String()
	case "network":
		n, _ := ParseNetwork(name)
		return n.String()
	}
	return name
}

// countTeam counts the people who may write or publish, and the addresses of
// nobody in the house that may by an entry of the team.
func (f *Figures) countTeam(s *CompiledSite, v *surveyor) {
	write, publish := roaring.New(), roaring.New()
	for _, a := range s.allAreas {
		write.Or(v.capability(a, Write))
		publish.Or(v.capability(a, Publish))
	}
	f.Edit, f.Publish = int(write.GetCardinality()), int(publish.GetCardinality())
	seen := map[Address]bool{}
	for _, e := range s.team {
		if e.address == (Address{}) || !e.people.IsEmpty() || seen[e.address] {
			continue
		}
		seen[e.address] = true
		id := Identity{kind: bareAddress, address: e.address}
		var caps Capabilities
		for _, a := range s.allAreas {
			caps |= s.capabilities(a, &id, v.t)
		}
		if caps.Has(Write) {
			f.Edit++
		}
		if caps.Has(Publish) {
			f.Publish++
		}
	}
}

// WriteFigures writes the figures of all sites at an instant as the command
// line prints them.
func WriteFigures(out io.Writer, t Instant, list []Figures) error {
	return json.NewEncoder(out).Encode(struct {
		At    Instant   `json:"at"`
		Sites []Figures `json:"sites"`
	}{t, list})
}
