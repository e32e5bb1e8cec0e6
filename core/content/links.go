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
func Links(body string) []string {
	var list []string
	source := []byte(body)
	_ = ast.Walk(markdown.Parser().Parse(text.NewReader(source)), func(n ast.Node, entering bool) (ast.WalkStatus, error) {
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
// for each path it links to.
func Relink(body string, to func(path string) string) string {
	return destination.ReplaceAllStringFunc(body, func(found string) string {
		parts := destination.FindStringSubmatch(found)
		return parts[1] + to(parts[2])
	})
}
