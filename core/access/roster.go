package access

import (
	"maps"
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// people is a set of indexes into a roster.
type people = *roaring.Bitmap

// roster numbers the people of a document, so that sets of them are bitmaps. Two
// documents are compared over one order of people: who is missing from a
// document stands in its roster all the same, as a bare address.
type roster struct {
	entries  []Person // in order; those of the other document where absent
	address  []Address
	absent   people                    // entries that are not people of this document
	byID     layered[string, []uint32] // of this document; a bare address that is theirs comes along
	byKey    layered[Address, uint32]  // of this document, by former addresses too
	byDomain map[string]people         // everyone in the roster
	everyone people

	line  *numbering // shared with the rosters that this one was extended from
	alien bool       // somebody absent goes by an id of this document, or an id stands twice
}

// numbering is what rosters have in common in which whoever is in both has the same number.
type numbering struct{ _ byte }

// ids are the numbers of whoever goes by an id.
func (r *roster) ids(id string) []uint32 {
	list, _ := r.byID.get(id)
	return list
}

// numbersAs reports whether whoever is of an earlier roster has the same numbers in this one.
func (r *roster) numbersAs(earlier *roster) bool {
	return r == earlier || r.line == earlier.line && !r.alien && !earlier.alien && len(r.entries) >= len(earlier.entries)
}

// extended is the roster of own people that begin as those of an earlier one, absent of which are
// all after the first own; nil where they do not. What the earlier one found is not looked for again.
func extended(earlier *roster, order []Person, own int) *roster {
	if earlier == nil || !earlier.absent.IsEmpty() || len(order) < len(earlier.entries) || own < len(earlier.entries) || !beginsAs(order, earlier.entries) {
		return nil
	}
	r := &roster{entries: order, address: slices.Clone(earlier.address), absent: roaring.New(), byID: earlier.byID, byKey: earlier.byKey, byDomain: earlier.byDomain, everyone: earlier.everyone, line: earlier.line, alien: earlier.alien}
	if len(order) == len(earlier.entries) {
		return r
	}
	r.byDomain, r.everyone = maps.Clone(r.byDomain), r.everyone.Clone()
	if own > len(earlier.entries) || slices.ContainsFunc(order[own:], func(p Person) bool {
		address, _ := ParseAddress(p.Address) // validated before
		_, taken := r.byKey.get(address)
		return taken
	}) { // else nobody new goes by an id or an address of this document
		r.byID, r.byKey = r.byID.extended(), r.byKey.extended()
	}
	r.absent.AddRange(uint64(own), uint64(len(order)))
	r.everyone.AddRange(0, uint64(len(order)))
	fresh := map[string]bool{} // domains whose set is this roster's own
	for n := len(earlier.entries); n < len(order); n++ {
		i, p := uint32(n), order[n]
		address, _ := ParseAddress(p.Address) // validated before
		r.address = append(r.address, address)
		if !fresh[address.Domain] {
			set := roaring.New()
			if old := r.byDomain[address.Domain]; old != nil {
				set = old.Clone()
			}
			r.byDomain[address.Domain], fresh[address.Domain] = set, true
		}
		r.byDomain[address.Domain].Add(i)
		if n >= own {
			continue
		}
		r.alien = r.alien || len(r.ids(p.ID)) > 0
		r.byID.put(p.ID, append(slices.Clip(r.ids(p.ID)), i))
		r.byKey.put(address, i)
		for _, former := range p.Former {
			address, _ := ParseAddress(former) // validated before
			r.byKey.put(address, i)
		}
	}
	r.placeAbsent()
	return r
}

// beginsAs reports whether people begin with others, whatever else is said of them.
func beginsAs(people, others []Person) bool {
	for i := range others {
		p, q := &people[i], &others[i]
		if p.ID != q.ID || p.Address != q.Address || !slices.Equal(p.Former, q.Former) {
			return false
		}
	}
	return true
}

// placeAbsent lets those who are not of this document be found as whoever has their address here.
func (r *roster) placeAbsent() {
	for it := r.absent.Iterator(); it.HasNext(); {
		i := it.Next()
		if j, ok := r.byKey.get(r.address[i]); ok {
			id := r.entries[j].ID
			r.byID.put(id, append(slices.Clip(r.ids(id)), i))
			r.alien = true
		}
	}
}

// newRoster numbers own people first as order says; order lists each person of
// both documents once, by id. Addresses that an earlier roster has read, or nil, are taken from it.
func newRoster(own []Person, order []Person, earlier *roster) *roster {
	if samePeople(own, order) {
		if r := extended(earlier, order, len(own)); r != nil {
			return r
		}
	}
	r := &roster{
		entries: order, address: make([]Address, len(order)), absent: roaring.New(),
		byID: newLayered[string, []uint32](len(own)), byKey: newLayered[Address, uint32](len(own)), byDomain: map[string]people{},
		everyone: roaring.New(), line: &numbering{},
	}
	r.everyone.AddRange(0, uint64(len(order)))
	mine := own
	if !samePeople(own, order) {
		r.entries = make([]Person, len(order))
		byID := make(map[string]Person, len(own))
		for _, p := range own {
			byID[p.ID] = p
		}
		for i, p := range order {
			if here, ok := byID[p.ID]; ok {
				r.entries[i] = here
			} else {
				r.entries[i] = Person{ID: p.ID, Name: p.Name, Address: p.Address}
				r.absent.Add(uint32(i))
			}
		}
		mine = r.entries
	}
	domains := map[string][]uint32{}
	for i, p := range mine {
		var address Address
		if earlier != nil && i < len(earlier.entries) && earlier.entries[i].Address == p.Address {
			address = earlier.address[i]
		} else {
			address, _ = ParseAddress(p.Address) // validated before
		}
		r.address[i] = address
		domains[address.Domain] = append(domains[address.Domain], uint32(i))
		if !r.absent.Contains(uint32(i)) {
			r.byID.put(p.ID, append(r.ids(p.ID), uint32(i)))
			r.byKey.put(address, uint32(i))
			for _, former := range p.Former {
				address, _ := ParseAddress(former) // validated before
				r.byKey.put(address, uint32(i))
			}
		}
	}
	r.placeAbsent()
	for d, list := range domains {
		r.byDomain[d] = roaring.BitmapOf(list...)
	}
	return r
}

func samePeople(a, b []Person) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// named adds everyone of an id to a set.
func (r *roster) named(id string, to people) {
	for _, i := range r.ids(id) {
		to.Add(i)
	}
}

// at returns everyone whose address matches one of the patterns.
func (r *roster) at(patterns []DomainPattern) people {
	set := roaring.New()
	for _, p := range patterns {
		if !p.Below {
			if here := r.byDomain[p.Domain]; here != nil {
				set.Or(here)
			}
			continue
		}
		for d, here := range r.byDomain {
			if p.Matches(d) {
				set.Or(here)
			}
		}
	}
	return set
}

// known returns the person of this document behind an entry of the roster, if any.
func (r *roster) known(i uint32) (uint32, bool) {
	if !r.absent.Contains(i) {
		return i, true
	}
	j, ok := r.byKey.get(r.address[i])
	return j, ok
}

// withAddress adds whoever has an address to a set, absent entries included.
func (r *roster) withAddress(a Address, to people) {
	if i, ok := r.byKey.get(a); ok {
		r.named(r.entries[i].ID, to)
		return
	}
	for it := r.absent.Iterator(); it.HasNext(); {
		if i := it.Next(); r.address[i] == a {
			to.Add(i)
		}
	}
}

// alike reports whether two rosters have the same people in the same places, whatever else is said
// of them.
func alike(a, b *roster) bool {
	return len(a.entries) == len(b.entries) && a.absent.IsEmpty() && b.absent.IsEmpty() && beginsAs(a.entries, b.entries)
}
