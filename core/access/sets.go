package access

import (
	"github.com/RoaringBitmap/roaring/v2"
)

// surveyor answers for everyone in the roster at once, at one instant: people
// as bitmaps, combined once per area of a site.
type surveyor struct {
	site    *CompiledSite
	t       Instant
	rules   ruleSet
	members people // identities that house rules do not shut out
	doors   map[*condition]people
	letIn   people
	areas   map[*area]*areaSets
	tables  map[*table]people
}

// areaSets is who of the roster has what over an area.
type areaSets struct {
	team    people // let in by step 2
	dropped people // asked as if nobody were signed in
	open    people // who opens an existing page
	caps    *[capabilityCount]people
}

func (s *CompiledSite) survey(t Instant) *surveyor {
	if s == nil {
		return nil
	}
	v := &surveyor{
		site: s, t: t, rules: s.rulesAt(t),
		doors: map[*condition]people{}, areas: map[*area]*areaSets{}, tables: map[*table]people{},
	}
	v.members = s.house.people.everyone
	if v.rules&houseDomainsOnly != 0 {
		v.members = s.house.inHouse
	}
	return v
}

// satisfying returns everyone with an identity that satisfies one of the ways.
func (v *surveyor) satisfying(ways []*way) people {
	set := roaring.New()
	for _, w := range ways {
		if !w.win.holds(v.t) {
			continue
		}
		switch w.via {
		case ViaAnyone, ViaSignedIn:
			return v.members
		case ViaDomain, ViaPeople, ViaMembers:
			set.Or(w.people)
		case ViaGroups:
			if w.people != nil {
				set.Or(w.people)
				continue
			}
			for _, g := range w.groups {
				set.Or(g.at(v.t))
			}
		}
	}
	if v.members != v.site.house.people.everyone {
		set.And(v.members)
	}
	return set
}

func (v *surveyor) area(a *area) *areaSets {
	if known := v.areas[a]; known != nil {
		return known
	}
	s, h := v.site, v.site.house
	sets := &areaSets{team: h.stewards.Clone()}
	for _, e := range a.team {
		if e.doc.Accepted && e.win.holds(v.t) {
			sets.team.Or(v.entry(e))
		}
	}
	sets.team.AndNot(h.blocked)
	sets.dropped = s.barred.Clone()
	sets.dropped.AndNot(sets.team)
	sets.dropped.Or(h.blocked)
	sets.open = v.opens(a, sets)
	v.areas[a] = sets
	return sets
}

// entry returns everyone that a team entry in force names, house rules considered.
func (v *surveyor) entry(e *teamEntry) people {
	set := e.people
	if e.group != nil {
		set = e.group.at(v.t)
	}
	if v.rules&insideTeamOnly != 0 {
		set = roaring.And(set, v.site.house.inHouse)
	}
	return set
}

func (v *surveyor) opens(a *area, sets *areaSets) people {
	s := v.site
	if s.state != live {
		return roaring.New()
	}
	set := v.members
	for _, c := range a.conditions {
		if v.doors[c] == nil {
			v.doors[c] = v.satisfying(c.ways)
		}
		set = roaring.And(set, v.doors[c])
	}
	if s.holding.on && s.holding.holds(v.t) && a.exempt == 0 {
		if v.letIn == nil {
			v.letIn = v.satisfying(s.holding.letIn)
		}
		set = roaring.And(set, v.letIn)
	}
	set = roaring.AndNot(set, sets.dropped)
	if !sets.dropped.IsEmpty() && s.decide(a, true, &Visitor{}, v.t, nil).Outcome == Open {
		set.Or(sets.dropped)
	}
	set.Or(sets.team)
	return set
}

// page returns everyone who opens a page, where it exists.
func (v *surveyor) page(p *page, a *area) people {
	if v == nil || p == nil {
		return roaring.New()
	}
	return v.area(a).open
}

// table returns everyone who is shown a table of a page.
func (v *surveyor) table(p *page, tb *table) people {
	if known := v.tables[tb]; known != nil {
		return known
	}
	sets := v.area(p.area)
	set := v.members
	if !tb.open {
		set = v.satisfying(tb.ways)
	}
	set = roaring.AndNot(set, sets.dropped)
	nobody := &Visitor{}
	if v.site.tableShown(p.area, tb, v.site.decide(p.area, true, nobody, v.t, nil), nobody, v.t) {
		set.Or(sets.dropped)
	}
	set.Or(sets.team)
	set.And(sets.open)
	v.tables[tb] = set
	return set
}

// capability returns everyone who has a capability over an area.
func (v *surveyor) capability(a *area, c Capability) people {
	if v == nil {
		return roaring.New()
	}
	sets := v.area(a)
	if sets.caps == nil {
		var caps [capabilityCount]people
		for i := range caps {
			caps[i] = v.site.house.stewards.Clone()
		}
		for _, e := range a.team {
			if !e.doc.Accepted || !e.win.holds(v.t) {
				continue
			}
			for i := range caps {
				if e.caps.Has(Capability(i)) {
					caps[i].Or(v.entry(e))
				}
			}
		}
		for i := range caps {
			caps[i].AndNot(v.site.house.blocked)
		}
		sets.caps = &caps
	}
	return sets.caps[c]
}
