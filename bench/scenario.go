// Command bench holds Velada's core against general-purpose policy engines on
// one scenario, side by side in the same run, and prints a table with ratios.
package main

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"velada/core/access"
)

// kind is whom a door admits, beside a network.
type kind string

const (
	public   kind = "public"
	password kind = "password"
	domain   kind = "domain"
	list     kind = "list"
	members  kind = "members"
	closed   kind = "closed"
)

// rule is one door in a form that every engine can be told: it governs its path
// and all below, down to the next rule.
type rule struct {
	path        string
	kind        kind
	groups      []int
	people      []int
	net         bool  // whoever comes from the network is let in too
	from, until int64 // unix seconds; 0, 0 = always
}

// scenario is one site: pages in three levels, doors, people, a stream of requests.
type scenario struct {
	paths    []string
	ruleOf   []int // by page
	rules    []rule
	people   []string
	groups   [][]int
	groupsOf [][]int
	guests   []int
	requests []request
	document *access.Document
}

// request holds each fact in the forms that the engines want, so that no one
// pays for another's.
type request struct {
	person   int // -1 = not signed in
	who      string
	page     int
	path     string
	ip       netip.Addr
	ipText   string
	at       int64
	atText   string
	unlocked string // the path of the rule whose password was entered
	rule     int

	visitor access.Visitor
	instant access.Instant
}

const (
	ownDomain = "cerroalcor.example"
	network   = "10.20.0.0/16"
	month     = int64(30 * 24 * 3600)
)

var start = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC).Unix()

type size struct{ people, groups, guests, requests, top, mid, leaf, doors int }

// small is the scenario of the table: 500 pages, 40 page doors.
var small = size{people: 10_000, groups: 60, guests: 300, requests: 4_096, top: 20, mid: 4, leaf: 5, doors: 40}

// large is the house of the impact's figures: 1,000 pages.
var large = size{people: 100_000, groups: 200, guests: 300, requests: 64, top: 40, mid: 4, leaf: 5, doors: 40}

func newScenario(seed uint64, n size) *scenario {
	rnd := rand.New(rand.NewPCG(seed, 1))
	s := &scenario{}
	levels := [3][]int{}
	add := func(level int, path string) string {
		levels[level] = append(levels[level], len(s.paths))
		s.paths = append(s.paths, path)
		return path
	}
	for i := range n.top {
		a := add(0, fmt.Sprintf("/section-%d", i))
		for j := range n.mid {
			b := add(1, fmt.Sprintf("%s/topic-%d", a, j))
			for k := range n.leaf {
				add(2, fmt.Sprintf("%s/page-%d", b, k))
			}
		}
	}
	s.groups, s.groupsOf = make([][]int, n.groups), make([][]int, n.people)
	for p := range n.people {
		host := ownDomain
		if rnd.IntN(10) < 4 {
			host = "mail.example"
		}
		s.people = append(s.people, fmt.Sprintf("person-%d@%s", p, host))
		s.groupsOf[p] = rnd.Perm(n.groups)[:2+rnd.IntN(3)]
		for _, g := range s.groupsOf[p] {
			s.groups[g] = append(s.groups[g], p)
		}
	}
	s.guests = rnd.Perm(n.people)[:n.guests]
	s.makeRules(rnd, n, levels)
	for i := range s.paths {
		s.ruleOf = append(s.ruleOf, s.nearest(s.paths[i]))
	}
	s.document = s.makeDocument(n)
	for range n.requests {
		r := request{person: rnd.IntN(n.people), page: rnd.IntN(len(s.paths))}
		if rnd.IntN(8) == 0 {
			r.person = -1
		}
		r.path, r.rule = s.paths[r.page], s.ruleOf[r.page]
		if rnd.IntN(2) == 0 {
			r.unlocked = s.rules[r.rule].path
		}
		r.ip = netip.AddrFrom4([4]byte{10, byte(20 + rnd.IntN(2)), byte(rnd.IntN(256)), byte(rnd.IntN(256))})
		r.at = start + rnd.Int64N(month)
		r.ipText, r.atText = r.ip.String(), strconv.FormatInt(r.at, 10)
		if r.person >= 0 {
			r.who = s.people[r.person]
		}
		s.requests = append(s.requests, r)
	}
	return s
}

func (s *scenario) makeRules(rnd *rand.Rand, n size, levels [3][]int) {
	s.rules = []rule{{path: "/", kind: domain}}
	var kinds []kind
	for _, k := range []struct {
		kind kind
		n    int
	}{{public, 5}, {password, 5}, {domain, 6}, {list, 14}, {members, 6}, {closed, 4}} {
		kinds = append(kinds, slices.Repeat([]kind{k.kind}, k.n*n.doors/40)...)
	}
	rnd.Shuffle(len(kinds), func(i, j int) { kinds[i], kinds[j] = kinds[j], kinds[i] })
	for level, count := range [3]int{6, 14, 20} {
		for _, i := range rnd.Perm(len(levels[level]))[:count*n.doors/40] {
			r := rule{path: s.paths[levels[level][i]], kind: kinds[len(s.rules)-1]}
			if r.kind == list {
				r.groups, r.people = rnd.Perm(n.groups)[:1+rnd.IntN(4)], rnd.Perm(n.people)[:1+rnd.IntN(10)]
			}
			r.net = len(s.rules)%5 == 0
			if len(s.rules)%4 == 0 {
				r.from = start + rnd.Int64N(month/2)
				r.until = r.from + month/2
			}
			s.rules = append(s.rules, r)
		}
	}
}

// nearest returns the rule that governs a path.
func (s *scenario) nearest(path string) int {
	best := 0
	for i, r := range s.rules {
		if access.Covers(r.path, path) && len(r.path) > len(s.rules[best].path) {
			best = i
		}
	}
	return best
}

// makeDocument says the same as a policy document of Velada's.
func (s *scenario) makeDocument(n size) *access.Document {
	doc := &access.Document{Velada: 1, House: access.House{Name: "Bench", Zone: "UTC", Domains: []string{ownDomain}}}
	for p, who := range s.people {
		doc.People = append(doc.People, access.Person{ID: personID(p), Address: who})
	}
	for g, people := range s.groups {
		group := access.Group{ID: fmt.Sprint("group-", g)}
		for _, p := range people {
			group.People = append(group.People, personID(p))
		}
		doc.Groups = append(doc.Groups, group)
	}
	site := access.NewSite("bench", "Bench")
	site.State = "live"
	for _, path := range s.paths {
		site.Pages = append(site.Pages, access.Page{Path: path, Listing: true})
	}
	admitted := []access.Member{}
	for _, p := range s.guests {
		admitted = append(admitted, access.Member{Who: personID(p), Status: "approved"})
	}
	one := site
	one.Members = admitted
	for i, r := range s.rules {
		ways := s.ways(r, i)
		if r.kind == password {
			site.Passes = append(site.Passes, access.Pass{ID: passID(i), Under: r.path})
		}
		if i == 0 {
			site.Door.Ways = ways
		} else {
			site.Doors = append(site.Doors, access.PageDoor{Path: r.path, Mode: "instead", Ways: ways})
		}
	}
	doc.Sites = []*access.Site{site}
	return doc
}

func (s *scenario) ways(r rule, i int) []access.Way {
	ways := []access.Way{}
	switch r.kind {
	case public:
		ways = append(ways, access.Way{Way: "anyone"})
	case password:
		ways = append(ways, access.Way{Way: "pass", Passes: []string{passID(i)}})
	case domain:
		ways = append(ways, access.Way{Way: "domain", Domains: []string{ownDomain}})
	case members:
		ways = append(ways, access.Way{Way: "members"})
	case list:
		groups, people := access.Way{Way: "groups"}, access.Way{Way: "people"}
		for _, g := range r.groups {
			groups.Groups = append(groups.Groups, fmt.Sprint("group-", g))
		}
		for _, p := range r.people {
			people.People = append(people.People, personID(p))
		}
		ways = append(ways, groups, people)
	}
	if r.net {
		ways = append(ways, access.Way{Way: "network", Networks: []string{network}})
	}
	for j := range ways {
		if r.until != 0 {
			ways[j].From, ways[j].Until = access.At(time.Unix(r.from, 0)), access.At(time.Unix(r.until, 0))
		}
	}
	return ways
}

func personID(p int) string  { return fmt.Sprint("person-", p) }
func passID(rule int) string { return fmt.Sprint("pass-", rule) }

// policy compiles the document and readies the requests for it.
func (s *scenario) policy() *access.Policy {
	p, err := access.Compile(s.document, nil)
	if err != nil {
		panic(err)
	}
	for i := range s.requests {
		r := &s.requests[i]
		r.visitor, r.instant = access.Visitor{IP: r.ip}, access.At(time.Unix(r.at, 0))
		if r.person >= 0 {
			r.visitor.Identity, _ = p.Person(personID(r.person))
		}
		if r.unlocked != "" && s.rules[r.rule].kind == password {
			r.visitor.Passes = []string{passID(r.rule)}
		}
	}
	return p
}

// above turns /a/b into /a, and /a into /.
func above(path string) string {
	if i := strings.LastIndexByte(path, '/'); i > 0 {
		return path[:i]
	}
	return "/"
}

func depth(path string) int {
	if path == "/" {
		return 0
	}
	return strings.Count(path, "/")
}
