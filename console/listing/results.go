package listing

import (
	"cmp"
	"context"
	"encoding/base64"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/listing"
	"velada/console/web"
	"velada/core/access"
	found "velada/core/listing"
	"velada/house"
	"velada/store"
	"velada/words"
)

// foundView is what search engines are told of a site, page by page, and what it adds of its own.
type foundView struct {
	States   []web.Tab // which pages are shown
	Query    string
	Rows     []foundRow
	Pager    web.Pager
	Pattern  web.Form
	Patterns []web.Choice
	Pictures []web.Choice
	Robots   string // as it is now
	Own      web.Form
	Against  string // what the own lines say against pages, now
	Then     bool   // something is rehearsed
	// After the rehearsal:
	ThenAgainst  string
	Comes, Goes  []string // pages of the sitemap
	Sitemap      string   // the sitemap as it is now, its beginning
	SitemapPages int
}

// foundRow is a page with what search engines are told of it.
type foundRow struct {
	Title, Path, URL string
	State, Why       string
	Do, DoURL        string // what would change it, and where
	Then             string // what they would be told after the rehearsal, where that differs
	Dropping         string // since when engines are to drop it
	On               bool   // listed
}

// states are what the list of pages is narrowed to.
var states = []struct{ id, name string }{
	{"", "All"}, {"listed", "Listed"}, {"away", "Kept away"}, {"unread", "Cannot be read"}, {"dropped", "To be dropped"},
}

func inState(id string, p listing.Page, told words.Told) bool {
	switch id {
	case "listed":
		return told.State == words.StateListed
	case "away":
		return told.State == words.StateAway
	case "unread":
		return told.State == words.StateUnread
	case "dropped":
		return p.Dropped()
	}
	return true
}

// remedy is where what search engines are told of a page is changed.
func remedy(site string, p listing.Page) string {
	at := "/sites/" + site
	switch p.Told.Kind {
	case access.ToldNotSite:
		return at + "/settings#engines"
	case access.ToldNotPage:
		return at + "/pages?" + url.Values{"path": {p.Path}}.Encode()
	case access.ToldByRule:
		if p.Told.Rule != nil {
			return "/house-rules#rule-" + p.Told.Rule.ID
		}
		return "/house-rules"
	case access.ToldShut, access.ToldHidden:
		if p.Told.Door == "" {
			return at + "/door"
		}
		return at + "/door?" + url.Values{"page": {p.Told.Door}}.Encode()
	case access.ToldSoon:
		return at + "/holding"
	case access.ToldNothing:
		return at + "/publish"
	}
	return ""
}

// results reads what the part about search results shows; own and pattern are forms to show again.
func (v *settingsView) results(c *web.Console, x *gin.Context, own, pattern web.Form) error {
	d, err := c.Site(x)
	if err != nil {
		return err
	}
	var then *access.Policy
	if d.Tray != nil && d.Tray.Problem == nil {
		then = d.Tray.Then
	}
	list, err := listing.Pages(x.Request.Context(), c.House, d.State, v.Site, then)
	if err != nil {
		return err
	}
	f := &foundView{Query: x.Query("q"), Then: then != nil, Own: own, Pattern: pattern}
	title := func(path string) string { return d.State.Title(v.Site, path) }
	f.pages(c, x, d, list, title)
	of := d.State.Site(v.Site)
	if f.Pattern.Values == nil {
		f.Pattern = web.Form{Values: map[string]string{"pattern": cmp.Or(of.Details.Pattern, string(found.PageSite)), "picture": of.Details.Picture}}
	}
	if f.Own.Values == nil {
		f.Own = web.Form{Values: map[string]string{"robots": of.Details.Robots, "sitemaps": strings.Join(of.Details.Sitemaps, "\n")}}
	}
	f.patterns(d.State, v.Site)
	f.Pictures = pictureChoices(d.State, v.Site, f.Pattern.Values["picture"], "no picture", d.Real)
	f.files(c, d, v.URL, list)
	v.Found = f
	return nil
}

// pages lists the pages that the request asks for.
func (f *foundView) pages(c *web.Console, x *gin.Context, d *web.Site, list []listing.Page, title func(string) string) {
	state, site := x.Query("told"), d.Site
	var hits []listing.Page
	counts := map[string]int{}
	for _, p := range list {
		if words := strings.ToLower(p.Title + " " + p.Path); !strings.Contains(words, strings.ToLower(f.Query)) {
			continue
		}
		told := d.Words.Told(p.Told, title)
		for _, s := range states {
			if inState(s.id, p, told) {
				counts[s.id]++
			}
		}
		if inState(state, p, told) {
			hits = append(hits, p)
		}
	}
	for _, s := range states {
		q := url.Values{}
		for name, value := range map[string]string{"told": s.id, "q": f.Query} {
			if value != "" {
				q.Set(name, value)
			}
		}
		f.States = append(f.States, web.Tab{Name: s.name + " " + strconv.Itoa(counts[s.id]), URL: strings.TrimSuffix("/sites/"+site+"/settings?"+q.Encode(), "?"), On: s.id == state})
	}
	from, to := f.Pager.Cut(x, len(hits))
	for _, p := range hits[from:to] {
		f.Rows = append(f.Rows, newFoundRow(c, d, p, title))
	}
}

func newFoundRow(c *web.Console, d *web.Site, p listing.Page, title func(string) string) foundRow {
	told := d.Words.Told(p.Told, title)
	r := foundRow{
		Title: p.Title, Path: p.Path, URL: "/sites/" + d.Site + "/settings/result?" + url.Values{"page": {p.Path}}.Encode(),
		State: told.State, Why: told.Why, Do: told.Do, DoURL: remedy(d.Site, p), On: told.State == words.StateListed,
	}
	if after := d.Words.Told(p.Then, title); after != told {
		r.Then = after.State
		if after.State == told.State {
			r.Then = words.LowerFirst(strings.TrimSuffix(after.Why, "."))
		}
	}
	if p.Dropped() {
		r.Dropping = c.Moment(p.Was.Until)
	}
	return r
}

// patterns are the ways in which titles are made, each on a page of the site.
func (f *foundView) patterns(s *house.State, site string) {
	example := "Visit us"
	if live := s.Site(site).Live; live != nil {
		for _, p := range live.Menu {
			if p.Path != "/" {
				example = p.Title
				break
			}
		}
	}
	for _, p := range found.Patterns {
		f.Patterns = append(f.Patterns, web.Choice{ID: string(p), Name: p.Title(example, s.SiteTitle(site)), On: f.Pattern.Values["pattern"] == string(p)})
	}
}

// mostShown is how many addresses of a sitemap, and how many pages that come or go, are shown.
const mostShown = 12

// files shows robots.txt and the sitemap as they are, and what the rehearsal does to them.
func (f *foundView) files(c *web.Console, d *web.Site, origin string, list []listing.Page) {
	details := d.State.Site(d.Site).Details
	own, _ := found.ReadOwn(details.Robots) // it was read when it was set
	var sitemaps []string
	if slices.ContainsFunc(list, func(p listing.Page) bool { return p.Told.Kind == access.ToldListed }) {
		sitemaps = []string{origin + "/sitemap.xml"}
	}
	for _, path := range details.Sitemaps {
		sitemaps = append(sitemaps, origin+access.EscapePath(path))
	}
	f.Robots = found.Robots(own, sitemaps...)
	f.Against = listing.FaultWords(listing.Contradictions(d.State, d.Site, d.State.Policy, d.Real))
	if f.Then {
		f.ThenAgainst = listing.FaultWords(listing.Contradictions(d.State, d.Site, d.Policy, d.Real))
	}
	var addresses []found.Address
	for _, p := range list {
		was, will := p.Told.Kind == access.ToldListed, p.Then.Kind == access.ToldListed
		switch {
		case !was && will:
			f.Comes = append(f.Comes, p.Path)
		case was && !will:
			f.Goes = append(f.Goes, p.Path)
		}
		if was {
			addresses = append(addresses, d.State.Site(d.Site).Live.Address(origin, p.Path))
		}
	}
	f.SitemapPages = len(addresses)
	if len(addresses) == 0 {
		return
	}
	text := string(found.Sitemap(addresses[:min(len(addresses), mostShown)]))
	if more := len(addresses) - mostShown; more > 0 {
		text = strings.TrimSuffix(text, "</urlset>\n") + "… and " + web.Count(more, "more", "more") + "\n</urlset>\n"
	}
	f.Sitemap = text
}

func pictureChoices(s *house.State, site, chosen, none string, now time.Time) []web.Choice {
	list := []web.Choice{{ID: "", Name: none, On: chosen == ""}}
	paths := listing.Pictures(s, site, now)
	if chosen != "" && !slices.Contains(paths, chosen) {
		paths = append(paths, chosen)
	}
	for _, path := range paths {
		list = append(list, web.Choice{ID: path, Name: strings.TrimPrefix(path, "/files/"), On: path == chosen})
	}
	return list
}

// resultView is one page as search results show it, and what it says of itself.
type resultView struct {
	Site, Title, Path, Back string
	MayChange               bool
	Row                     foundRow
	Told                    string // how long engines may show it still
	Since                   string // since when the sitemap has it
	Result                  listing.Result
	Address                 string // its canonical address
	Crumbs                  string // the address as results write it
	ShortTitle, ShortText   string // as much of title and description as results show
	Others                  []string
	Picture                 template.URL // itself
	Form                    web.Form
	Pictures                []web.Choice
}

func showResult(c *web.Console, x *gin.Context) {
	path, err := access.DocumentPath(cmp.Or(x.Query("page"), "/"))
	if err != nil {
		c.NotFound(x)
		return
	}
	resultPage(c, x, http.StatusOK, path, web.Form{})
}

// resultPage shows one page as search results show it; f is the form to show again.
func resultPage(c *web.Console, x *gin.Context, status int, path string, f web.Form) {
	site := x.Param("site")
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v, err := newResultView(x.Request.Context(), c, d, path)
	if errors.Is(err, house.ErrNothing) {
		c.NotFound(x)
		return
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	v.MayChange = c.House.Can(web.Actor(x), site, "/").Has(access.ManageListing)
	if f.Values != nil {
		v.Form = f
	}
	v.Pictures = pictureChoices(d.State, site, v.Form.Values["picture"], "the picture of the site", d.Real)
	p := c.SitePage(x, "Settings")
	p.View = v
	c.Show(x, status, "result", p)
}

func newResultView(ctx context.Context, c *web.Console, d *web.Site, path string) (*resultView, error) {
	result, err := listing.ResultOf(ctx, c.House, d.State, d.Site, path)
	if err != nil {
		return nil, err
	}
	var then *access.Policy
	if d.Tray != nil && d.Tray.Problem == nil {
		then = d.Tray.Then
	}
	list, err := listing.Pages(ctx, c.House, d.State, d.Site, then)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(list, func(p listing.Page) bool { return p.Path == path })
	if i < 0 {
		return nil, house.ErrNothing
	}
	page := list[i]
	v := &resultView{
		Site: d.Site, Title: page.Title, Path: path, Back: "/sites/" + d.Site + "/settings", Result: result,
		Row: newFoundRow(c, d, page, func(path string) string { return d.State.Title(d.Site, path) }), Address: c.SiteURL(d.Site) + d.State.Site(d.Site).Live.URLPath(path),
		ShortTitle: found.Excerpt(result.Title, found.TitleShown), ShortText: found.Excerpt(result.Description, found.DescriptionShown),
		Form: web.Form{Values: map[string]string{"title": page.Own.Title, "description": page.Own.Description, "picture": page.Own.Picture}},
	}
	v.Crumbs = strings.ReplaceAll(strings.TrimSuffix(c.SiteHost(d.Site)+path, "/"), "/", " › ")
	if !page.Was.Since.IsZero() && page.Was.Until.IsZero() {
		v.Since = c.Moment(page.Was.Since)
	}
	if page.Dropped() {
		v.Told = words.Dropping(page.Told.Kind)
	}
	if v.Picture, err = shownPicture(ctx, c, d.State.Site(d.Site).Live, result.Picture); err != nil {
		return nil, err
	}
	v.Others, err = listing.LeadHere(ctx, c.House, d.State, d.Site, path)
	return v, err
}

// mostPicture is how large a picture is shown in the console, in bytes.
const mostPicture = 2 << 20

// shownPicture is a picture of the live site itself; "" where there is none, or it is too large.
func shownPicture(ctx context.Context, c *web.Console, live *house.LiveEdition, path string) (template.URL, error) {
	if live == nil || live.Files[path] == nil || !slices.Contains(house.Pictures, live.Files[path].Type) {
		return "", nil
	}
	data, err := c.House.FileData(ctx, live.Files[path])
	if err != nil || len(data) > mostPicture {
		return "", err
	}
	return template.URL("data:" + live.Files[path].Type + ";base64," + base64.StdEncoding.EncodeToString(data)), nil // a picture, checked when it was sent
}

// doResult sets what a page says of itself in results.
func doResult(c *web.Console, x *gin.Context) {
	site, f := x.Param("site"), web.Typed(x, "title", "description", "picture")
	path, err := access.DocumentPath(cmp.Or(x.Query("page"), "/"))
	if err != nil {
		c.NotFound(x)
		return
	}
	err = listing.SetPage(x.Request.Context(), c.House, web.Actor(x), site, path, store.PageResult{Title: f.Values["title"], Description: f.Values["description"], Picture: f.Values["picture"]})
	if errors.As(err, &f.Wrong) {
		resultPage(c, x, http.StatusUnprocessableEntity, path, f)
		return
	}
	c.Done(x, err, "Saved. It holds from now on.", "/sites/"+site+"/settings/result?"+url.Values{"page": {path}}.Encode())
}

// doPattern sets how titles of results are made, and the picture of the site.
func doPattern(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "pattern", "picture")
	err := listing.SetPattern(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), f.Values["pattern"], f.Values["picture"])
	if errors.As(err, &f.Wrong) {
		showResults(c, x, web.Form{}, f)
		return
	}
	c.Done(x, err, "Saved. It holds for every page from now on.", "/sites/"+x.Param("site")+"/settings#titles")
}

// doRobots sets a site's own lines for robots.txt, and its own sitemaps.
func doRobots(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "robots", "sitemaps")
	err := listing.SetRobots(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), f.Values["robots"], strings.Fields(f.Values["sitemaps"]))
	if errors.As(err, &f.Wrong) {
		showResults(c, x, f, web.Form{})
		return
	}
	c.Done(x, err, "Saved. It holds from now on.", "/sites/"+x.Param("site")+"/settings#robots")
}
