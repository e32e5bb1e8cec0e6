package access

import (
	"slices"
)

// Timeline returns the instants t, from < t <= until, at which any answer
// changes by the passing of time alone, with what changes then.
func (p *Policy) Timeline(from, until Instant) []Impact { return p.timeline(p.doc.Sites, from, until) }

// TimelineOf is Timeline for one site alone.
func (p *Policy) TimelineOf(site string, from, until Instant) []Impact {
	if p.sites[site] == nil {
		return nil
	}
	return p.timeline([]*Site{p.sites[site].doc}, from, until)
}

func (p *Policy) timeline(of []*Site, from, until Instant) []Impact {
	touched := map[Instant][]string{} // the sites on which an instant may change something
	for _, s := range of {
		for _, cut := range p.sites[s.Address].cuts() {
			if from.Before(cut) && !until.Before(cut) {
				touched[cut] = append(touched[cut], s.Address)
			}
		}
	}
	var list []Impact
	for cut, sites := range touched {
		slices.Sort(sites)
		if impact := impactBetween(p, cut.justBefore(), p, cut, cut, sites); len(impact.Sites) > 0 {
			list = append(list, impact)
		}
	}
	slices.SortFunc(list, byInstant)
	return list
}

// cuts lists, in order and once each, the instants at which an answer of the
// site may change.
func (s *CompiledSite) cuts() []Instant {
	var cuts []Instant
	for i := range s.rules {
		cuts = s.rules[i].win.cuts(cuts)
	}
	for _, keys := range []map[string]*key{s.passes, s.links} {
		for _, k := range keys {
			cuts = k.win.cuts(cuts)
		}
	}
	for _, e := range s.team {
		cuts = e.win.cuts(cuts)
		if e.group != nil {
			cuts = append(cuts, e.group.cuts...)
		}
	}
	for i := range s.holding.wins {
		cuts = s.holding.wins[i].cuts(cuts)
	}
	ways := slices.Concat(s.door.ways, s.holding.letIn)
	for _, a := range s.allAreas {
		for _, c := range a.conditions {
			ways = append(ways, c.ways...)
		}
	}
	for _, p := range s.pages {
		for _, t := range p.tables {
			ways = append(ways, t.ways...)
		}
	}
	for _, w := range ways {
		cuts = w.win.cuts(cuts)
		for _, g := range w.groups {
			cuts = append(cuts, g.cuts...)
		}
	}
	return sortedCuts(cuts)
}

// Instants lists, in order and once each, the instants after one at which an
// answer of the site may change by the passing of time.
func (s *CompiledSite) Instants(after Instant) []Instant {
	if s == nil {
		return nil
	}
	cuts := s.cuts()
	first, found := slices.BinarySearchFunc(cuts, after, Instant.Compare)
	if found {
		first++
	}
	return cuts[first:]
}

// SteadyUntil returns the instant until which the answers of the site to one visitor,
// whoever it is, stay the same from t on; false where they depend on the IP address
// too.
func (s *CompiledSite) SteadyUntil(t Instant) (until Instant, steady bool) {
	if s == nil || s.AsksNetworks() {
		return Instant{}, false
	}
	if next := s.Instants(t); len(next) > 0 {
		return next[0], true
	}
	return everAfter, true
}
