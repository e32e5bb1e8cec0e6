package access

import (
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// Standing is who can view and edit a site at an instant, in figures: what the
// standing sentence says. Who views is judged at the front page.
type Standing struct {
	State      string // draft, live or down
	SayGone    bool
	Stranger   Decision // what a stranger meets at the front page
	Listed     bool     // search engines may list the front page
	Viewers    int      // people of the house who open the front page
	Guests     int      // addresses of nobody in the house who do
	Passes     int      // passes that open it
	Links      int
	Domains    []string // domains at which anyone signed in opens it
	SignedIn   bool     // anyone signed in at all opens it
	Editors    int      // people who may write somewhere
	Publishers int      // people who may publish
	Previewers int      // people who may see the working copy
	Holding    bool     // the holding page is up
	Soon       bool
	HoldUntil  Instant
	WalkPast   int // passes and links that walk past it
	Rules      []string
}

// Standing works out how a site stands at an instant.
func (p *Policy) Standing(address string, t Instant) Standing {
	s := p.Site(address)
	if s == nil {
		return Standing{}
	}
	v := s.survey(t)
	_, root := s.locate("/")
	st := Standing{
		State: s.doc.State, SayGone: s.doc.SayGone,
		Stranger: s.decide(root, true, &Visitor{}, t, nil),
		Listed:   !s.NoIndex("/", t),
		Viewers:  int(v.area(root).open.GetCardinality()),
	}
	st.Holding = s.state == live && s.holding.on && s.holding.win.holds(t)
	st.Soon = s.holding.soon
	if st.Holding && s.holding.win.until != everAfter {
		st.HoldUntil = s.holding.win.until
	}
	for _, o := range observers([]*Policy{p}, address) {
		if s.decide(root, true, &o.visitor, t, nil).Outcome != Open {
			continue
		}
		switch {
		case o.who == "outsider":
			st.SignedIn = true
		case len(o.visitor.Passes) > 0:
			st.Passes++
		case len(o.visitor.Links) > 0:
			st.Links++
		case o.visitor.Identity.kind == bareAddress && o.visitor.Identity.address.Local == "":
			st.Domains = append(st.Domains, o.who[len("domain:"):])
		case o.visitor.Identity.kind == bareAddress:
			st.Guests++
		}
	}
	if st.Holding {
		st.WalkPast = st.Passes + st.Links
	}
	writers, publishers, previewers := roaring.New(), v.capability(root, Publish), roaring.New()
	for _, a := range s.allAreas {
		writers.Or(v.capability(a, Write))
		previewers.Or(v.capability(a, Preview))
	}
	st.Editors, st.Publishers, st.Previewers = int(writers.GetCardinality()), int(publishers.GetCardinality()), int(previewers.GetCardinality())
	for i := range s.rules {
		if s.rules[i].win.holds(t) {
			st.Rules = append(st.Rules, s.rules[i].doc.Rule)
		}
	}
	return st
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
