package pages

import (
	"slices"
	"strings"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// mostFirst is how many people are named who see the same for the first time.
const mostFirst = 30

// firstSights works out who opens which page for the first time, wherever it stood before, who opens
// which address for the first time, since another page stands there, and which pictures anybody can
// open from then on.
func (p *Publication) firstSights(s *house.State, was []store.Page, at access.Instant) {
	byPage := access.ImpactOfMoves(s.Policy, p.Then, p.Address, p.relocation.pageMoves(was, p.Edition.Pages), at)
	p.Sees = sightsOf(byPage, func(string, string) bool { return true }, func(string) access.People { return access.People{} })
	for _, page := range byPage {
		if page.NoIndex != nil && !page.NoIndex.After {
			p.Listed = append(p.Listed, page.Path)
		}
	}
	opens, gains := map[[2]string]bool{}, map[string]access.People{}
	for _, page := range byPage {
		gains[page.Path] = page.Gains
		for _, o := range page.Observers {
			opens[[2]string{page.Path, o.Who}] = o.After == access.Open
		}
	}
	var byPath []access.PageImpact
	for _, site := range access.ImpactOf(s.Policy, p.Then, at).Sites {
		if site.Site == p.Address {
			byPath = site.Pages
		}
	}
	p.Anew = sightsOf(byPath, func(path, who string) bool { return !opens[[2]string{path, who}] }, func(path string) access.People { return gains[path] })
	p.newPictures(s, at)
}

// sightsOf groups who gains pages by what they gain: observers that are meant, and people but for
// those of whom it is told already.
func sightsOf(impact []access.PageImpact, meant func(path, who string) bool, told func(path string) access.People) (list []FirstSight) {
	byWho := map[string]int{}
	for _, page := range impact {
		for _, o := range page.Observers {
			if o.After != access.Open || !meant(page.Path, o.Who) {
				continue
			}
			i, there := byWho[o.Who]
			if !there {
				i = len(list)
				byWho[o.Who], list = i, append(list, FirstSight{Who: o.Who})
			}
			list[i].Pages = append(list[i].Pages, page.Path)
		}
	}
	same := map[string]int{} // where pages that the same people see are told of
	for _, page := range impact {
		known := told(page.Path).IDs()
		ids := slices.DeleteFunc(page.Gains.IDs(), func(id string) bool { return slices.Contains(known, id) })
		if len(ids) == 0 {
			continue
		}
		who := strings.Join(ids, "\x00")
		if i, there := same[who]; there {
			list[i].Pages = append(list[i].Pages, page.Path)
			continue
		}
		same[who] = len(list)
		list = append(list, FirstSight{Names: ids[:min(len(ids), mostFirst)], Count: len(ids), Pages: []string{page.Path}})
	}
	return list
}

// newPictures finds which pictures anybody can open for the first time.
func (p *Publication) newPictures(s *house.State, at access.Instant) {
	nobody, before := access.Visitor{}, s.Site(p.Address).Live
	for _, f := range p.Edition.Files {
		if !strings.HasPrefix(f.Type, "image/") || p.Then.Site(p.Address).DecideFile(f.Path, &nobody, at).Outcome != access.Open {
			continue
		}
		if before != nil && before.Files[f.Path] != nil && before.Files[f.Path].Blob == f.Blob &&
			s.Policy.Site(p.Address).DecideFile(f.Path, &nobody, at).Outcome == access.Open {
			continue
		}
		p.Pictures = append(p.Pictures, f)
	}
}
