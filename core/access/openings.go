package access

import "slices"

// Opening is a place of a site where ways stand.
type Opening struct {
	Kind string // site, page, holding (who walks past it) or table
	Path string // of a page, and of the page that a table is on
	ID   string // of a table
}

// EachWays calls f with every list of ways of a site, until f returns false.
func (s *Site) EachWays(f func(at Opening, ways []Way) bool) {
	if !f(Opening{Kind: "site", Path: "/"}, s.Door.Ways) {
		return
	}
	for _, d := range s.Doors {
		if !f(Opening{Kind: "page", Path: d.Path}, d.Ways) {
			return
		}
	}
	if !f(Opening{Kind: "holding", Path: "/"}, s.Holding.LetIn) {
		return
	}
	for _, p := range s.Pages {
		for _, t := range p.Tables {
			if t.Ways != nil && !f(Opening{Kind: "table", Path: p.Path, ID: t.ID}, t.Ways) {
				return
			}
		}
	}
}

// MapWays puts what f makes of them in the place of every list of ways of a site to
// write in, as Clone returns. f changes a copy. A table with ways of its own keeps its
// own, none at last: without any it would be shown to whoever the page opens to.
func (s *Site) MapWays(f func(ways []Way) []Way) {
	s.Door.Ways = f(slices.Clone(s.Door.Ways))
	for i := range s.Doors {
		s.Doors[i].Ways = f(slices.Clone(s.Doors[i].Ways))
	}
	s.Holding.LetIn = f(slices.Clone(s.Holding.LetIn))
	for i := range s.Pages {
		for k := range s.Pages[i].Tables {
			if t := &s.Pages[i].Tables[k]; t.Ways != nil {
				t.Ways = append([]Way{}, f(slices.Clone(t.Ways))...)
			}
		}
	}
}

// HasWay reports whether a site has a way that is meant.
func (s *Site) HasWay(meant func(w Way) bool) (has bool) {
	s.EachWays(func(_ Opening, ways []Way) bool {
		has = slices.ContainsFunc(ways, meant)
		return !has
	})
	return has
}
