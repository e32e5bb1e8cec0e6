package access

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"time"
)

// maker makes random documents, small and crowded, so that everything in them
// meets everything else.
type maker struct{ *rand.Rand }

func newMaker(seed uint64) maker { return maker{rand.New(rand.NewPCG(seed, 7))} }

var (
	randomPaths   = []string{"/", "/a", "/a/b", "/a/b/c", "/a/d", "/ab", "/e", "/e/f", "/ñ"}
	randomDomains = []string{"one.example", "two.example", "*.two.example", "deep.two.example", "Höhe.example"}
	randomNets    = []string{"10.0.0.0/8", "10.1.0.0/16", "2001:db8::/32", "192.0.2.7/32"}
	epoch         = time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)
)

func (m maker) often(percent int) bool { return m.IntN(100) < percent }

func pickOne[T any](m maker, list []T) T { return list[m.IntN(len(list))] }

func some[T any](m maker, list []T, most int) []T {
	picked := []T{}
	for _, i := range m.Perm(len(list))[:min(len(list), m.IntN(most+1))] {
		picked = append(picked, list[i])
	}
	return picked
}

func atLeastOne[T any](m maker, list []T, most int) []T {
	if picked := some(m, list, most); len(picked) > 0 {
		return picked
	}
	return []T{pickOne(m, list)}
}

func (m maker) instant() Instant { return At(epoch.Add(time.Duration(m.IntN(20)) * 12 * time.Hour)) }

func (m maker) window() (from, until Instant) {
	if m.often(70) {
		return
	}
	a, b := m.instant(), m.instant()
	if b.Before(a) {
		a, b = b, a
	}
	if a == b || m.often(30) {
		return a, Instant{}
	}
	if m.often(30) {
		return Instant{}, b
	}
	return a, b
}

func ids(prefix string, n int) []string {
	list := make([]string, n)
	for i := range list {
		list[i] = fmt.Sprintf("%s%d", prefix, i)
	}
	return list
}

func (m maker) document() *Document {
	doc := &Document{Velada: 1, House: House{Name: "Random", Zone: "Europe/Madrid", Domains: []string{"one.example"}}}
	people, groups := ids("p", 3+m.IntN(6)), ids("g", 1+m.IntN(4))
	for _, id := range people {
		domain := strings.TrimPrefix(pickOne(m, randomDomains), "*.")
		doc.People = append(doc.People, Person{ID: id, Name: "Person " + id, Address: id + "@" + domain, Steward: m.often(10), Blocked: m.often(12)})
	}
	for _, id := range groups {
		g := Group{ID: id, People: some(m, people, 4), Groups: some(m, groups, 2)}
		if m.often(30) {
			g.Domains = some(m, randomDomains, 2)
		}
		g.From, g.Until = m.window()
		doc.Groups = append(doc.Groups, g)
	}
	addresses := ids("site-", 1+m.IntN(2))
	for i := range m.IntN(3) {
		r := HouseRule{ID: fmt.Sprintf("r%d", i), Rule: pickOne(m, []string{"sign-in-required", "house-domains-only", "no-listing", "pass-must-end", "inside-team-only", "records-need-sign-in"})}
		r.From, r.Until = m.window()
		if m.often(30) {
			r.Sites.Except = some(m, addresses, 1)
		} else if m.often(30) {
			r.Sites.Only = some(m, addresses, 1)
		}
		doc.Rules = append(doc.Rules, r)
	}
	for _, address := range addresses {
		doc.Sites = append(doc.Sites, m.site(address, people, groups))
	}
	return doc
}

func (m maker) site(address string, people, groups []string) *Site {
	s := NewSite(address, "")
	s.State = "live"
	if m.often(12) {
		s.State = pickOne(m, []string{"draft", "down"})
	}
	s.SayGone, s.Listing = m.often(50), m.often(70)
	s.SignUp.Mode = pickOne(m, []string{"closed", "approval", "instant"})
	if m.often(30) {
		s.SignUp.Domains = some(m, randomDomains, 2)
	}
	for i := range m.IntN(3) {
		p := Pass{ID: fmt.Sprintf("k%d", i), Under: pickOne(m, randomPaths), Revoked: m.often(10)}
		p.From, p.Until = m.window()
		s.Passes = append(s.Passes, p)
	}
	for i := range m.IntN(2) {
		l := Link{ID: fmt.Sprintf("l%d", i), Under: pickOne(m, randomPaths), Revoked: m.often(10)}
		l.From, l.Until = m.window()
		s.Links = append(s.Links, l)
	}
	for _, path := range some(m, randomPaths, 7) {
		page := Page{Path: path, Listing: m.often(85)}
		for i := range m.IntN(2) {
			t := Table{ID: fmt.Sprintf("t%d", i)}
			if m.often(60) {
				t.Ways = m.ways(s, people, groups)
			}
			page.Tables = append(page.Tables, t)
		}
		s.Pages = append(s.Pages, page)
	}
	s.Door = Door{Hide: m.often(15), Ways: m.ways(s, people, groups)}
	for _, path := range some(m, randomPaths, 4) {
		s.Doors = append(s.Doors, PageDoor{Path: path, Mode: pickOne(m, []string{"also", "also", "instead"}), Hide: m.often(30), Ways: m.ways(s, people, groups)})
	}
	if m.often(40) {
		s.Holding = Holding{On: true, Kind: pickOne(m, []string{"soon", "maintenance"}), Exempt: some(m, randomPaths, 2), LetIn: m.ways(s, people, groups)}
		s.Holding.From, s.Holding.Until = m.window()
		if m.often(50) { // 1 to 36 hours, at hours that no change of the clocks touches
			from := epoch.AddDate(0, 0, m.IntN(20)-14).Add(12 * time.Hour)
			r := &Repeat{Every: 2 + m.IntN(3), Unit: "day", Until: At(from.Add(time.Duration(1+m.IntN(60*24)) * time.Hour))}
			if m.often(50) {
				r.Every, r.Unit = 1+m.IntN(2), "week"
			}
			s.Holding.From, s.Holding.Until, s.Holding.Repeat = At(from), At(from.Add(time.Duration(1+m.IntN(36))*time.Hour)), r
		}
	} else {
		s.Holding.Kind = "maintenance"
	}
	for _, who := range some(m, people, 3) {
		s.Members = append(s.Members, Member{who, pickOne(m, []string{"pending", "approved", "blocked"})})
	}
	s.Roles = []Role{{ID: "host", Can: []string{"members", "door", "write"}}}
	for range m.IntN(4) {
		e := TeamEntry{Role: pickOne(m, []string{"owner", "admin", "editor", "viewer", "host"}), Under: pickOne(m, randomPaths), Accepted: m.often(85)}
		e.From, e.Until = m.window()
		switch m.IntN(3) {
		case 0:
			e.Person = pickOne(m, people)
		case 1:
			e.Group = pickOne(m, groups)
		default:
			e.Address = pickOne(m, []string{"p0@one.example", "guest@two.example", "GUEST@two.example", "x@xn--hhe-sna.example"})
		}
		s.Team = append(s.Team, e)
	}
	return s
}

func (m maker) ways(s *Site, people, groups []string) []Way {
	ways := []Way{}
	for range m.IntN(4) {
		w := Way{Way: pickOne(m, []string{"anyone", "signed-in", "domain", "people", "groups", "members", "pass", "link", "network"})}
		w.From, w.Until = m.window()
		switch w.Way {
		case "domain":
			w.Domains = atLeastOne(m, randomDomains, 2)
		case "people":
			w.People = atLeastOne(m, append([]string{"guest@two.example", "p1@one.example"}, people...), 3)
		case "groups":
			w.Groups = atLeastOne(m, groups, 2)
		case "network":
			w.Networks = atLeastOne(m, randomNets, 2)
		case "pass":
			if len(s.Passes) > 0 && m.often(60) {
				w.Passes = []string{pickOne(m, s.Passes).ID}
			}
		case "link":
			if len(s.Links) > 0 && m.often(60) {
				w.Links = []string{pickOne(m, s.Links).ID}
			}
		}
		ways = append(ways, w)
	}
	return ways
}

// ask is a random request to a document.
type ask struct {
	site, path      string
	person, address string
	passes, links   []string
	ip              netip.Addr
	at              Instant
}

func (m maker) ask(doc *Document) ask {
	a := ask{site: pickOne(m, doc.Sites).Address, path: pickOne(m, append([]string{"/none", "/a/b/c/d/e"}, randomPaths...)), at: m.instant()}
	if m.often(20) {
		a.at = At(a.at.Time().Add(-time.Nanosecond))
	}
	switch m.IntN(4) {
	case 0:
		a.address = pickOne(m, []string{"guest@two.example", "Guest@TWO.example", "p0@ONE.example", "z@deep.two.example", "z@höhe.example", "z@elsewhere.example"})
	case 1, 2:
		a.person = pickOne(m, doc.People).ID
	}
	if m.often(40) {
		a.passes = some(m, []string{"k0", "k1", "none"}, 2)
	}
	if m.often(25) {
		a.links = []string{"l0"}
	}
	if m.often(30) {
		a.ip = netip.MustParseAddr(pickOne(m, []string{"10.1.2.3", "10.9.9.9", "2001:db8::5", "192.0.2.7", "203.0.113.1"}))
	}
	return a
}

func (a ask) visitor(p *Policy) Visitor {
	id, err := p.Identify(a.person, a.address)
	if err != nil {
		panic(err)
	}
	return Visitor{Identity: id, Passes: a.passes, Links: a.links, IP: a.ip}
}
