package door

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/parts"
	"velada/words"
)

type startRow struct {
	Name, Label string
	On          bool
	URL         string // where it asks for more first, or "" to do it at once
}

type doorView struct {
	Site, Page, PageTitle string
	MayChange             bool
	As                    string
	Scope                 web.ScopeView
	Walk                  web.WalkView
	Own                   bool // the page chosen has a door of its own
	Whole                 bool // the whole site is chosen
	Mode                  string
	Hide                  bool
	Starts                []startRow
	Ways                  []web.WayRow
	Kinds                 []kindRow
	Else                  string
	Form                  *wayForm
	PassForm              *passForm
	LinkForm              *linkForm
	Handout               *handout
	Here                  string // this view's own address
	AtAsked               string // the instant looked at: "" is now
	LetIn                 bool   // the ways are those past the holding page
	ViewName              string
	Says                  string // how the ways count, in a sentence
	NoMembers             string // why a way for members would let nobody in
	Table                 string // the id of the table chosen
	Tables                []web.TableLink
}

// doorView begins what shows the ways of a door.
func newDoorView(d *web.Site, p *web.Page) *doorView {
	v := &doorView{Site: d.Site, Page: d.Page, As: d.As, MayChange: p.Site.MayDoor, Whole: d.Page == "", Here: d.URL(d.Page, d.As), AtAsked: d.Asked, ViewName: d.View}
	v.PageTitle, v.NoMembers = "the whole site", noMembers(d.Then)
	if page, id, is := parts.CutTable(d.Page); is {
		v.Table = id
		v.PageTitle = fmt.Sprintf("the table “%s” on %s", id, d.State.Title(d.Site, page))
	} else if d.Page != "" {
		v.PageTitle = d.State.Title(d.Site, d.Page)
	}
	for _, p := range d.Then.Pages {
		if p.Path == d.Path() && d.Page != "" {
			for _, t := range p.Tables {
				door := parts.TableDoor(p.Path, t.ID)
				note := "shown with the page"
				if t.Ways != nil {
					note = "own door only"
				}
				v.Tables = append(v.Tables, web.TableLink{Name: t.ID, URL: d.DoorURL(door, d.As), Note: note, Chosen: door == d.Page})
			}
		}
	}
	return v
}

// doorSays says how the ways of the door that is looked at count.
func doorSays(v *doorView) string {
	switch {
	case v.Whole:
		return "A door: " + words.Means("door") + ". The team always gets in."
	case v.Table != "" && v.Own:
		return "Any one of these ways shows its rows, on a page that opens."
	case v.Table != "":
		return "It is shown to whoever the page opens to."
	case !v.Own:
		return "This page has no door of its own: the doors above it decide."
	case v.Mode == "also":
		return "Both doors must open, this one and the site’s, for this page and all below it."
	}
	return "Its own door alone decides, for this page and all below it: any one of these ways lets a visitor in."
}

// noMembers says why a way for members would let nobody in; "" where it lets somebody in.
func noMembers(site *access.Site) string {
	approved := slices.ContainsFunc(site.Members, func(m access.Member) bool { return m.Status == "approved" })
	if site.SignUp.Mode == "closed" && !approved {
		return "This lets nobody in: the site has no members, and sign-up is closed."
	}
	return ""
}

type kindRow struct{ Kind, Label, Text, URL string }

func door(c *web.Console, x *gin.Context) {
	showDoor(c, x, http.StatusOK, nil, nil)
}

// showDoor shows the door; wf and pf are forms to show again because something
// in them was wrong.
func showDoor(c *web.Console, x *gin.Context, status int, wf *wayForm, pf *passForm) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.SitePage(x, "Door")
	if d.Page == parts.LetIn {
		x.Redirect(http.StatusSeeOther, "/sites/"+d.Site+"/holding/past?"+x.Request.URL.RawQuery)
		return
	}
	p.Not = c.MayNotHere(x, access.ChangeDoor)
	v := newDoorView(d, p)
	v.Scope = d.Scope("door")
	own, there := parts.DoorAt(d.Then, d.Page)
	v.Own, v.Mode, v.Hide = there, own.Mode, own.Hide
	if v.Whole || v.Own {
		v.Ways = d.Ways(x.Query("edit"))
		v.Else = d.ElseWords()
	}
	if v.MayChange {
		v.Starts = starts(d)
		v.Kinds = kinds(d)
		v.Form, v.PassForm = wf, pf
		if v.Form == nil && v.PassForm == nil {
			v.Form, v.PassForm = formAsked(d, x)
			v.LinkForm = linkAsked(d, x)
			withRule(c, x, v.PassForm, v.LinkForm)
		}
		v.Handout = takeHandout(c, x)
	}
	v.Says = doorSays(v)
	v.Walk = d.Walk()
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, v.Here)
	}
	p.View = v
	c.Show(x, status, "door", p)
}

// starts are the ways to begin a door: what most doors are.
func starts(d *web.Site) []startRow {
	own, there := parts.DoorAt(d.Then, d.Page)
	kind := ""
	if there {
		kind = startOf(own.Ways)
	}
	rows := []startRow{{Name: "private", Label: "Only the team"}, {Name: "password", Label: "A password"}}
	if len(d.State.Policy.Document().House.Domains) > 0 {
		rows = append(rows, startRow{Name: "domain", Label: "A domain"})
	}
	if d.Now.SignUp.Mode != "closed" || len(d.Now.Members) > 0 {
		rows = append(rows, startRow{Name: "members", Label: "Members"})
	}
	rows = append(rows, startRow{Name: "public", Label: "Anyone"})
	for i := range rows {
		rows[i].On = rows[i].Name == kind
		if rows[i].Name == "password" {
			rows[i].URL = d.URL(d.Page, d.As, "pass", "start")
		}
	}
	return rows
}

// startOf tells which beginning a door still is.
func startOf(ways []access.Way) string {
	if len(ways) == 0 {
		return "private"
	}
	kind := ways[0].Way
	for _, w := range ways {
		if w.Way != kind {
			return ""
		}
	}
	return map[string]string{"anyone": "public", "pass": "password", "domain": "domain", "members": "members"}[kind]
}

func kinds(d *web.Site) []kindRow {
	rows := []kindRow{
		{Kind: "domain", Text: "anyone signed in at a domain"},
		{Kind: "people", Text: "people named one by one"},
		{Kind: "groups", Text: "a group of the house"},
		{Kind: "members", Text: "members of this site"},
		{Kind: "signed-in", Text: "anyone with an account"},
		{Kind: "network", Text: "an address range, as of an office"},
		{Kind: "anyone", Text: "no step at all"},
	}
	for i := range rows {
		rows[i].Label = words.KindLabel(rows[i].Kind)
		rows[i].URL = d.URL(d.Page, d.As, "add", rows[i].Kind)
	}
	return slices.Insert(rows, 4,
		kindRow{"pass", words.KindLabel("pass"), "a password to hand out", d.URL(d.Page, d.As, "pass", "add")},
		kindRow{"link", words.KindLabel("link"), "an address that only they know", d.URL(d.Page, d.As, "link", "add")})
}
