package content

import (
	"regexp"
	"slices"
	"strings"

	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"
)

// Links lists where the links and pictures of a Markdown text lead within the
// site, once each, as paths without query and fragment.
func Links(body string) []string { return LinksAt(body, Place{}) }

// LinksAt is Links for a text that stands at a place.
func LinksAt(body string, place Place) []string {
	var list []string
	source := []byte(tame(body))
	document := markdown.Parser().Parse(text.NewReader(source))
	if place.Page != nil {
		place.resolve(document)
	}
	_ = ast.Walk(document, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		var to []byte
		switch n := n.(type) {
		case *ast.Link:
			to = n.Destination
		case *ast.Image:
			to = n.Destination
		}
		if entering && len(to) > 0 && to[0] == '/' && !strings.HasPrefix(string(to), "//") {
			path := string(to)
			if i := strings.IndexAny(path, "?#"); i >= 0 {
				path = path[:i]
			}
			if !slices.Contains(list, path) {
				list = append(list, path)
			}
		}
		return ast.WalkContinue, nil
	})
	return list
}

var destination = regexp.MustCompile(`(\]\(\s*<?|(?m:^)\s{0,3}\[[^\]]+\]:\s*<?)(/[^)\s>#?]*)`)

// Relink changes where the links of a Markdown text lead: to gives the new path
// for each path it links to. What stands in code is no link, and stays.
func Relink(body string, to func(path string) string) string {
	if tame(body) != body { // no text that is meant to be read: it stays as it is
		return body
	}
	code := codeIn([]byte(body))
	var out strings.Builder
	last := 0
	for _, at := range destination.FindAllStringSubmatchIndex(body, -1) {
		if slices.ContainsFunc(code, func(s text.Segment) bool { return at[4] >= s.Start && at[4] < s.Stop }) {
			continue
		}
		out.WriteString(body[last:at[4]])
		out.WriteString(to(body[at[4]:at[5]]))
		last = at[5]
	}
	return out.String() + body[last:]
}

// codeIn lists where code stands in a Markdown text.
func codeIn(source []byte) (list []text.Segment) {
	_ = ast.Walk(markdown.Parser().Parse(text.NewReader(source)), func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		switch {
		case !entering:
		case n.Kind() == ast.KindCodeSpan:
			for c := n.FirstChild(); c != nil; c = c.NextSibling() {
				if t, ok := c.(*ast.Text); ok {
					list = append(list, t.Segment)
				}
			}
		case n.Kind() == ast.KindCodeBlock || n.Kind() == ast.KindFencedCodeBlock:
			list = append(list, n.Lines().Sliced(0, n.Lines().Len())...)
		}
		return ast.WalkContinue, nil
	})
	return list
}
