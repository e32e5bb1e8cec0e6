package web

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
)

// Tree is the pages of a site, each right after the page above it.
type Tree struct {
	Order []string
	above map[string]string   // the nearest page above a page; "" at the top
	below map[string][]string // the pages right below one, in order
}

// NewTree makes a tree of paths and keeps their order otherwise.
func NewTree(paths []string) *Tree {
	t := &Tree{above: make(map[string]string, len(paths)), below: map[string][]string{}}
	for _, p := range paths {
		t.above[p] = ""
	}
	for p := range t.above {
		for i := strings.LastIndexByte(p, '/'); i > 0; i = strings.LastIndexByte(p[:i], '/') {
			if _, is := t.above[p[:i]]; is {
				t.above[p] = p[:i]
				break
			}
		}
	}
	placed := make(map[string]bool, len(paths))
	for _, p := range paths {
		if !placed[p] {
			placed[p] = true
			t.below[t.above[p]] = append(t.below[t.above[p]], p)
		}
	}
	var add func(level string)
	add = func(level string) {
		for _, p := range t.below[level] {
			t.Order = append(t.Order, p)
			add(p)
		}
	}
	add("")
	return t
}

// Depth is how many pages stand above a page.
func (t *Tree) Depth(path string) (n int) {
	for up := t.above[path]; up != ""; up = t.above[up] {
		n++
	}
	return n
}

// A tree is shown whole up to so many pages; of a larger one so many of a level
// at a time, and so many of what is searched for.
const (
	wholeTree = 80
	levelMost = 40
	foundMost = 50
)

// Large reports whether a tree is shown as far as it is opened.
func (t *Tree) Large() bool { return len(t.Order) > wholeTree }

// Branch is a line of a tree: a page, or the others of its level.
type Branch struct {
	Path  string // where the line is of others, the page that they are opened around
	Depth int
	Below int    // how many pages right below it are not shown
	First string // the first of those
	More  int    // how many others the line stands for; 0 for a page
	Early bool   // those stand before what is shown
}

// Words are what a line for others says.
func (b Branch) Words() string {
	if b.Early {
		return fmt.Sprintf("%d more before these", b.More)
	}
	return fmt.Sprintf("%d more", b.More)
}

// Shown returns what is shown of a tree that is opened around a page: the levels
// from the top to the page and to those right below it, of each a stretch.
func (t *Tree) Shown(around string) (lines []Branch) {
	if !t.Large() {
		for _, p := range t.Order {
			lines = append(lines, Branch{Path: p, Depth: t.Depth(p)})
		}
		return lines
	}
	open := map[string]bool{}
	for p := around; p != ""; p = t.above[p] {
		open[p] = true
	}
	var show func(level string, depth int)
	show = func(level string, depth int) {
		all := t.below[level]
		at := max(0, slices.IndexFunc(all, func(p string) bool { return open[p] }))
		from := at / levelMost * levelMost
		to := min(from+levelMost, len(all))
		if from > 0 {
			lines = append(lines, Branch{Path: all[from-1], Depth: depth, More: from, Early: true})
		}
		for _, p := range all[from:to] {
			line := Branch{Path: p, Depth: depth}
			if below := t.below[p]; !open[p] && len(below) > 0 {
				line.Below, line.First = len(below), below[0]
			}
			lines = append(lines, line)
			if open[p] {
				show(p, depth+1)
			}
		}
		if to < len(all) {
			lines = append(lines, Branch{Path: all[to], Depth: depth, More: len(all) - to})
		}
	}
	show("", 0)
	return lines
}

// Find returns the pages whose title or path has some words in it, what begins so
// first, up to a number.
func (t *Tree) Find(words string, title func(path string) string) []Branch {
	words = strings.ToLower(strings.TrimSpace(words))
	var begin, have []Branch
	for _, p := range t.Order {
		switch named := strings.ToLower(title(p)); {
		case strings.HasPrefix(named, words):
			begin = append(begin, Branch{Path: p})
		case strings.Contains(named, words) || strings.Contains(strings.ToLower(p), words):
			have = append(have, Branch{Path: p})
		}
	}
	found := append(begin, have...)
	return found[:min(len(found), foundMost)]
}

// TreeAsked is how a request asks for a tree: around which page it is opened, where not
// around the one chosen, and which words are searched for.
type TreeAsked struct{ Near, Words string }

// TreeView is a tree as it stands beside a view.
type TreeView struct {
	Rows []PlanRow
	Find *TreeFind // nil where all of the tree is shown
}

// TreeFind is the field that searches a tree.
type TreeFind struct {
	Action, Words string
	Keeps         []Choice // what the address of the view says already
}

// View shows a tree at the address of a view: around the page chosen, or as the
// request asks.
func (t *Tree) View(asked TreeAsked, base, chosen string, title func(path string) string, row func(path string, depth int) PlanRow) (v TreeView) {
	lines := t.Shown(chosen)
	if t.Large() {
		at, err := url.Parse(base)
		if err != nil {
			panic(err) // it is made by the console
		}
		v.Find = &TreeFind{Action: at.Path, Words: asked.Words}
		query := at.Query()
		for name := range query {
			v.Find.Keeps = append(v.Find.Keeps, Choice{ID: name, Name: query.Get(name)})
		}
		slices.SortFunc(v.Find.Keeps, func(a, b Choice) int { return strings.Compare(a.ID, b.ID) })
		if strings.TrimSpace(asked.Words) != "" {
			lines = t.Find(asked.Words, title)
		} else if asked.Near != "" {
			lines = t.Shown(asked.Near)
		}
	}
	near := func(path string) string {
		sep := "?"
		if strings.Contains(base, "?") {
			sep = "&"
		}
		return base + sep + "near=" + url.QueryEscape(path)
	}
	for _, line := range lines {
		r := row(line.Path, line.Depth)
		switch {
		case line.More > 0:
			r = PlanRow{Title: line.Words(), Depth: r.Depth, More: near(line.Path)}
		case line.Below > 0:
			r.Below, r.More = line.Below, near(line.First)
		}
		v.Rows = append(v.Rows, r)
	}
	return v
}
