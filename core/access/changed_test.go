package access

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"
)

// A change is refused for just what the whole document would be refused for.
func TestAChangeIsValidatedAsTheWholeDocument(t *testing.T) {
	doc := &Document{Velada: 1, House: House{Name: "H", Zone: "Europe/Madrid", Domains: []string{"h.example"}}}
	for i := range 40 {
		p := Person{ID: fmt.Sprintf("p%d", i), Name: "N", Address: fmt.Sprintf("p%d@h.example", i)}
		if i%5 == 0 {
			p.Former = []string{fmt.Sprintf("old%d@h.example", i)}
		}
		doc.People = append(doc.People, p)
	}
	doc.Groups = []Group{{ID: "g", People: []string{"p1", "p2", "p39"}}}
	earlier, err := Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	said := func(list []found) []string {
		var texts []string
		for _, f := range list {
			texts = append(texts, f.where.String()+": "+f.text)
		}
		slices.Sort(texts)
		return texts
	}
	r := rand.New(rand.NewPCG(7, 7))
	refused, alone := 0, 0
	for range 4000 {
		next := doc.Clone()
		for range 1 + r.IntN(4) {
			i := r.IntN(len(next.People))
			address := fmt.Sprintf("%s%d@h.example", []string{"p", "old", "new"}[r.IntN(3)], r.IntN(45))
			switch r.IntN(8) {
			case 0:
				next.People = slices.Delete(next.People, i, i+1)
			case 1:
				next.People = append(next.People, Person{ID: fmt.Sprintf("p%d", r.IntN(60)), Address: address})
			case 2:
				next.People = slices.Insert(next.People, i, Person{ID: fmt.Sprintf("n%d", r.IntN(9)), Address: address})
			case 3:
				next.People[i].Address = address
			case 4:
				next.People[i].Former = append(slices.Clone(next.People[i].Former), address)
			case 5:
				next.People[i].Name = "Another"
			case 6:
				next.People[i].ID = []string{"Wrong id", "p3", "fresh"}[r.IntN(3)]
			case 7:
				j := r.IntN(len(next.People))
				next.People[i], next.People[j] = next.People[j], next.People[i]
			}
		}
		whole, change := said(validate(next, nil)), said(validate(next, earlier))
		if !slices.Equal(whole, change) {
			// who of two is told to have an address that both want may differ, and nothing else
			if (len(whole) == 0) != (len(change) == 0) {
				t.Fatalf("%+v\nwhole  %q\nchange %q", next.People, whole, change)
			}
		}
		if len(whole) > 0 {
			refused++
		}
		if _, few := changedPeople(next, earlier); few {
			alone++
		}
	}
	if refused < 500 || refused > 3500 || alone < 1000 {
		t.Errorf("%d refused, %d looked at alone: nothing is tried here", refused, alone)
	}
}

// A roster that is made of an earlier one is what it would be from nothing.
func TestARosterOfAnEarlierOne(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	person := func(i int) Person {
		p := Person{ID: fmt.Sprintf("p%d", i), Address: fmt.Sprintf("p%d@%s.example", i, []string{"a", "b", "c"}[i%3])}
		if i%4 == 0 {
			p.Former = []string{fmt.Sprintf("old%d@a.example", i)}
		}
		return p
	}
	equal := func(a, b *roster) bool {
		sets := func(x, y map[string]people) bool {
			return maps.EqualFunc(x, y, func(p, q people) bool { return p.Equals(q) })
		}
		return slices.EqualFunc(a.entries, b.entries, Person.Equal) && slices.Equal(a.address, b.address) && a.absent.Equals(b.absent) && a.everyone.Equals(b.everyone) &&
			maps.EqualFunc(a.byID.all(), b.byID.all(), slices.Equal[[]uint32]) && maps.Equal(a.byKey.all(), b.byKey.all()) && sets(a.byDomain, b.byDomain)
	}
	for range 300 {
		var people []Person
		for i := range 1 + r.IntN(20) {
			people = append(people, person(i))
		}
		n := r.IntN(len(people) + 1)
		first := newRoster(people[:n:n], people[:n:n], nil)
		before := newRoster(people[:n:n], people[:n:n], nil)
		if got, want := newRoster(people, people, first), newRoster(people, people, nil); !equal(got, want) {
			t.Fatalf("%d of %d: %+v\n%+v", n, len(people), got, want)
		}
		order := slices.Clone(people) // the rest of another document, one of whom has an address that somebody here had
		for i := n; i < len(order); i++ {
			order[i] = Person{ID: order[i].ID, Address: order[i].Address}
			if i == n && n > 0 {
				order[i].Address = people[0].Former[0]
			}
		}
		own := order[:n:n]
		want := newRoster(own, slices.Clone(order), nil)
		if got := extended(first, order, n); got == nil || !equal(got, want) {
			t.Fatalf("%d of %d, the rest absent: %+v\n%+v", n, len(people), got, want)
		}
		if !equal(first, before) {
			t.Fatal("the earlier one was changed")
		}
	}
}

// all returns everything in the map.
func (l *layered[K, V]) all() map[K]V {
	all := maps.Clone(l.base)
	maps.Copy(all, l.over)
	return all
}
