package traffic

import (
	"cmp"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	app "velada/app/traffic"
	"velada/console/web"
	core "velada/core/traffic"
)

// everyView is the traffic of all sites beside each other.
type everyView struct {
	Spans   []web.Tab
	Figures []figure
	List    web.List
	Rows    []everyRow
}

type everyRow struct {
	Title, URL               string
	Opened, Visitors, Turned string
	Share                    string // of the most opened site's width
	Change                   string
}

// counted is a site with what was counted on it, and in the stretch of time before.
type counted struct {
	address, title string
	is, was        core.Figures
}

// everySorts are the orders that sites may be listed in.
var everySorts = []web.Choice{{ID: "", Name: "most opened first"}, {ID: "turned", Name: "most turned away first"}, {ID: "visitors", Name: "most visitors first"}, {ID: "name", Name: "by name"}}

// everySite shows stewards the traffic of all sites.
func everySite(c *web.Console, x *gin.Context) {
	of, span := stretchAsked(c, x)
	v := &everyView{List: web.NewList(x, everySorts...)}
	for _, sp := range spans {
		at := "/traffic"
		if sp.id != "" {
			at += "?span=" + sp.id
		}
		v.Spans = append(v.Spans, web.Tab{Name: sp.name, URL: at, On: sp.id == span})
	}
	all, now, before, err := countedSites(c, x, of)
	if err != nil {
		c.Fail(x, err)
		return
	}
	most := 1
	for _, site := range all {
		most = max(most, site.is.Opened)
	}
	find := strings.ToLower(v.List.Words)
	all = slices.DeleteFunc(all, func(site counted) bool {
		return find != "" && !strings.Contains(strings.ToLower(site.title+" "+site.address), find)
	})
	slices.SortStableFunc(all, func(a, b counted) int {
		byName := web.CompareFold(a.title, b.title)
		switch v.List.Sort {
		case "turned":
			return cmp.Or(cmp.Compare(b.is.Turned, a.is.Turned), byName)
		case "visitors":
			return cmp.Or(cmp.Compare(b.is.Visitors, a.is.Visitors), byName)
		case "name":
			return byName
		}
		return cmp.Or(cmp.Compare(b.is.Opened, a.is.Opened), byName)
	})
	if x.Query("as") == "csv" {
		row, end := web.SendTable(x, "traffic-of-sites", "Site", "Address", "Pages opened", "Visitors", "Turned away")
		for _, site := range all {
			if !row(site.title, site.address, strconv.Itoa(site.is.Opened), strconv.Itoa(site.is.Visitors), strconv.Itoa(site.is.Turned)) {
				return
			}
		}
		end()
		return
	}
	v.List.Table("/traffic", "as", "csv")
	from, to := v.List.Found(x, len(all), "site", "sites")
	for _, site := range all[from:to] {
		v.Rows = append(v.Rows, everyRow{
			Title: site.title, URL: "/sites/" + site.address + "/traffic", Opened: web.Thousands(site.is.Opened), Visitors: web.Thousands(site.is.Visitors), Turned: web.Thousands(site.is.Turned),
			Change: changeOf(float64(site.is.Opened), float64(site.was.Opened)), Share: percent(site.is.Opened, most),
		})
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

// countedSites returns every site with what was counted on it in a stretch of time and in the
// one before, and both added up.
func countedSites(c *web.Console, x *gin.Context, of app.Stretch) (all []counted, now, before core.Figures, err error) {
	is, err1 := app.FiguresOfSites(x.Request.Context(), c.House, of)
	was, err2 := app.FiguresOfSites(x.Request.Context(), c.House, of.Before())
	s := c.House.State()
	for _, doc := range s.Policy.Document().Sites {
		site := counted{address: doc.Address, title: s.SiteTitle(doc.Address)}
		if f := is[s.ID(doc.Address)]; f != nil {
			site.is = *f
		}
		if f := was[s.ID(doc.Address)]; f != nil {
			site.was = *f
		}
		now.Opened, now.Turned, now.Visitors = now.Opened+site.is.Opened, now.Turned+site.is.Turned, now.Visitors+site.is.Visitors
		before.Opened, before.Turned, before.Visitors = before.Opened+site.was.Opened, before.Turned+site.was.Turned, before.Visitors+site.was.Visitors
		all = append(all, site)
	}
	return all, now, before, errors.Join(err1, err2)
}
