package pages

import (
	"github.com/gin-gonic/gin"

	"velada/console/web"
)

// live streams who is on a page, and what others save, as server-sent events.
func live(c *web.Console, x *gin.Context) {
	page, err := workingPage(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	c.Stream(x, x.Param("page"), page.Title, page.Path)
}

// watch streams who is at work on a site, to somebody who is not.
func watch(c *web.Console, x *gin.Context) { c.Stream(x, "", "", "/") }
