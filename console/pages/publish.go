package pages

import (
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

// publishView is what an edition would change, before it is live.
type publishView struct {
	Site         string
	Number       int
	First        bool
	Back         bool // an earlier edition, to be gone back to
	At           string
	Note         string
	Pages        []differenceRow
	Outside      int // changes where one may see nothing
	Files        []fileDifference
	Menu, Wears  []string // what changes in the menu, and in the look
	Broken       []brokenRow
	Moved        []string
	Sees         []firstRow
	Anew         []firstRow // by address, where another page stands at it
	Refused      string     // why it cannot be published as it is
	Pictures     []pictureRow
	Listed       string
	Pager        web.Pager // of Pages
	FilePager    web.Pager
	MoreBroken   int
	MorePictures int
	Nothing      bool
	MayPublish   bool
	MayAsk       bool
	Requests     []requestRow
	Due          string
	Form         web.Form
	Parts        []web.Tab

	// Before a site is live for the first time:
	Cards     []getsCard
	Looks     []look
	Forgotten []forgotten
	MayDoor   bool
	HostRest  string // what stands behind the address in the site's host
}

type differenceRow struct {
	Kind, Title, Was, Path, Before, URL string
	Alone                               string // where its difference is shown alone
	HTML                                template.HTML
}

type fileDifference struct{ Kind, Path, Size string }

type brokenRow struct{ On, OnURL, To string }

type firstRow struct {
	Who, Text string
	Stranger  bool
}

type pictureRow struct{ Path, URL string }

type requestRow struct{ Who, Note, When string }

func publish(c *web.Console, x *gin.Context) {
	showPublish(c, x, http.StatusOK, web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}})
}

func showPublish(c *web.Console, x *gin.Context, status int, f web.Form) {
	site := x.Param("site")
	plan, err := pages.PlanPublication(x.Request.Context(), c.House, site)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := newPublishView(c, x, plan)
	v.Form, v.Number = f, plan.Edition.Number
	p := c.SitePage(x, "Pages")
	p.Not = c.MayNotHere(x, access.Publish)
	v.MayPublish, v.MayAsk = p.Site.MayPublish, p.Site.MayWrite && !p.Site.MayPublish
	requests, err := store.Requests(x.Request.Context(), c.House.Reader(), c.House.State().ID(site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	whole := c.House.Can(web.Actor(x), site, "/").Has(access.Preview)
	for _, r := range requests {
		if !whole && r.Who != web.Actor(x).Who {
			continue
		}
		row := requestRow{Note: r.Note, When: c.Moment(r.At)}
		row.Who = c.House.NameOf(r.Who)
		v.Requests = append(v.Requests, row)
	}
	due, err := store.DueEditions(x.Request.Context(), c.House.Reader(), time.Time{}, c.House.State().ID(site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	if len(due) > 0 {
		v.Due = fmt.Sprintf("Edition %d goes live by itself on %s. Publishing now, or on another date, calls that off.", due[0].Number, c.Moment(due[0].Due))
	}
	v.MayDoor = p.Site.MayDoor
	v.Parts = viewParts(site, "Difference", max(1, c.House.State().Site(site).Working.Changes))
	if v.First && !v.Nothing && whole {
		v.Parts = nil
		if err := v.first(c, x, plan); err != nil {
			c.Fail(x, err)
			return
		}
	}
	p.View = v
	c.Show(x, status, "publish", p)
}

// publishView puts what an edition would change into rows; only what the one who
// asks may see of the working copy is shown.
func newPublishView(c *web.Console, x *gin.Context, plan *pages.Publication) *publishView {
	site, me := x.Param("site"), web.Actor(x)
	s := c.House.State()
	doc := s.SiteDocument(site)
	known := c.Known(x)
	w := words.Wording{Document: known, Site: plan.Site, Zone: s.Zone, Hides: known != s.Policy.Document()}
	sees := func(path string) bool { return c.House.Can(me, site, path).Has(access.Preview) }
	v := &publishView{Site: site, First: plan.Live == nil}
	if sees("/") { // whoever has a section alone is told of nothing else
		v.Menu, v.Moved, v.Wears = shortened(plan.Menu), shortened(plan.Moved), plan.Look
		if n := len(plan.Listed); n > 0 {
			v.Listed = fmt.Sprintf("Search engines may list %d more: %s.", n, web.ShortList(plan.Listed))
		}
	}
	at := make(map[string]store.Page, len(plan.Edition.Pages))
	for _, p := range plan.Edition.Pages {
		at[p.Path] = p
	}
	v.differences(c, x, plan, at, sees)
	titles := func(paths []string) string {
		var names []string
		for _, path := range paths {
			name := path
			if p, there := at[path]; there {
				name = p.Title
			}
			names = append(names, name)
		}
		return web.ShortList(names)
	}
	rows := func(list []pages.FirstSight, called func(paths []string) string) (rows []firstRow) {
		for _, f := range list {
			f.Pages = slices.DeleteFunc(slices.Clone(f.Pages), func(path string) bool { return !sees(path) })
			if len(f.Pages) == 0 {
				continue
			}
			if f.Who != "" {
				rows = append(rows, firstRow{w.Observer(f.Who), called(f.Pages), f.Who == "stranger"})
				continue
			}
			var names []string
			for _, id := range f.Names {
				names = append(names, w.Person(id))
			}
			rows = append(rows, firstRow{web.Count(f.Count, "person", "people") + " of the house", called(f.Pages) + ": " + web.ShortListOf(names, f.Count), false})
		}
		return rows
	}
	v.Sees, v.Anew = rows(plan.Sees, titles), rows(plan.Anew, web.ShortList)
	if wrong := (house.FieldErrors{}); errors.As(plan.Refused, &wrong) {
		v.Refused = wrong["note"]
	}
	for _, f := range plan.Pictures {
		if !sees(f.Path) {
			continue
		}
		if len(v.Pictures) == mostListed {
			v.MorePictures++
			continue
		}
		v.Pictures = append(v.Pictures, pictureRow{f.Path, "/sites/" + site + "/files" + access.EscapePath(f.Path)})
	}
	v.Nothing = len(plan.Pages)+len(plan.Files)+len(plan.Menu)+len(plan.Look) == 0 && doc.State == "live"
	return v
}

// mostListed is how many lines of what is listed without pages of its own are shown.
const mostListed = 30

// differences lists what differs, a page of it at a time: how a text changes is worked out for
// those that are shown alone.
func (v *publishView) differences(c *web.Console, x *gin.Context, plan *pages.Publication, at map[string]store.Page, sees func(path string) bool) {
	mine := slices.DeleteFunc(slices.Clone(plan.Pages), func(d pages.PageDifference) bool { return !sees(d.Path) || d.Before != "" && !sees(d.Before) })
	files := slices.DeleteFunc(slices.Clone(plan.Files), func(d pages.FileDifference) bool { return !sees(d.File.Path) })
	v.Outside = len(plan.Pages) - len(mine) + len(plan.Files) - len(files)
	if only := x.Query("page"); only != "" {
		mine = slices.DeleteFunc(mine, func(d pages.PageDifference) bool { return d.Path != only })
	}
	from, to := v.Pager.Cut(x, len(mine))
	mine = mine[from:to]
	left := mostDifferences
	for i, html := range pages.Differences(x.Request.Context(), mine) {
		d := mine[i]
		row := differenceRow{Kind: d.Kind, Title: d.Title, Was: d.Was, Path: d.Path, Before: d.Before}
		if left -= len(html); left >= 0 || i == 0 {
			row.HTML = readable(c, v.Site, html)
		} else if html != "" {
			row.Alone = x.Request.URL.Path + "?" + url.Values{"page": {d.Path}, "number": x.Request.URL.Query()["number"]}.Encode()
		}
		if p, there := at[d.Path]; there {
			row.URL = "/sites/" + v.Site + "/pages/" + p.ID
		}
		v.Pages = append(v.Pages, row)
	}
	from, to = v.FilePager.CutBy(x, "files", len(files))
	for _, d := range files[from:to] {
		v.Files = append(v.Files, fileDifference{d.Kind, d.File.Path, web.SizeWords(d.File.Size)})
	}
	for _, b := range plan.Broken {
		if !sees(b.On) {
			continue
		}
		if len(v.Broken) == mostListed {
			v.MoreBroken++
			continue
		}
		v.Broken = append(v.Broken, brokenRow{b.On, "/sites/" + v.Site + "/pages?path=" + b.On, b.To})
	}
}

// mostDifferences is how many bytes of differences stand on one page of them; a text that changes
// more is shown alone, when it is asked for.
const mostDifferences = 100 << 10

// shortened is a list of at most mostListed lines, the last of which tells of the others.
func shortened(list []string) []string {
	if len(list) <= mostListed {
		return list
	}
	return append(slices.Clone(list[:mostListed]), "And "+web.Count(len(list)-mostListed, "more.", "more."))
}

func doPublish(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "note", "due", "address")
	site := x.Param("site")
	var due time.Time
	if x.PostForm("when") == "later" {
		at, ok := web.InstantAsked(f.Values["due"], c.House.State().Zone)
		if !ok {
			f.Wrong["due"] = "Enter the date and time at which it is to go live."
		}
		due = at.Time()
	}
	if to := f.Values["address"]; to != "" && to != site && len(f.Wrong) == 0 {
		if err := pages.ChangeAddress(x.Request.Context(), c.House, web.Actor(x), site, to); err != nil {
			if !errors.As(err, &f.Wrong) {
				c.Fail(x, err)
				return
			}
		} else {
			site = to
		}
	}
	if len(f.Wrong) > 0 {
		showPublish(c, x, http.StatusUnprocessableEntity, f)
		return
	}
	number, err := pages.Publish(x.Request.Context(), c.House, web.Actor(x), site, f.Values["note"], due)
	var wrong house.FieldErrors
	switch {
	case err == nil && due.IsZero() && number == 1:
		x.Redirect(http.StatusSeeOther, "/sites/"+site+"/published")
	case err == nil && due.IsZero():
		c.Flash(x, fmt.Sprintf("Edition %d is live.", number))
		x.Redirect(http.StatusSeeOther, "/sites/"+site+"/editions")
	case err == nil:
		c.Flash(x, fmt.Sprintf("Edition %d goes live by itself on %s. What you change from now on waits for the one after.", number, c.Moment(due)))
		x.Redirect(http.StatusSeeOther, "/sites/"+site+"/editions")
	case errors.Is(err, house.ErrPast):
		f.Wrong["due"] = "That time has passed. Choose a later one, or publish it now."
		showPublish(c, x, http.StatusUnprocessableEntity, f)
	case errors.Is(err, pages.ErrNothingNew):
		c.Flash(x, "There was nothing new to publish.")
		x.Redirect(http.StatusSeeOther, "/sites/"+site+"/publish")
	case errors.As(err, &wrong):
		f.Wrong = wrong
		showPublish(c, x, http.StatusUnprocessableEntity, f)
	default:
		c.Fail(x, err)
	}
}

// publishedView is what follows the first publication: the address, to hand out.
type publishedView struct {
	Site, Title, URL, Who string
	QR                    template.HTML
}

func published(c *web.Console, x *gin.Context) {
	p := c.SitePage(x, "Pages")
	if !p.Site.IsLive {
		x.Redirect(http.StatusSeeOther, "/sites/"+p.Site.Address+"/publish")
		return
	}
	qr, err := web.QRCode(p.Site.URL)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p.View = publishedView{p.Site.Address, p.Site.Title, p.Site.URL, p.Standing.Text(true), template.HTML(qr)} // drawn here
	c.Show(x, http.StatusOK, "published", p)
}

// addressQR sends the site's address as a QR code, to be kept as a file.
func addressQR(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	_, kind, _ := strings.Cut(x.Request.URL.Path, "/address.")
	c.SendQR(x, c.SiteURL(site)+"/?qr", site, kind)
}

// doAsk asks those who may publish to do so.
func doAsk(c *web.Console, x *gin.Context) {
	if err := pages.AskToPublish(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("note")); err != nil {
		c.Fail(x, err)
		return
	}
	c.Flash(x, "Your request was sent. Those who may publish see it on the Overview and beside the difference.")
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/publish")
}

// editionsView lists what was published.
type editionsView struct {
	Site       string
	Rows       []editionRow
	MayPublish bool
	Due        string
	State      string
	SayGone    bool
	Changes    int
	Number     int // of the edition that is live, or was
	Parts      []web.Tab
	List       web.List
	Search     bool // there are so many that one searches
}

type editionRow struct {
	Number         int
	When, Sub, URL string
	Live           string // what the edition that is live says of it; "" for others
}

// liveText says how visitors get the edition that is live.
func liveText(d *access.Site, at access.Instant, s *house.State) string {
	switch {
	case d.State == "down":
		return "Unpublished: comes back when the site is published again"
	case s.Policy.Site(d.Address).HoldingUp(at):
		return "Live, behind the holding page"
	}
	return "Live now"
}

func editions(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	list, err := store.Editions(x.Request.Context(), c.House.Reader(), c.House.State().ID(site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	due, err := store.DueEditions(x.Request.Context(), c.House.Reader(), time.Time{}, c.House.State().ID(site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	s := c.House.State()
	p := c.SitePage(x, "Pages")
	doc := s.SiteDocument(site)
	v := &editionsView{Site: site, MayPublish: p.Site.MayPublish, State: doc.State, SayGone: doc.SayGone, Changes: s.Site(site).Working.Changes}
	v.Parts = viewParts(site, "Editions", v.Changes)
	if live := s.Site(site).Live; live != nil {
		v.Number = live.Number
	}
	v.List = web.NewList(x, web.Choice{ID: "", Name: "the newest first"}, web.Choice{ID: "old", Name: "the oldest first"})
	v.Search = len(list) > 10
	find := strings.ToLower(v.List.Words)
	list = slices.DeleteFunc(list, func(e *store.Edition) bool {
		text := fmt.Sprintf("edition %d %s %s %s", e.Number, e.Note, c.House.NameOf(e.Who), c.Moment(e.At))
		return find != "" && !strings.Contains(strings.ToLower(text), find)
	})
	if v.List.Sort == "old" {
		slices.Reverse(list)
	}
	if x.Query("as") == "csv" {
		sendEditions(c, x, list)
		return
	}
	v.List.Table(x.Request.URL.Path, "as", "csv")
	from, to := v.List.Found(x, len(list), "edition", "editions")
	for _, e := range list[from:to] {
		row := editionRow{Number: e.Number, When: c.Moment(e.At), URL: fmt.Sprintf("/sites/%s/editions/%d", site, e.Number)}
		if s.Site(site).Live != nil && s.Site(site).Live.Number == e.Number {
			row.Live = liveText(doc, c.At(), s)
		}
		row.Sub = c.House.NameOf(e.Who)
		if row.Live != "" {
			row.Sub = row.When + ", " + row.Sub
		}
		if e.Note != "" {
			row.Sub += ": " + e.Note
		}
		v.Rows = append(v.Rows, row)
	}
	if len(due) > 0 {
		v.Due = fmt.Sprintf("Edition %d goes live by itself on %s.", due[0].Number, c.Moment(due[0].Due))
	}
	p.View = v
	c.Show(x, http.StatusOK, "editions", p)
}

// sendEditions sends editions as a table.
func sendEditions(c *web.Console, x *gin.Context, list []*store.Edition) {
	row, end := web.SendTable(x, "editions-of-"+x.Param("site"), "Number", "When", "Who", "Note")
	for _, e := range list {
		if !row(strconv.Itoa(e.Number), e.At.In(c.House.State().Zone).Format("2006-01-02 15:04"), c.House.NameOf(e.Who), e.Note) {
			return
		}
	}
	end()
}

// edition shows what going back to an edition would change.
func edition(c *web.Console, x *gin.Context) {
	number, err := strconv.Atoi(x.Param("number"))
	if err != nil {
		c.NotFound(x)
		return
	}
	plan, err := pages.PlanReturn(x.Request.Context(), c.House, x.Param("site"), number)
	if errors.Is(err, store.ErrNoEdition) {
		c.NotFound(x)
		return
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := newPublishView(c, x, plan)
	p := c.SitePage(x, "Pages")
	v.Back, v.Number, v.At, v.Note = true, number, c.Moment(plan.Edition.At), plan.Edition.Note
	v.MayPublish = p.Site.MayPublish
	p.View = v
	c.Show(x, http.StatusOK, "publish", p)
}

func doGoBack(c *web.Console, x *gin.Context) {
	number, err := strconv.Atoi(x.PostForm("number"))
	if err == nil {
		err = pages.PublishAgain(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), number)
	}
	switch {
	case errors.Is(err, strconv.ErrSyntax), errors.Is(err, store.ErrNoEdition):
		c.NotFound(x)
		return
	case err != nil:
		c.Fail(x, err)
		return
	}
	c.Flash(x, fmt.Sprintf("Edition %d is live again. The draft is as it was.", number))
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/editions")
}

func doCallOff(c *web.Console, x *gin.Context) {
	if err := pages.CallOff(x.Request.Context(), c.House, web.Actor(x), x.Param("site")); err != nil {
		c.Fail(x, err)
		return
	}
	c.Flash(x, "That edition no longer goes live by itself.")
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/editions")
}

// unpublish shows what taking the site away from visitors, or back to them, would do, and
// does it where that was seen and is meant.
func unpublish(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	action := cmp.Or(x.PostForm("action"), x.Query("action"))
	doc := c.House.State().SiteDocument(site)
	if action == "" {
		action = "down"
		if doc.State == "down" {
			action = "back"
		}
	}
	change := pages.Unpublishing{Site: site, Down: action != "back", SayGone: action == "gone"}
	if x.Request.Method == http.MethodPost && x.PostForm("meant") == "yes" {
		err := pages.Unpublish(web.AsSeen(x), c.House, web.Actor(x), change)
		switch {
		case err != nil && !errors.Is(err, house.ErrNothing):
			c.Fail(x, err)
			return
		case !change.Down:
			c.Flash(x, "The site is published again.")
		default:
			c.Flash(x, "The site is unpublished. It can be published again at any time.")
		}
		x.Redirect(http.StatusSeeOther, "/sites/"+site+"/editions")
		return
	}
	would, err := pages.PreviewUnpublish(x.Request.Context(), c.House, web.Actor(x), change)
	if err != nil {
		c.Done(x, err, "", "/sites/"+site+"/editions")
		return
	}
	v := web.NewChangeView(c, x, change.Does(), would)
	v.To, v.Back = "/sites/"+site+"/unpublish", "/sites/"+site+"/editions"
	v.Hide("action", action)
	v.Do = "Publish it again"
	if change.Down {
		v.Do = "Unpublish"
		v.Choices = []web.Choice{
			{ID: "down", Name: "Visitors get nothing, as if there had never been a site", On: action == "down"},
			{ID: "gone", Name: "Visitors are told that it is unpublished", On: action == "gone"},
		}
		due, err := store.DueEditions(x.Request.Context(), c.House.Reader(), time.Time{}, c.House.State().ID(site))
		if err != nil {
			c.Fail(x, err)
			return
		}
		for _, d := range due {
			v.Warns = append(v.Warns, fmt.Sprintf("Edition %d, which would go live by itself on %s, is called off.", d.Number, c.Moment(d.Due)))
		}
	}
	p := c.SitePage(x, "Pages")
	p.View = v
	c.Show(x, http.StatusOK, "house-change", p)
}
