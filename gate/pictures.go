package gate

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/house"
	"velada/pictures"
)

// uploads is a path below which the files stand that were sent to a site one by one.
const uploads = "/files/x"

// strangersSeeUploads reports whether just anybody opens what was sent one by one.
func (q *request) strangersSeeUploads() bool {
	return q.site.DecideFile(uploads, &access.Visitor{}, q.at).Outcome == access.Open
}

// pictures says in a page how large its pictures are, and in which sizes they can be had.
// Of a picture that not everybody may open who reads the page nothing is said.
func (q *request) pictures(page string) string {
	return q.picturesAs(page, content.PictureSizes, false)
}

// picturesAs is pictures for some HTML whose pictures are shown as wide as sizes says. All is said of
// pictures that are known to open.
func (q *request) picturesAs(page, sizes string, known bool) string {
	e := q.edition()
	if e == nil {
		return page
	}
	at, strangers := &url.URL{Path: e.URLPath(q.path)}, q.strangersSeeUploads()
	return content.Pictures(page, sizes, func(src string) (content.Picture, bool) {
		to, err := url.Parse(src)
		if err != nil || to.Scheme != "" || to.Host != "" {
			return content.Picture{}, false
		}
		to = at.ResolveReference(to)
		f := e.Files[to.Path]
		if f == nil || !known && !q.site.SameDoor(q.path, to.Path) && !(strangers && q.site.SameDoor(uploads, to.Path)) {
			return content.Picture{}, false
		}
		width, height, widths, err := q.gate.House.PictureSize(q.Context(), f)
		if err != nil && q.Context().Err() == nil {
			slog.Error("looking how large a picture is", "site", q.address, "file", to.Path, "error", err)
		}
		return content.Picture{Width: width, Height: height, Widths: widths, URL: to.EscapedPath(), Text: f.Text}, width > 0
	})
}

// smallerPicture answers with a picture in the width that is asked for, where it can be had
// in that; it reports whether it did.
func (q *request) smallerPicture(f *house.LiveFile, anybody bool) bool {
	width, err := strconv.Atoi(q.URL.Query().Get("w"))
	if err != nil {
		return false
	}
	as := ""
	if q.URL.Query().Get("as") == "webp" {
		as = pictures.WebP
	}
	data, err := q.gate.House.SmallerPicture(q.Context(), f, width, as)
	if err != nil {
		panic(err)
	}
	if len(data) == 0 {
		return false
	}
	mark := f.Blob + "-" + strconv.Itoa(width)
	if as != "" {
		q.w.Header().Set("Content-Type", as)
		mark += "-webp"
	}
	if anybody {
		q.w.Header().Set("ETag", `"`+mark+`"`)
	}
	http.ServeContent(q.w, q.Request, "", time.Time{}, bytes.NewReader(data))
	return true
}
