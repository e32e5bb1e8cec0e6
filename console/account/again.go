package account

import (
	"errors"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"velada/app/accounts"
	"velada/console/web"
	"velada/identity"
	"velada/words"
)

// againView asks somebody who is signed in to show once more who they are.
type againView struct {
	web.Form
	Then                       string
	Address                    string
	HasPassword, HasSecondStep bool
}

func showAgain(c *web.Console, x *gin.Context) {
	proveAgain(c, x, http.StatusOK, web.Form{Values: map[string]string{"then": x.Query("then")}})
}

func proveAgain(c *web.Console, x *gin.Context, status int, f web.Form) {
	me := web.Actor(x)
	account, err := accounts.Account(x.Request.Context(), c.House, me.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.Page(x, "Confirm that it is you")
	p.View = againView{Form: f, Then: web.LocalView(f.Values["then"]), Address: me.Address.String(), HasPassword: account.Password != "", HasSecondStep: account.TOTP != ""}
	c.Show(x, status, "again", p)
}

func doAgain(c *web.Console, x *gin.Context) {
	ctx, me := x.Request.Context(), web.Actor(x)
	f := web.Typed(x, "then")
	account, err := accounts.Account(ctx, c.House, me.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if account.Password == "" { // they sign in anew by what they have
		x.Redirect(http.StatusSeeOther, "/again?then="+url.QueryEscape(f.Values["then"]))
		return
	}
	field := "password"
	err = accounts.CheckPassword(ctx, c.House, me, x.PostForm("password"), c.From(x))
	if err == nil && account.TOTP != "" {
		field = "code"
		err = accounts.SecondStep(ctx, c.House, me.Who, x.PostForm("code"), c.From(x))
	}
	var later identity.TryLater
	var wrong accounts.WrongSignIn
	switch {
	case errors.As(err, &later):
		f.Wrong[field] = later.Error()
		proveAgain(c, x, http.StatusTooManyRequests, f)
	case errors.As(err, &wrong):
		f.Wrong[field] = "This is not your password."
		proveAgain(c, x, http.StatusUnprocessableEntity, f)
	case errors.Is(err, accounts.ErrWrongCode):
		f.Wrong[field] = words.Capital(accounts.ErrWrongCode.Error()) + "."
		proveAgain(c, x, http.StatusUnprocessableEntity, f)
	case err != nil:
		c.Fail(x, err)
	default:
		c.Proven(x)
		x.Redirect(http.StatusSeeOther, web.LocalView(f.Values["then"]))
	}
}
