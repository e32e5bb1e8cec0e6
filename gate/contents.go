package gate

import (
	"net/http"
	"slices"
	"strconv"

	"velada/core/access"
	"velada/house"
)

// mostMenu is how many items of a menu are looked at for a page; the others are on a page of their
// own.
const mostMenu = 60

// contentsSight is a part of a long menu.
type contentsSight struct {
	Items         []menuItem
	Before, After string
}

// goesOn reports whether something of the menu opens that does not stand on every page.
func (q meeting) goesOn(e *house.LiveEdition) bool {
	return len(e.Menu) > mostMenu && slices.ContainsFunc(e.Menu[mostMenu:], func(p *house.LivePage) bool {
		return q.opens(p.Path)
	})
}

// mostContents is how many items of a menu stand on one page of it.
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
	case e == nil || !q.meeting().goesOn(e):
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	opens := q.meeting().opening(e.Menu) // how many there are is told of what opens alone
	if from < 0 || from >= len(opens) {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	to := min(from+mostContents, len(opens))
	v := &contentsSight{Items: opens[from:to]}
	at := func(n int) string { return "/velada/pages?from=" + strconv.Itoa(n) }
	if from > 0 {
		v.Before = at(max(0, from-mostContents))
	}
	if to < len(opens) {
		v.After = at(to)
	}
	s := q.meeting().sight("All pages")
	s.NoIndex, s.Contents = true, v
	q.meeting().send("contents.html", http.StatusOK, s)
}
