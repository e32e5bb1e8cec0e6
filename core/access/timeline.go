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
		if impact := p.turn(cut, sites...); len(impact.Sites) > 0 {
			list = append(list, impact)
		}
	}
	slices.SortFunc(list, byInstant)
	return list
}

// turn is what changes on some sites at an instant by the passing of time alone.
func (p *Policy) turn(at Instant, sites ...string) Impact {
	return impactBetween(p, at.justBefore(), p, at, at, sites)
}

// Turn is what changes on a site at an instant.
type Turn struct {
	Impact
	Again bool // it comes again, as the holding page does that repeats
}

// Turns are the first instants after one at which any answer of a site changes by the passing of time
// alone, most of them at most. Of a holding page that comes again and again its next time stands there
// alone, so that nothing else is lost behind it. There may be more of them than those returned.
func (p *Policy) Turns(site string, after Instant, most int) (list []Turn, more bool) {
	s := p.sites[site]
	if s == nil {
		return nil, false
	}
	wins := s.holding.wins
	repeated := len(wins) > 1
	if repeated {
		next := slices.IndexFunc(wins, func(w window) bool { return after.Before(w.until) })
		if next < 0 {
			next = len(wins) - 1
		}
		wins = wins[next : next+1]
	}
	var again []Instant
	if repeated {
		again = wins[0].cuts(nil)
	}
	for _, cut := range s.cutsWith(wins) {
		if !after.Before(cut) {
			continue
		}
		if impact := p.turn(cut, site); len(impact.Sites) > 0 {
			if len(list) == most {
				return list, true
			}
			list = append(list, Turn{impact, slices.Contains(again, cut)})
		}
	}
	return list, false
}

// cuts lists, in order and once each, the instants at which an answer of the
// site may change.
func (s *CompiledSite) cuts() []Instant { return s.cutsWith(s.holding.wins) }

// cutsWith is cuts for a holding page that stands in these windows alone.
func (s *CompiledSite) cutsWith(held []window) []Instant {
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
	for i := range held {
		cuts = held[i].cuts(cuts)
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
