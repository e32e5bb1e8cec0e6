package pages

import (
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/house"
)

// newSiteView asks whom a new site is for.
type newSiteView struct {
	web.Form
	First    bool // the house has no site yet
	Purposes []purposeCard
	HostRest string // what stands behind the address in the site's host
}

// purposeCard is a purpose to choose, with what it begins with.
type purposeCard struct {
	ID, Name, Text string
	Windows        []web.Window // of its pages, as a stranger gets them
	Menu           string
	Lead           string // the first line of its front page
	Gets           []purposeGets
	Next           string
	On             bool
}

type purposeGets struct {
	Who    string
	Window web.Window
	Text   string
}

func o(symbol string) web.Window { return web.Window{Symbol: symbol, Outline: true} }

// purposeCards say in words what app/pages makes for each purpose.
var purposeCards = []purposeCard{
	{ID: "everyone", Name: "Everyone", Text: "A club, a shop, a portfolio. Anyone can read it; search engines may list it if you like.",
		Windows: []web.Window{o("open"), o("open"), o("open")}, Menu: "About us   News", Lead: "Say in a few sentences what this site is about.",
		Gets: []purposeGets{{"A stranger", o("open"), "every page"}, {"Search engines", o("step"), "are told to list nothing, until you let them"}, {"You", o("open"), "everything"}},
		Next: "write the first page · preview it as a stranger · publish"},
	{ID: "class", Name: "A class or course", Text: "Learners and their accounts get in; each team can have pages that the others cannot see.",
		Windows: []web.Window{o("step"), o("open"), o("step"), o("step")}, Menu: "How to join   Notes   Dates", Lead: "When and where we meet, and what to bring.",
		Gets: []purposeGets{{"A stranger", o("step"), "is asked to sign in; “How to join” opens"}, {"A learner of the class", o("open"), "every page"}, {"Another team", o("shut"), "not the pages that you give one team"}, {"You", o("open"), "everything"}},
		Next: "write the first page · bring in your class list · preview it as a learner · publish"},
	{ID: "people", Name: "Our people only", Text: "Everyone with an address at your domain, or a list of names.",
		Windows: []web.Window{o("step"), o("step"), o("step")}, Menu: "News   Documents", Lead: "Say in a few sentences what this site is about.",
		Gets: []purposeGets{{"A stranger", o("step"), "is asked to sign in"}, {"Your people", o("open"), "every page"}, {"You", o("open"), "everything"}},
		Next: "write the first page · choose who gets in · preview it as a stranger · publish"},
	{ID: "password", Name: "Those I give a password", Text: "A client, a choir, a jury. One password for each of them, with an end date.",
		Windows: []web.Window{o("step"), o("step")}, Menu: "Material", Lead: "Say in a few sentences what this site is about.",
		Gets: []purposeGets{{"A stranger", o("step"), "is asked for a password"}, {"Whoever has one", o("open"), "every page"}, {"You", o("open"), "everything"}},
		Next: "write the first page · make a password for each of them · publish"},
	{ID: "members", Name: "Members", Text: "Anyone reads the front; people sign up to read the rest.",
		Windows: []web.Window{o("open"), o("open"), o("step")}, Menu: "About us   For members", Lead: "Say in a few sentences what this site is about.",
		Gets: []purposeGets{{"A stranger", o("open"), "the front, and can sign up"}, {"Whoever signed up", o("shut"), "waits until you approve them"}, {"A member", o("open"), "every page"}, {"You", o("open"), "everything"}},
		Next: "write the first page · set how people sign up · preview it as a stranger · publish"},
	{ID: "nobody", Name: "Nobody yet", Text: "I will decide later. Only those who work on it see it.",
		Windows: []web.Window{o("hidden")}, Menu: "", Lead: "Say in a few sentences what this site is about.",
		Gets: []purposeGets{{"A stranger", o("shut"), "is turned away"}, {"You", o("open"), "everything"}},
		Next: "write the first page · choose who gets in · publish"},
}

// newSite asks whom the site is for; doNewSite makes it.
func newSite(c *web.Console, x *gin.Context) {
	showNewSite(c, x, http.StatusOK, web.Form{Values: map[string]string{"purpose": "everyone"}, Wrong: house.FieldErrors{}})
}

func showNewSite(c *web.Console, x *gin.Context, status int, f web.Form) {
	p := c.Page(x, "New site")
	v := newSiteView{Form: f, First: len(c.House.State().Policy.Document().Sites) == 0, HostRest: strings.TrimPrefix(c.SiteHost("x"), "x")}
	for _, card := range purposeCards {
		card.On = card.ID == f.Values["purpose"]
		v.Purposes = append(v.Purposes, card)
	}
	p.Here, p.View = "Sites", v
	if v.First {
		p.Standing.Say("You have no site yet.")
	} else {
		p.Standing.Say("A new site.")
	}
	p.Standing.Quietly("Nobody sees a new one until you publish it.")
	c.Show(x, status, "new-site", p)
}

func doNewSite(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "title", "address", "purpose")
	fromArchive := x.PostForm("action") == "archive"
	if f.Values["address"] == "" && f.Values["title"] != "" {
		if free := pages.FreeAddresses(c.House.State(), "", f.Values["title"]); len(free) > 0 {
			f.Values["address"] = free[0]
		}
	}
	n := pages.NewSite{Title: f.Values["title"], Address: f.Values["address"], Purpose: f.Values["purpose"]}
	if fromArchive {
		n.Purpose = ""
	}
	err := pages.MakeSite(x.Request.Context(), c.House, web.Actor(x), n)
	switch {
	case err == nil && fromArchive:
		c.Flash(x, "The site is made. Choose the ZIP that its pages come from.")
		x.Redirect(http.StatusSeeOther, "/sites/"+n.Address+"/archives")
	case err == nil && n.Purpose == "":
		x.Redirect(http.StatusSeeOther, "/sites/"+n.Address+"/pages?new=yes")
	case err == nil:
		c.Flash(x, "The site is made. Nobody but you sees it.")
		x.Redirect(http.StatusSeeOther, "/sites/"+n.Address)
	case errors.As(err, &f.Wrong):
		showNewSite(c, x, http.StatusUnprocessableEntity, f)
	default:
		c.Fail(x, err)
	}
}
