package content

import (
	"net/url"
	"path"
	"strings"

	"github.com/yuin/goldmark/ast"
)

// Place is where a text stands among the files of the site that it came with: links in it lead by
// the names of files.
type Place struct {
	File string                                      // of the text; "" where it was written here
	Page func(file string) (path string, there bool) // the page that a file is
}

// Resolve returns where a link or picture of the text leads on the site: the page that a file is,
// or a path from the top. What leads elsewhere, or within the page, stays.
func (p Place) Resolve(to string) string {
	if to == "" || to[0] == '#' || to[0] == '?' || strings.HasPrefix(to, "//") || hasScheme(to) || p.File == "" && to[0] != '/' {
		return to
	}
	at, rest := to, ""
	if i := strings.IndexAny(to, "?#"); i >= 0 {
		at, rest = to[:i], to[i:]
	}
	decoded, err := url.PathUnescape(at)
	if err != nil {
		return to
	}
	if decoded[0] != '/' {
		decoded = "/" + path.Join(path.Dir(p.File), decoded)
	}
	decoded = path.Clean(decoded)
	if p.Page != nil {
		if page, there := p.Page(strings.TrimPrefix(decoded, "/")); there {
			return (&url.URL{Path: page}).EscapedPath() + rest
		}
	}
	if at[0] == '/' {
		return to
	}
	return (&url.URL{Path: decoded}).EscapedPath() + rest
}

func hasScheme(to string) bool {
	i := strings.IndexAny(to, ":/?#")
	return i > 0 && to[i] == ':'
}

// resolve puts where the links and pictures of a text lead into it.
func (p Place) resolve(document ast.Node) {
	_ = ast.Walk(document, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if !entering {
			return ast.WalkContinue, nil
		}
		switch n := n.(type) {
		case *ast.Link:
			n.Destination = []byte(p.Resolve(string(n.Destination)))
		case *ast.Image:
			n.Destination = []byte(p.Resolve(string(n.Destination)))
		}
		return ast.WalkContinue, nil
	})
}
