package access

import (
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// touched is who is not in every way the same in two policies over one order of people that
// differ in their people and whom groups list, and in nothing else that holds everywhere.
type touched struct {
	people    people
	addresses map[Address]bool // that they have or had
}

// mostTouched is how many people are looked at one by one: of more, all are compared at once.
const mostTouched = 64

// touchedBetween returns who differs between two policies; nil where it is many, or where
// they differ in what is about everybody.
func touchedBetween(before, after *Policy) *touched {
	b, a := before.people, after.people
	if b.alien || a.alien || len(b.entries) != len(a.entries) || before.doc.House.Zone != after.doc.House.Zone ||
		!slices.Equal(before.doc.House.Domains, after.doc.House.Domains) || !slices.EqualFunc(before.doc.Rules, after.doc.Rules, HouseRule.Equal) {
		return nil
	}
	set := roaring.Xor(b.absent, a.absent)
	if len(before.groups) != len(after.groups) {
		return nil
	}
	for i, was := range before.groups {
		is := after.groups[i]
		if was == is {
			continue
		}
		if was.id != is.id || !slices.Equal(was.cuts, is.cuts) || !slices.EqualFunc(was.domains, is.domains, slices.Equal[[]DomainPattern]) {
			return nil
		}
		for k := range was.members {
			if was.members[k] != is.members[k] {
				set.Or(roaring.Xor(was.members[k], is.members[k]))
			}
		}
	}
	for i := range b.entries {
		if before.marks[i] != after.marks[i] || b.address[i] != a.address[i] || !slices.Equal(b.entries[i].Former, a.entries[i].Former) {
			set.Add(uint32(i))
		}
		if i%1024 == 0 && set.GetCardinality() > mostTouched {
			return nil
		}
	}
	if set.GetCardinality() > mostTouched {
		return nil
	}
	t := &touched{set, map[Address]bool{}}
	for it := set.Iterator(); it.HasNext(); {
		i := it.Next()
		for _, r := range []*roster{b, a} {
			t.addresses[r.address[i]] = true
			for _, former := range r.entries[i].Former {
				address, _ := ParseAddress(former) // validated before
				t.addresses[address] = true
			}
		}
	}
	return t
}

// visitor is somebody of a roster as they come: the person, or a bare address where they are
// not of its document.
func (r *roster) visitor(i uint32) Visitor {
	if r.absent.Contains(i) {
		return Visitor{Identity: Identity{kind: bareAddress, address: r.address[i]}}
	}
	return Visitor{Identity: Identity{i, aPerson, r.address[i]}}
}

// leaves reports whether what somebody gets of a site surely is the same whichever of two
// policies holds, though it was compiled anew.
func (t *touched) leaves(b, a *CompiledSite, at Instant) bool {
	if t == nil || b == nil || a == nil || b.doc != a.doc {
		return false
	}
	for _, name := range addressesNamed(b.doc) {
		if address, err := ParseAddress(name); err != nil || t.addresses[address] {
			return false
		}
	}
	for it := t.people.Iterator(); it.HasNext(); {
		i := it.Next()
		was, is := b.house.people.visitor(i), a.house.people.visitor(i)
		for _, area := range b.allAreas {
			now := a.areas[area.path]
			if b.decide(area, true, &was, at, nil).Outcome != a.decide(now, true, &is, at, nil).Outcome ||
				b.capabilities(area, &was.Identity, at) != a.capabilities(now, &is.Identity, at) {
				return false
			}
		}
		for path, p := range b.pages {
			q := a.pages[path]
			for k := range p.tables {
				if b.showsTable(p, &p.tables[k], &was, at) != a.showsTable(q, &q.tables[k], &is, at) {
					return false
				}
			}
		}
	}
	return true
}
