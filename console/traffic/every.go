package traffic

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	app "velada/app/traffic"
	"velada/console/web"
	core "velada/core/traffic"
)

// everyView is the traffic of all sites beside each other.
type everyView struct {
	Spans   []web.Tab
	Figures []figure
	Rows    []everyRow
}

type everyRow struct {
	Title, URL               string
	Opened, Visitors, Turned string
	Share                    string // of the most opened site's width
	Change                   string
}

// everySite shows stewards the traffic of all sites.
func everySite(c *web.Console, x *gin.Context) {
	of, span := stretchAsked(c, x)
	s := c.House.State()
	v := &everyView{}
	for _, sp := range spans {
		at := "/traffic"
		if sp.id != "" {
			at += "?span=" + sp.id
		}
		v.Spans = append(v.Spans, web.Tab{Name: sp.name, URL: at, On: sp.id == span})
	}
	var now, before core.Figures
	most := 1
	var opened []int
	for _, doc := range s.Policy.Document().Sites {
		is, err1 := app.Figures(x.Request.Context(), c.House, doc.Address, of)
		was, err2 := app.Figures(x.Request.Context(), c.House, doc.Address, of.Before())
		if err := errors.Join(err1, err2); err != nil {
			c.Fail(x, err)
			return
		}
		now.Opened, now.Turned, now.Visitors = now.Opened+is.Opened, now.Turned+is.Turned, now.Visitors+is.Visitors
		before.Opened, before.Turned, before.Visitors = before.Opened+was.Opened, before.Turned+was.Turned, before.Visitors+was.Visitors
		most = max(most, is.Opened)
		opened = append(opened, is.Opened)
		v.Rows = append(v.Rows, everyRow{
			Title: s.SiteTitle(doc.Address), URL: "/sites/" + doc.Address + "/traffic", Opened: web.Thousands(is.Opened), Visitors: web.Thousands(is.Visitors), Turned: web.Thousands(is.Turned),
			Change: changeOf(float64(is.Opened), float64(was.Opened)),
		})
	}
	for i := range v.Rows {
		v.Rows[i].Share = percent(opened[i], most)
	}
	for _, f := range figuresOf(&now, &before) {
		if f.Text == "pages opened" || f.Text == "visitors" || f.Text == "turned away" {
			v.Figures = append(v.Figures, f)
		}
	}
	p := c.HousePage(x, "Traffic")
	p.View = v
	c.Show(x, http.StatusOK, "every-site", p)
}
