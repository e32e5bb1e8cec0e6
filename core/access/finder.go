package access

// Finder finds people of a document by what they go by, many of them: by the index of the
// document that it was compiled from or is a copy of, and those who were added or changed
// since one by one.
type Finder struct {
	doc       *Document
	base      *roster
	byID      map[string]int
	byAddress map[Address]int
}

// Finder returns what finds people in a document as it is now: it is of no use any more once
// people were put into it.
func (d *Document) Finder() *Finder {
	f := &Finder{doc: d, base: d.people, byID: map[string]int{}, byAddress: map[Address]int{}}
	if f.base != nil && (!f.base.absent.IsEmpty() || len(f.base.entries) > len(d.People)) {
		f.base = nil
	}
	for i := range d.People {
		p := &d.People[i]
		if f.base != nil && i < len(f.base.entries) && f.base.entries[i].ID == p.ID && f.base.entries[i].Address == p.Address {
			continue
		}
		f.byID[p.ID] = i
		if a, err := ParseAddress(p.Address); err == nil {
			f.byAddress[a] = i
		}
	}
	return f
}

// Person returns somebody by id, or nil.
func (f *Finder) Person(id string) *Person {
	if i, is := f.byID[id]; is {
		return &f.doc.People[i]
	}
	if f.base != nil {
		for _, i := range f.base.ids(id) {
			if f.doc.People[i].ID == id {
				return &f.doc.People[i]
			}
		}
	}
	return nil
}

// At returns whoever has an address now, or nil: not who had it.
func (f *Finder) At(a Address) *Person {
	if i, is := f.byAddress[a]; is {
		return &f.doc.People[i]
	}
	if f.base == nil {
		return nil
	}
	i, is := f.base.byKey.get(a)
	if !is || f.base.address[i] != a || f.doc.People[i].ID != f.base.entries[i].ID || f.doc.People[i].Address != f.base.entries[i].Address {
		return nil
	}
	return &f.doc.People[i]
}
