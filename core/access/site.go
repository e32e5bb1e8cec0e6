package access

import (
	"net/netip"
	"slices"
	"strings"

	"github.com/RoaringBitmap/roaring/v2"
)

// CompiledSite answers for one site. Its zero pointer is a site that does not
// exist.
type CompiledSite struct {
	house *houseSets
	doc   *Site

	state    siteState
	pages    map[string]*page
	areas    map[string]*area
	depth    int // the most segments that a path of areas has
	allAreas []*area
	door     *condition // the site's own
	rules    []rule     // those with the site in their scope
	passes   map[string]*key
	links    map[string]*key
	team     []*teamEntry
	onTeam   people // who may be on the team anywhere, at any time
	bareTeam bool   // whether an entry may name a bare address
	approved people
	pending  people
	barred   people // blocked members
	bars     bool   // there are some
	signUp   []DomainPattern
	holding  holding
	ways     map[*Way]*way // those that depend on nothing else of the site
	known    map[*Way]*way // while compiling: those of an earlier state
	admitted []uint64      // approved, as one bit a person
}

type siteState uint8

const (
	draft siteState = iota
	live
	down
	downGone
)

// page is an existing page of the site.
type page struct {
	path   string
	area   *area
	doc    *Page
	tables []table
}

type table struct {
	id   string
	open bool // no ways of its own: shown with the page
	ways []*way
}

// area is a stretch of the floor plan over which nothing that decides changes:
// the path at which a door, a team entry, a pass, a link or an exemption
// stands, and all below it down to the next. Every path of an area has the same
// answer but for whether the page exists.
type area struct {
	path       string
	conditions []*condition
	team       []*teamEntry // the entries that cover it
	exempt     int          // the length of the shortest exempt path that covers it, 0 = none
}

// condition is a door that a path asks for.
type condition struct {
	path  string // "" = the site's own door
	hide  bool
	ways  []*way
	kinds uint16       // of the ways that are always in force, a bit for each Via
	dated []*way       // the others
	above []*condition // the conditions where this entry and all below it are left out
}

func newCondition(path string, hide bool, ways []*way, above []*condition) *condition {
	c := &condition{path: path, hide: hide, ways: ways, above: above}
	for _, w := range ways {
		if w.always {
			c.kinds |= 1 << w.via
		} else {
			c.dated = append(c.dated, w)
		}
	}
	return c
}

// inForce returns the kinds of the ways that are in force at an instant.
func (c *condition) inForce(t Instant) uint16 {
	kinds := c.kinds
	for _, w := range c.dated {
		if w.win.holds(t) {
			kinds |= 1 << w.via
		}
	}
	return kinds
}

// key is a pass or a link.
type key struct {
	id, label string
	under     string
	win       window
	ends      bool // it has an until of its own
	revoked   bool
}

type teamEntry struct {
	doc     *TeamEntry
	win     window
	caps    Capabilities
	people  people // by name or address
	group   *group
	address Address // by address; nobody's of the house where people is empty
}

type holding struct {
	wins   []window // its occurrences, in order, at least one
	on     bool
	soon   bool
	exempt []string
	letIn  []*way
}

// compileSite compiles a site; ways that earlier has compiled from the very same
// part of the document are taken from there. earlier may be nil.
func compileSite(doc *Site, h *houseSets, earlier *CompiledSite) *CompiledSite {
	s := &CompiledSite{
		house: h, doc: doc, ways: map[*Way]*way{},
		pages: make(map[string]*page, len(doc.Pages)), areas: map[string]*area{},
		passes: map[string]*key{}, links: map[string]*key{},
		approved: roaring.New(), pending: roaring.New(), barred: roaring.New(), onTeam: roaring.New(),
		signUp: parsePatterns(doc.SignUp.Domains),
	}
	switch {
	case doc.State == "live":
		s.state = live
	case doc.State == "down" && doc.SayGone:
		s.state = downGone
	case doc.State == "down":
		s.state = down
	}
	for i := range h.rules {
		if h.rules[i].caps(doc.Address) {
			s.rules = append(s.rules, h.rules[i])
		}
	}
	if earlier != nil && earlier.house == h {
		s.known = earlier.ways
	}
	s.compileKeys()
	s.compileMembers()
	s.compileTeam()
	s.holding = holding{
		wins: doc.Holding.occurrences(h.zone), on: doc.Holding.On, soon: doc.Holding.Kind == "soon",
		letIn: s.compileWays(doc.Holding.LetIn),
	}
	for _, path := range doc.Holding.Exempt {
		s.holding.exempt = append(s.holding.exempt, normal(path))
	}
	s.door = newCondition("", doc.Door.Hide, s.compileWays(doc.Door.Ways), nil)
	s.compileAreas()
	for i := range doc.Pages {
		p := &page{path: normal(doc.Pages[i].Path), doc: &doc.Pages[i]}
		p.area = s.areaOf(p.path)
		for _, t := range doc.Pages[i].Tables {
			p.tables = append(p.tables, table{t.ID, t.Ways == nil, s.compileWays(t.Ways)})
		}
		s.pages[p.path] = p
	}
	s.known = nil
	return s
}

// normal is the normal form of a path that was validated before.
func normal(path string) string {
	n, _ := DocumentPath(path)
	return n
}

func (s *CompiledSite) compileKeys() {
	for _, p := range s.doc.Passes {
		s.passes[p.ID] = &key{p.ID, p.Label, normal(p.Under), newWindow(p.From, p.Until), p.Until.set, p.Revoked}
	}
	for _, l := range s.doc.Links {
		s.links[l.ID] = &key{l.ID, l.Label, normal(l.Under), newWindow(l.From, l.Until), l.Until.set, l.Revoked}
	}
}

func (s *CompiledSite) compileMembers() {
	lists := map[string][]uint32{}
	for _, m := range s.doc.Members {
		lists[m.Status] = append(lists[m.Status], s.house.people.ids(m.Who)...)
	}
	for status, set := range map[string]people{"approved": s.approved, "pending": s.pending, "blocked": s.barred} {
		slices.Sort(lists[status])
		set.AddMany(lists[status])
	}
	s.bars = !s.barred.IsEmpty()
	s.admitted = flatten(s.approved, len(s.house.people.entries))
}

func (s *CompiledSite) compileTeam() {
	for i := range s.doc.Team {
		d := &s.doc.Team[i]
		e := &teamEntry{doc: d, win: newWindow(d.From, d.Until), caps: s.roleCapabilities(d.Role), people: roaring.New()}
		if normal(d.Under) != "/" {
			e.caps &= sectionCapabilities
		}
		switch {
		case d.Person != "":
			s.house.people.named(d.Person, e.people)
		case d.Group != "":
			e.group = s.house.groupByID[d.Group]
		default:
			address, _ := ParseAddress(d.Address) // validated before
			e.address = address
			s.house.people.withAddress(address, e.people)
		}
		if d.Accepted {
			s.onTeam.Or(e.people)
			s.bareTeam = s.bareTeam || e.group != nil || e.address != Address{}
			if e.group != nil {
				for _, members := range e.group.members {
					s.onTeam.Or(members)
				}
			}
		}
		s.team = append(s.team, e)
	}
}

func (s *CompiledSite) roleCapabilities(name string) Capabilities {
	if caps, ok := BuiltInRoles[name]; ok {
		return caps
	}
	for _, r := range s.doc.Roles {
		if r.ID == name {
			return CapabilitiesOf(r.Can...)
		}
	}
	return 0
}

// compileAreas finds the paths at which something changes and works out, from
// the root down, what holds below each.
func (s *CompiledSite) compileAreas() {
	marks := []string{"/"}
	for _, list := range []map[string]*key{s.passes, s.links} {
		for _, k := range list {
			marks = append(marks, k.under)
		}
	}
	for _, e := range s.doc.Team {
		marks = append(marks, normal(e.Under))
	}
	marks = append(marks, s.holding.exempt...)
	doors := make(map[string]*PageDoor, len(s.doc.Doors))
	for i := range s.doc.Doors {
		path := normal(s.doc.Doors[i].Path)
		doors[path] = &s.doc.Doors[i]
		marks = append(marks, path)
	}
	slices.Sort(marks) // so that what is above comes first
	for _, path := range slices.Compact(marks) {
		a := &area{path: path}
		conditions := []*condition{s.door}
		if path != "/" {
			conditions = s.areaOf(above(path)).conditions
		}
		a.conditions = conditions
		if d := doors[path]; d != nil {
			own := newCondition(path, d.Hide, s.compileWays(d.Ways), conditions)
			if d.Mode == "instead" {
				a.conditions = []*condition{own}
			} else {
				a.conditions = append(slices.Clip(slices.Clone(conditions)), own)
			}
		}
		for _, e := range s.team {
			if Covers(normal(e.doc.Under), path) {
				a.team = append(a.team, e)
			}
		}
		for _, exempt := range s.holding.exempt {
			if Covers(exempt, path) && (a.exempt == 0 || len(exempt) < a.exempt) {
				a.exempt = len(exempt)
			}
		}
		s.areas[path] = a
		s.allAreas = append(s.allAreas, a)
		if path != "/" {
			s.depth = max(s.depth, strings.Count(path, "/"))
		}
	}
}

// locate finds the page at a normalised path, if it exists, and the path's area.
func (s *CompiledSite) locate(path string) (*page, *area) {
	if p := s.pages[path]; p != nil {
		return p, p.area
	}
	return nil, s.areaOf(path)
}

// areaOf walks up from a path, or from as deep as areas go, to the nearest area.
func (s *CompiledSite) areaOf(path string) *area {
	for i, segments := 1, 0; i < len(path); i++ {
		if path[i] == '/' {
			if segments++; segments == s.depth {
				path = path[:i]
			}
		}
	}
	if s.depth == 0 && len(s.areas) > 0 {
		return s.areas["/"]
	}
	for {
		if a := s.areas[path]; a != nil {
			return a
		}
		path = above(path)
	}
}

// way is a compiled way in.
type way struct {
	kind     string
	via      Via
	win      window
	always   bool     // in force at any time
	people   people   // domain, people, members, and groups that do not change with time
	flat     []uint64 // the same as one bit a person, where that costs little
	groups   []*group
	domains  []DomainPattern
	bare     map[Address]struct{} // people: addresses of nobody in the house
	keys     []*key               // pass, link; nil = any of the site's
	allKeys  map[string]*key
	networks []netip.Prefix
	doc      *Way
}

func (s *CompiledSite) compileWays(ways []Way) []*way {
	compiled := make([]*way, len(ways))
	for i := range ways {
		compiled[i] = s.compileWay(&ways[i])
	}
	return compiled
}

func (s *CompiledSite) compileWay(d *Way) *way {
	if known := s.known[d]; known != nil {
		s.ways[d] = known
		return known
	}
	w := &way{kind: d.Way, via: viaByName[d.Way], win: newWindow(d.From, d.Until), doc: d}
	switch w.via {
	case ViaDomain:
		w.domains = parsePatterns(d.Domains)
		w.people = s.house.people.at(w.domains)
	case ViaPeople:
		w.people = roaring.New()
		for _, who := range d.People {
			if !strings.Contains(who, "@") {
				s.house.people.named(who, w.people)
				continue
			}
			address, _ := ParseAddress(who) // validated before
			s.house.people.withAddress(address, w.people)
			if w.bare == nil {
				w.bare = map[Address]struct{}{}
			}
			w.bare[address] = struct{}{}
		}
	case ViaGroups:
		for _, id := range d.Groups {
			w.groups = append(w.groups, s.house.groupByID[id])
		}
		w.people = steadyUnion(w.groups)
	case ViaMembers:
		w.people = s.approved
	case ViaPass:
		w.allKeys, w.keys = s.passes, pick(s.passes, d.Passes)
	case ViaLink:
		w.allKeys, w.keys = s.links, pick(s.links, d.Links)
	case ViaNetwork:
		for _, n := range d.Networks {
			prefix, _ := ParseNetwork(n) // validated before
			w.networks = append(w.networks, prefix)
		}
	}
	w.always = w.win == newWindow(Instant{}, Instant{})
	switch w.via {
	case ViaMembers:
		w.flat = s.admitted
	case ViaPass, ViaLink:
	default:
		w.flat = flatten(w.people, len(s.house.people.entries))
		s.ways[d] = w
	}
	return w
}

// flatten writes a set as one bit a person, unless that takes much more room.
func flatten(set people, everyone int) []uint64 {
	if set == nil || everyone/8 > 8*int(set.GetCardinality())+1024 {
		return nil
	}
	flat := make([]uint64, (everyone+63)/64)
	for it := set.Iterator(); it.HasNext(); {
		i := it.Next()
		flat[i/64] |= 1 << (i % 64)
	}
	return flat
}

// has reports whether a person is in the way's steady set.
func (w *way) has(i uint32) bool {
	if w.flat != nil {
		return w.flat[i/64]&(1<<(i%64)) != 0
	}
	return w.people.Contains(i)
}

// steadyUnion is everyone in one of the groups, or nil where that changes with time.
func steadyUnion(groups []*group) people {
	union := roaring.New()
	for _, g := range groups {
		if len(g.cuts) > 0 {
			return nil
		}
		union.Or(g.members[0])
	}
	return union
}

func pick(keys map[string]*key, ids []string) []*key {
	if ids == nil {
		return nil
	}
	picked := make([]*key, len(ids))
	for i, id := range ids {
		picked[i] = keys[id]
	}
	return picked
}
