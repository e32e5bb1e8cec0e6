package account

import (
	"cmp"
	"encoding/json"
	"errors"
	"html/template"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"velada/app/accounts"
	"velada/console/web"
	"velada/core/access"
	"velada/gate"
	"velada/house"
	"velada/identity"
	"velada/words"
)

type signInView struct {
	web.Form
	Providers []house.Provider
	Query     template.URL // where to go on to, for links
	Kind      string       // what link is asked for
	Sent      bool
	Lies      string     // what becomes of mail, where no server takes it
	Out       *signedOut // whoever signed out just now
	Me        house.Actor
	Onto      string // what the site is called that they go on to
}

func signInPage(c *web.Console, x *gin.Context, f web.Form) *web.Page {
	p := c.Page(x, "Sign in")
	v := signInView{Form: f}
	query := url.Values{}
	for _, name := range whereTo {
		if f.Values[name] != "" {
			query.Set(name, f.Values[name])
		}
	}
	v.Query = template.URL(query.Encode())
	if s := c.House.State(); s != nil {
		v.Providers = s.Settings.Providers
		site := f.Values["site"]
		if doc := shownSite(c, site); doc != nil {
			p.Visiting = &web.Visiting{Title: cmp.Or(doc.Title, site), URL: c.SiteURL(site)}
			if len(gate.StyleOf(s, site)) > 0 {
				p.Visiting.Tint = "/tint/" + site
			}
		}
	}
	p.View = v
	return p
}

// shownSite returns a site of which strangers learn anyway, or nil.
func shownSite(c *web.Console, site string) *access.Site {
	s := c.House.State()
	if s == nil || s.Policy.Site(site).Decide("/", &access.Visitor{}, access.At(c.House.Now())).Outcome == access.Absent {
		return nil
	}
	return s.SiteDocument(site)
}

// tint serves the colour of a site for its sign-in page.
func tint(c *web.Console, x *gin.Context) {
	site := x.Param("site")
	if shownSite(c, site) == nil {
		x.Status(http.StatusNotFound)
		return
	}
	x.Data(http.StatusOK, "text/css; charset=utf-8", gate.StyleOf(c.House.State(), site))
}

// whereTo are the fields that say where somebody goes on to after signing in.
var whereTo = []string{"site", "path", "then", "nonce", "at"}

func asked(x *gin.Context) web.Form {
	f := web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	for _, name := range whereTo {
		f.Values[name] = x.Query(name)
	}
	return f
}

func showSignIn(c *web.Console, x *gin.Context) {
	f := asked(x)
	if me, ok := c.WhoIsIn(x); ok {
		if to := c.Unfinished(x, me); to != "" {
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		if c.MustPress(x, f.Values) {
			p := signInPage(c, x, f)
			p.Title = "Go on"
			v := p.View.(signInView)
			v.Me, v.Onto = me, ontoName(c, f.Values)
			p.View = v
			c.Show(x, http.StatusOK, "go-on", p)
			return
		}
		c.GoOn(x, f.Values)
		return
	}
	f.Values["address"] = x.Query("address")
	p := signInPage(c, x, f)
	v := p.View.(signInView)
	if c.Kept(x, sessionOut, &v.Out) {
		c.Sessions.Remove(x.Request.Context(), sessionOut)
		p.View = v
	}
	c.Show(x, http.StatusOK, "sign-in", p)
}

// ontoName is what a site is called to whoever goes on to it: its title, or where nothing of it is told,
// its host.
func ontoName(c *web.Console, to map[string]string) string {
	if doc := shownSite(c, to["site"]); doc != nil && doc.Title != "" {
		return doc.Title
	}
	return c.SiteHost(to["site"])
}

// goOn leads somebody who is signed in on to a site, by a press.
func goOn(c *web.Console, x *gin.Context) {
	f := web.Typed(x, whereTo...)
	me, ok := c.WhoIsIn(x)
	if ok {
		if to := c.Unfinished(x, me); to != "" {
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		c.GoOn(x, f.Values)
		return
	}
	c.Show(x, http.StatusOK, "sign-in", signInPage(c, x, f)) // signed out meanwhile
}

func doSignIn(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "address", "site", "path", "then", "nonce", "at")
	who, err := accounts.SignIn(x.Request.Context(), c.House, f.Values["address"], x.PostForm("password"), c.From(x))
	var later identity.TryLater
	var wrong accounts.WrongSignIn
	switch {
	case errors.As(err, &later):
		f.Wrong["password"] = later.Error()
		c.Show(x, http.StatusTooManyRequests, "sign-in", signInPage(c, x, f))
	case errors.As(err, &wrong):
		f.Wrong["password"] = wrong.Error()
		c.Show(x, http.StatusUnprocessableEntity, "sign-in", signInPage(c, x, f))
	case err != nil:
		c.Fail(x, err)
	default:
		c.Enter(x, who, "password", false, f.Values)
	}
}

// showForgot offers a link by mail, to sign in or to set a new password.
func showForgot(c *web.Console, x *gin.Context) {
	f := asked(x)
	f.Values["kind"], f.Values["address"] = x.Query("kind"), x.Query("address")
	forgot(c, x, http.StatusOK, f, false)
}

func forgot(c *web.Console, x *gin.Context, status int, f web.Form, sent bool) {
	p := signInPage(c, x, f)
	v := p.View.(signInView)
	v.Kind, v.Sent = house.LinkSignIn, sent
	if f.Values["kind"] == house.LinkReset {
		v.Kind = house.LinkReset
	}
	if c.House.State().Settings.Mail == nil {
		v.Lies = house.NoMailServer
	}
	p.Title = "A link by mail"
	p.View = v
	c.Show(x, status, "forgot", p)
}

func doForgot(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "address", "kind", "site", "path", "then", "nonce", "at")
	kind := house.LinkSignIn
	if f.Values["kind"] == house.LinkReset {
		kind = house.LinkReset
	}
	err := accounts.SendLink(c.House, kind, f.Values["address"], f.Values, c.From(x))
	var later identity.TryLater
	switch {
	case errors.As(err, &f.Wrong):
		forgot(c, x, http.StatusUnprocessableEntity, f, false)
	case errors.As(err, &later):
		f.Wrong["address"] = later.Error()
		forgot(c, x, http.StatusTooManyRequests, f, false)
	case err != nil:
		c.Fail(x, err)
	default:
		forgot(c, x, http.StatusOK, f, true)
	}
}

// byMailView is where a link that was sent by mail leads.
type byMailView struct {
	web.Form
	Token, Kind, Address string
	New                  bool // an account begins, with a name and a password
}

func showByMail(c *web.Console, x *gin.Context) { byMail(c, x, http.StatusOK, web.Form{}) }

func byMail(c *web.Console, x *gin.Context, status int, f web.Form) {
	l, err := c.House.Outbox.FindMailLink(x.Request.Context(), x.Param("token"))
	if err != nil {
		c.Fail(x, err)
		return
	}
	if l == nil {
		c.Refuse(x, http.StatusGone, words.Capital(house.ErrLinkSpent.Error())+".")
		return
	}
	p := c.Page(x, "A link by mail")
	v := byMailView{f, x.Param("token"), l.Kind, l.Address, l.Kind == house.LinkAccount && accounts.IsNew(x.Request.Context(), c.House, l.Address)}
	if v.New && v.Values == nil {
		var n house.PendingAccount
		_ = json.Unmarshal([]byte(l.Detail), &n) // without a name one is typed
		v.Values = map[string]string{"name": n.Name}
	}
	p.View = v
	c.Show(x, status, "by-mail", p)
}

func doByMail(c *web.Console, x *gin.Context) {
	ctx, token := x.Request.Context(), x.Param("token")
	if x.PostForm("kind") == house.LinkReset {
		who, err := accounts.ResetPassword(ctx, c.House, token, x.PostForm("password"))
		var wrong house.FieldErrors
		switch {
		case errors.As(err, &wrong):
			byMail(c, x, http.StatusUnprocessableEntity, web.Form{Wrong: wrong})
		case errors.Is(err, house.ErrLinkSpent):
			c.Refuse(x, http.StatusGone, words.Capital(err.Error())+".")
		case err != nil:
			c.Fail(x, err)
		default:
			c.SayWhatStays(x, who, "Your new password is set, and you are signed out everywhere else.")
			c.Enter(x, who, "password", false, map[string]string{})
		}
		return
	}
	f := web.Typed(x, "name")
	who, to, err := accounts.FollowMailLink(ctx, c.House, token, f.Values["name"], x.PostForm("password"))
	switch {
	case errors.As(err, &f.Wrong):
		byMail(c, x, http.StatusUnprocessableEntity, f)
	case errors.Is(err, house.ErrLinkSpent):
		c.Refuse(x, http.StatusGone, words.Capital(err.Error())+".")
	case err != nil:
		c.Fail(x, err)
	default:
		c.Enter(x, who, "a link by mail", false, to)
	}
}

// askPasskey returns what a browser needs to sign in by a passkey.
func askPasskey(c *web.Console, x *gin.Context) {
	options, kept, err := c.Passkeys.Ask()
	if err != nil {
		c.Fail(x, err)
		return
	}
	c.Sessions.Put(x.Request.Context(), web.SessionPasskey, string(kept))
	x.Data(http.StatusOK, "application/json", options)
}

// signInByPasskey takes a browser's answer and says where to go on to.
func signInByPasskey(c *web.Console, x *gin.Context) {
	kept := c.Sessions.PopString(x.Request.Context(), web.SessionPasskey)
	who, key, err := accounts.SignInByPasskey(x.Request.Context(), c.House, c.Passkeys, []byte(kept), x.Request)
	if errors.Is(err, identity.ErrCopied) {
		x.JSON(http.StatusUnprocessableEntity, map[string]string{"error": "This passkey was copied, and lets nobody in any more. Sign in another way, and make a new one."})
		return
	}
	if err != nil {
		x.JSON(http.StatusUnprocessableEntity, map[string]string{"error": "This passkey lets nobody in here. Sign in another way, or try again."})
		return
	}
	c.BeginBy(x, who, "a passkey", true, key)
	x.JSON(http.StatusOK, map[string]string{"to": c.Onward(x, asked(x).Values)})
}

// secondView is the second step of signing in: a code, or setting it up.
type secondView struct {
	web.Form
	Address string
	SetUp   *secretView // where none is set up yet
	For     string      // whom it is called for, after "everyone who"
}

// secretView is the secret of a second step while it is set up.
type secretView struct {
	QR     template.HTML
	Secret string
}

func showSecond(c *web.Console, x *gin.Context) { second(c, x, http.StatusOK, web.Form{}) }

func second(c *web.Console, x *gin.Context, status int, f web.Form) {
	half, ok := c.Half(x)
	if !ok {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	me, there := c.House.ActorOf(half.Who)
	if !there {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	v := secondView{Form: f, Address: me.Address.String()}
	has, err := c.House.Sessions.HasSecondStep(x.Request.Context(), me.Who)
	if err == nil && !has {
		if v.For = words.SecondSteps(c.House.SecondStepFor(me)); v.For == "" { // none is called for any more
			x.Redirect(http.StatusSeeOther, "/sign-in")
			return
		}
		v.SetUp, err = newSecret(c, x, me.Address)
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := c.Page(x, "Two-step sign-in")
	p.View = v
	c.Show(x, status, "second-step", p)
}

// newSecret returns the secret of a second step that is being set up, the same
// until it is.
func newSecret(c *web.Console, x *gin.Context, address access.Address) (*secretView, error) {
	ctx := x.Request.Context()
	secret := c.Sessions.GetString(ctx, web.SessionSecret)
	if secret == "" {
		secret = identity.NewSecret()
		c.Sessions.Put(ctx, web.SessionSecret, secret)
	}
	link, err := identity.SecretURL(secret, c.House.State().Policy.Document().House.Name, address.String())
	if err != nil {
		return nil, err
	}
	qr, err := web.QRCode(link)
	return &secretView{template.HTML(qr), secret}, err
}

func doSecond(c *web.Console, x *gin.Context) {
	ctx := x.Request.Context()
	half, ok := c.Half(x)
	if !ok {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	has, err := c.House.Sessions.HasSecondStep(ctx, half.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	var recovery []string
	if !has && len(c.House.SecondStepFor(house.Actor{Who: half.Who})) == 0 {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	if has {
		err = accounts.SecondStep(ctx, c.House, half.Who, x.PostForm("code"), c.From(x))
	} else {
		recovery, err = accounts.SetSecondStep(ctx, c.House, half.Who, c.Sessions.GetString(ctx, web.SessionSecret), x.PostForm("code"), "", half.Epoch)
	}
	var later identity.TryLater
	switch {
	case errors.As(err, &later):
		second(c, x, http.StatusTooManyRequests, web.Form{Wrong: house.FieldErrors{"code": later.Error()}})
	case errors.Is(err, accounts.ErrEnded):
		x.Redirect(http.StatusSeeOther, "/sign-in")
	case errors.Is(err, accounts.ErrWrongCode):
		second(c, x, http.StatusUnprocessableEntity, web.Form{Wrong: house.FieldErrors{"code": words.Capital(err.Error()) + "."}})
	case err != nil:
		c.Fail(x, err)
	default:
		c.Begin(x, half.Who, half.How, true)
		if recovery == nil {
			c.GoOn(x, half.To)
			return
		}
		showRecovery(c, x, recovery, c.Onward(x, half.To))
	}
}

// showRecovery shows new recovery codes, once.
func showRecovery(c *web.Console, x *gin.Context, codes []string, to string) {
	p := c.Page(x, "Recovery codes")
	p.View = struct {
		Codes []string
		To    string
	}{codes, to}
	c.Show(x, http.StatusOK, "recovery-codes", p)
}

// showFirstPassword asks for a password in place of a first code.
func showFirstPassword(c *web.Console, x *gin.Context) {
	if !c.Sessions.GetBool(x.Request.Context(), web.SessionFirst) {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	firstPassword(c, x, http.StatusOK, web.Form{})
}

func firstPassword(c *web.Console, x *gin.Context, status int, f web.Form) {
	p := c.Page(x, "A password of your own")
	p.View = f
	c.Show(x, status, "first-password", p)
}

func doFirstPassword(c *web.Console, x *gin.Context) {
	ctx := x.Request.Context()
	me, ok := c.WhoIsIn(x)
	if !ok || !c.Sessions.GetBool(ctx, web.SessionFirst) {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	err := accounts.ChangePassword(ctx, c.House, me, "", x.PostForm("password"), c.From(x), c.Sessions.GetString(ctx, web.SessionVisits))
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		firstPassword(c, x, http.StatusUnprocessableEntity, web.Form{Wrong: wrong})
	case err != nil:
		c.Fail(x, err)
	default:
		to := map[string]string{}
		c.Kept(x, "onward", &to)
		c.Sessions.Remove(ctx, "onward")
		c.Sessions.Remove(ctx, web.SessionFirst)
		c.GoOn(x, to)
	}
}
