package console

import (
	"crypto/subtle"
	"errors"
	"net/http"
	"strings"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/access"
)

// form is what was typed, and what is wrong with it.
type form struct {
	Values map[string]string
	Wrong  house.FieldErrors
}

func typed(x *gin.Context, fields ...string) form {
	f := form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
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
	if c.House.State() != nil {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	f := typed(x, "code", "house", "zone", "name", "address")
	f.Values["password"] = x.PostForm("password")
	p := c.page(x, "Set up your house")
	p.View = f
	if c.SetUpCode == "" || subtle.ConstantTimeCompare([]byte(f.Values["code"]), []byte(c.SetUpCode)) != 1 {
		f.Wrong["code"] = "This is not the code that Velada printed when it was started."
		c.show(x, http.StatusUnprocessableEntity, "set-up", p)
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
		c.show(x, http.StatusUnprocessableEntity, "set-up", p)
	case err != nil:
		c.fail(x, err)
	default:
		address, err := access.ParseAddress(f.Values["address"])
		if err != nil {
			c.fail(x, err)
			return
		}
		c.begin(x, c.House.Actor(address).Who, "password", false)
		x.Redirect(http.StatusSeeOther, "/sites")
	}
}
