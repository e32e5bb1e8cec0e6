package access

import (
	"maps"
	"slices"
	"strings"

	"github.com/RoaringBitmap/roaring/v2"
)

// Impact is what differs between two policies at one instant, by site and page.
type Impact struct {
	At    Instant
	Sites []SiteImpact // by address
}

// SiteImpact is what differs on one site.
type SiteImpact struct {
	Site  string
	Pages []PageImpact // by path
	Can   []PathCan    // where no page is, by path
}

// PathCan is what people may do more or less at a path at which there is no page: the front of a site
// without one, or a section that is still empty.
type PathCan struct {
	Path string
	Can  []CapabilityChange // in the order of people
}

// Rights lists what people may do more or less on the site, on pages and where no page is, by path.
func (s *SiteImpact) Rights() []PathCan {
	list := slices.Clone(s.Can)
	for i := range s.Pages {
		if p := &s.Pages[i]; len(p.Can) > 0 {
			list = append(list, PathCan{p.Path, p.Can})
		}
	}
	slices.SortFunc(list, func(a, b PathCan) int { return strings.Compare(a.Path, b.Path) })
	return list
}

// PageImpact is what differs on one page.
type PageImpact struct {
	Path      string
	Gains     People // who gains open
	Loses     People
	Observers []ObserverChange
	Tables    []TableImpact
	NoIndex   *NoIndexChange
	Can       []CapabilityChange // in the order of people
}

// ObserverChange is an observer whose outcome differs.
type ObserverChange struct {
	Who           string
	Before, After Outcome
}

// TableImpact is who gains or loses the sight of a table.
type TableImpact struct {
	ID           string
	Gains, Loses People
	Observers    []TableObserverChange
}

// TableObserverChange is an observer to whom a table is newly shown, or no longer.
type TableObserverChange struct {
	Who           string
	Before, After bool
}

// NoIndexChange says that what search engines are told differs.
type NoIndexChange struct{ Before, After bool }

// CapabilityChange is what one person may do more or less.
type CapabilityChange struct {
	Person       string
	Gains, Loses Capabilities
}

// People is a set of people of the two documents compared.
type People struct {
	set    people
	roster *roster
}

// Count is how many people are in the set.
func (p People) Count() int {
	if p.set == nil {
		return 0
	}
	return int(p.set.GetCardinality())
}

// IDs lists the people of the set in their order.
func (p People) IDs() []string {
	ids := make([]string, 0, p.Count())
	if p.set != nil {
		for it := p.set.Iterator(); it.HasNext(); {
			ids = append(ids, p.roster.entries[it.Next()].ID)
		}
	}
	return ids
}

// Union is everyone in either set; both must come from one Impact.
func (p People) Union(o People) People {
	switch {
	case p.set == nil:
		return o
	case o.set == nil:
		return p
	}
	return People{roaring.Or(p.set, o.set), p.roster}
}

// ImpactOf compares two policies at an instant.
func ImpactOf(before, after *Policy, at Instant) Impact {
	before, after = sameOrder(before, after)
	return impactBetween(before, at, after, at, at, nil)
}

// sameOrder returns both policies over one order of people: those of the first,
// then those only in the second.
func sameOrder(before, after *Policy) (*Policy, *Policy) {
	if before.people == after.people || alike(before.people, after.people) {
		return before, after
	}
	if n := len(before.doc.People); before.people.absent.IsEmpty() && after.people.absent.IsEmpty() && len(after.doc.People) > n && beginsAs(after.doc.People, before.doc.People) {
		order := slices.Clone(before.doc.People) // as they are called there
		for _, p := range after.doc.People[n:] {
			order = append(order, Person{ID: p.ID, Name: p.Name, Address: p.Address})
		}
		return compile(before.doc, extended(before.people, order, n), nil, before), after
	}
	order := slices.Clone(before.doc.People)
	for _, p := range after.doc.People {
		if !before.people.has(p.ID) {
			order = append(order, p)
		}
	}
	return compile(before.doc, newRoster(before.doc.People, order, before.people), nil, nil), compile(after.doc, newRoster(after.doc.People, order, after.people), nil, nil)
}

// impactBetween compares one policy at one instant with another at another;
// only the sites so named, or all.
func impactBetween(before *Policy, t1 Instant, after *Policy, t2 Instant, at Instant, only []string) Impact {
	addresses := only
	if addresses == nil {
		all := maps.Clone(idsOf(before.sites))
		maps.Copy(all, idsOf(after.sites))
		addresses = slices.Sorted(maps.Keys(all))
	}
	impact := Impact{At: at, Sites: []SiteImpact{}}
	var few *touched
	if t1 == t2 && before != after {
		few = touchedBetween(before, after)
	}
	for _, address := range addresses {
		b, a := before.sites[address], after.sites[address]
		if a == b && t1 == t2 || few.leaves(b, a, at) {
			continue
		}
		c := comparison{
			roster: before.people, b: b, a: a, t1: t1, t2: t2, before: b.survey(t1), after: a.survey(t2),
			pairs: map[areaPair]*PageImpact{},
		}
		c.observers = func() []observer { return observers([]*Policy{before, after}, address) }
		if site := (SiteImpact{address, c.pages(), c.withoutPage()}); len(site.Pages) > 0 || len(site.Can) > 0 {
			impact.Sites = append(impact.Sites, site)
		}
	}
	return impact
}

// comparison compares one site of two policies. What holds over a pair of areas
// is worked out once for all their pages.
type comparison struct {
	roster        *roster
	b, a          *CompiledSite
	t1, t2        Instant
	before, after *surveyor
	observers     func() []observer
	list          []observer
	pairs         map[areaPair]*PageImpact
}

type areaPair struct {
	before, after             *area
	wasThere, isThere         bool
	wasRoot, isRoot           bool
	listedBefore, listedAfter bool
}

func (c *comparison) pages() []PageImpact {
	var paths []string
	for _, s := range []*CompiledSite{c.b, c.a} {
		if s != nil {
			for path := range s.pages {
				paths = append(paths, path)
			}
		}
	}
	slices.Sort(paths)
	var list []PageImpact
	for _, path := range slices.Compact(paths) {
		p1, a1 := c.b.find(path)
		p2, a2 := c.a.find(path)
		if page := c.page(areaPair{before: a1, after: a2, wasRoot: path == "/", isRoot: path == "/"}, p1, p2); !page.empty() {
			page.Path = path
			list = append(list, page)
		}
	}
	return list
}

// withoutPage compares what people may do where no page is: at the front, and where some entry of the team
// begins, in force or not.
func (c *comparison) withoutPage() (list []PathCan) {
	paths := []string{"/"}
	for _, s := range []*CompiledSite{c.b, c.a} {
		if s != nil {
			for i := range s.doc.Team {
				paths = append(paths, normal(s.doc.Team[i].Under))
			}
		}
	}
	slices.Sort(paths)
	for _, path := range slices.Compact(paths) {
		p1, a1 := c.b.find(path)
		p2, a2 := c.a.find(path)
		if p1 != nil || p2 != nil {
			continue
		}
		if can := c.capabilities(areaPair{before: a1, after: a2}); len(can) > 0 {
			list = append(list, PathCan{path, can})
		}
	}
	return list
}

// page compares a page as it was in one area with a page as it is in another; nil is none.
func (c *comparison) page(pair areaPair, p1, p2 *page) PageImpact {
	pair.wasThere, pair.isThere = p1 != nil, p2 != nil
	pair.listedBefore, pair.listedAfter = p1 != nil && p1.doc.Listing, p2 != nil && p2.doc.Listing
	shared := c.pairs[pair]
	if shared == nil {
		shared = c.compare(pair, p1, p2)
		c.pairs[pair] = shared
	}
	page := *shared
	page.Tables = c.tables(p1, p2)
	return page
}

// PageMove is a page that stood at one path and stands at another, or at the same; "" is where
// there is none: it is new, or deleted.
type PageMove struct{ Was, Is string }

// ImpactOfMoves compares two policies at one instant page by page, as pages move on a site: each at
// its path by the first with itself at its path by the second. Impacts are told at the paths at
// which pages are, or were where they are deleted, in the order of moves.
func ImpactOfMoves(before, after *Policy, site string, moves []PageMove, at Instant) []PageImpact {
	before, after = sameOrder(before, after)
	b, a := before.sites[site], after.sites[site]
	c := comparison{
		roster: before.people, b: b, a: a, t1: at, t2: at, before: b.survey(at), after: a.survey(at),
		pairs: map[areaPair]*PageImpact{},
	}
	c.observers = func() []observer { return observers([]*Policy{before, after}, site) }
	var list []PageImpact
	for _, m := range moves {
		pair := areaPair{wasRoot: m.Was == "/", isRoot: m.Is == "/"}
		var p1, p2 *page
		if m.Was != "" {
			p1, pair.before = b.find(m.Was)
		} else {
			_, pair.before = b.find(m.Is)
		}
		if m.Is != "" {
			p2, pair.after = a.find(m.Is)
		} else {
			_, pair.after = a.find(m.Was)
		}
		impact := c.page(pair, p1, p2)
		if impact.Path = m.Is; m.Is == "" {
			impact.Path = m.Was
		}
		if !impact.empty() {
			list = append(list, impact)
		}
	}
	return list
}

func (p *PageImpact) empty() bool {
	return p.Gains.set == nil && p.Loses.set == nil && p.Observers == nil && p.Tables == nil && p.NoIndex == nil && p.Can == nil
}

// find is locate for a site that may not exist.
func (s *CompiledSite) find(path string) (*page, *area) {
	if s == nil {
		return nil, nil
	}
	return s.locate(path)
}

func (c *comparison) compare(pair areaPair, p1, p2 *page) *PageImpact {
	impact := &PageImpact{}
	impact.Gains, impact.Loses = c.difference(c.before.page(p1, pair.before), c.after.page(p2, pair.after))
	for i := range c.allObservers() {
		o := &c.list[i]
		was, is := Absent, Absent
		if c.b != nil {
			was = c.b.decide(pair.before, pair.wasThere, &o.visitor, c.t1, nil).Outcome
		}
		if c.a != nil {
			is = c.a.decide(pair.after, pair.isThere, &o.visitor, c.t2, nil).Outcome
		}
		if was != is {
			impact.Observers = append(impact.Observers, ObserverChange{o.who, was, is})
		}
	}
	was, is := c.b.noIndexAt(pair.before, p1, pair.wasRoot, c.t1), c.a.noIndexAt(pair.after, p2, pair.isRoot, c.t2)
	if was != is {
		impact.NoIndex = &NoIndexChange{was, is}
	}
	impact.Can = c.capabilities(pair)
	return impact
}

func (s *CompiledSite) noIndexAt(a *area, p *page, root bool, t Instant) bool {
	return s == nil || s.noIndex(a, p, root, t, s.decide(a, p != nil, &Visitor{}, t, nil))
}

func (c *comparison) allObservers() []observer {
	if c.list == nil {
		c.list = c.observers()
	}
	return c.list
}

func (c *comparison) difference(was, is people) (gains, loses People) {
	if was == is {
		return
	}
	if plus := roaring.AndNot(is, was); !plus.IsEmpty() {
		gains = People{plus, c.roster}
	}
	if minus := roaring.AndNot(was, is); !minus.IsEmpty() {
		loses = People{minus, c.roster}
	}
	return gains, loses
}

// capabilities compares what everyone may do over a pair of areas. Without
// entries of the other side, both areas may be none.
func (c *comparison) capabilities(pair areaPair) []CapabilityChange {
	changes := map[uint32]*CapabilityChange{}
	change := func(i uint32) *CapabilityChange {
		if changes[i] == nil {
			changes[i] = &CapabilityChange{Person: c.roster.entries[i].ID}
		}
		return changes[i]
	}
	for i := range capabilityCount {
		gains, loses := c.difference(c.before.capability(pair.before, i), c.after.capability(pair.after, i))
		if gains.set != nil {
			for it := gains.set.Iterator(); it.HasNext(); {
				change(it.Next()).Gains |= 1 << i
			}
		}
		if loses.set != nil {
			for it := loses.set.Iterator(); it.HasNext(); {
				change(it.Next()).Loses |= 1 << i
			}
		}
	}
	var list []CapabilityChange
	for _, i := range slices.Sorted(maps.Keys(changes)) {
		list = append(list, *changes[i])
	}
	return list
}

// tables compares the tables of a page: those of the first document, then those
// only in the second.
func (c *comparison) tables(p1, p2 *page) []TableImpact {
	var order []string
	for _, p := range []*page{p1, p2} {
		if p != nil {
			for i := range p.tables {
				if !slices.Contains(order, p.tables[i].id) {
					order = append(order, p.tables[i].id)
				}
			}
		}
	}
	var list []TableImpact
	for _, id := range order {
		t1, t2 := p1.table(id), p2.table(id)
		impact := TableImpact{ID: id}
		impact.Gains, impact.Loses = c.difference(c.before.tableOf(p1, t1), c.after.tableOf(p2, t2))
		for i := range c.allObservers() {
			o := &c.list[i]
			was, is := c.b.showsTable(p1, t1, &o.visitor, c.t1), c.a.showsTable(p2, t2, &o.visitor, c.t2)
			if was != is {
				impact.Observers = append(impact.Observers, TableObserverChange{o.who, was, is})
			}
		}
		if impact.Gains.set != nil || impact.Loses.set != nil || impact.Observers != nil {
			list = append(list, impact)
		}
	}
	return list
}

func (p *page) table(id string) *table {
	if p != nil {
		if i := slices.IndexFunc(p.tables, func(t table) bool { return t.id == id }); i >= 0 {
			return &p.tables[i]
		}
	}
	return nil
}

func (v *surveyor) tableOf(p *page, tb *table) people {
	if v == nil || tb == nil {
		return roaring.New()
	}
	return v.table(p, tb)
}

func (s *CompiledSite) showsTable(p *page, tb *table, v *Visitor, t Instant) bool {
	return s != nil && tb != nil && s.tableShown(p.area, tb, s.decide(p.area, true, v, t, nil), v, t)
}

// byInstant orders impacts in time.
func byInstant(a, b Impact) int { return a.At.Compare(b.At) }
