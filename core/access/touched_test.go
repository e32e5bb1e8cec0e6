package access

import (
	"fmt"
	"reflect"
	"slices"
	"testing"
)

// Where few people differ, the impact that leaves sites out is that which compares all.
func TestImpactOfAFewPeopleEqualsThatOfAll(t *testing.T) {
	left := 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		next := doc.Clone()
		for range 1 + m.IntN(3) {
			switch i := m.IntN(max(1, len(next.People))); m.IntN(7) {
			case 0:
				next.People = append(next.People, Person{ID: fmt.Sprint("late-", len(next.People)), Name: "Late", Address: fmt.Sprintf("late%d@%s.example", len(next.People), []string{"one", "two", "three"}[m.IntN(3)])})
			case 1:
				next.People = append(next.People, Person{ID: fmt.Sprint("guest-", len(next.People)), Name: "Guest", Address: []string{"guest@two.example", "guest@one.example"}[m.IntN(2)]})
			case 2:
				next.People[i].Blocked = !next.People[i].Blocked
			case 3:
				next.People[i].Steward = !next.People[i].Steward
			case 4:
				next.People[i].Name = "Another"
			case 5:
				next.People[i].Address = fmt.Sprintf("moved%d@two.example", i)
			default:
				if len(next.Groups) > 0 {
					g := &next.Groups[m.IntN(len(next.Groups))]
					if id := next.People[i].ID; slices.Contains(g.People, id) {
						g.People = slices.DeleteFunc(g.People, func(who string) bool { return who == id })
					} else {
						g.People = append(g.People, id)
					}
				}
			}
		}
		next.Share(doc)
		q, err := Compile(next, p)
		if err != nil {
			return // an address twice
		}
		at := m.instant()
		got := ImpactOf(p, q, at)
		before, after := sameOrder(p, q)
		few := touchedBetween(before, after)
		for address := range before.sites {
			if !few.leaves(before.sites[address], after.sites[address], at) {
				continue
			}
			left++
			b, a := before.sites[address], after.sites[address]
			c := comparison{roster: before.people, b: b, a: a, t1: at, t2: at, before: b.survey(at), after: a.survey(at), pairs: map[areaPair]*PageImpact{}}
			c.observers = func() []observer { return observers([]*Policy{before, after}, address) }
			if pages, can := c.pages(), c.withoutPage(); len(pages) > 0 || len(can) > 0 {
				t.Errorf("%s is left out, and differs: %+v %+v\n%+v", address, pages, can, next.People)
			}
		}
		fresh, err := Compile(next, nil)
		if err != nil {
			t.Fatal(err)
		}
		want := impactBetween(firstOf(sameOrder(p, fresh)), at, secondOf(sameOrder(p, fresh)), at, at, nil)
		if len(got.Sites) != len(want.Sites) {
			t.Errorf("%d sites, not %d", len(got.Sites), len(want.Sites))
		}
		for i := range got.Sites {
			if a, b := got.Sites[i], want.Sites[i]; a.Site != b.Site || len(a.Pages) != len(b.Pages) || !reflect.DeepEqual(a.Can, b.Can) || len(a.Pages) > 0 && !reflect.DeepEqual(a.Pages[0].Gains.IDs(), b.Pages[0].Gains.IDs()) {
				t.Errorf("%+v, not %+v", a, b)
			}
		}
	})
	if left == 0 {
		t.Error("no site was ever left out")
	}
	t.Log(left, "sites were left out")
}

func firstOf(p, _ *Policy) *Policy  { return p }
func secondOf(_, p *Policy) *Policy { return p }
