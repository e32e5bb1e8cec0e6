package gate

import (
	"fmt"
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

// tint serves the site's colour as a style.
func (q *request) tint() {
	q.beside("text/css; charset=utf-8", func() ([]byte, error) {
		return TintStyle(q.state.Site(q.address).Details.Tint), nil
	})
}

// TintStyle is a site's colour as a style; nothing where it has none.
func TintStyle(tint string) []byte {
	if tint == "" {
		return nil
	}
	return fmt.Appendf(nil, ":root{--tint:%s;--on-tint:%s}", tint, onTint(tint))
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

// onTint is what reads well on a colour: dark on light, light on dark.
func onTint(tint string) string {
	var r, g, b int
	if _, err := fmt.Sscanf(tint, "#%02x%02x%02x", &r, &g, &b); err != nil || 299*r+587*g+114*b > 140*1000 {
		return "#14202b"
	}
	return "#ffffff"
}
