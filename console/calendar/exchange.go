package calendar

import (
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	app "velada/app/calendar"
	"velada/console/web"
	"velada/core/access"
	"velada/core/calendar"
	"velada/house"
	"velada/store"
	"velada/words"
)

// exchangeView is how the calendar goes to other programs, and comes from them.
type exchangeView struct {
	Site      string
	At        string // the calendar's address
	Address   string // the secret one, just made: it is shown this once
	Made      string // when the secret address was made; "" where there is none
	MayRead   bool   // may propose something
	Wrong     string // with the file
	Proposals []proposalRow
	Targets   []web.Choice // what an event may set
}

type proposalRow struct {
	Line                      int
	Name, When, Note, Problem string
	From, Until               string // RFC 3339
	Every, Unit, Last         string // how it comes again
	Targets                   []web.Choice
}

func houseFile(c *web.Console, x *gin.Context) {
	calendarFor(c, x, web.Actor(x), "")
}

func siteFile(c *web.Console, x *gin.Context) {
	calendarFor(c, x, web.Actor(x), x.Param("site"))
}

// calendarFor sends what somebody may know of the house's calendar, or a site's.
func calendarFor(c *web.Console, x *gin.Context, me house.Actor, site string) {
	s := c.House.State()
	from, until := app.OutWindow(c.House.Now())
	n := namer{c: c, me: me, policy: s.Policy}
	var of *app.Of
	var err error
	title := s.Policy.Document().House.Name
	if site == "" {
		of, err = app.House(x.Request.Context(), c.House, me, from, until)
	} else {
		title = s.SiteTitle(site)
		of, err = app.Site(x.Request.Context(), c.House, me, s.Policy, site, from, until)
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	text := app.Write(title, of.Lanes, c.House.Now(), n.name, n.where, func(l calendar.Lane) string { return c.House.ConsoleURL + n.url(l) })
	x.Header("Content-Disposition", `attachment; filename="velada.ics"`)
	x.Header("Cache-Control", "private, no-store")
	x.Data(http.StatusOK, "text/calendar; charset=utf-8", []byte(text))
}

// feed serves a calendar at somebody's secret address.
func feed(c *web.Console, x *gin.Context) {
	token, is := strings.CutSuffix(x.Param("token"), ".ics")
	if !is {
		c.NotFound(x)
		return
	}
	me, there, err := app.Whose(x.Request.Context(), c.House, token)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if !there {
		c.NotFound(x)
		return
	}
	calendarFor(c, x, me, "")
}

func houseExchange(c *web.Console, x *gin.Context) {
	showExchange(c, x, http.StatusOK, &exchangeView{})
}

func siteExchange(c *web.Console, x *gin.Context) { showExchange(c, x, http.StatusOK, &exchangeView{}) }

func showExchange(c *web.Console, x *gin.Context, status int, v *exchangeView) {
	s, me := c.House.State(), web.Actor(x)
	v.Site, v.At = x.Param("site"), "/calendar"
	if v.Site != "" {
		v.At = "/sites/" + v.Site + "/calendar"
	}
	made, there, err := store.CalendarAddressMade(x.Request.Context(), c.House.Reader(), me.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if there {
		v.Made = words.Moment(made.In(s.Zone))
	}
	if token := c.Sessions.PopString(x.Request.Context(), "calendar"); token != "" {
		if secret, ok := web.Take[string](c.Shelf, token, me.Who); ok {
			v.Address = c.House.ConsoleURL + "/calendar/of/" + secret + ".ics"
		}
	}
	v.Targets = targets(c, me, v.Site)
	v.MayRead = len(v.Targets) > 0
	for i := range v.Proposals {
		v.Proposals[i].Targets = v.Targets
	}
	p := c.HousePage(x, "Calendar")
	if v.Site != "" {
		p = c.SitePage(x, "Calendar")
	}
	p.View = v
	c.Show(x, status, "exchange", p)
}

// targets lists what an event of another calendar may set: the maintenance page of sites, and
// for stewards the time in which a group holds.
func targets(c *web.Console, me house.Actor, site string) (list []web.Choice) {
	s := c.House.State()
	for _, address := range app.SitesOf(c.House, me) {
		if (site == "" || address == site) && c.House.Can(me, address, "/").Has(access.ChangeDoor) {
			list = append(list, web.Choice{ID: "holding:" + address, Name: "Maintenance page of " + s.SiteTitle(address)})
		}
	}
	if c.House.IsSteward(me) {
		w := words.Wording{Document: s.Policy.Document()}
		for _, g := range s.Policy.Document().Groups {
			list = append(list, web.Choice{ID: "group:" + g.ID, Name: "Term of the group " + w.Group(g.ID)})
		}
	}
	return list
}

// doAddress makes or ends somebody's secret address.
func doAddress(c *web.Console, x *gin.Context) {
	ctx, me := x.Request.Context(), web.Actor(x)
	back := web.LocalPath(x.PostForm("back"))
	if !strings.HasSuffix(back, "/calendar/exchange") {
		back = "/calendar/exchange"
	}
	if x.PostForm("action") == "end" {
		c.Done(x, app.EndAddress(ctx, c.House, me), "The secret address is turned off.", back)
		return
	}
	token, err := app.NewAddress(ctx, c.House, me)
	if err == nil {
		c.Sessions.Put(ctx, "calendar", c.Shelf.Put(me.Who, token, time.Minute))
	}
	c.Done(x, err, "Made. Copy the address: it is shown this once.", back)
}

// doRead reads an .ics file, and shows what each of its events could set.
func doRead(c *web.Console, x *gin.Context) {
	v := &exchangeView{}
	if len(targets(c, web.Actor(x), x.Param("site"))) == 0 { // nothing could be made of what is read
		c.Fail(x, house.ErrMayNot)
		return
	}
	_, data, err := web.FileSent(x, "file", app.MostIn)
	var list []app.Proposal
	switch {
	case err != nil:
		v.Wrong = words.Capital(err.Error()) + "."
	case len(data) == 0:
		v.Wrong = "Choose a calendar file (.ics)."
	default:
		if list, err = app.Read(string(data), c.House.State().Zone); err != nil {
			v.Wrong = words.Capital(err.Error()) + "."
		}
	}
	w := words.Wording{Zone: c.House.State().Zone}
	for _, p := range list {
		row := proposalRow{Line: p.Line, Name: p.Name, Note: p.Note, Problem: p.Problem, From: p.From.String(), Until: p.Until.String()}
		if p.Problem == "" {
			row.When = words.Capital(w.HoldingTimes(access.Holding{From: p.From, Until: p.Until, Repeat: p.Repeat}))
		}
		if p.Repeat != nil {
			row.Every, row.Unit, row.Last = strconv.Itoa(p.Repeat.Every), p.Repeat.Unit, p.Repeat.Until.String()
		}
		v.Proposals = append(v.Proposals, row)
	}
	status := http.StatusOK
	if v.Wrong != "" {
		status = http.StatusUnprocessableEntity
	}
	showExchange(c, x, status, v)
}

// doPropose rehearses what an event would set.
func doPropose(c *web.Console, x *gin.Context) {
	p := app.Proposal{}
	var err error
	if p.From, err = access.ParseInstant(x.PostForm("from")); err == nil {
		p.Until, err = access.ParseInstant(x.PostForm("until"))
	}
	if last := x.PostForm("last"); last != "" && err == nil {
		var every int64
		if every, err = web.ReadNumber(x.PostForm("every")); err == nil {
			p.Repeat = &access.Repeat{Every: int(every), Unit: x.PostForm("unit")}
			p.Repeat.Until, err = access.ParseInstant(last)
		}
	}
	kind, id, _ := strings.Cut(x.PostForm("target"), ":")
	if err != nil || kind != "holding" && kind != "group" {
		c.NotFound(x)
		return
	}
	if kind == "group" {
		if !c.House.IsSteward(web.Actor(x)) {
			c.NotFound(x)
			return
		}
		if p.Repeat != nil {
			c.Complain(x, "A group holds once: what comes again is no term.")
			x.Redirect(http.StatusSeeOther, "/calendar/exchange")
			return
		}
		web.HouseChange(c, x, app.Term(c.House, id, p), "/calendar/exchange", "/groups/"+id, "Applied.")
		return
	}
	if c.House.State().SiteDocument(id) == nil || c.House.Can(web.Actor(x), id, "/") == 0 {
		c.NotFound(x)
		return
	}
	c.AfterRehearsing(x, app.Maintain(x.Request.Context(), c.House, web.Actor(x), id, p), "/sites/"+id+"/holding")
}
