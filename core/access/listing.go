package access

import (
	"maps"
	"slices"
)

// NoIndex reports whether search engines are told not to list the page at a
// normalised path, at an instant.
func (s *CompiledSite) NoIndex(path string, t Instant) bool {
	if s == nil {
		return true
	}
	p, a := s.locate(path)
	return s.noIndex(a, p, path == "/", t, s.decide(a, p != nil, &Visitor{}, t, nil))
}

// noIndex works from the decision for a stranger.
func (s *CompiledSite) noIndex(a *area, p *page, root bool, t Instant, stranger Decision) bool {
	listed := p != nil && p.doc.Listing && s.doc.Listing && s.rulesAt(t)&noListing == 0
	switch stranger.Outcome {
	case Held:
		return stranger.Soon && !(root && listed && s.standsFor(a, t))
	case Open:
		return !listed
	}
	return true
}

// standsFor reports whether the area's pages exist for a stranger, hidden
// doors considered.
func (s *CompiledSite) standsFor(a *area, t Instant) bool {
	q := asking{site: s, v: &Visitor{}, t: t, area: a, rules: s.rulesAt(t)}
	q.identify()
	q.conditions(nil)
	return q.leftOut == 0
}

// RetryAfter is the whole seconds until the holding page comes down, rounded
// up, or 3600 where it has no end.
func (s *CompiledSite) RetryAfter(t Instant) int {
	if until := s.holding.until(t); until != everAfter {
		seconds := until.sec - t.sec
		if until.nsec > t.nsec {
			seconds++
		}
		return int(seconds)
	}
	return 3600
}

// Shareable reports whether the answer to a request that opens the page may be
// stored by anybody: nobody in particular asked, and anybody would get it.
func (s *CompiledSite) Shareable(path string, v *Visitor, t Instant) bool {
	if s == nil || v.Identity.Known() || len(v.Passes) > 0 || len(v.Links) > 0 {
		return false
	}
	p, a := s.locate(path)
	return p != nil && len(p.tables) == 0 && s.decide(a, true, &Visitor{}, t, nil).Outcome == Open
}

// AsksNetworks reports whether what somebody gets of the site may depend on their IP address.
func (s *CompiledSite) AsksNetworks() bool {
	return s != nil && slices.ContainsFunc(s.doc.allWays(), func(w Way) bool { return w.Way == "network" })
}

// Listed returns the paths for the sitemap, in byte order: the existing pages
// whose noindex is false, under maintenance as if the holding page were off.
func (s *CompiledSite) Listed(t Instant) []string {
	var paths []string
	if s == nil {
		return nil
	}
	open := s.afterMaintenance()
	for path, p := range s.pages {
		stranger := open.decide(p.area, true, &Visitor{}, t, nil)
		if !open.noIndex(p.area, p, path == "/", t, stranger) {
			paths = append(paths, path)
		}
	}
	slices.Sort(paths)
	return paths
}

// afterMaintenance is the site as if a holding page for maintenance were off.
func (s *CompiledSite) afterMaintenance() *CompiledSite {
	if !s.holding.on || s.holding.soon {
		return s
	}
	without := *s
	without.holding.on = false
	return &without
}

// Paths lists the pages of a site by their paths, in byte order.
func (s *CompiledSite) Paths() []string {
	if s == nil {
		return nil
	}
	return slices.Sorted(maps.Keys(s.pages))
}

// Told is what search engines are told of a page, and why.
type Told struct {
	Kind ToldKind
	Rule *HouseRule // for by-rule
	Door string     // for shut: the path of the door that is in the way, "" is the site's own
	Held bool       // maintenance asks them to come again later
}

// ToldKind is what search engines are told of a page.
type ToldKind string

// What they are told: to list it, that they may read it and are not to list it, or nothing.
const (
	ToldListed  ToldKind = "listed"
	ToldNotSite ToldKind = "not-site" // the site does not want to be listed
	ToldNotPage ToldKind = "not-page" // the page does not
	ToldByRule  ToldKind = "by-rule"  // a house rule keeps them away
	ToldShut    ToldKind = "shut"     // a door: they cannot read it
	ToldHidden  ToldKind = "hidden"   // the door hides: they get what is missing
	ToldSoon    ToldKind = "soon"     // the holding page says that it is coming
	ToldNothing ToldKind = "nothing"  // the site is not live
)

// Told returns what search engines are told of the page at a path. Its Kind is
// ToldListed for just the paths of Listed.
func (s *CompiledSite) Told(path string, t Instant) Told {
	if s == nil || s.pages[path] == nil {
		return Told{Kind: ToldNothing}
	}
	p, open := s.pages[path], s.afterMaintenance()
	d := open.decide(p.area, true, &Visitor{}, t, nil)
	if !open.noIndex(p.area, p, path == "/", t, d) {
		return Told{Kind: ToldListed, Held: open != s && s.HoldingUp(t)}
	}
	switch d.Outcome {
	case Absent, Gone:
		return Told{Kind: ToldNothing}
	case Missing:
		return Told{Kind: ToldHidden, Door: open.doorInTheWay(p.area, t)}
	case Held:
		return Told{Kind: ToldSoon}
	case Open:
		switch {
		case s.rulesAt(t)&noListing != 0:
			return Told{Kind: ToldByRule, Rule: s.ruleInForce("no-listing", t)}
		case !s.doc.Listing:
			return Told{Kind: ToldNotSite}
		}
		return Told{Kind: ToldNotPage}
	}
	return Told{Kind: ToldShut, Door: open.doorInTheWay(p.area, t)}
}

// doorInTheWay is the path of the door at which a stranger stands before an area.
func (s *CompiledSite) doorInTheWay(a *area, t Instant) string {
	q := asking{site: s, v: &Visitor{}, t: t, area: a, rules: s.rulesAt(t)}
	q.identify()
	if _, first, _, _ := q.conditions(nil); first != nil {
		return first.path
	}
	return ""
}

// ruleInForce is the first rule of a kind that applies to the site at an instant.
func (s *CompiledSite) ruleInForce(kind string, t Instant) *HouseRule {
	for i := range s.rules {
		if s.rules[i].win.holds(t) && s.rules[i].doc.Rule == kind {
			return s.rules[i].doc
		}
	}
	return nil
}
