package console

import (
	"cmp"
	"encoding/json"
	"errors"
	"html/template"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"time"
	"unicode"
	"velada/app/accounts"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/gate"
	"velada/identity"
	"velada/store"
)

// What a session of the console keeps.
const (
	sessionProven  = "proven" // unix seconds: when they last showed who they are
	sessionVisits  = "visits" // the sign-in's id, by which it is known who is in, and visits handed over from it are ended
	sessionSecond  = "second" // a second step was taken, or a passkey shown
	sessionHalf    = "half"   // JSON: signed in but for the second step
	sessionFirst   = "first"  // the password is a first code, to be changed before anything else
	sessionAsked   = "asked"  // JSON: a sign-in on its way through a provider
	sessionPasskey = "passkey"
	sessionSecret  = "secret" // of a second step that is being set up
)

// halfIn is somebody who is signed in but for the second step.
type halfIn struct {
	Who store.Who
	How string
	To  map[string]string // where they go on to
}

// enter lets somebody in who has shown who they are, after a second step where
// one is set up or called for, and leads them on. strong says that what they
// have shown stands for two steps.
func (c *Console) enter(x *gin.Context, who store.Who, how string, strong bool, to map[string]string) {
	has, err := c.House.HasSecondStep(x.Request.Context(), who)
	if err != nil {
		c.fail(x, err)
		return
	}
	if !strong && (has || len(c.House.SecondStepFor(house.Actor{Who: who})) > 0) {
		if err := c.sessions.RenewToken(x.Request.Context()); err != nil {
			panic(err)
		}
		c.keep(x, sessionHalf, halfIn{who, how, to})
		x.Redirect(http.StatusSeeOther, "/second-step")
		return
	}
	c.begin(x, who, how, strong)
	c.goOn(x, to)
}

// keep keeps a value in the session, as JSON.
func (c *Console) keep(x *gin.Context, key string, value any) {
	text, err := json.Marshal(value)
	if err != nil {
		panic(err) // only what can be written is kept
	}
	c.sessions.Put(x.Request.Context(), key, string(text))
}

// kept reads a value that the session keeps; false where there is none.
func (c *Console) kept(x *gin.Context, key string, value any) bool {
	return json.Unmarshal([]byte(c.sessions.GetString(x.Request.Context(), key)), value) == nil
}

// begin signs somebody in on the console, under a fresh session token.
func (c *Console) begin(x *gin.Context, who store.Who, how string, second bool) {
	ctx := x.Request.Context()
	if earlier := c.sessions.GetString(ctx, sessionVisits); earlier != "" { // somebody else, or a second step later
		if err := c.House.EndSession(ctx, earlier); err != nil {
			panic(err)
		}
	}
	if err := c.sessions.RenewToken(ctx); err != nil {
		panic(err)
	}
	id := identity.Token()
	if err := c.House.BeginSession(ctx, id, who, device(x.Request.UserAgent()), how); err != nil {
		panic(err)
	}
	for _, key := range []string{sessionHalf, sessionAsked, sessionPasskey, sessionSecret, sessionFirst} {
		c.sessions.Remove(ctx, key)
	}
	c.proven(x)
	c.knowBrowser(x, who)
	c.sessions.Put(ctx, sessionVisits, id)
	c.sessions.Put(ctx, sessionSecond, second)
	account, err := accounts.Account(ctx, c.House, who)
	if err != nil {
		panic(err)
	}
	if account.MustChange && how == "password" {
		c.sessions.Put(ctx, sessionFirst, true)
	}
}

// stayProven is how long whoever has shown who they are need not do so again, before
// what they sign in with is changed.
const stayProven = 10 * time.Minute

// proven keeps that somebody has shown who they are just now.
func (c *Console) proven(x *gin.Context) {
	c.sessions.Put(x.Request.Context(), sessionProven, c.clock().Unix())
}

// knownCookie is the cookie of a browser in which somebody has signed in.
const (
	knownCookie = "velada_known"
	knownLife   = 365 * 24 * time.Hour
)

func (c *Console) cookieName(name string) string {
	if c.https {
		return "__Host-" + name
	}
	return name
}

// knowBrowser remembers the browser that somebody has signed in in, so that nobody
// who guesses elsewhere keeps them out.
func (c *Console) knowBrowser(x *gin.Context, who store.Who) {
	token, err := c.House.KnowBrowser(x.Request.Context(), who, c.from(x).Browser)
	if err != nil {
		slog.Error("remembering a browser", "error", err)
		return
	}
	http.SetCookie(x.Writer, &http.Cookie{
		Name: c.cookieName(knownCookie), Value: token, Path: "/", MaxAge: int(knownLife.Seconds()),
		HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: c.https,
	})
}

// from is where somebody comes from.
func (c *Console) from(x *gin.Context) house.From {
	f := house.From{IP: remote(x.Request)}
	if known, err := x.Request.Cookie(c.cookieName(knownCookie)); err == nil && len(known.Value) <= 64 {
		f.Browser = known.Value
	}
	return f
}

// device says in words what a browser says of itself.
func device(agent string) string {
	find := func(fallback string, names ...[2]string) string {
		for _, n := range names {
			if strings.Contains(agent, n[0]) {
				return n[1]
			}
		}
		return fallback
	}
	browser := find("A browser", [2]string{"Firefox/", "Firefox"}, [2]string{"Edg/", "Edge"}, [2]string{"Chrome/", "Chrome or a relative"}, [2]string{"Safari/", "Safari"})
	return browser + find("", [2]string{"iPhone", " on an iPhone"}, [2]string{"iPad", " on an iPad"}, [2]string{"Android", " on Android"}, [2]string{"Windows", " on Windows"}, [2]string{"Mac OS X", " on a Mac"}, [2]string{"Linux", " on Linux"})
}

type signInView struct {
	form
	Providers []house.Provider
	Query     template.URL // where to go on to, for links
	Kind      string       // what link is asked for
	Sent      bool
}

func (c *Console) signInPage(x *gin.Context, f form) *page {
	p := c.page(x, "Sign in")
	v := signInView{form: f}
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
		if doc := c.shownSite(site); doc != nil {
			p.Visiting = &visiting{Title: cmp.Or(doc.Title, site), URL: c.SiteURL(site)}
			if s.Site(site).Details.Tint != "" {
				p.Visiting.Tint = "/tint/" + site
			}
		}
	}
	p.View = v
	return p
}

// visiting is the site that somebody signs in to read: its name and tint stand on
// the page in place of Velada's.
type visiting struct{ Title, URL, Tint string }

// shownSite gives a site of which strangers learn anyway, or nil.
func (c *Console) shownSite(site string) *access.Site {
	s := c.House.State()
	if s == nil || s.Policy.Site(site).Decide("/", &access.Visitor{}, access.At(c.House.Now())).Outcome == access.Absent {
		return nil
	}
	return s.SiteDocument(site)
}

// tint serves the colour of a site for its sign-in page.
func (c *Console) tint(x *gin.Context) {
	site := x.Param("site")
	if c.shownSite(site) == nil {
		x.Status(http.StatusNotFound)
		return
	}
	x.Data(http.StatusOK, "text/css; charset=utf-8", gate.TintStyle(c.House.State().Site(site).Details.Tint))
}

// whereTo are the fields that say where somebody goes on to after signing in.
var whereTo = []string{"site", "path", "then", "nonce"}

func asked(x *gin.Context) form {
	f := form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	for _, name := range whereTo {
		f.Values[name] = x.Query(name)
	}
	return f
}

// needsHouse leads to the set-up before there is a house.
func (c *Console) needsHouse(x *gin.Context) {
	if c.House.State() == nil {
		x.Redirect(http.StatusSeeOther, "/set-up")
		x.Abort()
	}
}

func (c *Console) showSignIn(x *gin.Context) {
	f := asked(x)
	if me, ok := c.whoIsIn(x); ok {
		if to := c.unfinished(x, me); to != "" {
			x.Redirect(http.StatusSeeOther, to)
			return
		}
		c.goOn(x, f.Values)
		return
	}
	f.Values["address"] = x.Query("address")
	c.show(x, http.StatusOK, "sign-in", c.signInPage(x, f))
}

// whoIsIn returns whoever is signed in, when that was not ended from elsewhere.
func (c *Console) whoIsIn(x *gin.Context) (house.Actor, bool) {
	ctx := x.Request.Context()
	id := c.sessions.GetString(ctx, sessionVisits)
	if id == "" {
		return house.Actor{}, false
	}
	who, still, err := c.House.FindSession(ctx, id)
	if err != nil {
		panic(err)
	}
	me, there := c.House.ActorOf(who)
	if !still || !there {
		if err := c.sessions.Destroy(ctx); err != nil {
			panic(err)
		}
		return house.Actor{}, false
	}
	return me, true
}

// unfinished gives where somebody who is signed in must go before anything else.
func (c *Console) unfinished(x *gin.Context, me house.Actor) string {
	ctx := x.Request.Context()
	if c.sessions.GetBool(ctx, sessionFirst) {
		return "/first-password"
	}
	if !c.sessions.GetBool(ctx, sessionSecond) && len(c.House.SecondStepFor(me)) > 0 {
		c.keep(x, sessionHalf, halfIn{me.Who, "password", map[string]string{}})
		return "/second-step"
	}
	return ""
}

func (c *Console) doSignIn(x *gin.Context) {
	f := typed(x, "address", "site", "path", "then", "nonce")
	who, err := accounts.SignIn(x.Request.Context(), c.House, f.Values["address"], x.PostForm("password"), c.from(x))
	var later identity.TryLater
	var wrong accounts.WrongSignIn
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
		c.enter(x, who, "password", false, f.Values)
	}
}

// goOn leads somebody who is signed in to where they were going: to a site by a
// ticket for its host, or to a view of the console.
func (c *Console) goOn(x *gin.Context, to map[string]string) {
	if c.sessions.GetBool(x.Request.Context(), sessionFirst) {
		c.keep(x, "onward", to)
		x.Redirect(http.StatusSeeOther, "/first-password")
		return
	}
	x.Redirect(http.StatusSeeOther, c.onward(x, to))
}

func (c *Console) onward(x *gin.Context, to map[string]string) string {
	if site := to["site"]; access.IsSiteAddress(site) { // whether or not there is such a site is not said here
		if to["nonce"] == "" { // its own host begins, so that the ticket is for this browser
			return c.SiteURL(site) + "/velada/sign-in?" + url.Values{"path": {to["path"]}}.Encode()
		}
		code := c.House.Tickets.Issue(identity.Ticket{
			Site: string(c.House.State().ID(site)), Nonce: to["nonce"], Console: c.sessions.GetString(x.Request.Context(), sessionVisits),
		}, c.House.TicketTime())
		query := url.Values{"ticket": {code}, "path": {to["path"]}}
		return c.SiteURL(site) + "/velada/enter?" + query.Encode()
	}
	return localView(to["then"])
}

// localView returns a view of the console to go on to, whatever was asked for: a
// path on this host that browsers read as nothing else.
func localView(then string) string {
	u, err := url.Parse(then)
	if err != nil || !strings.HasPrefix(then, "/") || strings.HasPrefix(then, "//") || u.Scheme != "" || u.Host != "" || u.User != nil ||
		strings.ContainsFunc(then, func(r rune) bool { return r == '\\' || unicode.IsControl(r) || unicode.IsSpace(r) }) ||
		strings.ContainsFunc(u.Path, func(r rune) bool { return r == '\\' || unicode.IsControl(r) }) || strings.HasPrefix(u.Path, "//") {
		return "/sites"
	}
	return then
}

// signOut ends the session and every visit that was handed over from it.
func (c *Console) signOut(x *gin.Context) {
	if err := c.leave(x); err != nil {
		c.fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, "/sign-in")
}

func (c *Console) leave(x *gin.Context) error {
	ctx := x.Request.Context()
	if visits := c.sessions.GetString(ctx, sessionVisits); visits != "" {
		if err := c.House.EndSession(ctx, visits); err != nil {
			return err
		}
	}
	return c.sessions.Destroy(ctx)
}

// showForgot offers a link by mail, to sign in or to set a new password.
func (c *Console) showForgot(x *gin.Context) {
	f := asked(x)
	f.Values["kind"], f.Values["address"] = x.Query("kind"), x.Query("address")
	c.forgot(x, http.StatusOK, f, false)
}

func (c *Console) forgot(x *gin.Context, status int, f form, sent bool) {
	p := c.signInPage(x, f)
	v := p.View.(signInView)
	v.Kind, v.Sent = house.LinkSignIn, sent
	if f.Values["kind"] == house.LinkReset {
		v.Kind = house.LinkReset
	}
	p.Title = "A link by mail"
	p.View = v
	c.show(x, status, "forgot", p)
}

func (c *Console) doForgot(x *gin.Context) {
	f := typed(x, "address", "kind", "site", "path", "then", "nonce")
	kind := house.LinkSignIn
	if f.Values["kind"] == house.LinkReset {
		kind = house.LinkReset
	}
	err := accounts.SendLink(c.House, kind, f.Values["address"], f.Values, c.from(x))
	var later identity.TryLater
	switch {
	case errors.As(err, &f.Wrong):
		c.forgot(x, http.StatusUnprocessableEntity, f, false)
	case errors.As(err, &later):
		f.Wrong["address"] = later.Error()
		c.forgot(x, http.StatusTooManyRequests, f, false)
	case err != nil:
		c.fail(x, err)
	default:
		c.forgot(x, http.StatusOK, f, true)
	}
}

// byMailView is where a link that was sent by mail leads.
type byMailView struct {
	form
	Token, Kind, Address string
}

func (c *Console) showByMail(x *gin.Context) { c.byMail(x, http.StatusOK, form{}) }

func (c *Console) byMail(x *gin.Context, status int, f form) {
	l, err := c.House.FindMailLink(x.Request.Context(), x.Param("token"))
	if err != nil {
		c.fail(x, err)
		return
	}
	if l == nil {
		c.refuse(x, http.StatusGone, capital(house.ErrLinkSpent.Error())+".")
		return
	}
	p := c.page(x, "A link by mail")
	p.View = byMailView{f, x.Param("token"), l.Kind, l.Address}
	c.show(x, status, "by-mail", p)
}

func (c *Console) doByMail(x *gin.Context) {
	ctx, token := x.Request.Context(), x.Param("token")
	if x.PostForm("kind") == house.LinkReset {
		who, err := accounts.ResetPassword(ctx, c.House, token, x.PostForm("password"))
		var wrong house.FieldErrors
		switch {
		case errors.As(err, &wrong):
			c.byMail(x, http.StatusUnprocessableEntity, form{Wrong: wrong})
		case errors.Is(err, house.ErrLinkSpent):
			c.refuse(x, http.StatusGone, capital(err.Error())+".")
		case err != nil:
			c.fail(x, err)
		default:
			c.sayWhatStays(x, who, "Your new password is set, and you are signed out everywhere else.")
			c.enter(x, who, "password", false, map[string]string{})
		}
		return
	}
	who, to, err := accounts.FollowMailLink(ctx, c.House, token)
	switch {
	case errors.Is(err, house.ErrLinkSpent):
		c.refuse(x, http.StatusGone, capital(err.Error())+".")
	case err != nil:
		c.fail(x, err)
	default:
		c.enter(x, who, "a link by mail", false, to)
	}
}

// signInWith sends somebody to a provider to sign in.
func (c *Console) signInWith(x *gin.Context) {
	settings := c.House.State().Settings.Provider(x.Param("provider"))
	if settings == nil {
		c.notFound(x)
		return
	}
	to, asked1, err := c.provider(settings).Ask(x.Request.Context())
	if err != nil {
		c.refuse(x, http.StatusBadGateway, settings.Name+" does not answer. Try again later, or sign in another way.")
		return
	}
	asked1.Provider = settings.ID
	c.keep(x, sessionAsked, struct {
		Asked identity.Asked
		To    map[string]string
	}{asked1, asked(x).Values})
	x.Redirect(http.StatusSeeOther, to)
}

func (c *Console) provider(p *house.Provider) identity.Provider {
	return identity.Provider{Issuer: p.Issuer, Client: p.Client, Secret: p.Secret, Back: c.House.ConsoleURL + "/sign-in/back"}
}

// backFrom takes somebody who comes back from a provider.
func (c *Console) backFrom(x *gin.Context) {
	var kept struct {
		Asked identity.Asked
		To    map[string]string
	}
	there := c.kept(x, sessionAsked, &kept)
	c.sessions.Remove(x.Request.Context(), sessionAsked)
	settings := c.House.State().Settings.Provider(kept.Asked.Provider)
	if !there || settings == nil {
		c.refuse(x, http.StatusBadRequest, "This answer belongs to no sign-in of this browser. Begin again.")
		return
	}
	claims, err := c.provider(settings).Answer(x.Request.Context(), kept.Asked, x.Query("state"), x.Query("code"))
	if err != nil {
		c.refuse(x, http.StatusForbidden, "Nobody was signed in: "+settings.Name+" gave no answer that can be trusted.")
		return
	}
	who, err := accounts.SignInWith(x.Request.Context(), c.House, settings, claims)
	if err != nil {
		c.refuse(x, http.StatusForbidden, "Nobody was signed in: "+err.Error()+".")
		return
	}
	c.enter(x, who, settings.Name, false, kept.To)
}

// askPasskey gives what a browser needs to sign in by a passkey.
func (c *Console) askPasskey(x *gin.Context) {
	options, kept, err := c.passkeys.Ask()
	if err != nil {
		c.fail(x, err)
		return
	}
	c.sessions.Put(x.Request.Context(), sessionPasskey, string(kept))
	x.Data(http.StatusOK, "application/json", options)
}

// signInByPasskey takes a browser's answer and says where to go on to.
func (c *Console) signInByPasskey(x *gin.Context) {
	kept := c.sessions.PopString(x.Request.Context(), sessionPasskey)
	who, err := accounts.SignInByPasskey(x.Request.Context(), c.House, c.passkeys, []byte(kept), x.Request)
	if err != nil {
		x.JSON(http.StatusUnprocessableEntity, map[string]string{"error": "This passkey lets nobody in here. Sign in another way, or try again."})
		return
	}
	c.begin(x, who, "a passkey", true)
	x.JSON(http.StatusOK, map[string]string{"to": c.onward(x, asked(x).Values)})
}

// secondView is the second step of signing in: a code, or setting it up.
type secondView struct {
	form
	Address string
	SetUp   *secretView // where none is set up yet
	Roles   string      // for which it is called for
}

// secretView is the secret of a second step while it is set up.
type secretView struct {
	QR     template.HTML
	Secret string
}

func (c *Console) showSecond(x *gin.Context) { c.second(x, http.StatusOK, form{}) }

func (c *Console) second(x *gin.Context, status int, f form) {
	var half halfIn
	if !c.kept(x, sessionHalf, &half) {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	me, there := c.House.ActorOf(half.Who)
	if !there {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	v := secondView{form: f, Address: me.Address.String()}
	has, err := c.House.HasSecondStep(x.Request.Context(), me.Who)
	if err == nil && !has {
		v.Roles = strings.Join(c.House.SecondStepFor(me), ", ")
		v.SetUp, err = c.newSecret(x, me.Address)
	}
	if err != nil {
		c.fail(x, err)
		return
	}
	p := c.page(x, "The second step")
	p.View = v
	c.show(x, status, "second-step", p)
}

// newSecret gives the secret of a second step that is being set up, the same
// until it is.
func (c *Console) newSecret(x *gin.Context, address access.Address) (*secretView, error) {
	ctx := x.Request.Context()
	secret := c.sessions.GetString(ctx, sessionSecret)
	if secret == "" {
		secret = identity.NewSecret()
		c.sessions.Put(ctx, sessionSecret, secret)
	}
	link, err := identity.SecretURL(secret, c.House.State().Policy.Document().House.Name, address.String())
	if err != nil {
		return nil, err
	}
	qr, err := qrSVG(link)
	return &secretView{template.HTML(qr), secret}, err
}

func (c *Console) doSecond(x *gin.Context) {
	ctx := x.Request.Context()
	var half halfIn
	if !c.kept(x, sessionHalf, &half) {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	has, err := c.House.HasSecondStep(ctx, half.Who)
	if err != nil {
		c.fail(x, err)
		return
	}
	var recovery []string
	if has {
		err = accounts.SecondStep(ctx, c.House, half.Who, x.PostForm("code"), c.from(x))
	} else {
		recovery, err = accounts.SetSecondStep(ctx, c.House, half.Who, c.sessions.GetString(ctx, sessionSecret), x.PostForm("code"), "")
	}
	var later identity.TryLater
	switch {
	case errors.As(err, &later):
		c.second(x, http.StatusTooManyRequests, form{Wrong: house.FieldErrors{"code": later.Error()}})
	case errors.Is(err, accounts.ErrWrongCode):
		c.second(x, http.StatusUnprocessableEntity, form{Wrong: house.FieldErrors{"code": capital(err.Error()) + "."}})
	case err != nil:
		c.fail(x, err)
	default:
		c.begin(x, half.Who, half.How, true)
		if recovery == nil {
			c.goOn(x, half.To)
			return
		}
		c.showRecovery(x, recovery, c.onward(x, half.To))
	}
}

// showRecovery shows new recovery codes, once.
func (c *Console) showRecovery(x *gin.Context, codes []string, to string) {
	p := c.page(x, "Recovery codes")
	p.View = struct {
		Codes []string
		To    string
	}{codes, to}
	c.show(x, http.StatusOK, "recovery-codes", p)
}

// showFirstPassword asks for a password in place of a first code.
func (c *Console) showFirstPassword(x *gin.Context) {
	if !c.sessions.GetBool(x.Request.Context(), sessionFirst) {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	c.firstPassword(x, http.StatusOK, form{})
}

func (c *Console) firstPassword(x *gin.Context, status int, f form) {
	p := c.page(x, "A password of your own")
	p.View = f
	c.show(x, status, "first-password", p)
}

func (c *Console) doFirstPassword(x *gin.Context) {
	ctx := x.Request.Context()
	me, ok := c.whoIsIn(x)
	if !ok || !c.sessions.GetBool(ctx, sessionFirst) {
		x.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	err := accounts.ChangePassword(ctx, c.House, me, "", x.PostForm("password"), c.from(x), c.sessions.GetString(ctx, sessionVisits))
	var wrong house.FieldErrors
	switch {
	case errors.As(err, &wrong):
		c.firstPassword(x, http.StatusUnprocessableEntity, form{Wrong: wrong})
	case err != nil:
		c.fail(x, err)
	default:
		to := map[string]string{}
		c.kept(x, "onward", &to)
		c.sessions.Remove(ctx, "onward")
		c.sessions.Remove(ctx, sessionFirst)
		c.goOn(x, to)
	}
}
