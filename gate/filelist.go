package gate

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"velada/app/pages"
	"velada/core/access"
	"velada/house"
)

// fileSight is a file that can be saved.
type fileSight struct{ URL, Name, Kind, Size string }

// mostFiles is how many files a list shows.
const mostFiles = 300

// fileList lists the files below a page, or below the path that the list is headed by: those that
// open to the visitor. Pictures are not among them unless a path is named: they stand in pages.
func (q meeting) fileList(p *house.LivePage, under string) string {
	named := strings.HasPrefix(under, "/")
	if !named {
		under = p.Path
	}
	normal, err := access.DocumentPath(under)
	if err != nil {
		return ""
	}
	var list []fileSight
	for at, f := range q.edition().Files {
		if !access.Covers(normal, at) || f.Type == pages.TableFile || !named && strings.HasPrefix(f.Type, "image/") || q.site.DecideFile(at, &q.visitor, q.at).Outcome != access.Open || q.as != nil && !q.as.May(at) {
			continue
		}
		list = append(list, fileSight{URL: escape(at), Name: cmp.Or(f.Text, path.Base(at)), Kind: strings.ToUpper(strings.TrimPrefix(path.Ext(at), ".")), Size: bytesText(f.Size)})
	}
	slices.SortFunc(list, func(a, b fileSight) int {
		return cmp.Compare(strings.ToLower(a.Name+a.URL), strings.ToLower(b.Name+b.URL))
	})
	var b strings.Builder
	if err := execute(&b, "filelist.html", list[:min(len(list), mostFiles)]); err != nil {
		panic(err)
	}
	return b.String()
}
