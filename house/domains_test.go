package house

import (
	"fmt"
	"testing"
	"time"

	"velada/store"
)

// manyDomains is a house of 1,000 sites with ten domains each.
func manyDomains() *State {
	s := &State{sites: map[store.SiteID]*Site{}, byAddress: map[string]*Site{}}
	for i := range 1000 {
		site := &Site{ID: store.SiteID(fmt.Sprintf("id-%d", i)), Address: fmt.Sprintf("site-%d", i)}
		for n := range 10 {
			site.Domains = append(site.Domains, store.Domain{Name: fmt.Sprintf("www-%d.site-%d.example", n, i), Site: site.ID, Proven: time.Unix(1, 0)})
		}
		s.sites[site.ID], s.byAddress[site.Address] = site, site
	}
	s.indexDomains()
	return s
}

// A host is found among 10,000 without allocating, and a site's domains change with it.
func TestFindingADomain(t *testing.T) {
	s := manyDomains()
	if n := testing.AllocsPerRun(100, func() {
		if s.AtDomain("www-7.site-500.example") != "site-500" || s.AtDomain("nobody.example") != "" || !s.HasDomain("site-3", "www-0.site-3.example") {
			t.Fatal("it is not found")
		}
	}); n != 0 {
		t.Errorf("it allocates %v times", n)
	}
	moved := *s.SiteOf("id-3")
	moved.Address, moved.Domains = "other", moved.Domains[1:]
	next := s.with(&moved)
	if next.AtDomain("www-0.site-3.example") != "" || next.AtDomain("www-1.site-3.example") != "other" || s.AtDomain("www-0.site-3.example") != "site-3" || next.AtDomain("www-1.site-4.example") != "site-4" {
		t.Error("the domains of a site did not change with it")
	}
}

func BenchmarkFindingADomain(b *testing.B) {
	s := manyDomains()
	b.ReportAllocs()
	for b.Loop() {
		if s.AtDomain("www-7.site-500.example") == "" {
			b.Fatal("it is not found")
		}
	}
}
