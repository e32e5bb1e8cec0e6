package parts

import (
	"cmp"
	"slices"
	"strings"

	"velada/core/access"
)

// GroupNamed reports whether another group than the one with an id has a name.
func GroupNamed(doc *access.Document, name, but string) bool {
	return slices.ContainsFunc(doc.Groups, func(g access.Group) bool { return g.ID != but && strings.EqualFold(cmp.Or(g.Name, g.ID), name) })
}

// MustAddress reads an address that was read before; it panics where it is none.
func MustAddress(text string) access.Address {
	a, err := access.ParseAddress(text)
	if err != nil {
		panic(err) // what is kept was parsed before
	}
	return a
}

// Canonical writes an address as addresses are compared.
func Canonical(address string) string {
	a, err := access.ParseAddress(address)
	if err != nil {
		return address
	}
	return a.String()
}

// GroupsWithin returns a group and all groups in it.
func GroupsWithin(doc *access.Document, group string) []*access.Group {
	var list []*access.Group
	var add func(id string)
	add = func(id string) {
		g := GroupAt(doc, id)
		if g == nil || slices.Contains(list, g) {
			return
		}
		list = append(list, g)
		for _, inner := range g.Groups {
			add(inner)
		}
	}
	add(group)
	return list
}

// PeopleWithin returns the people of a group and of the groups in it, whenever those
// hold.
func PeopleWithin(doc *access.Document, group string) map[string]bool {
	people := map[string]bool{}
	for _, g := range GroupsWithin(doc, group) {
		for _, p := range g.People {
			people[p] = true
		}
	}
	return people
}

// PersonAt returns a person of a document by id, or nil.
func PersonAt(doc *access.Document, id string) *access.Person {
	return doc.Person(id)
}

// IsTheirs reports whether an address is one that a person has or had.
func IsTheirs(p access.Person, address string) bool {
	return isTheirs(p, Canonical(address))
}

func isTheirs(p access.Person, a string) bool {
	is := func(text string) bool {
		if isASCII(text) && isASCII(a) { // what is canonical is written small, and nothing else
			return strings.EqualFold(text, a)
		}
		return Canonical(text) == a
	}
	return is(p.Address) || slices.ContainsFunc(p.Former, is)
}

func isASCII(text string) bool {
	for i := range len(text) {
		if text[i] >= 0x80 {
			return false
		}
	}
	return true
}

// PersonWith returns the person who has or had an address, or nil.
func PersonWith(doc *access.Document, a access.Address) *access.Person {
	want := a.String()
	i := slices.IndexFunc(doc.People, func(p access.Person) bool { return isTheirs(p, want) })
	if i < 0 {
		return nil
	}
	return &doc.People[i]
}

// NewPerson puts somebody new into a document and returns their id.
func NewPerson(doc *access.Document, a access.Address, name string) string {
	id := FreeID(name, "person", func(id string) bool { return PersonAt(doc, id) != nil })
	doc.People = append(doc.People, access.Person{ID: id, Name: name, Address: a.String()})
	return id
}

// OnceEach keeps the first of entries of a team that are the same.
func OnceEach(team []access.TeamEntry) (kept []access.TeamEntry) {
	for _, e := range team {
		if !slices.Contains(kept, e) {
			kept = append(kept, e)
		}
	}
	return kept
}

// GroupAt returns a group of a document by its id, or nil.
func GroupAt(doc *access.Document, id string) *access.Group {
	return doc.Group(id)
}

// ReaddressPerson gives a person another address; the one that they had stays theirs.
func ReaddressPerson(p *access.Person, a access.Address) {
	if Canonical(p.Address) == a.String() {
		p.Address = a.String()
		return
	}
	former := slices.DeleteFunc(slices.Clone(p.Former), func(f string) bool { return Canonical(f) == a.String() })
	p.Former, p.Address = append(former, Canonical(p.Address)), a.String()
}

// NameByID names a person by their id wherever a document names one of their
// addresses.
func NameByID(doc *access.Document, p access.Person) {
	Everywhere(doc, func(list []string) []string {
		var named []string
		for _, who := range list {
			if strings.Contains(who, "@") && IsTheirs(p, who) {
				who = p.ID
			}
			if !slices.Contains(named, who) {
				named = append(named, who)
			}
		}
		return named
	}, func(*access.Member) bool { return true }, func(e *access.TeamEntry) bool {
		if e.Address != "" && IsTheirs(p, e.Address) {
			e.Person, e.Address = p.ID, ""
		}
		return true
	})
}

// Everywhere calls change with each list of people that a document holds and puts what
// it returns in its place; member and entry change what they get, and return whether it
// stays.
func Everywhere(doc *access.Document, change func(list []string) []string, member func(m *access.Member) bool, entry func(e *access.TeamEntry) bool) {
	for i := range doc.Groups {
		doc.Groups[i].People = change(doc.Groups[i].People)
	}
	for i, site := range doc.Sites {
		s := site.Clone()
		s.MapWays(func(list []access.Way) []access.Way {
			for i := range list {
				if list[i].People != nil {
					list[i].People = change(slices.Clone(list[i].People))
				}
			}
			return slices.DeleteFunc(list, func(w access.Way) bool { return w.Way == "people" && len(w.People) == 0 })
		})
		kept := s.Members[:0]
		for _, m := range s.Members {
			if member(&m) {
				kept = append(kept, m)
			}
		}
		s.Members = kept
		var team []access.TeamEntry
		for _, e := range s.Team {
			if entry(&e) {
				team = append(team, e)
			}
		}
		s.Team = team
		if Text(s) != Text(site) {
			doc.Sites[i] = s
		}
	}
}
