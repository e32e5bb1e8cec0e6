package overview

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

type siteRow struct {
	Visits               *web.Visits // of late; nil where nobody came, or one may not see it
	Address, Title, Host string
	Lead, Sub            string
	Windows              []web.Window
	Edition, Listing     string
	Trouble              string // why a rehearsal was not applied by itself
}

// mostWindows is how many pages of a site are drawn in the list.
const mostWindows = 28

// sitesView lists the sites that somebody has to do with.
type sitesView struct {
	List  web.List
	Any   bool // has to do with a site at all
	Rows  []siteRow
	Reads []readRow // where they are on no team: what they may read
}

// readRow is a site that somebody may read without being on its team.
type readRow struct{ Title, Host, URL string }

func home(c *web.Console, x *gin.Context) { x.Redirect(http.StatusSeeOther, "/sites") }

// siteSorts are the orders that sites may be listed in.
var siteSorts = []web.Choice{{ID: "", Name: "by name"}, {ID: "open", Name: "most open first"}, {ID: "changes", Name: "most unpublished changes first"}}

func sites(c *web.Console, x *gin.Context) {
	s, me := c.House.State(), web.Actor(x)
	at := access.At(c.House.Now())
	p := c.Page(x, "Sites")
	p.Here = "Sites"
	v := &sitesView{List: web.NewList(x, siteSorts...)}
	p.View = v
	mine, standing := web.MySites(c, me)
	v.Any = len(mine) > 0
	if !v.Any {
		if p.Steward {
			x.Redirect(http.StatusSeeOther, "/new-site")
			return
		}
		p.Standing.Say("You look after no site.")
		v.Reads = readable(c, s, me, at)
		c.Show(x, http.StatusOK, "sites", p)
		return
	}
	web.SayOfSites(s, p, mine, standing, at)
	want := strings.ToLower(v.List.Words)
	mine = slices.DeleteFunc(mine, func(doc *access.Site) bool {
		return !strings.Contains(strings.ToLower(doc.Title+" "+doc.Address), want)
	})
	slices.SortStableFunc(mine, func(a, b *access.Site) int {
		byName := cmp.Compare(strings.ToLower(cmp.Or(a.Title, a.Address)), strings.ToLower(cmp.Or(b.Title, b.Address)))
		switch v.List.Sort {
		case "open":
			return cmp.Or(cmp.Compare(share(standing[b.Address]), share(standing[a.Address])), byName)
		case "changes":
			return cmp.Or(cmp.Compare(s.Site(b.Address).Working.Changes, s.Site(a.Address).Working.Changes), byName)
		}
		return byName
	})
	if x.Query("as") == "csv" {
		sendSites(c, x, mine, standing, at)
		return
	}
	from, to := v.List.Found(x, len(mine), "site", "sites")
	v.List.Table("/sites", "as", "csv")
	troubles, err := store.Troubles(x.Request.Context(), c.House.Reader(), me.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	for _, doc := range mine[from:to] {
		row := newSiteRow(c, s, doc, standing[doc.Address], at)
		row.Trouble = troubles[s.ID(doc.Address)]
		if c.House.Can(me, doc.Address, "/").Has(access.SeeTraffic) {
			if row.Visits, err = c.VisitsOf(x.Request.Context(), doc.Address, 18); err != nil {
				c.Fail(x, err)
				return
			}
		}
		v.Rows = append(v.Rows, row)
	}
	c.Show(x, http.StatusOK, "sites", p)
}

// sendSites sends sites as a table.
func sendSites(c *web.Console, x *gin.Context, list []*access.Site, standing map[string]access.Standing, at access.Instant) {
	row, end := web.SendTable(x, "sites", "Title", "Address", "Who views it", "More", "Edition", "Search engines")
	for _, doc := range list {
		r := newSiteRow(c, c.House.State(), doc, standing[doc.Address], at)
		if !row(r.Title, r.Host, r.Lead, r.Sub, r.Edition, r.Listing) {
			return
		}
	}
	end()
}

// share is how much of a site strangers can view.
func share(st access.Standing) float64 {
	if st.Pages == 0 {
		return 0
	}
	return float64(st.Strangers) / float64(st.Pages)
}

// readable lists the published sites that let somebody in who works on none: those whose
// front page opens to them, or a page that strangers do not get.
func readable(c *web.Console, s *house.State, me house.Actor, at access.Instant) (rows []readRow) {
	visitor := access.Visitor{Identity: s.Identity(me.Who)}
	for _, doc := range s.Policy.Document().Sites {
		site, strangers := s.Policy.Site(doc.Address), map[string]bool{}
		for _, look := range site.FloorPlan(&access.Visitor{}, at) {
			strangers[look.Path] = look.Decision.Outcome == access.Open
		}
		letsIn := func(l access.Look) bool {
			return l.Decision.Outcome == access.Open && (l.Path == "/" || !strangers[l.Path])
		}
		if doc.State != "live" || !slices.ContainsFunc(site.FloorPlan(&visitor, at), letsIn) {
			continue
		}
		rows = append(rows, readRow{cmp.Or(doc.Title, doc.Address), c.SiteHost(doc.Address), "/sign-in?site=" + doc.Address + "&path=/"})
	}
	return rows
}

func newSiteRow(c *web.Console, s *house.State, doc *access.Site, st access.Standing, at access.Instant) siteRow {
	w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
	row := siteRow{Address: doc.Address, Title: cmp.Or(doc.Title, doc.Address), Host: c.SiteHost(doc.Address), Listing: "Search engines are kept away"}
	switch {
	case st.Listed > 0 && st.Listed == st.Pages:
		row.Listing = "Search engines may list it"
	case st.Listed > 0:
		row.Listing = "Search engines may list " + web.Count(st.Listed, "page", "pages")
	}
	paths, site := web.OrderedPaths(s, doc), s.Policy.Site(doc.Address)
	for _, path := range paths[:min(len(paths), mostWindows)] {
		row.Windows = append(row.Windows, web.WindowOf(site.Decide(path, &access.Visitor{}, at)))
	}
	if st.State == "draft" {
		row.Windows = nil
		for range s.Site(doc.Address).Working.Order[:min(len(s.Site(doc.Address).Working.Order), mostWindows)] {
			row.Windows = append(row.Windows, web.Window{Symbol: "hidden", Text: "not published"})
		}
	}
	if text := c.Elsewhere(doc.Address); text != "" {
		row.Edition = text
	} else if e := s.Site(doc.Address).Live; e != nil {
		row.Edition = fmt.Sprintf("Edition %d", e.Number)
		if n := s.Site(doc.Address).Working.Changes; n > 0 {
			row.Edition += " · " + web.Count(n, "change", "changes")
		}
	} else {
		row.Edition, row.Listing = "Draft", ""
	}
	switch {
	case st.State == "draft":
		row.Lead, row.Sub = "Not published yet", web.Count(st.Previewers, "person", "people")+" can see the draft"
	case st.State == "down":
		row.Lead, row.Sub = "Unpublished", "visitors get nothing here"
		if st.SayGone {
			row.Sub = "visitors are told so"
		}
	case st.Holding && st.Held > 0:
		row.Lead = "Maintenance page"
		if st.Soon {
			row.Lead = "Coming soon page"
		}
		if !st.HoldUntil.IsZero() {
			row.Lead += " until " + w.When(st.HoldUntil)
		}
		who, rest := web.PastHolding(st)
		row.Sub = who + rest
	default:
		who, _, rest := web.WhoViews(st, "it")
		row.Lead = who + rest
		switch more, how := web.MoreViewers(st); {
		case st.Pages == 0:
		case st.Strangers == 0:
			row.Sub = web.Gets(st)
		case more != "":
			row.Sub = more + how
		default:
			row.Sub = web.Count(st.Pages, "page", "pages")
		}
	}
	return row
}
