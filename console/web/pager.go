package web

import (
	"strconv"

	"github.com/gin-gonic/gin"
)

// MostRows is how many rows of a list stand on one page of it.
const MostRows = 50

// Pager is a page of a long list, with where the ones beside it are.
type Pager struct {
	From, To, Of, Pages int // rows from 1 on
	Before, After       string
}

// Cut chooses the rows of a list of so many that the request's page shows: rows[from:to].
func (p *Pager) Cut(x *gin.Context, of int) (from, to int) { return p.CutBy(x, "rows", of) }

// CutBy is Cut for a list whose page the request names by a word of its own.
func (p *Pager) CutBy(x *gin.Context, name string, of int) (from, to int) {
	return p.CutInto(x, name, of, MostRows)
}

// CutInto is CutBy for a list with another number of rows on a page.
func (p *Pager) CutInto(x *gin.Context, name string, of, most int) (from, to int) {
	p.Of, p.Pages = of, (of+most-1)/most
	page, _ := strconv.Atoi(x.Query(name))
	page = min(max(page, 1), max(p.Pages, 1))
	from = (page - 1) * most
	to = min(from+most, of)
	p.From, p.To = from+1, to
	at := func(n int) string {
		q := x.Request.URL.Query()
		q.Set(name, strconv.Itoa(n))
		return x.Request.URL.Path + "?" + q.Encode()
	}
	if page > 1 {
		p.Before = at(page - 1)
	}
	if page < p.Pages {
		p.After = at(page + 1)
	}
	return from, to
}
