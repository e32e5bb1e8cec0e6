package gate

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"velada/core/content"
	"velada/house"
	"velada/pictures"
)

// pictures says in a page how large its pictures are, and in which sizes they can be had.
// Of a picture that does not open to the reader nothing is said.
func (q *request) pictures(page string) string {
	return q.picturesAs(page, content.PictureSizes)
}

// picturesAs is pictures for some HTML whose pictures are shown as wide as sizes says.
func (q *request) picturesAs(page, sizes string) string {
	e := q.edition()
	if e == nil {
		return page
	}
	at := &url.URL{Path: e.URLPath(q.path)}
	return content.Pictures(page, sizes, func(src string) (content.Picture, bool) {
		to, err := url.Parse(src)
		if err != nil || to.Scheme != "" || to.Host != "" {
			return content.Picture{}, false
		}
		to = at.ResolveReference(to)
		f := e.Files[to.Path]
		if f == nil || !q.opensFile(to.Path) {
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
