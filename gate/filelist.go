package gate

import (
	"cmp"
	"path"
	"slices"
	"strings"

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
	if !named {
		normal = "page " + normal
	}
	for at := range strings.SplitSeq(q.reader(aboutFiles, normal), "\x00") {
		f := q.edition().File(at)
		if f == nil {
			continue
		}
		list = append(list, fileSight{URL: escape(at), Name: cmp.Or(f.Text, path.Base(at)), Kind: strings.ToUpper(strings.TrimPrefix(path.Ext(at), ".")), Size: bytesText(f.Size)})
	}
	slices.SortFunc(list, func(a, b fileSight) int {
		return cmp.Compare(strings.ToLower(a.Name+a.URL), strings.ToLower(b.Name+b.URL))
	})
	var b strings.Builder
	if err := execute(&b, "filelist.html", list); err != nil {
		panic(err)
	}
	return b.String()
}
