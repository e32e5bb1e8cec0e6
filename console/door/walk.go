package door

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"velada/console/web"
)

func walkIn(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	d.View = "walk"
	p := c.SitePage(x, "Walk in as")
	v := &web.WalkPage{Scope: d.Scope("walk"), Walk: d.Walk(), Door: d.DoorURL(d.Page, d.As)}
	v.Width, v.Widths = web.Widths(x.Query("width"), func(width string) string { return d.URL(d.Page, d.As, "width", width) })
	as := web.LookAs(c, d, web.Actor(x), d.Policy)
	v.Status, v.Headers = web.AnswerAs(c, d.Site, d.Path(), as)
	v.Frame = c.Glass.Open(d.Site, as, d.Path())
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, d.URL(d.Page, d.As))
	}
	p.View = v
	c.Show(x, http.StatusOK, "walk", p)
}
