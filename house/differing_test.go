package house

import (
	"math/rand/v2"
	"slices"
	"testing"

	"velada/core/access"
)

// What differs between two lists of people is found whatever was added, changed, moved or
// taken out.
func TestDifferingPeople(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		var before []access.Person
		for i := range r.IntN(9) {
			before = append(before, access.Person{ID: string(rune('a' + i)), Name: "N"})
		}
		after := slices.Clone(before)
		for range r.IntN(4) {
			switch at := r.IntN(len(after) + 1); {
			case at == len(after) || r.IntN(4) == 0:
				after = slices.Insert(after, at, access.Person{ID: string(rune('m' + r.IntN(12))), Name: "New"})
			case r.IntN(3) == 0:
				after = slices.Delete(after, at, at+1)
			case r.IntN(2) == 0:
				after[at].Name = "Other"
			default:
				p := after[at]
				after = slices.Delete(after, at, at+1)
				after = slices.Insert(after, r.IntN(len(after)+1), p)
			}
		}
		seen := map[string]bool{}
		if slices.ContainsFunc(after, func(p access.Person) bool { was := seen[p.ID]; seen[p.ID] = true; return was }) {
			continue // no list has somebody twice
		}
		was, now := differing(before, after)
		find := func(list []access.Person, id string) *access.Person {
			if i := slices.IndexFunc(list, func(p access.Person) bool { return p.ID == id }); i >= 0 {
				return &list[i]
			}
			return nil
		}
		for _, p := range after {
			old, told := find(before, p.ID), find(now, p.ID)
			if changed := old == nil || !old.Equal(p); changed && told == nil {
				t.Fatalf("%v, %v: %s is missing", before, after, p.ID)
			}
			if told != nil && (old == nil) != (was[p.ID] == nil) {
				t.Fatalf("%v, %v: %s", before, after, p.ID)
			}
		}
		for _, p := range before {
			if find(after, p.ID) == nil && was[p.ID] == nil {
				t.Fatalf("%v, %v: %s is gone and not told", before, after, p.ID)
			}
		}
	}
}
