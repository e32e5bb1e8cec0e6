package house_test

import (
	"testing"

	"velada/app/domains"
	"velada/app/pages"
	"velada/house"
	"velada/store"
)

// A host that becomes another site's, or nobody's, is forgotten by browsers; what stays with its site is not.
func TestHostsThatChangeHandsAreForgotten(t *testing.T) {
	h := demoHouse(t)
	h.Base = "house.example"
	ines := who(t, h, "ines@cerroalcor.example")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	cleared := func(what string, want map[string]int) {
		t.Helper()
		for host, n := range want {
			if got := h.State().Cleared(host); got != n {
				t.Errorf("%s: %s was to be forgotten %d times, and is %d times", what, host, n, got)
			}
		}
	}
	must(pages.ChangeAddress(ctx, h, ines, "society", "club"))
	cleared("a site moves, and its old address leads on", map[string]int{"society": 0, "club": 0})
	must(pages.ReleaseAddress(ctx, h, ines, "club", "society"))
	cleared("it lets the old one go", map[string]int{"society": 1, "club": 0})
	must(pages.ChangeAddress(ctx, h, ines, "variable-stars", "society"))
	cleared("another site takes it", map[string]int{"society": 1, "variable-stars": 0})
	name, err := domains.Add(ctx, h, ines, "club", "www.club.example")
	must(err)
	must(h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		d, _ := domains.Find(tx.State(), "club", name)
		d.Proven = tx.Now()
		tx.Renew(d.Site, house.Listing)
		return store.SaveDomain(tx.Context(), tx, d)
	}))
	cleared("a domain is proven", map[string]int{name: 0})
	must(domains.Drop(ctx, h, ines, "club", name))
	cleared("a domain goes", map[string]int{name: 1, "club": 0})
	front := func(site string) {
		must(h.ChangeSettings(ctx, ines, "The front.", func(s *house.Settings) { s.Front = h.State().ID(site) }))
	}
	front("club")
	cleared("a site stands at the house's own domain", map[string]int{"house.example": 0})
	front("society")
	cleared("another one stands there", map[string]int{"house.example": 1})
	again, err := house.Open(ctx, h.DB(), h.Now)
	must(err)
	if again.State().Cleared("society") != 1 || again.State().Cleared("house.example") != 1 {
		t.Error("a restart forgets what browsers are to forget")
	}
}
