package access

import (
	"slices"
	"testing"
)

// What is told of a page agrees with the sitemap, and with what its answer says.
func TestToldAgreesWithTheSitemap(t *testing.T) {
	kinds := map[ToldKind]int{}
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		at := m.instant()
		for _, d := range doc.Sites {
			s := p.Site(d.Address)
			listed := s.Listed(at)
			for _, page := range d.Pages {
				told := s.Told(page.Path, at)
				kinds[told.Kind]++
				if (told.Kind == ToldListed) != slices.Contains(listed, page.Path) {
					t.Fatalf("%s of %s is told %s, the sitemap has %v", page.Path, d.Address, told.Kind, listed)
				}
				stranger := s.Decide(page.Path, &Visitor{}, at)
				switch told.Kind {
				case ToldNotSite, ToldNotPage, ToldByRule:
					if stranger.Outcome != Open && stranger.Outcome != Held {
						t.Fatalf("%s is told %s and is %s", page.Path, told.Kind, stranger.Outcome)
					}
				case ToldShut, ToldHidden, ToldSoon, ToldNothing:
					if stranger.Outcome == Open {
						t.Fatalf("%s is told %s and opens", page.Path, told.Kind)
					}
				}
				if told.Kind == ToldByRule && told.Rule == nil {
					t.Fatal("no rule")
				}
			}
		}
	})
	for _, k := range []ToldKind{ToldListed, ToldNotSite, ToldNotPage, ToldByRule, ToldShut, ToldHidden, ToldNothing} {
		if kinds[k] == 0 {
			t.Errorf("no page was told %s: %v", k, kinds)
		}
	}
}
