package access

import (
	"slices"
	"strings"
)

// Person returns somebody of the document by id, or nil. A document that was compiled is
// asked through an index, and so is one whose people are those of one that was.
func (d *Document) Person(id string) *Person {
	if r := d.people; r != nil && len(d.People) > 0 && len(r.entries) == len(d.People) && &r.entries[0] == &d.People[0] {
		for _, i := range r.ids(id) {
			if d.People[i].ID == id {
				return &d.People[i]
			}
		}
		if strings.Contains(id, "@") { // no id has one
			return nil
		}
	}
	if d.people != nil { // of a copy that is written in, people mostly stand where they stood
		for _, i := range d.people.ids(id) {
			if int(i) < len(d.People) && d.People[i].ID == id {
				return &d.People[i]
			}
		}
	}
	if i := slices.IndexFunc(d.People, func(p Person) bool { return p.ID == id }); i >= 0 {
		return &d.People[i]
	}
	return nil
}

// Group returns a group of the document by id, or nil, as Person returns somebody.
func (d *Document) Group(id string) *Group {
	if i, known := d.groups[id]; known && i < len(d.Groups) && d.Groups[i].ID == id {
		return &d.Groups[i]
	}
	if i := slices.IndexFunc(d.Groups, func(g Group) bool { return g.ID == id }); i >= 0 {
		return &d.Groups[i]
	}
	return nil
}

// index notes where people and groups stand, as far as that is not noted.
func (d *Document) index(people *roster) {
	if d.people != people && people.absent.IsEmpty() && sameSlice(d.People, people.entries) {
		d.people = people
	}
	if len(d.groups) == len(d.Groups) && len(d.Groups) > 0 {
		return
	}
	d.groups = make(map[string]int, len(d.Groups))
	for i, g := range d.Groups {
		d.groups[g.ID] = i
	}
}
