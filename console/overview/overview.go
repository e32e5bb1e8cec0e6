package overview

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/doors"
	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/core/rounds"
	"velada/house"
	"velada/store"
	"velada/words"
)

// overviewView is the front screen of a site.
type overviewView struct {
	Site       string
	Facade     []facadeRow
	MorePages  int // beside those
	Next       []web.Knob
	Dated      []datedRow // changes that somebody has put on a date, and editions
	More       bool       // changes come after those
	Rounds     []web.FindingRow
	MoreRounds int
	Visits     *web.Visits // of late; nil where nobody came, or one may not see it
	View       []viewRow
	TeamGets   string // when the team gets the site
	Edit       []editRow
	Promises   []web.PromiseRow
	Form       *promiseForm
	Done       []doneRow
	MayChange  bool
	MayLedger  bool
	Steps      []step
}

// facadeRow is a page as a stranger gets it.
type facadeRow struct {
	Window     web.Window
	Title, URL string
}

type viewRow struct{ Who, Count, URL string }

type editRow struct{ Who, Role string }

type doneRow struct{ When, What string }

// promiseForm writes a promise by choosing.
type promiseForm struct {
	web.Form
	Who   []web.Choice
	Musts []web.Choice
	Pages []web.Choice
}

// How much of each the front screen lists; the views that it leads to have more.
const (
	mostNext   = 4
	mostFacade = 16
	mostLists  = 6
	mostDone   = 5
)

// datedRow is something that somebody has put on a date.
type datedRow struct {
	When, What, URL string
	Grave           bool // it will not happen, as things stand
}

// dated lists what is applied or goes live by itself, each with who set the date.
func (v *overviewView) dated(c *web.Console, x *gin.Context, d *web.Site) error {
	changes, err1 := c.House.Trays.DatedOn(x.Request.Context(), d.Site)
	editions, err2 := store.DueEditions(x.Request.Context(), c.House.Reader(), never, c.House.State().ID(d.Site))
	if err := errors.Join(err1, err2); err != nil {
		return err
	}
	add := func(at time.Time, what, url string, stands bool, who store.Who) {
		if !stands {
			what += fmt.Sprintf(". It will not be: %s may no longer do this", c.House.NameOf(who))
		}
		v.Dated = append(v.Dated, datedRow{c.Moment(at), what, url, !stands})
	}
	for _, e := range editions {
		stands := c.House.Stands(x.Request.Context(), e.Who, house.Needs{Site: d.Site, Cap: access.Publish}) == nil
		add(e.Due, fmt.Sprintf("Edition %d goes live, set by %s", e.Number, c.House.NameOf(e.Who)), "/sites/"+d.Site+"/editions", stands, e.Who)
	}
	for _, change := range changes {
		url := ""
		if change.Who == web.Actor(x).Who {
			url = "/sites/" + d.Site + "/rehearsal"
		}
		add(change.Due, fmt.Sprintf("%s by %s %s applied", words.Count(change.Changes, "change", "changes"), c.House.NameOf(change.Who), map[bool]string{true: "is", false: "are"}[change.Changes == 1]), url, change.Stands, change.Who)
	}
	return nil
}

// never is later than whatever happens.
var never = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

func overview(c *web.Console, x *gin.Context) { showOverview(c, x, http.StatusOK, nil) }

func showOverview(c *web.Console, x *gin.Context, status int, f *promiseForm) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Overview")
	v := &overviewView{Site: d.Site, MayChange: p.Site.MayDoor, MayLedger: p.Site.MayDoor, Form: f}
	if f == nil && p.Site.MayDoor && x.Query("promise") != "" {
		v.Form = newPromiseForm(d, web.Form{Values: map[string]string{"page": "/", "must": "not-open", "when": "always"}})
	}
	v.Facade, v.MorePages = facade(d)
	knobs, _ := d.Knobs("")
	v.Next = knobs[:min(len(knobs), mostNext+1)]
	v.More = len(knobs) > len(v.Next)
	if err := v.dated(c, x, d); err != nil {
		c.Fail(x, err)
		return
	}
	for _, j := range d.State.Policy.Judge(access.At(d.Real)) {
		if j.Promise.Site != d.Site {
			continue
		}
		v.Promises = append(v.Promises, d.PromiseRow(j))
	}
	requests, err := store.Requests(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.Site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	if v.Rounds, v.MoreRounds, err = atHand(c, x, d, p.Site, requests); err != nil {
		c.Fail(x, err)
		return
	}
	if p.Site.MayTraffic {
		if v.Visits, err = c.VisitsOf(x.Request.Context(), d.Site, 70); err != nil {
			c.Fail(x, err)
			return
		}
	}
	v.View, v.TeamGets = whoViews(d)
	v.Edit = whoEdits(d)
	if v.MayLedger {
		if v.Done, err = doneLately(c, x, d); err != nil {
			c.Fail(x, err)
			return
		}
	}
	if v.Steps, err = steps(c, x, d); err != nil {
		c.Fail(x, err)
		return
	}
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, "/sites/"+d.Site)
	}
	p.View = v
	c.Show(x, status, "overview", p)
}

// facade is every page as a stranger gets it now, and how many there are beside those shown.
func facade(d *web.Site) (rows []facadeRow, more int) {
	looks := d.State.Policy.Site(d.Site).FloorPlan(&access.Visitor{}, access.At(d.Real))
	paths := web.NewTree(web.OrderedPaths(d.State, d.Now)).Order
	for _, path := range paths {
		i := slices.IndexFunc(looks, func(l access.Look) bool { return l.Path == path })
		switch {
		case i < 0:
		case len(rows) == mostFacade:
			more++
		default:
			rows = append(rows, facadeRow{web.WindowOf(looks[i].Decision), d.State.Title(d.Site, path), web.DoorURL(d.Site, path, "")})
		}
	}
	if len(paths) == 0 { // nothing is live yet: the draft, as it looks to them
		for _, path := range d.State.Site(d.Site).Working.Order {
			if len(rows) == mostFacade {
				more++
				continue
			}
			rows = append(rows, facadeRow{web.Window{Symbol: "hidden", Text: "not published yet"}, d.State.Title(d.Site, path), "/sites/" + d.Site + "/pages?path=" + url.QueryEscape(path)})
		}
	}
	return rows, more
}

// whoViews lists the ways by which somebody gets the site now, with how many people each lets in: dates,
// house rules, the holding page and whether the site is published are considered.
func whoViews(d *web.Site) (rows []viewRow, teamGets string) {
	at := access.At(d.Real)
	s := d.State.Policy.Site(d.Site)
	w := d.Words
	w.Site = d.Now
	switch d.Now.State {
	case "draft":
		return []viewRow{{Who: "Nobody yet", Count: "not published", URL: "/sites/" + d.Site + "/publish"}}, "see the draft"
	case "down":
		return []viewRow{{Who: "Nobody", Count: "unpublished", URL: "/sites/" + d.Site + "/editions"}}, "see the draft"
	}
	if s.HoldingUp(at) {
		row := viewRow{Who: "The holding page stands", URL: "/sites/" + d.Site + "/holding"}
		if until, ends := s.HoldingUntil(at); ends {
			row.Count = "until " + w.When(until)
		}
		rows = append(rows, row)
		for _, way := range d.Now.Holding.LetIn {
			if row, now := wayNow(d, w, way, at); now {
				row.Count, row.URL = strings.TrimPrefix(row.Count+", by it", ", "), "/sites/"+d.Site+"/holding"
				rows = append(rows, row)
			}
		}
		return shortViews(d, rows), "always"
	}
	door, _ := parts.DoorAt(d.Now, "")
	for _, way := range door.Ways {
		if row, now := wayNow(d, w, way, at); now {
			rows = append(rows, row)
		}
	}
	return shortViews(d, rows), "always"
}

func shortViews(d *web.Site, rows []viewRow) []viewRow {
	if len(rows) > mostLists {
		rows = append(rows[:mostLists-1:mostLists-1], viewRow{Who: "and " + web.Count(len(rows)-mostLists+1, "more way in", "more ways in") + ", on Door", URL: web.DoorURL(d.Site, "", "")})
	}
	return rows
}

// wayNow says what a way in does now; false of one that is over.
func wayNow(d *web.Site, w words.Wording, way access.Way, at access.Instant) (viewRow, bool) {
	row := viewRow{Who: w.WayName(way), URL: web.DoorURL(d.Site, "", "")}
	if !way.Until.IsZero() && !at.Before(way.Until) {
		return row, false
	}
	if at.Before(way.From) {
		row.Count = "from " + w.Day(way.From)
		return row, true
	}
	people, anybody := d.State.Policy.Site(d.Site).Comes(way, at)
	strangersShut := slices.ContainsFunc(d.State.Policy.Shuts(d.Site, way, at), func(s access.Shut) bool { return s.Strangers })
	switch {
	case !anybody && len(d.State.Policy.Shuts(d.Site, way, at)) > 0:
		row.Count = "shut by a house rule"
		return row, true
	case !anybody:
		row.Count = "nobody now"
		return row, true
	case way.Way == "anyone" && strangersShut:
		row.Count = "signed in only, by a house rule"
	case slices.Contains([]string{"anyone", "signed-in", "network", "link", "pass"}, way.Way):
	default:
		row.Count = web.Thousands(people)
	}
	if !way.Until.IsZero() {
		row.Count = strings.TrimPrefix(row.Count+", until "+w.Day(way.Until), ", ")
	}
	return row, true
}

// whoEdits lists who may write now, with what they are on the site.
func whoEdits(d *web.Site) (rows []editRow) {
	w := d.Words
	w.Site = d.Now
	team := d.State.Policy.Site(d.Site).Editors(access.At(d.Real))
	slices.SortStableFunc(team, func(a, b access.Editor) int {
		return cmp.Compare(slices.Index(web.RoleOrder, a.Entry.Role), slices.Index(web.RoleOrder, b.Entry.Role))
	})
	for i, e := range team {
		if len(rows) == mostLists-1 && len(team) > mostLists {
			return append(rows, editRow{fmt.Sprintf("and %d more, on Team", len(team)-i), ""})
		}
		role := words.Role(e.Entry.Role)
		if e.Entry.Under != "/" {
			role += ", " + e.Entry.Under
		}
		if e.Entry.Group != "" {
			role += ", " + web.Count(e.People, "person", "people")
		}
		if len(e.Domains) > 0 {
			role += " and anyone at " + web.ShortList(e.Domains)
		}
		rows = append(rows, editRow{w.Entry(e.Entry), role})
	}
	return rows
}

// doneLately lists the latest entries of the ledger.
func doneLately(c *web.Console, x *gin.Context, d *web.Site) (rows []doneRow, err error) {
	entries, err := store.Ledger(x.Request.Context(), c.House.Reader(), store.LedgerFilter{Sites: []store.SiteID{c.House.State().ID(d.Site)}, Most: mostDone})
	if err != nil {
		return nil, err
	}
	now := d.Real.In(d.State.Zone)
	for _, e := range entries {
		row := doneRow{What: e.What}
		if at, err := time.Parse(time.RFC3339, e.At); err == nil {
			row.When = words.Since(at.In(d.State.Zone), now)
		}
		who := e.Who
		if me, there := c.House.ActorOf(e.WhoID); there {
			who = me.Name
		}
		row.What = who + ": " + e.What
		rows = append(rows, row)
	}
	return rows, nil
}

// mostRounds is how much of what needs attention the front screen lists.
const mostRounds = 8

// atHand lists what somebody should deal with: what rounds found on the site, and what waits
// there for them, the most pressing first.
func atHand(c *web.Console, x *gin.Context, d *web.Site, head *web.SiteHead, requests []store.PublishRequest) (rows []web.FindingRow, more int, err error) {
	me := web.Actor(x)
	look, err := c.Rounds.Look(x.Request.Context())
	if err != nil {
		return nil, 0, err
	}
	old := false
	for _, f := range c.Rounds.Of(look, me, d.Site, false) {
		old = old || f.Kind == rounds.ChangesNotLive
		rows = append(rows, c.NewFindingRow(f, me, false))
	}
	add := func(grave, what, sub, do, url string) {
		if sub != "" {
			sub = " · " + sub
		}
		rows = append(rows, web.FindingRow{Grave: grave, Title: what, Sub: grave + sub, Do: do, To: url})
	}
	for _, p := range d.Now.Passes {
		if d.State.Site(d.Site).Passes[p.ID].Hash == nil && !p.Revoked && head.MayDoor {
			add("soon", "The password “"+d.Words.Pass(p.ID)+"” is not set yet", "until it is, it opens nothing", "Set it", web.PassesURL(d.Site, "pass", "password:"+p.ID))
		}
	}
	pending := 0
	for _, m := range d.Now.Members {
		if m.Status == "pending" {
			pending++
		}
	}
	if pending > 0 && head.MayAdmit {
		add("soon", web.Count(pending, "person waits", "people wait")+" to be approved", "they asked to become members", "Approve or decline", web.MembersURL(d.Site))
	}
	for _, r := range requests {
		add("soon", c.House.NameOf(r.Who)+" asks for the draft to be published", r.Note, "See the difference", "/sites/"+d.Site+"/publish")
	}
	if d.Tray != nil {
		add("soon", web.Count(len(d.Tray.Changes), "change is", "changes are")+" tried out and not applied", "only you see them", "See what they do", "/sites/"+d.Site+"/rehearsal")
	}
	if since := c.House.Servers.DownSince(d.State.ID(d.Site)); !since.IsZero() && d.State.Site(d.Site).Details.Upstream != "" {
		add("now", "The server that this site lives on does not answer", "since "+c.Moment(since)+"; visitors are told so", "See where it lives", "/sites/"+d.Site+"/settings/elsewhere")
	}
	if n := d.State.Site(d.Site).Working.Changes; n > 0 && d.State.Site(d.Site).Live != nil && !old {
		add("when you can", web.Count(n, "change is", "changes are")+" not live yet", "visitors still read the edition before", "See the difference", "/sites/"+d.Site+"/publish")
	}
	order := []string{"now", "soon", "when you can"}
	slices.SortStableFunc(rows, func(a, b web.FindingRow) int {
		return cmp.Compare(slices.Index(order, a.Grave), slices.Index(order, b.Grave))
	})
	if len(rows) > mostRounds {
		more = len(rows) - mostRounds
	}
	return rows[:len(rows)-more], more, nil
}

func newPromiseForm(d *web.Site, f web.Form) *promiseForm {
	pf := &promiseForm{Form: f, Musts: []web.Choice{
		{ID: "not-open", Name: "must not be able to open it", On: f.Values["must"] != "open"},
		{ID: "open", Name: "must be able to open it", On: f.Values["must"] == "open"},
	}}
	for _, who := range append([]string{"stranger", "outsider"}, d.Policy.Observers(d.Site)[2:]...) {
		pf.Who = append(pf.Who, web.Choice{ID: who, Name: d.Words.Observer(who), On: f.Values["who"] == who})
	}
	for _, g := range d.Words.Document.Groups {
		who := "group:" + g.ID
		pf.Who = append(pf.Who, web.Choice{ID: who, Name: "Everyone in " + d.Words.Group(g.ID), On: f.Values["who"] == who})
	}
	for _, path := range web.NewTree(web.OrderedPaths(d.State, d.Now)).Order {
		pf.Pages = append(pf.Pages, web.Choice{ID: path, Name: d.State.Title(d.Site, path) + " (" + path + ")", On: f.Values["page"] == path})
	}
	return pf
}

func doPromise(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "who", "must", "page", "below", "when", "at", "from", "until", "person")
	s := c.House.State()
	p := access.Promise{Who: f.Values["who"], Must: f.Values["must"], Site: x.Param("site"), Path: f.Values["page"], Below: f.Values["below"] == "yes"}
	if name := f.Values["person"]; name != "" {
		guests := roster.ReadGuests(name, c.Known(x))
		switch {
		case len(guests.People) != 1 || len(guests.Problems) > 0:
			f.Wrong["person"] = "Name one person of the house, or one address."
		case strings.Contains(guests.People[0], "@"):
			p.Who = "address:" + guests.People[0]
		default:
			p.Who = "person:" + guests.People[0]
		}
	}
	switch f.Values["when"] {
	case "at":
		at, ok := web.InstantAsked(f.Values["at"], s.Zone)
		if !ok {
			f.Wrong["at"] = "Enter a date and time."
		}
		p.At = at
	case "between":
		p.From, p.Until = f.Window(s.Zone)
		if (p.From.IsZero() || p.Until.IsZero()) && f.Wrong["from"] == "" {
			f.Wrong["from"] = "Enter both, a start and an end."
		}
	}
	if len(f.Wrong) == 0 {
		err := doors.AddPromise(x.Request.Context(), c.House, web.Actor(x), p)
		var problems access.Problems
		switch {
		case err == nil:
			c.Flash(x, "The promise is checked at every change from now on.")
			x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"#promises")
			return
		case !errors.As(err, &problems):
			c.Fail(x, err)
			return
		}
		f.Wrong["who"] = words.Capital(words.ProblemText(problems[len(problems)-1], c.House.State().Zone)) + "."
	}
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	showOverview(c, x, http.StatusUnprocessableEntity, newPromiseForm(d, f))
}

func dropPromise(c *web.Console, x *gin.Context) {
	if err := doors.RemovePromise(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("promise")); err != nil {
		c.Fail(x, err)
		return
	}
	c.Flash(x, "The promise is no longer checked.")
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"#promises")
}
