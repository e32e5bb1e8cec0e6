package pages

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/core/access"
	"velada/store"
)

var movePathsTried = []string{"/", "/a", "/a/b", "/a/b/c", "/d", "/d/e", "/f", "/g"}

// aSite is a site with random doors over some pages, and one that knows what it is for.
func aSite(r *rand.Rand, pages []store.Page) *access.Site {
	ways := func() []access.Way {
		return [][]access.Way{{}, {{Way: "anyone"}}, {{Way: "people", People: []string{"p1"}}}, {{Way: "groups", Groups: []string{"g"}}}, {{Way: "signed-in"}}, {{Way: "pass"}}}[r.IntN(6)]
	}
	path := func() string { return movePathsTried[r.IntN(len(movePathsTried))] }
	s := &access.Site{Address: "s", Title: "S", State: "live", Door: access.Door{Ways: ways()}, SignUp: access.SignUp{Mode: "closed"}}
	s.Holding.Kind = "maintenance"
	for _, p := range pages {
		s.Pages = append(s.Pages, access.Page{Path: p.Path, Listing: true})
	}
	for _, at := range movePathsTried {
		if r.IntN(3) == 0 {
			s.Doors = append(s.Doors, access.PageDoor{Path: at, Mode: []string{"also", "instead"}[r.IntN(2)], Hide: r.IntN(4) == 0, Ways: ways()})
		}
	}
	for i := range r.IntN(3) {
		s.Passes = append(s.Passes, access.Pass{ID: fmt.Sprint("k", i), Label: fmt.Sprint("K", i), Under: path()})
	}
	if r.IntN(2) == 0 {
		s.Team = append(s.Team, access.TeamEntry{Person: "p2", Role: "editor", Under: path(), Accepted: true})
	}
	if r.IntN(3) == 0 {
		s.Holding.On, s.Holding.Exempt = true, []string{path()}
	}
	return s
}

// somePages stand at some paths, the front page always.
func somePages(r *rand.Rand) (list []store.Page) {
	for i, at := range movePathsTried {
		if at == "/" || r.IntN(3) > 0 {
			list = append(list, store.Page{ID: fmt.Sprint("id", i), Path: at, Title: at})
		}
	}
	return list
}

// moved is where pages stand after random moves, deletions and new ones, in any permutation.
func moved(r *rand.Rand, was []store.Page) (is []store.Page) {
	paths := slices.Clone(movePathsTried)
	r.Shuffle(len(paths), func(i, k int) { paths[i], paths[k] = paths[k], paths[i] })
	stay := r.IntN(2) == 0 // the front page
	for i, p := range was {
		switch {
		case p.Path == "/" && stay, r.IntN(5) == 0 && !slices.ContainsFunc(is, func(o store.Page) bool { return o.Path == p.Path }):
			is = append(is, p)
		case r.IntN(6) > 0:
			at := paths[i]
			if !slices.ContainsFunc(is, func(o store.Page) bool { return o.Path == at }) && (at != "/" || !stay) {
				is = append(is, store.Page{ID: p.ID, Path: at, Title: p.Title})
			}
		}
	}
	for n := range r.IntN(2) {
		at := paths[n]
		if !slices.ContainsFunc(is, func(o store.Page) bool { return o.Path == at }) {
			is = append(is, store.Page{ID: fmt.Sprint("new", n), Path: at, Title: "New"})
		}
	}
	return is
}

func aPolicy(t *testing.T, s *access.Site) *access.Policy {
	t.Helper()
	doc := &access.Document{
		Velada: 1, House: access.House{Name: "H", Zone: "UTC"},
		People: []access.Person{{ID: "p1", Name: "One", Address: "one@a.example"}, {ID: "p2", Name: "Two", Address: "two@a.example"}, {ID: "p3", Name: "Three", Address: "three@b.example"}},
		Groups: []access.Group{{ID: "g", People: []string{"p3"}}},
		Sites:  []*access.Site{s},
	}
	p, err := access.Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// Whatever moves, is deleted or comes new in one edition, no page opens to anybody who could not open
// it where it stood, unless the review says so; and what is said of one page is never said of another.
func TestMovesNeverOpenAPageUnsaid(t *testing.T) {
	at := access.At(time.Date(2026, 11, 24, 17, 0, 0, 0, time.UTC))
	refused, swapped, opened := 0, 0, 0
	for seed := range uint64(6000) {
		r := rand.New(rand.NewPCG(seed, 29))
		was := somePages(r)
		is := moved(r, was)
		site := aSite(r, was)
		rel := relocate(was, is)
		next, told, err := moveParts(withPages(stoodAt(site, rel), is), rel, nil)
		if err != nil {
			refused++
			continue
		}
		before, after := aPolicy(t, site), aPolicy(t, next)
		sees := sightsOf(access.ImpactOfMoves(before, after, "s", rel.pageMoves(was, is), at), func(string, string) bool { return true }, func(string) access.People { return access.People{} })
		said := map[string]bool{}
		for _, s := range sees {
			for _, path := range s.Pages {
				for _, name := range append(slices.Clone(s.Names), s.Who) {
					said[path+" "+name] = true
				}
			}
		}
		visitors := map[string]access.Visitor{"stranger": {}}
		for _, id := range []string{"p1", "p2", "p3"} {
			who, _ := before.Person(id)
			visitors[id] = access.Visitor{Identity: who}
		}
		for _, p := range site.Passes {
			visitors["pass:"+p.ID] = access.Visitor{Passes: []string{p.ID}}
		}
		for _, page := range is {
			i := slices.IndexFunc(was, func(p store.Page) bool { return p.ID == page.ID })
			for name, v := range visitors {
				opens := after.Site("s").Decide(page.Path, &v, at).Outcome == access.Open
				could := i >= 0 && before.Site("s").Decide(was[i].Path, &v, at).Outcome == access.Open
				if opens && !could {
					opened++
					if !said[page.Path+" "+name] {
						t.Fatalf("seed %d: %s opens to %s at %s, which it did not at %v, and nobody says so\nbefore %+v\nafter %+v\n%v", seed, page.ID, name, page.Path, was, site, next, told)
					}
				}
			}
		}
		// a door that was a page's own is that page's still, and no other's
		for _, d := range site.Doors {
			if own, page := rel.to[d.Path]; page && own != d.Path && d.Path != "/" {
				swapped++
				k := slices.IndexFunc(next.Doors, func(o access.PageDoor) bool { return o.Path == own })
				if k < 0 || next.Doors[k].Mode != d.Mode || next.Doors[k].Hide != d.Hide || fmt.Sprint(next.Doors[k].Ways) != fmt.Sprint(d.Ways) {
					t.Fatalf("seed %d: the door of the page at %s did not go along to %s", seed, d.Path, own)
				}
			}
		}
	}
	if refused > 4000 || swapped < 500 || opened < 500 {
		t.Errorf("the test tries too little: %d refused, %d doors moved, %d openings", refused, swapped, opened)
	}
}

func TestWhatCannotMoveIsRefused(t *testing.T) {
	page := func(id, at string) store.Page { return store.Page{ID: id, Path: at} }
	door := access.PageDoor{Path: "/a", Mode: "also"}
	for name, c := range map[string]struct {
		was, is []store.Page
		site    access.Site
		stay    []string
		says    string
	}{
		"a door to the front":    {[]store.Page{page("r", "/"), page("a", "/a")}, []store.Page{page("r", "/r"), page("a", "/")}, access.Site{Doors: []access.PageDoor{door}}, nil, "door of the whole site"},
		"a section to the front": {[]store.Page{page("r", "/"), page("a", "/a")}, []store.Page{page("r", "/r"), page("a", "/")}, access.Site{Team: []access.TeamEntry{{Person: "x", Role: "editor", Under: "/a"}}}, nil, "section of the team"},
		"a password to the front": {[]store.Page{page("r", "/"), page("a", "/a")}, []store.Page{page("r", "/r"), page("a", "/")}, access.Site{Passes: []access.Pass{{ID: "k", Label: "K", Under: "/a"}}}, nil,
			"open the whole site"},
		"an exemption to the front": {[]store.Page{page("r", "/"), page("a", "/a")}, []store.Page{page("r", "/r"), page("a", "/")}, access.Site{Holding: access.Holding{Exempt: []string{"/a"}}}, nil, "stays reachable"},
		"two doors in one place":    {[]store.Page{page("a", "/a")}, []store.Page{page("a", "/b")}, access.Site{Doors: []access.PageDoor{door, {Path: "/b", Mode: "instead"}}}, nil, "would both come to stand at /b"},
		"files behind":              {[]store.Page{page("a", "/a"), page("b", "/b")}, []store.Page{page("b", "/a")}, access.Site{Doors: []access.PageDoor{door}}, []string{"/a/plan.pdf"}, "stays behind its door"},
	} {
		_, _, err := moveParts(&c.site, relocate(c.was, c.is), c.stay)
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
}
