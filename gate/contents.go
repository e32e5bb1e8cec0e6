package gate

import (
	"net/http"
	"strconv"

	"velada/core/access"
)

// mostMenu is how many items of a menu are looked at for a page; the others are on a page of their
// own.
const mostMenu = 60

// contentsSight is a part of a long menu.
type contentsSight struct {
	Items         []menuItem
	Before, After string
}

// mostContents is how many items of a menu one page of it looks at.
const mostContents = 200

// contents answers with the menu as a list, page by page: just what opens.
func (q *request) contents() {
	e := q.edition()
	front := q.site.Decide("/", &q.visitor, q.at)
	from, _ := strconv.Atoi(q.URL.Query().Get("from"))
	switch {
	case front.Outcome == access.Held || front.Outcome == access.Gone:
		q.path = "/"
		q.meeting().meet(front)
		return
	case e == nil || len(e.Menu) <= mostMenu || from < 0 || from >= len(e.Menu):
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	to := min(from+mostContents, len(e.Menu))
	v := &contentsSight{Items: q.meeting().opening(e.Menu[from:to])}
	at := func(n int) string { return "/velada/pages?from=" + strconv.Itoa(n) }
	if from > 0 {
		v.Before = at(max(0, from-mostContents))
	}
	if to < len(e.Menu) {
		v.After = at(to)
	}
	s := q.meeting().sight("All pages")
	s.NoIndex, s.Contents = true, v
	q.meeting().send("contents.html", http.StatusOK, s)
}
