package gate

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"testing"

	"velada/core/access"
	"velada/demo/raced"
)

// What a page shows that is kept asks about its reader in one place alone, where the question is
// noted: none of these files looks at who asks, or when, by itself.
func TestPagesAskAboutTheirReaderInOnePlace(t *testing.T) {
	forbidden := []string{"visitor", "who", "at", "noticeRead", "Header", "RemoteAddr", "site"} // of q
	for file, functions := range map[string][]string{                                           // nil is all of them
		"below.go": nil, "dates.go": nil, "dress.go": nil, "filelist.go": nil, "pictures.go": {"pictures", "picturesAs"}, "tables.go": nil,
		"contents.go": {"goesOn"}, "meeting.go": {"sight", "opening", "corner", "whole", "result"}, "members.go": {"commentsFrom"}, "holding.go": {"ribbon"}, "feeds.go": {"hasFeed"},
	} {
		set := token.NewFileSet()
		tree, err := parser.ParseFile(set, file, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		seen := 0
		for _, decl := range tree.Decls {
			f, is := decl.(*ast.FuncDecl)
			if !is || functions != nil && !slices.Contains(functions, f.Name.Name) {
				continue
			}
			seen++
			ast.Inspect(f, func(n ast.Node) bool {
				sel, is := n.(*ast.SelectorExpr)
				if !is || !slices.Contains(forbidden, sel.Sel.Name) {
					return true
				}
				if of, is := sel.X.(*ast.Ident); is && of.Name == "q" && !(f.Name.Name == "colours") && !(f.Name.Name == "sight" && sel.Sel.Name == "who") {
					t.Errorf("%s: q.%s is looked at beside reader.go", set.Position(sel.Pos()), sel.Sel.Name)
				}
				return true
			})
		}
		if seen < len(functions) {
			t.Errorf("%s has not all of %v any more", file, functions)
		}
	}
}

// The line of pages above a page names what opens to its reader alone, whoever read it before.
func TestThePagesAboveAreTheReadersOwn(t *testing.T) {
	d := open(t)
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/members/minutes", Mode: "instead", Ways: []access.Way{{Way: "anyone"}}})
	})
	title := d.house.State().Site("society").Live.Page("/members").Title
	shows := func(cookies ...string) (bool, string) {
		r := d.ask(asked{site: "society", path: "/members/minutes", cookies: cookies})
		if r.StatusCode != http.StatusOK {
			t.Fatal(r.StatusCode)
		}
		cache := r.Header.Get("Cache-Control")
		return strings.Contains(body(t, r), title), cache
	}
	ines := d.visiting("ines@cerroalcor.example", "society")
	for range 2 {
		if shown, cache := shows(ines); !shown || strings.HasPrefix(cache, "public") {
			t.Errorf("who may open it: shown %v, %s", shown, cache)
		}
		if shown, cache := shows(); shown || !strings.HasPrefix(cache, "public") {
			t.Errorf("a stranger: shown %v, %s", shown, cache)
		}
	}
}

// What a network alone opens is not shared with others.
func TestWhatANetworkOpensIsNotShared(t *testing.T) {
	d := open(t)
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/visit", Mode: "also", Ways: []access.Way{{Way: "network", Networks: []string{"198.51.100.0/24"}}}})
	})
	for range 2 {
		inside, outside := d.ask(asked{site: "society", path: "/", from: "198.51.100.7"}), d.ask(asked{site: "society", path: "/", from: "203.0.113.5"})
		if strings.HasPrefix(inside.Header.Get("Cache-Control"), "public") || !strings.HasPrefix(outside.Header.Get("Cache-Control"), "public") {
			t.Errorf("inside %q, outside %q", inside.Header.Get("Cache-Control"), outside.Header.Get("Cache-Control"))
		}
		if in, out := body(t, inside), body(t, outside); !strings.Contains(in, `href="/visit"`) || strings.Contains(out, `href="/visit"`) {
			t.Error("the menu is not what opens")
		}
	}
}

// Nobody writes where the name of whoever is signed in comes.
func TestATitleIsNoPlaceForAName(t *testing.T) {
	d := open(t)
	d.write("society", "/courses", "# velada-stand-in-name\n\nCourses")
	d.publish("society")
	visit := d.visiting("ines@cerroalcor.example", "society")
	for range 2 {
		text := body(t, d.ask(asked{site: "society", path: "/courses", cookies: []string{visit}}))
		if !strings.Contains(text, "velada-stand-in-name") || !strings.Contains(text, "Signed in as Inés Ortuño") || strings.Contains(text, nameStandIn) {
			t.Error("the name stands elsewhere")
		}
	}
}

// Pages of a house with doors, hidden pages and everything that pages bring in at random, read by all
// in random order, are just what they are with nothing kept.
func TestKeptPagesAreTheReadersOwn(t *testing.T) {
	houses := 6
	if raced.On {
		houses = 2
	}
	for seed := range uint64(houses) {
		random := rand.New(rand.NewPCG(seed, 2))
		d := open(t)
		paths := []string{"/", "/visit", "/courses", "/members", "/members/minutes", "/open-nights", "/history", "/library"}
		pick := func() string { return paths[random.IntN(len(paths))] }
		for _, at := range paths[1:] {
			d.write("society", at, fmt.Sprintf("# Page %d\n\n[a](%s) [b](%s) ![c](/hill.svg)\n\n::: dates\n- [opens](%s)\n- 2026-12-24 Feast\n:::\n\n::: cards\n- [one](%s)\n- [two](%s)\n:::\n\n::: below\n:::\n\n::: files %s\n:::\n",
				random.IntN(100), pick(), pick(), pick(), pick(), pick(), pick()))
		}
		d.publish("society")
		ways := [][]access.Way{{}, {{Way: "signed-in"}}, {{Way: "members"}}, {{Way: "anyone"}}, {{Way: "groups", Groups: []string{"council"}}}, {{Way: "network", Networks: []string{"198.51.100.0/24"}}},
			{{Way: "domain", Domains: []string{"cerroalcor.example"}, Until: access.At(d.now.AddDate(0, 0, 2))}}}
		d.change("society", func(s *access.Site) {
			s.Doors = nil
			for _, at := range paths[1:] {
				if random.IntN(2) == 0 {
					s.Doors = append(s.Doors, access.PageDoor{Path: at, Mode: []string{"also", "instead"}[random.IntN(2)], Hide: random.IntN(2) == 0, Ways: ways[random.IntN(len(ways))]})
				}
			}
		})
		readers := []string{"", ""}
		for _, address := range []string{"ines@cerroalcor.example", "pilar@cerroalcor.example", "mirela@brasov.example", "nobody@nowhere.example"} {
			readers = append(readers, d.visiting(address, "society"))
		}
		type question struct{ asked }
		var list []question
		for range 120 {
			a := asked{site: "society", path: pick(), from: []string{"203.0.113.5", "198.51.100.7"}[random.IntN(2)]}
			if who := readers[random.IntN(len(readers))]; who != "" {
				a.cookies = []string{who}
			}
			list = append(list, question{a})
		}
		said := func(q question) string {
			r := d.ask(q.asked)
			return fmt.Sprintf("%d %v\n%s", r.StatusCode, r.Header, body(t, r))
		}
		kept := make([]string, len(list))
		for i, q := range list {
			kept[i] = said(q)
		}
		for i, q := range list {
			if err := d.house.Reload(t.Context()); err != nil {
				t.Fatal(err)
			}
			if fresh := said(q); fresh != kept[i] {
				t.Fatalf("house %d: %+v was\n%.3000s\nand is\n%.3000s", seed, q.asked, kept[i], fresh)
			}
		}
	}
}
