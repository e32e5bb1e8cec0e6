package overview

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/doors"
	"velada/console/web"
	"velada/core/access"
	"velada/core/roster"
	"velada/house"
	"velada/store"
	"velada/words"
)

// standingView is the front screen of a site.
type standingView struct {
	Site      string
	Next      []nextRow
	More      bool // changes come after those
	Came      []cameRow
	Waiting   []waitRow
	Promises  []web.PromiseRow
	Form      *promiseForm
	MayChange bool
}

type nextRow struct{ When, What, URL string }

type cameRow struct{ Who, When string }

type waitRow struct{ What, URL string }

// promiseForm writes a promise by choosing.
type promiseForm struct {
	web.Form
	Who   []web.Choice
	Pages []web.Choice
}

// mostNext is how many of the next changes are listed; Sightlines has more.
const mostNext = 6

func standing(c *web.Console, x *gin.Context) { showStanding(c, x, http.StatusOK, nil) }

func showStanding(c *web.Console, x *gin.Context, status int, f *promiseForm) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Standing")
	v := &standingView{Site: d.Site, MayChange: p.Site.MayDoor, Form: f}
	if f == nil && p.Site.MayDoor && x.Query("promise") != "" {
		v.Form = newPromiseForm(d, web.Form{Values: map[string]string{"page": "/", "must": "not-open", "when": "always"}})
	}
	knobs, _ := d.Knobs("")
	for _, k := range knobs[1:min(len(knobs), mostNext+1)] {
		v.Next = append(v.Next, nextRow{k.When, k.What, k.URL})
	}
	if v.Came, err = came(c, x, d); err != nil {
		c.Fail(x, err)
		return
	}
	v.More = len(knobs)-1 > len(v.Next)
	broken := 0
	for _, j := range d.State.Policy.Judge(access.At(d.Real)) {
		if j.Promise.Site != d.Site {
			continue
		}
		row := d.PromiseRow(j)
		if !j.Kept {
			broken++
		}
		v.Promises = append(v.Promises, row)
	}
	v.Waiting = waiting(d, broken)
	requests, err := store.Requests(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.Site))
	if err != nil {
		c.Fail(x, err)
		return
	}
	for _, r := range requests {
		name := c.House.NameOf(r.Who)
		v.Waiting = append(v.Waiting, waitRow{name + " asks for the working copy to be published", "/sites/" + d.Site + "/publish"})
	}
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, "/sites/"+d.Site)
	}
	p.View = v
	c.Show(x, status, "standing", p)
}

// came tells who signed in on the site lately, and which passes were entered.
func came(c *web.Console, x *gin.Context, d *web.Site) (rows []cameRow, err error) {
	visits, err := store.LateSiteSessions(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.Site), 5)
	if err != nil {
		return nil, err
	}
	for _, v := range visits {
		rows = append(rows, cameRow{c.House.NameOf(v.Who), "signed in on " + words.Moment(v.Expires.Add(-house.SiteSessionLife).In(d.State.Zone))})
	}
	for _, p := range d.Now.Passes {
		if use, used := d.Uses["pass:"+p.ID]; used {
			rows = append(rows, cameRow{"“" + d.Words.Pass(p.ID) + "” pass", fmt.Sprintf("entered %s, last on %s", web.Count(use.Uses, "time", "times"), words.Moment(use.Last.In(d.State.Zone)))})
		}
	}
	for _, l := range d.Now.Links {
		if use, used := d.Uses["link:"+l.ID]; used {
			rows = append(rows, cameRow{d.Words.Link(l.ID) + " link", fmt.Sprintf("followed %s, last on %s", web.Count(use.Uses, "time", "times"), words.Moment(use.Last.In(d.State.Zone)))})
		}
	}
	return rows, nil
}

// waiting lists what somebody should deal with.
func waiting(d *web.Site, broken int) (rows []waitRow) {
	pending := 0
	for _, m := range d.Now.Members {
		if m.Status == "pending" {
			pending++
		}
	}
	if pending > 0 {
		rows = append(rows, waitRow{web.Count(pending, "person wants", "people want") + " to become a member", web.MembersURL(d.Site)})
	}
	if n := d.State.Site(d.Site).Working.Changes; n > 0 {
		rows = append(rows, waitRow{web.Count(n, "change", "changes") + " since the edition that is live", "/sites/" + d.Site + "/publish"})
	}
	if broken > 0 {
		rows = append(rows, waitRow{web.Count(broken, "promise is", "promises are") + " broken", "#promises"})
	}
	if d.Tray != nil {
		rows = append(rows, waitRow{"your rehearsal, with " + web.Count(len(d.Tray.Changes), "change", "changes"), web.DoorURL(d.Site, "", "")})
	}
	for _, p := range d.Now.Passes {
		secret := d.State.Site(d.Site).Passes[p.ID]
		switch {
		case p.Revoked:
		case secret.Hash == nil:
			rows = append(rows, waitRow{"the pass “" + d.Words.Pass(p.ID) + "” has no password yet", web.PassesURL(d.Site, "pass", p.ID)})
		case secret.Weak:
			rows = append(rows, waitRow{"the password of “" + d.Words.Pass(p.ID) + "” would be guessed", web.PassesURL(d.Site, "pass", p.ID)})
		}
	}
	return rows
}

func newPromiseForm(d *web.Site, f web.Form) *promiseForm {
	pf := &promiseForm{Form: f}
	for _, who := range append([]string{"stranger", "outsider"}, d.Policy.Observers(d.Site)[2:]...) {
		pf.Who = append(pf.Who, web.Choice{ID: who, Name: d.Words.Observer(who), On: f.Values["who"] == who})
	}
	for _, g := range d.Words.Document.Groups {
		who := "group:" + g.ID
		pf.Who = append(pf.Who, web.Choice{ID: who, Name: "Everyone in " + d.Words.Group(g.ID), On: f.Values["who"] == who})
	}
	for _, path := range web.TreeOrder(web.OrderedPaths(d.State, d.Now)) {
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
			f.Wrong["at"] = "Say when."
		}
		p.At = at
	case "between":
		p.From, p.Until = f.Window(s.Zone)
		if (p.From.IsZero() || p.Until.IsZero()) && f.Wrong["from"] == "" {
			f.Wrong["from"] = "Say both, from when and until when."
		}
	}
	if len(f.Wrong) == 0 {
		err := doors.AddPromise(x.Request.Context(), c.House, web.Actor(x), p)
		var problems access.Problems
		switch {
		case err == nil:
			c.Flash(x, "The promise is judged from now on.")
			x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"#promises")
			return
		case !errors.As(err, &problems):
			c.Fail(x, err)
			return
		}
		f.Wrong["who"] = words.Capital(problems[len(problems)-1].Text) + "."
	}
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	showStanding(c, x, http.StatusUnprocessableEntity, newPromiseForm(d, f))
}

func dropPromise(c *web.Console, x *gin.Context) {
	if err := doors.RemovePromise(x.Request.Context(), c.House, web.Actor(x), x.Param("site"), x.PostForm("promise")); err != nil {
		c.Fail(x, err)
		return
	}
	c.Flash(x, "The promise is no longer judged.")
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"#promises")
}
