package web

import (
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/core/access"
)

// The first time that somebody goes on to a site in a browser they say so by a press: until then the
// site's own code, which can lead anybody here, does not learn who visits it.

const (
	wentCookie = "velada_went"
	wentLife   = 365 * 24 * time.Hour
	mostWent   = 80 // sites that a browser remembers
	wentMark   = 16 // characters
)

// wentTo is how a browser keeps that whoever is signed in went on to a site; "" for nobody. A site that is
// not there has a mark like any other.
func (c *Console) wentTo(x *gin.Context, site string) string {
	me, in := c.WhoIsIn(x)
	if !in {
		return ""
	}
	id := string(c.House.State().ID(site))
	if id == "" {
		id = "none " + site
	}
	return c.House.Keys.Seal("went on", string(me.Who), id)[:wentMark]
}

func (c *Console) went(x *gin.Context) []string {
	kept, err := x.Request.Cookie(c.CookieName(wentCookie))
	if err != nil || len(kept.Value) > mostWent*(wentMark+1) {
		return nil
	}
	return strings.Split(kept.Value, ".")
}

// WentOn reports whether whoever is signed in went on to a site in this browser before.
func (c *Console) WentOn(x *gin.Context, site string) bool {
	mark := c.wentTo(x, site)
	return mark != "" && slices.Contains(c.went(x), mark)
}

// rememberWent remembers that they do, when they have pressed what says so.
func (c *Console) rememberWent(x *gin.Context, site string) {
	mark := c.wentTo(x, site)
	if mark == "" || x.Request.Method != http.MethodPost {
		return
	}
	list := append(slices.DeleteFunc(c.went(x), func(m string) bool { return m == mark || len(m) != wentMark }), mark)
	list = list[max(0, len(list)-mostWent):]
	http.SetCookie(x.Writer, &http.Cookie{
		Name: c.CookieName(wentCookie), Value: strings.Join(list, "."), Path: "/", MaxAge: int(wentLife.Seconds()),
		HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: c.HTTPS,
	})
}

// MustPress reports whether going on to where somebody wants takes a press first.
func (c *Console) MustPress(x *gin.Context, to map[string]string) bool {
	return access.IsSiteAddress(to["site"]) && x.Request.Method != http.MethodPost && !c.WentOn(x, to["site"])
}
