package console

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"velada/app/doors"
	"velada/core/roster"
	"velada/house"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// standingView is the front screen of a site.
type standingView struct {
	Site      string
	Next      []nextRow
	Came      []cameRow
	Waiting   []waitRow
	Promises  []promiseRow
	Form      *promiseForm
	MayChange bool
}

type nextRow struct{ When, What, URL string }
type cameRow struct{ Who, When string }
type waitRow struct{ What, URL string }

type promiseRow struct {
	ID, Text string
	Kept     bool
	Was      bool // before a rehearsal
	Breaks   string
	URL      string // where the breach is seen
}

// promiseForm writes a promise by choosing.
type promiseForm struct {
	form
	Who   []choice
	Pages []choice
}

func (c *Console) standing(x *gin.Context) { c.showStanding(x, http.StatusOK, nil) }

func (c *Console) showStanding(x *gin.Context, status int, f *promiseForm) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	p := c.sitePage(x, "Standing")
	v := &standingView{Site: d.site, MayChange: p.Site.MayDoor, Form: f}
	if f == nil && p.Site.MayDoor && x.Query("promise") != "" {
		v.Form = d.promiseForm(form{Values: map[string]string{"page": "/", "must": "not-open", "when": "always"}})
	}
	knobs, _ := d.knobs("")
	for _, k := range knobs[1:] {
		v.Next = append(v.Next, nextRow{k.When, k.What, k.URL})
	}
	if v.Came, err = c.came(x, d); err != nil {
		c.fail(x, err)
		return
	}
	broken := 0
	for _, j := range d.state.Policy.Judge(access.At(d.real)) {
		if j.Promise.Site != d.site {
			continue
		}
		row := d.promiseRow(j)
		if !j.Kept {
			broken++
		}
		v.Promises = append(v.Promises, row)
	}
	v.Waiting = d.waiting(broken)
	requests, err := store.Requests(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.site))
	if err != nil {
		c.fail(x, err)
		return
	}
	for _, r := range requests {
		name := c.House.NameOf(r.Who)
		v.Waiting = append(v.Waiting, waitRow{name + " asks for the working copy to be published", "/sites/" + d.site + "/publish"})
	}
	if d.tray != nil {
		p.Tray = c.trayView(d.tray, d.state, "/sites/"+d.site)
	}
	p.View = v
	c.show(x, status, "standing", p)
}

func outcomeWords(o access.Outcome) string {
	return map[access.Outcome]string{
		access.Open: "it opens", access.Held: "a holding page", access.Challenge: "a further step", access.Pending: "waiting",
		access.Refused: "not for you", access.Missing: "no such page", access.Absent: "nothing here", access.Gone: "taken down",
	}[o]
}

// came tells who signed in on the site lately, and which passes were entered.
func (c *Console) came(x *gin.Context, d *doorContext) (rows []cameRow, err error) {
	visits, err := store.LateVisits(x.Request.Context(), c.House.Reader(), c.House.State().ID(d.site), 5)
	if err != nil {
		return nil, err
	}
	for _, v := range visits {
		rows = append(rows, cameRow{c.House.NameOf(v.Who), "signed in on " + words.Moment(v.Expires.Add(-house.SiteSessionLife).In(d.state.Zone))})
	}
	for _, p := range d.now.Passes {
		if use, used := d.uses["pass:"+p.ID]; used {
			rows = append(rows, cameRow{"“" + d.words.Pass(p.ID) + "” pass", fmt.Sprintf("entered %s, last on %s", count(use.Uses, "time", "times"), words.Moment(use.Last.In(d.state.Zone)))})
		}
	}
	for _, l := range d.now.Links {
		if use, used := d.uses["link:"+l.ID]; used {
			rows = append(rows, cameRow{d.words.Link(l.ID) + " link", fmt.Sprintf("followed %s, last on %s", count(use.Uses, "time", "times"), words.Moment(use.Last.In(d.state.Zone)))})
		}
	}
	return rows, nil
}

// waiting lists what somebody should deal with.
func (d *doorContext) waiting(broken int) (rows []waitRow) {
	pending := 0
	for _, m := range d.now.Members {
		if m.Status == "pending" {
			pending++
		}
	}
	if pending > 0 {
		rows = append(rows, waitRow{count(pending, "person wants", "people want") + " to become a member", membersURL(d.site)})
	}
	if n := d.state.Site(d.site).Working.Changes; n > 0 {
		rows = append(rows, waitRow{count(n, "change", "changes") + " since the edition that is live", "/sites/" + d.site + "/publish"})
	}
	if broken > 0 {
		rows = append(rows, waitRow{count(broken, "promise is", "promises are") + " broken", "#promises"})
	}
	if d.tray != nil {
		rows = append(rows, waitRow{"your rehearsal, with " + count(len(d.tray.Changes), "change", "changes"), doorURL(d.site, "", "")})
	}
	for _, p := range d.now.Passes {
		secret := d.state.Site(d.site).Passes[p.ID]
		switch {
		case p.Revoked:
		case secret.Hash == nil:
			rows = append(rows, waitRow{"the pass “" + d.words.Pass(p.ID) + "” has no password yet", passesURL(d.site, "pass", p.ID)})
		case secret.Weak:
			rows = append(rows, waitRow{"the password of “" + d.words.Pass(p.ID) + "” would be guessed", passesURL(d.site, "pass", p.ID)})
		}
	}
	return rows
}

func (d *doorContext) promiseForm(f form) *promiseForm {
	pf := &promiseForm{form: f}
	for _, who := range append([]string{"stranger", "outsider"}, d.policy.Observers(d.site)[2:]...) {
		pf.Who = append(pf.Who, choice{who, d.words.Observer(who), f.Values["who"] == who})
	}
	for _, g := range d.words.Document.Groups {
		who := "group:" + g.ID
		pf.Who = append(pf.Who, choice{who, "Everyone in " + d.words.Group(g.ID), f.Values["who"] == who})
	}
	for _, path := range treeOrder(orderedPaths(d.state, d.now)) {
		pf.Pages = append(pf.Pages, choice{path, d.state.Title(d.site, path) + " (" + path + ")", f.Values["page"] == path})
	}
	return pf
}

func (c *Console) doPromise(x *gin.Context) {
	f := typed(x, "who", "must", "page", "below", "when", "at", "from", "until", "person")
	s := c.House.State()
	p := access.Promise{Who: f.Values["who"], Must: f.Values["must"], Site: x.Param("site"), Path: f.Values["page"], Below: f.Values["below"] == "yes"}
	if name := f.Values["person"]; name != "" {
		guests := roster.ReadGuests(name, c.known(x))
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
		at, ok := instantAsked(f.Values["at"], s.Zone)
		if !ok {
			f.Wrong["at"] = "Say when."
		}
		p.At = at
	case "between":
		p.From, p.Until = f.window(s.Zone)
		if (p.From.IsZero() || p.Until.IsZero()) && f.Wrong["from"] == "" {
			f.Wrong["from"] = "Say both, from when and until when."
		}
	}
	if len(f.Wrong) == 0 {
		err := doors.AddPromise(x.Request.Context(), c.House, actor(x), p)
		var problems access.Problems
		switch {
		case err == nil:
			c.flash(x, "The promise is judged from now on.")
			x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"#promises")
			return
		case !errors.As(err, &problems):
			c.fail(x, err)
			return
		}
		f.Wrong["who"] = capital(problems[len(problems)-1].Text) + "."
	}
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	c.showStanding(x, http.StatusUnprocessableEntity, d.promiseForm(f))
}

func (c *Console) dropPromise(x *gin.Context) {
	if err := doors.RemovePromise(x.Request.Context(), c.House, actor(x), x.Param("site"), x.PostForm("promise")); err != nil {
		c.fail(x, err)
		return
	}
	c.flash(x, "The promise is no longer judged.")
	x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"#promises")
}
