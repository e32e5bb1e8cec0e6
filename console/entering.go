package console

import (
	"crypto/subtle"
	"errors"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app"
	"velada/core/access"
	"velada/identity"
)

// form is what was typed, and what is wrong with it.
type form struct {
	Values map[string]string
	Wrong  app.FieldErrors
}

func typed(x *gin.Context, fields ...string) form {
	f := form{Values: map[string]string{}, Wrong: app.FieldErrors{}}
	for _, name := range fields {
		f.Values[name] = strings.TrimSpace(x.PostForm(name))
	}
	return f
}

func (c *Console) showSetUp(x *gin.Context) {
	if c.House.State() != nil {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	p := c.page(x, "Set up your house")
	p.View = form{Values: map[string]string{"zone": "Europe/Madrid"}}
	c.show(x, http.StatusOK, "set-up", p)
}

func (c *Console) doSetUp(x *gin.Context) {
	f := typed(x, "code", "house", "zone", "name", "address")
	f.Values["password"] = x.PostForm("password")
	p := c.page(x, "Set up your house")
	p.View = f
	if c.SetUpCode == "" || subtle.ConstantTimeCompare([]byte(f.Values["code"]), []byte(c.SetUpCode)) != 1 {
		f.Wrong["code"] = "This is not the code that Velada printed when it was started."
		c.show(x, http.StatusUnprocessableEntity, "set-up", p)
		return
	}
	err := c.House.SetUp(x.Request.Context(), app.NewHouse{
		House: f.Values["house"], Zone: f.Values["zone"], Name: f.Values["name"], Address: f.Values["address"], Password: f.Values["password"],
	})
	var wrong app.FieldErrors
	switch {
	case errors.As(err, &wrong):
		f.Wrong = wrong
		p.View = f
		c.show(x, http.StatusUnprocessableEntity, "set-up", p)
	case err != nil:
		c.fail(x, err)
	default:
		address, err := access.ParseAddress(f.Values["address"])
		if err != nil {
			c.fail(x, err)
			return
		}
		c.begin(x, address)
		x.Redirect(http.StatusSeeOther, "/sites")
	}
}

// begin signs somebody in on the console, under a fresh session token.
func (c *Console) begin(x *gin.Context, address access.Address) {
	ctx := x.Request.Context()
	if err := c.sessions.RenewToken(ctx); err != nil {
		panic(err)
	}
	c.sessions.Put(ctx, "address", address.String())
	c.sessions.Put(ctx, "visits", identity.Token()) // what visits handed over from this session are ended by
}

type signInView struct {
	form
	SiteTitle string
}

func (c *Console) signInPage(x *gin.Context, f form) *page {
	p := c.page(x, "Sign in")
	v := signInView{form: f}
	if s := c.House.State(); s != nil {
		// The title is told only where a stranger learns of the site anyway.
		site := f.Values["site"]
		if d := s.Policy.Site(site).Decide("/", &access.Visitor{}, access.At(c.House.Now())); d.Outcome != access.Absent {
			if doc := s.SiteDocument(site); doc != nil {
				v.SiteTitle = doc.Title
			}
		}
	}
	p.View = v
	return p
}

func (c *Console) showSignIn(x *gin.Context) {
	if c.House.State() == nil {
		x.Redirect(http.StatusSeeOther, "/set-up")
		return
	}
	f := form{Values: map[string]string{"site": x.Query("site"), "path": x.Query("path"), "then": x.Query("then")}}
	if address, err := access.ParseAddress(c.sessions.GetString(x.Request.Context(), "address")); err == nil {
		c.goOn(x, address, f)
		return
	}
	c.show(x, http.StatusOK, "sign-in", c.signInPage(x, f))
}

func (c *Console) doSignIn(x *gin.Context) {
	if c.House.State() == nil {
		x.Redirect(http.StatusSeeOther, "/set-up")
		return
	}
	f := typed(x, "address", "site", "path", "then")
	address, err := c.House.SignIn(x.Request.Context(), f.Values["address"], x.PostForm("password"), remote(x.Request))
	var later app.TryLater
	var wrong app.WrongSignIn
	switch {
	case errors.As(err, &later):
		f.Wrong["password"] = later.Error()
		c.show(x, http.StatusTooManyRequests, "sign-in", c.signInPage(x, f))
	case errors.As(err, &wrong):
		f.Wrong["password"] = wrong.Error()
		c.show(x, http.StatusUnprocessableEntity, "sign-in", c.signInPage(x, f))
	case err != nil:
		c.fail(x, err)
	default:
		c.begin(x, address)
		c.goOn(x, address, f)
	}
}

// goOn leads somebody who is signed in to where they were going: to a site by a
// ticket for its host, or to a view of the console.
func (c *Console) goOn(x *gin.Context, address access.Address, f form) {
	if site := f.Values["site"]; access.IsSiteAddress(site) { // whether or not there is such a site is not said here
		code := c.House.Tickets.Issue(identity.Ticket{
			Site: site, Address: address.String(), Console: c.sessions.GetString(x.Request.Context(), "visits"),
		}, c.House.TicketTime())
		query := url.Values{"ticket": {code}, "path": {f.Values["path"]}}
		x.Redirect(http.StatusSeeOther, c.SiteURL(site)+"/velada/enter?"+query.Encode())
		return
	}
	then := f.Values["then"]
	if !strings.HasPrefix(then, "/") || strings.HasPrefix(then, "//") || strings.HasPrefix(then, "/\\") {
		then = "/sites"
	}
	x.Redirect(http.StatusSeeOther, then)
}

// signOut ends the session and every visit that was handed over from it.
func (c *Console) signOut(x *gin.Context) {
	ctx := x.Request.Context()
	if visits := c.sessions.GetString(ctx, "visits"); visits != "" {
		if err := c.House.EndSession(ctx, visits); err != nil {
			c.fail(x, err)
			return
		}
	}
	if err := c.sessions.Destroy(ctx); err != nil {
		c.fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, "/sign-in")
}
