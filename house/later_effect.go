package house

import (
	"slices"

	"velada/core/access"
)

// mostLater is at how many instants ahead it is looked for what a change does that does
// nothing now.
const mostLater = 12

// FirstEffect returns when, after an instant at which two policies answer alike, they first
// do not, and what differs then; false where nothing is found at the instants that are next.
// An instant that one of them alone has is looked at first.
func FirstEffect(before, after *access.Policy, now access.Instant) (access.Instant, Summary, bool) {
	instants := nextInstants(before, after, now)
	for _, at := range instants {
		if len(access.ImpactOf(before, after, at).Sites) > 0 {
			return at, summarise(before, after, at), true
		}
	}
	return access.Instant{}, Summary{}, false
}

// nextInstants lists the next instants at which an answer of either policy may change: the
// first of those that one of them alone has, and the first of all, in order.
func nextInstants(before, after *access.Policy, now access.Instant) []access.Instant {
	instantsOf := func(p *access.Policy) map[access.Instant]bool {
		set := map[access.Instant]bool{}
		for _, site := range p.Document().Sites {
			for _, at := range p.Site(site.Address).Instants(now) {
				set[at] = true
			}
		}
		return set
	}
	was, is := instantsOf(before), instantsOf(after)
	var own, all []access.Instant
	for at := range is {
		all = append(all, at)
		if !was[at] {
			own = append(own, at)
		}
	}
	for at := range was {
		if !is[at] {
			all, own = append(all, at), append(own, at)
		}
	}
	slices.SortFunc(own, access.Instant.Compare)
	slices.SortFunc(all, access.Instant.Compare)
	list := slices.Concat(own[:min(len(own), mostLater)], all[:min(len(all), mostLater)])
	slices.SortFunc(list, access.Instant.Compare)
	return slices.Compact(list)
}
