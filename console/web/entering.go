package web

import (
	"encoding/json"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"time"
	"unicode"

	"github.com/gin-gonic/gin"

	"velada/app/accounts"
	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// MySite is a site with what somebody may do on it, and through what.
type MySite struct {
	Address, Title, Can string
	Entries             []string
	MayLeave            bool
}

// SitesOf lists the sites that somebody has to do with, and what they may do there;
// a site without entries is theirs as a steward's alone.
func SitesOf(c *Console, me house.Actor) (list []MySite) {
	s := c.House.State()
	for _, doc := range s.Policy.Document().Sites {
		caps := c.House.CanAnywhere(me, doc.Address)
		if caps == 0 {
			continue
		}
		w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
		row := MySite{Address: doc.Address, Title: doc.Title, Can: words.CapabilityWords(caps)}
		for _, e := range s.Policy.Site(doc.Address).EntriesOf(s.Identity(me.Who), c.At()) {
			text := words.Capital(e.Role) + ", for " + w.Section(e.Under) + ", " + w.Window(e.From, e.Until)
			if e.Group != "" {
				text += ", through " + w.Group(e.Group)
			} else {
				row.MayLeave = true
			}
			row.Entries = append(row.Entries, text)
		}
		list = append(list, row)
	}
	return list
}

// needsProofWithout is needsProof for who has no password that is asked for anyway.
func needsProofWithout(c *Console, x *gin.Context) {
	account, err := accounts.Account(x.Request.Context(), c.House, Actor(x).Who)
	if err != nil {
		c.Fail(x, err)
		x.Abort()
		return
	}
	if account.Password == "" {
		needsProof(c, x)
	}
}

// What a session of the console keeps.
const (
	sessionProven  = "proven" // unix seconds: when they last showed who they are
	SessionVisits  = "visits" // the sign-in's id, by which it is known who is in, and visits handed over from it are ended
	SessionSecond  = "second" // a second step was taken, or a passkey shown
	SessionHalf    = "half"   // JSON: signed in but for the second step
	SessionFirst   = "first"  // the password is a first code, to be changed before anything else
	SessionAsked   = "asked"  // JSON: a sign-in on its way through a provider
	SessionPasskey = "passkey"
	SessionSecret  = "secret"  // of a second step that is being set up
	SessionThrough = "through" // JSON: the provider that knows whoever uses this browser
	SessionSubject = "subject" // JSON: a provider's account that is to be bound to whoever shows who they are
	SessionTried   = "tried"   // JSON: what came when a steward tried a provider
)

// HalfIn is somebody who is signed in but for the second step.
type HalfIn struct {
	Who   store.Who
	How   string
	To    map[string]string // where they go on to
	Epoch int64             // of the account, when they showed who they are
	At    int64             // likewise, in unix seconds
}

// PendingSubject is an account of a provider that came by somebody's address and is not bound to them.
type PendingSubject struct {
	accounts.NewSubject
	At int64
}

// bindSubject binds such an account to whoever signs in by a link by mail within half an hour, in the
// same browser: they read the mailbox of the address.
func (c *Console) bindSubject(x *gin.Context, who store.Who, how string) {
	var pending PendingSubject
	if !c.Kept(x, SessionSubject, &pending) {
		return
	}
	if pending.Who != who || how != "a link by mail" || c.Clock().Sub(time.Unix(pending.At, 0)) > house.LinkLife {
		return
	}
	c.Sessions.Remove(x.Request.Context(), SessionSubject)
	if err := accounts.Bind(x.Request.Context(), c.House, who, pending.Issuer, pending.Subject); err != nil {
		slog.Error("binding an account of a provider", "error", err)
	}
}

// halfLife is how long somebody may take for the second step.
const halfLife = 10 * time.Minute

// beginHalf keeps that somebody is signed in but for the second step.
func (c *Console) beginHalf(x *gin.Context, who store.Who, how string, to map[string]string) error {
	epoch, err := accounts.Epoch(x.Request.Context(), c.House, who)
	if err == nil {
		c.Keep(x, SessionHalf, HalfIn{who, how, to, epoch, c.Clock().Unix()})
	}
	return err
}

// Half returns who is signed in but for the second step: for ten minutes, and as long as nothing that
// their account signs in by was set anew.
func (c *Console) Half(x *gin.Context) (half HalfIn, ok bool) {
	if !c.Kept(x, SessionHalf, &half) || c.Clock().Sub(time.Unix(half.At, 0)) >= halfLife {
		return half, false
	}
	epoch, err := accounts.Epoch(x.Request.Context(), c.House, half.Who)
	return half, err == nil && epoch == half.Epoch && !c.House.State().Blocked(half.Who)
}

// Enter lets somebody in who has shown who they are, after a second step where
// one is set up or called for, and leads them on. strong says that what they
// have shown stands for two steps.
func (c *Console) Enter(x *gin.Context, who store.Who, how string, strong bool, to map[string]string) {
	has, err := c.House.Sessions.HasSecondStep(x.Request.Context(), who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if !strong && (has || len(c.House.SecondStepFor(house.Actor{Who: who})) > 0) {
		if err := c.Sessions.RenewToken(x.Request.Context()); err != nil {
			panic(err)
		}
		if err := c.beginHalf(x, who, how, to); err != nil {
			c.Fail(x, err)
			return
		}
		x.Redirect(http.StatusSeeOther, "/second-step")
		return
	}
	c.Begin(x, who, how, strong)
	c.GoOn(x, to)
}

// Keep keeps a value in the session, as JSON.
func (c *Console) Keep(x *gin.Context, key string, value any) {
	text, err := json.Marshal(value)
	if err != nil {
		panic(err) // only what can be written is kept
	}
	c.Sessions.Put(x.Request.Context(), key, string(text))
}

// Kept reads a value that the session keeps; false where there is none.
func (c *Console) Kept(x *gin.Context, key string, value any) bool {
	return json.Unmarshal([]byte(c.Sessions.GetString(x.Request.Context(), key)), value) == nil
}

// Begin signs somebody in on the console, under a fresh session token.
func (c *Console) Begin(x *gin.Context, who store.Who, how string, second bool) {
	c.BeginBy(x, who, how, second, nil)
}

// BeginBy is Begin for whoever came by a passkey, with its id.
func (c *Console) BeginBy(x *gin.Context, who store.Who, how string, second bool, passkey []byte) {
	ctx := x.Request.Context()
	if earlier := c.Sessions.GetString(ctx, SessionVisits); earlier != "" { // somebody else, or a second step later
		if err := c.House.Sessions.EndSession(ctx, earlier); err != nil {
			panic(err)
		}
	}
	if err := c.Sessions.RenewToken(ctx); err != nil {
		panic(err)
	}
	id := identity.Token()
	if err := c.House.Sessions.BeginSessionBy(ctx, id, who, Device(x.Request.UserAgent()), how, passkey); err != nil {
		panic(err)
	}
	for _, key := range []string{SessionHalf, SessionAsked, SessionPasskey, SessionSecret, SessionFirst} {
		c.Sessions.Remove(ctx, key)
	}
	c.bindSubject(x, who, how)
	c.Proven(x)
	c.knowBrowser(x, who)
	c.Sessions.Put(ctx, SessionVisits, id)
	c.Sessions.Put(ctx, SessionSecond, second)
	account, err := accounts.Account(ctx, c.House, who)
	if err != nil {
		panic(err)
	}
	if account.MustChange && how == "password" {
		c.Sessions.Put(ctx, SessionFirst, true)
	}
}

// stayProven is how long whoever has shown who they are need not do so again, before
// what they sign in with is changed.
const StayProven = 10 * time.Minute

// Proven keeps that somebody has shown who they are just now.
func (c *Console) Proven(x *gin.Context) {
	c.Sessions.Put(x.Request.Context(), sessionProven, c.Clock().Unix())
}

// knownCookie is the cookie of a browser in which somebody has signed in.
const (
	knownCookie = "velada_known"
	knownLife   = 365 * 24 * time.Hour
)

// CookieName returns the name of a cookie of this host alone.
func (c *Console) CookieName(name string) string {
	if c.HTTPS {
		return "__Host-" + name
	}
	return name
}

// knowBrowser remembers the browser that somebody has signed in in, so that nobody
// who guesses elsewhere keeps them out.
func (c *Console) knowBrowser(x *gin.Context, who store.Who) {
	token, err := c.House.Sessions.KnowBrowser(x.Request.Context(), who, c.From(x).Browser)
	if err != nil {
		slog.Error("remembering a browser", "error", err)
		return
	}
	http.SetCookie(x.Writer, &http.Cookie{
		Name: c.CookieName(knownCookie), Value: token, Path: "/", MaxAge: int(knownLife.Seconds()),
		HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: c.HTTPS,
	})
}

// From is where somebody comes from.
func (c *Console) From(x *gin.Context) house.From {
	f := house.From{IP: Remote(x.Request)}
	if known, err := x.Request.Cookie(c.CookieName(knownCookie)); err == nil && len(known.Value) <= 64 {
		f.Browser = known.Value
	}
	return f
}

// Device says in words what a browser says of itself.
func Device(agent string) string {
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

// Visiting is the site that somebody signs in to read: its name and tint stand on
// the page in place of Velada's.
type Visiting struct{ Title, URL, Tint string }

// needsHouse leads to the set-up before there is a house.
func needsHouse(c *Console, x *gin.Context) {
	if c.House.State() == nil {
		x.Redirect(http.StatusSeeOther, "/set-up")
		x.Abort()
	}
}

// WhoIsIn returns whoever is signed in, when that was not ended from elsewhere.
func (c *Console) WhoIsIn(x *gin.Context) (house.Actor, bool) {
	ctx := x.Request.Context()
	id := c.Sessions.GetString(ctx, SessionVisits)
	if id == "" {
		return house.Actor{}, false
	}
	who, still, err := c.House.Sessions.FindSession(ctx, id)
	if err != nil {
		panic(err)
	}
	me, there := c.House.ActorOf(who)
	if !still || !there {
		if err := c.Sessions.Destroy(ctx); err != nil {
			panic(err)
		}
		return house.Actor{}, false
	}
	return me, true
}

// Unfinished returns where somebody who is signed in must go before anything else.
func (c *Console) Unfinished(x *gin.Context, me house.Actor) string {
	ctx := x.Request.Context()
	if c.Sessions.GetBool(ctx, SessionFirst) {
		return "/first-password"
	}
	if !c.Sessions.GetBool(ctx, SessionSecond) && len(c.House.SecondStepFor(me)) > 0 {
		if err := c.beginHalf(x, me.Who, "password", map[string]string{}); err != nil {
			panic(err)
		}
		return "/second-step"
	}
	return ""
}

// GoOn leads somebody who is signed in to where they were going: to a site by a
// ticket for its host, or to a view of the console.
func (c *Console) GoOn(x *gin.Context, to map[string]string) {
	if c.Sessions.GetBool(x.Request.Context(), SessionFirst) {
		c.Keep(x, "onward", to)
		x.Redirect(http.StatusSeeOther, "/first-password")
		return
	}
	if c.MustPress(x, to) {
		query := url.Values{}
		for name, value := range to {
			query.Set(name, value)
		}
		x.Redirect(http.StatusSeeOther, "/sign-in?"+query.Encode())
		return
	}
	c.LeadOn(x, c.Onward(x, to))
}

// LeadOn leads to an address of the console or of a site. Browsers let a form lead no further than
// to hosts that its page names: to a domain of a site's owner a page of its own leads on.
func (c *Console) LeadOn(x *gin.Context, to string) {
	u, err := url.Parse(to)
	if x.Request.Method == http.MethodGet || err != nil || u.Host == "" || strings.HasSuffix(u.Hostname(), "."+c.House.Base) {
		x.Redirect(http.StatusSeeOther, to)
		return
	}
	p := c.Page(x, "Going on")
	p.Onward, p.View = to, u.Hostname()
	c.Show(x, http.StatusOK, "onward", p)
}

// Onward returns where somebody who is signed in goes on to.
func (c *Console) Onward(x *gin.Context, to map[string]string) string {
	if site := to["site"]; access.IsSiteAddress(site) { // whether or not there is such a site is not said here
		c.rememberWent(x, site)
		if to["nonce"] == "" { // its own host begins, so that the ticket is for this browser
			return c.originAt(site, to["at"]) + "/velada/sign-in?" + url.Values{"path": {to["path"]}}.Encode()
		}
		code := c.House.Sessions.Tickets.Issue(identity.Ticket{
			Site: string(c.House.State().ID(site)), Nonce: to["nonce"], Console: c.Sessions.GetString(x.Request.Context(), SessionVisits),
		}, c.House.Sessions.TicketTime())
		query := url.Values{"ticket": {code}, "path": {to["path"]}}
		return c.originAt(site, to["at"]) + "/velada/enter?" + query.Encode()
	}
	return LocalView(to["then"])
}

// originAt is the origin of a site at one of its hosts, if that is one, or else where it is.
func (c *Console) originAt(site, name string) string {
	s := c.House.State()
	if name == site+"."+c.House.Base || name != "" && (s.HasDomain(site, name) || name == c.House.Base && s.FrontSite() == site) {
		return strings.Replace(c.SiteURL("*"), "*."+c.House.Base, name, 1)
	}
	return c.SiteURL(site)
}

// LocalView returns a view of the console to go on to, whatever was asked for: a
// path on this host that browsers read as nothing else.
func LocalView(then string) string {
	u, err := url.Parse(then)
	if err != nil || !strings.HasPrefix(then, "/") || strings.HasPrefix(then, "//") || u.Scheme != "" || u.Host != "" || u.User != nil ||
		strings.ContainsFunc(then, func(r rune) bool { return r == '\\' || unicode.IsControl(r) || unicode.IsSpace(r) }) ||
		strings.ContainsFunc(u.Path, func(r rune) bool { return r == '\\' || unicode.IsControl(r) }) || strings.HasPrefix(u.Path, "//") {
		return "/sites"
	}
	return then
}

// Leave signs out, on the console and on every site.
func (c *Console) Leave(x *gin.Context) error {
	ctx := x.Request.Context()
	if visits := c.Sessions.GetString(ctx, SessionVisits); visits != "" {
		if err := c.House.Sessions.EndSession(ctx, visits); err != nil {
			return err
		}
	}
	return c.Sessions.Destroy(ctx)
}
