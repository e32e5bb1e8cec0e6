package overview

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

type siteRow struct {
	Address, Title, Host string
	Lead, Sub            string
	Windows              []web.Window
	Edition, Listing     string
	Trouble              string // why a rehearsal was not applied by itself
}

func home(c *web.Console, x *gin.Context) { x.Redirect(http.StatusSeeOther, "/sites") }

func sites(c *web.Console, x *gin.Context) {
	s, me := c.House.State(), web.Actor(x)
	at := access.At(c.House.Now())
	troubles, err := store.Troubles(x.Request.Context(), c.House.Reader(), me.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	var rows []siteRow
	open, inPart := 0, 0
	for _, doc := range s.Policy.Document().Sites {
		if c.House.CanAnywhere(me, doc.Address) == 0 {
			continue
		}
		st := s.Policy.Standing(doc.Address, at)
		switch {
		case st.Strangers == 0:
		case st.Strangers == st.Pages:
			open++
		default:
			inPart++
		}
		row := newSiteRow(c, s, doc, st, at)
		row.Trouble = troubles[s.ID(doc.Address)]
		rows = append(rows, row)
	}
	p := c.Page(x, "Sites")
	p.Here, p.View = "Sites", rows
	if len(rows) > 0 {
		sites := fmt.Sprintf("%d of %s", open+inPart, web.Count(len(rows), "site", "sites"))
		switch {
		case open+inPart == 0:
			p.Standing.Rest = "Strangers can view none of " + web.Count(len(rows), "site", "sites") + "."
		case inPart == 0:
			p.Standing.Lit, p.Standing.Rest = "Anyone", " can view "+sites+"."
		case open == 0:
			p.Standing.Lit, p.Standing.Rest = "Anyone", " can view "+sites+" in part."
		default:
			p.Standing.Lit, p.Standing.Rest = "Anyone", fmt.Sprintf(" can view %s, %d of them in part.", sites, inPart)
		}
		p.Standing.Quiet = nextChange(c, s, rows, at)
	} else {
		p.Standing.Rest = "There is no site yet."
	}
	c.Show(x, http.StatusOK, "sites", p)
}

func newSiteRow(c *web.Console, s *house.State, doc *access.Site, st access.Standing, at access.Instant) siteRow {
	w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
	row := siteRow{Address: doc.Address, Title: cmp.Or(doc.Title, doc.Address), Host: c.SiteHost(doc.Address), Listing: "Kept from search engines"}
	switch {
	case st.Listed > 0 && st.Listed == st.Pages:
		row.Listing = "Found by search engines"
	case st.Listed > 0:
		row.Listing = "Search engines: " + web.Count(st.Listed, "page", "pages")
	}
	looks := s.Policy.Site(doc.Address).FloorPlan(&access.Visitor{}, at)
	for _, path := range web.OrderedPaths(s, doc) {
		if i := slices.IndexFunc(looks, func(l access.Look) bool { return l.Path == path }); i >= 0 {
			row.Windows = append(row.Windows, web.WindowOf(looks[i].Decision))
		}
	}
	if st.State == "draft" {
		row.Windows = nil
		for range s.Site(doc.Address).Working.Order {
			row.Windows = append(row.Windows, web.Window{Symbol: "hidden", Text: "not published"})
		}
	}
	if e := s.Site(doc.Address).Live; e != nil {
		row.Edition = fmt.Sprintf("Edition %d", e.Number)
		if n := s.Site(doc.Address).Working.Changes; n > 0 {
			row.Edition += " · " + web.Count(n, "change", "changes")
		}
	} else {
		row.Edition, row.Listing = "Working copy", ""
	}
	switch {
	case st.State == "draft":
		row.Lead, row.Sub = "Not published yet", web.Count(st.Previewers, "person", "people")+" can see the working copy"
	case st.State == "down":
		row.Lead, row.Sub = "Taken down", "visitors find nothing here"
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
		row.Sub = web.PastHolding(st)
	default:
		lit, rest := web.WhoViews(st, "it")
		row.Lead = lit + rest
		switch more := web.MoreViewers(st); {
		case st.Pages == 0:
		case st.Strangers == 0:
			row.Sub = web.Meets(st)
		case more != "":
			row.Sub = more
		default:
			row.Sub = web.Count(st.Pages, "page", "pages")
		}
	}
	return row
}

// nextChange tells what changes next by the passing of time on the sites shown.
func nextChange(c *web.Console, s *house.State, rows []siteRow, at access.Instant) string {
	var soonest access.Instant
	site := ""
	for _, row := range rows {
		if next := s.Policy.Site(row.Address).Instants(at); len(next) > 0 && (soonest.IsZero() || next[0].Before(soonest)) {
			soonest, site = next[0], row.Title
		}
	}
	if site == "" {
		return "Nothing changes by itself."
	}
	return fmt.Sprintf("Next change: %s, at %s.", soonWords(soonest.Time().In(s.Zone), at.Time().In(s.Zone)), site)
}

func soonWords(t, now time.Time) string {
	switch days := daysBetween(now, t); {
	case days == 0:
		return "today " + t.Format("15:04")
	case days == 1:
		return "tomorrow " + t.Format("15:04")
	}
	return words.Moment(t)
}

func daysBetween(a, b time.Time) int {
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 12, 0, 0, 0, time.UTC) }
	return int(day(b).Sub(day(a)).Hours() / 24)
}

type jumpHit struct{ Name, Sub, URL string }

// jump finds sites and pages by their names.
func jump(c *web.Console, x *gin.Context) {
	s, me := c.House.State(), web.Actor(x)
	want := strings.ToLower(strings.TrimSpace(x.Query("q")))
	var hits []jumpHit
	for _, doc := range s.Policy.Document().Sites {
		if want == "" || c.House.CanAnywhere(me, doc.Address) == 0 {
			continue
		}
		if strings.Contains(strings.ToLower(doc.Title+" "+doc.Address), want) {
			hits = append(hits, jumpHit{doc.Title, "site", "/sites/" + doc.Address})
		}
		for _, path := range web.OrderedPaths(s, doc) {
			title := s.Title(doc.Address, path)
			if c.House.Can(me, doc.Address, path) == 0 { // not even its title is told
				continue
			}
			if strings.Contains(strings.ToLower(title+" "+path), want) {
				hits = append(hits, jumpHit{title, "page of " + doc.Title, web.DoorURL(doc.Address, path, "")})
			}
		}
	}
	c.Show(x, http.StatusOK, "hits", hits[:min(len(hits), 12)])
}
