package access

import (
	"cmp"
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// group is a compiled group: who is in it, stretch of time by stretch of time.
type group struct {
	id      string
	name    string    // the id where it has none
	cuts    []Instant // where the stretches meet
	members []people  // one more than cuts
	domains [][]DomainPattern
}

func (g *group) stretch(t Instant) int {
	if len(g.cuts) == 0 {
		return 0
	}
	i, found := slices.BinarySearchFunc(g.cuts, t, Instant.Compare)
	if found {
		i++
	}
	return i
}

func (g *group) at(t Instant) people { return g.members[g.stretch(t)] }

// hasAddress reports whether a bare address is in the group: through domains alone.
func (g *group) hasAddress(a Address, t Instant) bool {
	return anyMatches(g.domains[g.stretch(t)], a.Domain)
}

// rawGroup is a group before groups in groups are resolved.
type rawGroup struct {
	win     window
	direct  people
	domains []DomainPattern
	inner   []int
}

// listed is whom a group lists, by their ids.
type listed struct {
	ids []string
	set people
}

// whomListed returns whom a group lists, which may be known from house sets near these.
func whomListed(g *Group, at int, r *roster, near *houseSets) listed {
	if near != nil && at < len(near.listed) && r.numbersAs(near.people) {
		if known := near.listed[at]; sameSlice(known.ids, g.People) {
			return known
		}
	}
	list := make([]uint32, 0, len(g.People))
	for _, id := range g.People {
		list = append(list, r.ids(id)...)
	}
	slices.Sort(list)
	return listed{g.People, roaring.BitmapOf(list...)}
}

func compileGroups(groups []Group, r *roster, near *houseSets) ([]*group, []listed) {
	index := make(map[string]int, len(groups))
	for i, g := range groups {
		index[g.ID] = i
	}
	raw, whom := make([]rawGroup, len(groups)), make([]listed, len(groups))
	for i, g := range groups {
		raw[i] = rawGroup{win: newWindow(g.From, g.Until), domains: parsePatterns(g.Domains)}
		whom[i] = whomListed(&groups[i], i, r, near)
		raw[i].direct = whom[i].set
		if len(raw[i].domains) > 0 {
			raw[i].direct = roaring.Or(whom[i].set, r.at(raw[i].domains))
		}
		for _, inner := range g.Groups {
			raw[i].inner = append(raw[i].inner, index[inner])
		}
	}
	compiled := make([]*group, len(groups))
	for i := range groups {
		compiled[i] = resolveGroup(&groups[i], i, raw)
	}
	return compiled, whom
}

func resolveGroup(doc *Group, start int, raw []rawGroup) *group {
	g := &group{id: doc.ID, name: cmp.Or(doc.Name, doc.ID)}
	for _, i := range reachable(start, raw, nil) {
		g.cuts = raw[i].win.cuts(g.cuts)
	}
	g.cuts = sortedCuts(g.cuts)
	for k := 0; k <= len(g.cuts); k++ {
		t := everBefore
		if k > 0 {
			t = g.cuts[k-1]
		}
		active := reachable(start, raw, &t)
		members := roaring.New()
		var domains []DomainPattern
		if len(active) == 1 {
			members = raw[active[0]].direct
			domains = raw[active[0]].domains
		} else {
			for _, i := range active {
				members.Or(raw[i].direct)
				domains = append(domains, raw[i].domains...)
			}
		}
		g.members, g.domains = append(g.members, members), append(g.domains, domains)
	}
	return g
}

// reachable lists a group and the groups in it, at any depth; with an instant
// only those to which active groups lead.
func reachable(start int, raw []rawGroup, t *Instant) []int {
	var seen []int
	open := func(i int) {
		if (t == nil || raw[i].win.holds(*t)) && !slices.Contains(seen, i) {
			seen = append(seen, i)
		}
	}
	open(start)
	for k := 0; k < len(seen); k++ {
		for _, i := range raw[seen[k]].inner {
			open(i)
		}
	}
	return seen
}

func sortedCuts(cuts []Instant) []Instant {
	slices.SortFunc(cuts, Instant.Compare)
	return slices.Compact(cuts)
}

func parsePatterns(domains []string) []DomainPattern {
	patterns := make([]DomainPattern, len(domains))
	for i, d := range domains {
		patterns[i], _ = ParseDomainPattern(d) // validated before
	}
	return patterns
}
