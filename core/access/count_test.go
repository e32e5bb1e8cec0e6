package access

import (
	"slices"
	"testing"
)

// Who may write by which entry is what asking for everybody one by one finds.
func TestEditorsArePeopleWhoMayWrite(t *testing.T) {
	found, none := 0, 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		for _, site := range doc.Sites {
			at := m.ask(doc).at
			s := p.Site(site.Address)
			editors := s.Editors(at)
			for i := range doc.People {
				id, _ := p.Person(doc.People[i].ID)
				writes := false
				for _, a := range s.allAreas {
					writes = writes || s.capabilities(a, &id, at).Has(Write)
				}
				named := doc.People[i].Steward && !doc.People[i].Blocked
				for _, e := range s.EntriesOf(id, at) {
					named = named || slices.ContainsFunc(editors, func(o Editor) bool { return o.Entry == e })
				}
				if writes != named {
					t.Errorf("%s on %s at %s: writes %v, named %v", doc.People[i].ID, site.Address, at, writes, named)
				}
			}
			for _, e := range editors {
				n := 0
				for i := range doc.People {
					id, _ := p.Person(doc.People[i].ID)
					if slices.Contains(s.EntriesOf(id, at), e.Entry) {
						n++
					}
				}
				if n != e.People {
					t.Errorf("%+v on %s: %d people, not %d", e.Entry, site.Address, e.People, n)
				}
				found++
			}
			none += len(site.Team) - len(editors)
		}
	})
	if found < 200 || none < 200 {
		t.Errorf("%d entries by which somebody writes, %d by which nobody does", found, none)
	}
}

// Whom a way lets in is whom it would let in as the only one, at its dates and under the rules.
func TestComesIsWhomTheWayAloneLetsIn(t *testing.T) {
	some, nobody := 0, 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		for i, site := range doc.Sites {
			at := m.ask(doc).at
			for _, way := range site.Door.Ways {
				if slices.Contains([]string{"anyone", "pass", "link", "network"}, way.Way) {
					continue // whoever comes by those is not asked for a name
				}
				alone := newCopy(t, doc)
				s := alone.Sites[i]
				s.State, s.Door, s.Doors, s.Team, s.Holding = "live", Door{Ways: []Way{way}}, nil, nil, Holding{}
				for k := range alone.People {
					alone.People[k].Steward = false
				}
				policy, err := Compile(alone, nil)
				if err != nil {
					t.Fatal(err)
				}
				want := 0
				for _, person := range alone.People {
					id, _ := policy.Person(person.ID)
					if policy.Site(s.Address).decide(policy.Site(s.Address).areaOf("/"), true, &Visitor{Identity: id}, at, nil).Outcome == Open {
						want++
					}
				}
				got, anybody := p.Site(site.Address).Comes(way, at)
				if got != want || want > 0 && !anybody {
					t.Errorf("%+v on %s at %s: %d, not %d; anybody: %v", way, site.Address, at, got, want, anybody)
				}
				if got > 0 {
					some++
				} else {
					nobody++
				}
			}
		}
	})
	if some < 100 || nobody < 20 {
		t.Errorf("%d ways let people in, %d nobody", some, nobody)
	}
}
