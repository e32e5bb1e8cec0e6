package gate

import (
	"net/http"

	"velada/core/access"
	"velada/house"
)

// icon serves the site's own icon.
func (q *request) icon() {
	d := q.state.Site(q.address).Details
	if d.Icon == "" {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	q.beside(d.IconType, func() ([]byte, error) {
		return q.gate.House.FileData(q.Context(), &house.LiveFile{Blob: d.Icon})
	})
}

// beside serves something of the site's own beside its pages.
func (q *request) beside(kind string, data func() ([]byte, error)) {
	body, err := data()
	if err != nil {
		panic(err)
	}
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", kind)
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	h.Set("Cache-Control", "private, max-age=0, must-revalidate")
	q.w.WriteHeader(http.StatusOK)
	q.write(body)
}
