package console

import (
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"
	"velada/app/accounts"
	"velada/identity"

	"github.com/gin-gonic/gin"

	"velada/store"
)

// againView asks somebody who is signed in to show once more who they are.
type againView struct {
	form
	Then                       string
	Address                    string
	HasPassword, HasSecondStep bool
}

// fresh reports whether somebody has shown who they are within the last ten minutes.
func (c *Console) fresh(x *gin.Context) bool {
	at := time.Unix(c.sessions.GetInt64(x.Request.Context(), sessionProven), 0)
	return c.clock().Sub(at) < stayProven
}

// needsProof lets only those on who have shown who they are lately: what they sign
// in with is not changed from a browser that was left open.
func (c *Console) needsProof(x *gin.Context) {
	if c.fresh(x) {
		return
	}
	to := "/again?then=" + url.QueryEscape("/account")
	if strings.HasPrefix(x.GetHeader("Content-Type"), "application/json") {
		x.AbortWithStatusJSON(http.StatusForbidden, map[string]string{"error": "Confirm first that it is you.", "to": to})
		return
	}
	x.Redirect(http.StatusSeeOther, to)
	x.Abort()
}

func (c *Console) showAgain(x *gin.Context) {
	c.proveAgain(x, http.StatusOK, form{Values: map[string]string{"then": x.Query("then")}})
}

func (c *Console) proveAgain(x *gin.Context, status int, f form) {
	me := actor(x)
	account, err := accounts.Account(x.Request.Context(), c.House, me.Who)
	if err != nil {
		c.fail(x, err)
		return
	}
	p := c.page(x, "Confirm that it is you")
	p.View = againView{form: f, Then: localView(f.Values["then"]), Address: me.Address.String(), HasPassword: account.Password != "", HasSecondStep: account.TOTP != ""}
	c.show(x, status, "again", p)
}

func (c *Console) doAgain(x *gin.Context) {
	ctx, me := x.Request.Context(), actor(x)
	f := typed(x, "then")
	account, err := accounts.Account(ctx, c.House, me.Who)
	if err != nil {
		c.fail(x, err)
		return
	}
	if account.Password == "" { // they sign in anew by what they have
		x.Redirect(http.StatusSeeOther, "/again?then="+url.QueryEscape(f.Values["then"]))
		return
	}
	field := "password"
	err = accounts.CheckPassword(ctx, c.House, me, x.PostForm("password"), c.from(x))
	if err == nil && account.TOTP != "" {
		field = "code"
		err = accounts.SecondStep(ctx, c.House, me.Who, x.PostForm("code"), c.from(x))
	}
	var later identity.TryLater
	var wrong accounts.WrongSignIn
	switch {
	case errors.As(err, &later):
		f.Wrong[field] = later.Error()
		c.proveAgain(x, http.StatusTooManyRequests, f)
	case errors.As(err, &wrong):
		f.Wrong[field] = "This is not your password."
		c.proveAgain(x, http.StatusUnprocessableEntity, f)
	case errors.Is(err, accounts.ErrWrongCode):
		f.Wrong[field] = capital(accounts.ErrWrongCode.Error()) + "."
		c.proveAgain(x, http.StatusUnprocessableEntity, f)
	case err != nil:
		c.fail(x, err)
	default:
		c.proven(x)
		x.Redirect(http.StatusSeeOther, localView(f.Values["then"]))
	}
}

// sayWhatStays says on the next view what still signs somebody in after something
// that did was changed.
func (c *Console) sayWhatStays(x *gin.Context, who store.Who, text string) {
	keys, err := store.Passkeys(x.Request.Context(), c.House.Reader(), who)
	if err != nil {
		panic(err)
	}
	var names []string
	for _, k := range keys {
		names = append(names, "“"+k.Name+"”")
	}
	if len(names) > 0 {
		text += " These passkeys still sign you in: " + strings.Join(names, ", ") + ". Remove on your account page what is not yours."
	}
	c.flash(x, text)
}
