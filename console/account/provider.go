package account

import (
	"errors"
	"log/slog"
	"net/http"

	"github.com/gin-gonic/gin"

	"velada/app/accounts"
	"velada/console/web"
	"velada/house"
	"velada/identity"
	"velada/words"
)

// signInWith sends somebody to a provider to sign in.
func signInWith(c *web.Console, x *gin.Context) {
	settings := c.House.State().Settings.Provider(x.Param("provider"))
	if settings == nil {
		c.NotFound(x)
		return
	}
	to, asked1, err := c.Providers.Ask(x.Request.Context(), c.Provider(settings))
	if err != nil {
		providerFailed(c, settings, err)
		c.Refuse(x, http.StatusBadGateway, settings.Name+" does not answer. Try again later, or sign in another way.")
		return
	}
	asked1.Provider = settings.ID
	c.KeepAsked(x, asked1, asked(x).Values)
	x.Redirect(http.StatusSeeOther, to)
}

// providerFailed writes to the log why a sign-in through a provider failed, and keeps
// it for stewards.
func providerFailed(c *web.Console, p *house.Provider, err error) {
	slog.Warn("a sign-in through a provider failed", "provider", p.ID, "error", err)
	c.Providers.Failed(p.Issuer, err)
}

// through is the provider that knows whoever uses a browser.
type through struct{ Provider, Hint string }

// backFrom takes somebody who comes back from a provider.
func backFrom(c *web.Console, x *gin.Context) {
	var kept web.AskedFor
	there := c.Kept(x, web.SessionAsked, &kept)
	c.Sessions.Remove(x.Request.Context(), web.SessionAsked)
	settings := c.House.State().Settings.Provider(kept.Asked.Provider)
	if !there || settings == nil {
		c.Refuse(x, http.StatusBadRequest, "This answer belongs to no sign-in of this browser. Begin again.")
		return
	}
	ctx := x.Request.Context()
	got, err := c.Providers.Answer(ctx, c.Provider(settings), kept.Asked, x.Request.URL.Query())
	if kept.Asked.Try {
		c.KeepTried(x, settings, got, err)
		x.Redirect(http.StatusSeeOther, web.TriedURL)
		return
	}
	if err != nil {
		providerFailed(c, settings, err)
		text := settings.Name + " gave no answer that can be trusted"
		var why *identity.ProviderError
		if errors.As(err, &why) && why.At == identity.AtSignIn {
			text = settings.Name + " did not sign you in (" + why.Text + ")"
		}
		c.Refuse(x, http.StatusForbidden, "Nobody was signed in: "+text+".")
		return
	}
	who, err := accounts.SignInWith(ctx, c.House, settings, got.Claims)
	if err != nil {
		providerFailed(c, settings, err)
		var another accounts.NewSubject
		if errors.As(err, &another) { // bound once they have shown in another way who they are
			c.Keep(x, web.SessionSubject, web.PendingSubject{NewSubject: another, At: c.Clock().Unix()})
		}
		c.Refuse(x, http.StatusForbidden, "Nobody was signed in: "+err.Error()+".")
		return
	}
	c.Keep(x, web.SessionThrough, through{settings.ID, got.IDToken})
	c.Enter(x, who, settings.Name, false, kept.To)
}

// signedOut is somebody who signed out just now, and whom a provider may still know.
type signedOut struct{ Name, URL string }

const sessionOut = "out" // JSON: signedOut

// signOut ends the session and every visit that was handed over from it. Where a
// provider let them in, it offers to sign out there, or leads there where it is set so.
func signOut(c *web.Console, x *gin.Context) {
	var in through
	var p *house.Provider
	if c.Kept(x, web.SessionThrough, &in) {
		p = c.House.State().Settings.Provider(in.Provider)
	}
	if err := c.Leave(x); err != nil { // before anybody else is asked
		c.Fail(x, err)
		return
	}
	var there string
	if p != nil {
		there = c.Providers.SignOut(x.Request.Context(), c.Provider(p), in.Hint, c.House.ConsoleURL+"/sign-in")
	}
	switch {
	case there == "":
		x.Redirect(http.StatusSeeOther, "/sign-in")
	case p.SignOut:
		c.LeadOn(x, there)
	default:
		c.Keep(x, sessionOut, signedOut{words.Capital(p.Name), there})
		x.Redirect(http.StatusSeeOther, "/sign-in")
	}
}
