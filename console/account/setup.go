package account

import (
	"crypto/subtle"
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/house"
)

func showSetUp(c *web.Console, x *gin.Context) {
	if c.House.State() != nil {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	p := c.Page(x, "Set up your house")
	p.View = web.Form{Values: map[string]string{"zone": "Europe/Madrid"}}
	c.Show(x, http.StatusOK, "set-up", p)
}

func doSetUp(c *web.Console, x *gin.Context) {
	if c.House.State() != nil {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	f := web.Typed(x, "code", "house", "zone", "name", "address")
	f.Values["password"] = x.PostForm("password")
	p := c.Page(x, "Set up your house")
	p.View = f
	if c.SetUpCode == "" || subtle.ConstantTimeCompare([]byte(f.Values["code"]), []byte(c.SetUpCode)) != 1 {
		f.Wrong["code"] = "This is not the code that Velada printed when it was started."
		c.Show(x, http.StatusUnprocessableEntity, "set-up", p)
		return
	}
	err := c.House.SetUp(x.Request.Context(), house.NewHouse{
		House: f.Values["house"], Zone: f.Values["zone"], Name: f.Values["name"], Address: f.Values["address"], Password: f.Values["password"],
	})
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		f.Wrong = wrong
		p.View = f
		c.Show(x, http.StatusUnprocessableEntity, "set-up", p)
	case err != nil:
		c.Fail(x, err)
	default:
		address, err := access.ParseAddress(f.Values["address"])
		if err != nil {
			c.Fail(x, err)
			return
		}
		c.Begin(x, c.House.Actor(address).Who, "password", false)
		x.Redirect(http.StatusSeeOther, "/sites")
	}
}
