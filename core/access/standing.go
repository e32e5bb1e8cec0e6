package access

import (
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// Standing is what the sentence at the head of a site has to say at an instant:
// the figures over all its pages, and how it stands otherwise.
type Standing struct {
	Figures
	SayGone     bool
	Stranger    Decision // what a stranger finds at the front page
	Alike       bool     // they find the same on every page
	Whole       bool     // whoever opens more than a stranger opens every page
	TeamDomains []string // domains at which a group makes anyone an editor, sorted
	Previewers  int      // people who may see the working copy
	Holding     bool     // the holding page is up
	Soon        bool
	HoldUntil   Instant
	Rules       []HouseRule // in force
}

// Standing works out how a site stands at an instant.
func (p *Policy) Standing(address string, t Instant) Standing {
	s := p.Site(address)
	if s == nil {
		return Standing{}
	}
	v := s.survey(t)
	front, root := s.locate("/")
	st := Standing{
		Figures: p.SiteFigures(address, t), SayGone: s.doc.SayGone,
		Stranger: s.decide(root, front != nil, &Visitor{}, t, nil), Alike: true,
	}
	for _, page := range s.pages {
		d := s.decide(page.area, true, &Visitor{}, t, nil)
		st.Alike = st.Alike && d.Outcome == st.Stranger.Outcome && d.Offers == st.Stranger.Offers
	}
	st.Whole = st.Everywhere == st.People && !st.part
	st.Holding = s.state == live && s.HoldingUp(t)
	st.Soon = s.holding.soon
	st.HoldUntil, _ = s.HoldingUntil(t)
	previewers := roaring.New()
	for _, a := range s.allAreas {
		previewers.Or(v.capability(a, Preview))
	}
	st.Previewers = int(previewers.GetCardinality())
	st.TeamDomains = s.teamDomains(t)
	for i := range s.rules {
		if s.rules[i].win.holds(t) {
			st.Rules = append(st.Rules, *s.rules[i].doc)
		}
	}
	return st
}

// teamDomains lists the domains, with *. before those whose subdomains are meant,
// that a group brings onto the team with the right to write.
func (s *CompiledSite) teamDomains(t Instant) (list []string) {
	for _, e := range s.team {
		if e.doc.Accepted && e.win.holds(t) && e.caps.Has(Write) {
			list = append(list, s.domainsOf(e, t)...)
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// domainsOf lists the domains at which an entry of the team names anybody.
func (s *CompiledSite) domainsOf(e *teamEntry, t Instant) (list []string) {
	if e.group == nil {
		return nil
	}
	for _, d := range e.group.domains[e.group.stretch(t)] {
		if somebody := visitorAt(d); s.entryHolds(e, &somebody.Identity, t, s.rulesAt(t)) {
			list = append(list, d.String())
		}
	}
	return list
}

// Look is one page as somebody finds it.
type Look struct {
	Path     string
	Decision Decision
	Door     string // "" without a door of its own; else also or instead
	Hidden   bool   // that door is hidden
}

// FloorPlan returns every page and every door's path of a site, in byte order, as
// a visitor finds them at an instant.
func (s *CompiledSite) FloorPlan(v *Visitor, t Instant) []Look {
	if s == nil {
		return nil
	}
	var paths []string
	for path := range s.pages {
		paths = append(paths, path)
	}
	doors := map[string]*PageDoor{}
	for i := range s.doc.Doors {
		path := normal(s.doc.Doors[i].Path)
		doors[path] = &s.doc.Doors[i]
		paths = append(paths, path)
	}
	slices.Sort(paths)
	var looks []Look
	for _, path := range slices.Compact(paths) {
		look := Look{Path: path, Decision: s.Decide(path, v, t)}
		if d := doors[path]; d != nil {
			look.Door, look.Hidden = d.Mode, d.Hide
		}
		looks = append(looks, look)
	}
	return looks
}

// DecideFile is Decide for a picture or another file that stands beside the
// pages: it opens where a page at its path would.
func (s *CompiledSite) DecideFile(path string, v *Visitor, t Instant) Decision {
	if s == nil {
		return Decision{}
	}
	return s.decide(s.areaOf(path), true, v, t, nil)
}

// SameDoor reports whether a file opens for just whom a page opens, whoever that is.
func (s *CompiledSite) SameDoor(page, file string) bool {
	return s != nil && s.areaOf(page) == s.areaOf(file)
}
