package web

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"
)

func TestTreeOrder(t *testing.T) {
	tree := NewTree([]string{"/b/x/y", "/", "/a", "/b", "/a/c/d", "/b/z", "/a/c", "/ab"})
	if got := strings.Join(tree.Order, " "); got != "/ /a /a/c /a/c/d /b /b/x/y /b/z /ab" {
		t.Error(got)
	}
	if tree.Depth("/a/c/d") != 2 || tree.Depth("/b/x/y") != 1 || tree.Depth("/") != 0 || tree.Large() {
		t.Error("depths")
	}
	if lines := tree.Shown("/a"); len(lines) != len(tree.Order) || lines[2].Depth != 1 {
		t.Errorf("%+v", lines)
	}
}

// Every page of a large tree is reached by opening what is not shown, and little is shown at a time.
func TestALargeTreeIsOpenedByBranches(t *testing.T) {
	var paths []string
	for i := range 130 {
		paths = append(paths, fmt.Sprintf("/p%d", i))
		for k := range i % 60 {
			paths = append(paths, fmt.Sprintf("/p%d/q%d", i, k), fmt.Sprintf("/p%d/q%d/r", i, k))
		}
	}
	tree := NewTree(paths)
	seen, todo, asked := map[string]bool{}, []string{""}, map[string]bool{"": true}
	for len(todo) > 0 {
		around := todo[0]
		todo = todo[1:]
		lines := tree.Shown(around)
		if len(lines) > 3*(levelMost+2) {
			t.Fatalf("%d lines around %q", len(lines), around)
		}
		if around != "" && !slices.ContainsFunc(lines, func(b Branch) bool { return b.Path == around && b.More == 0 }) {
			t.Fatalf("%s is not shown around itself", around)
		}
		for _, line := range lines {
			next := line.Path
			switch {
			case line.Below > 0:
				next = line.First
				fallthrough
			case line.More == 0:
				seen[line.Path] = true
			}
			if (line.More > 0 || line.Below > 0) && !asked[next] {
				asked[next] = true
				todo = append(todo, next)
			}
		}
	}
	if len(seen) != len(paths) {
		t.Errorf("%d of %d pages are reached", len(seen), len(paths))
	}
	title := func(path string) string { return "Page " + path }
	row := func(path string, depth int) PlanRow {
		return PlanRow{Title: title(path), Page: path, Depth: depth, URL: path}
	}
	found := tree.View(TreeAsked{Words: " PAGE /p59/Q5"}, "/at?page=%2Fp1", "/p1", title, row)
	if len(found.Rows) != 20 || found.Rows[0].Page != "/p59/q5" || found.Find.Keeps[0].Name != "/p1" {
		t.Errorf("%d found, %+v", len(found.Rows), found.Find)
	}
	near := tree.View(TreeAsked{Near: "/p59/q2"}, "/at?page=%2Fp1", "/p1", title, row)
	for _, r := range near.Rows {
		if u, err := url.Parse(r.More); err != nil || r.More != "" && (u.Query().Get("page") != "/p1" || u.Query().Get("near") == "") {
			t.Errorf("%+v", r)
		}
	}
}
