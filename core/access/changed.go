package access

import "slices"

// peopleDiff is how the people of a document differ from those of one that was compiled.
type peopleDiff struct {
	places []int           // where in the document people stand who are new or others than they were
	now    map[string]int  // the same by id
	gone   map[string]bool // ids of the earlier document that are not in it
}

// mostChanged is how many people a change may concern for looking at them alone.
const mostChanged = 50_000

// changedPeople compares the people of a document with those of an earlier one; false where
// they differ in more than a few, or in their order.
func changedPeople(doc *Document, earlier *Policy) (d peopleDiff, few bool) {
	if earlier == nil || !earlier.people.absent.IsEmpty() {
		return d, false
	}
	d = peopleDiff{now: map[string]int{}, gone: map[string]bool{}}
	was := earlier.doc.People
	if samePeople(was, doc.People) {
		return d, true
	}
	i, j := 0, 0
	for (i < len(was) || j < len(doc.People)) && len(d.places)+len(d.gone) <= mostChanged {
		switch {
		case j == len(doc.People):
			d.gone[was[i].ID] = true
			i++
		case i < len(was) && was[i].ID == doc.People[j].ID:
			if !was[i].Equal(doc.People[j]) {
				d.places = append(d.places, j)
			}
			i++
			j++
		case !earlier.people.has(doc.People[j].ID):
			d.places = append(d.places, j)
			j++
		case i == len(was): // somebody who stands elsewhere too, or was moved
			return d, false
		default:
			d.gone[was[i].ID] = true
			i++
		}
	}
	if len(d.places)+len(d.gone) > mostChanged {
		return d, false
	}
	for _, at := range d.places {
		id := doc.People[at].ID
		if _, twice := d.now[id]; twice || d.gone[id] { // moved, or there twice: all are looked at
			return d, false
		}
		d.now[id] = at
	}
	return d, true
}

// has reports whether somebody of an id is of this document.
func (r *roster) has(id string) bool {
	for _, i := range r.ids(id) {
		if r.entries[i].ID == id && !r.absent.Contains(i) {
			return true
		}
	}
	return false
}

// changed validates people who are new or others than they were; all others were valid, and
// stay so as long as nobody takes their id or address.
func (v *validator) changed(d peopleDiff, earlier *Policy, where *place) {
	v.people = func(id string) bool {
		if _, is := d.now[id]; is {
			return true
		}
		return earlier.people.has(id) && !d.gone[id]
	}
	holders := map[Address]string{}
	holds := func(address Address, id string) (other string, taken bool) {
		if other, taken = holders[address]; taken {
			return other, true
		}
		holders[address] = id
		i, known := earlier.people.byKey.get(address)
		if !known {
			return "", false
		}
		owner := earlier.people.entries[i].ID
		if at, is := d.now[owner]; owner == id || d.gone[owner] || is && !hasOrHad(v.doc.People[at], address) {
			return "", false
		}
		return owner, true
	}
	for _, i := range d.places { // addresses that people have now first, so that the refusal names the former one
		p, at := v.doc.People[i], where.at(i)
		if !validID.MatchString(p.ID) {
			v.refuse(at.field("id"), "%q is no id: a-z, 0-9 and -, not beginning with a hyphen", p.ID)
		}
		address, err := ParseAddress(p.Address)
		if err != nil {
			v.refuse(at.field("address"), "%q is %v", p.Address, err)
		} else if other, taken := holds(address, p.ID); taken {
			v.refuse(at.field("address"), "the address %q is already that of %q", p.Address, other)
		}
	}
	for _, i := range d.places {
		for j, former := range v.doc.People[i].Former {
			field := where.at(i).field("former").at(j)
			address, err := ParseAddress(former)
			if err != nil {
				v.refuse(field, "%q is %v", former, err)
			} else if other, taken := holds(address, v.doc.People[i].ID); taken {
				v.refuse(field, "the address %q is already that of %q", former, other)
			}
		}
	}
}

// hasOrHad reports whether an address is somebody's, or was.
func hasOrHad(p Person, address Address) bool {
	is := func(text string) bool { a, err := ParseAddress(text); return err == nil && a == address }
	return is(p.Address) || slices.ContainsFunc(p.Former, is)
}
