// Package web is the frame of the console: who asks, what a request needs, forms, pages and
// what stands around every view. The rooms of the console stand on it; it knows none of them.
package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net"
	"net/http"
	"runtime/debug"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"velada/app/certs"
	"velada/app/pages"
	"velada/app/people"
	"velada/app/rounds"
	"velada/app/traffic"
	"velada/core/access"
	"velada/core/parts"
	"velada/gate"
	"velada/house"
	"velada/identity"
	"velada/look"
	"velada/store"
	"velada/words"
)

// Console serves administrators.
type Console struct {
	House     *house.House
	SetUpCode string // what the first visitor must know to make the house
	SiteURL   func(address string) string
	SiteHost  func(address string) string
	Glass     *gate.Glass // shows pages as others meet them

	Sessions  *scs.SessionManager
	Passkeys  *identity.Passkeys
	Providers *identity.Providers
	Shelf     *Shelf
	Presence  presence
	Rounds    *rounds.Rounds
	Logs      *traffic.Logs   // of other servers, that are read
	ending    <-chan struct{} // closed when the console ends
	Templates map[string]*template.Template
	handler   http.Handler
	Engine    *gin.Engine         // its routes
	HTTPS     bool                // visitors come by it
	Certs     *certs.Certificates // of the house's hosts; nil where they are got elsewhere
	Clock     func() time.Time    // by which it is told how long ago somebody showed who they are
}

// New returns the console of a house; ctx ends its background work.
func New(ctx context.Context, h *house.House, glass *gate.Glass, setUpCode string, secure bool, siteHost, siteURL func(string) string, rooms ...Room) *Console {
	c := &Console{House: h, Glass: glass, SetUpCode: setUpCode, SiteHost: siteHost, SiteURL: siteURL, ending: ctx.Done()}
	c.Shelf, c.Rounds, c.Logs = newShelf(), rounds.New(h), traffic.NewLogs(h)
	c.Sessions = scs.New()
	c.Sessions.Store = h.Sessions.SessionStore(ctx)
	c.Sessions.Lifetime = house.SessionLife
	c.Sessions.IdleTimeout = house.SessionIdle
	c.HTTPS, c.Clock = secure, time.Now
	c.Sessions.Cookie.Name = c.CookieName("velada_console")
	c.Sessions.Cookie.SameSite = http.SameSiteLaxMode
	c.Sessions.Cookie.Secure = secure
	c.Sessions.HashTokenInStore = true
	c.Templates = parseTemplates(rooms)
	h.SiteURL = siteURL
	if h.ConsoleURL == "" {
		h.ConsoleURL = siteURL("velada")
	}
	if h.Base == "" {
		h.Base = gate.HostName(strings.TrimPrefix(siteHost("*"), "*."))
	}
	passkeys, err := identity.NewPasskeys(h.ConsoleURL, "Velada")
	if err != nil {
		panic(err) // the console's origin is one
	}
	c.Passkeys, c.Providers = passkeys, identity.NewProviders(time.Now)
	c.handler = c.routes(rooms)
	return c
}

// ServeHTTP answers a request to the console’s host.
func (c *Console) ServeHTTP(w http.ResponseWriter, r *http.Request) { c.handler.ServeHTTP(w, r) }

// routes puts the rooms' requests behind what each of them needs.
func (c *Console) routes(rooms []Room) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	c.Engine = g
	g.Use(gin.CustomRecovery(func(x *gin.Context, trouble any) {
		slog.Error("answering an administrator", "path", x.Request.URL.Path, "trouble", trouble, "stack", string(debug.Stack()))
		x.String(http.StatusInternalServerError, "Something went wrong here. Nothing was changed.")
		x.Abort()
	}))
	g.GET("/look/*name", func(x *gin.Context) {
		if !look.Serve(x.Writer, x.Request, x.Param("name")[1:]) {
			x.Status(http.StatusNotFound)
		}
	})
	for _, room := range rooms {
		for _, r := range room.Routes {
			chain := append(r.Needs.before(c), func(x *gin.Context) { r.Do(c, x) })
			g.Handle(r.Method, r.Path, chain...)
		}
	}
	g.NoRoute(func(x *gin.Context) { signedIn(c, x) }, c.NotFound)
	protection := http.NewCrossOriginProtection()
	return c.secure(protection.Handler(c.Sessions.LoadAndSave(g)))
}

// secure sets the headers that every answer of the console carries.
func (c *Console) secure(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		// A form that signs in leads on to the site it came from, so forms may go there.
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; media-src 'self'; connect-src 'self'; frame-src 'self' "+c.frames()+"; base-uri 'none'; frame-ancestors 'none'; form-action 'self' "+c.SiteURL("*"))
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Cache-Control", "private, no-store")
		if c.HTTPS {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		gate.AsStranger(r)
		if r.Method == http.MethodHead { // as GET; the server leaves out what is written
			get := *r
			get.Method = http.MethodGet
			r = &get
		}
		next.ServeHTTP(w, r)
	})
}

// frames is where looks are, which the console shows in frames.
func (c *Console) frames() string {
	if c.Glass.Shared {
		return c.Glass.Origin(gate.GlassHost)
	}
	return c.Glass.Origin("*")
}

// signedIn lets only those on who are signed in; before there is a house
// everybody goes to the set-up.
func signedIn(c *Console, x *gin.Context) {
	if c.House.State() == nil {
		x.Redirect(http.StatusSeeOther, "/set-up")
		x.Abort()
		return
	}
	me, ok := c.WhoIsIn(x)
	if !ok {
		target := "/sign-in"
		if x.Request.Method == http.MethodGet && x.Request.URL.Path != "/" {
			target += "?then=" + template.URLQueryEscaper(x.Request.URL.RequestURI())
		}
		x.Redirect(http.StatusSeeOther, target)
		x.Abort()
		return
	}
	if to := c.Unfinished(x, me); to != "" {
		x.Redirect(http.StatusSeeOther, to)
		x.Abort()
		return
	}
	x.Set("actor", me)
}

// At is the instant that everything is decided at.
func (c *Console) At() access.Instant { return access.At(c.House.Now()) }

// Moment says a time in the house's zone.
func (c *Console) Moment(t time.Time) string { return words.Moment(t.In(c.House.State().Zone)) }

// Actor returns who is signed in; it panics on a route that needs nobody.
func Actor(x *gin.Context) house.Actor { return x.MustGet("actor").(house.Actor) }

// onSite lets only those on who have something to do with the site; to others
// it does not exist.
func onSite(c *Console, x *gin.Context) {
	if c.House.State().SiteDocument(x.Param("site")) == nil || c.House.CanAnywhere(Actor(x), x.Param("site")) == 0 {
		c.NotFound(x)
		x.Abort()
	}
}

// onWholeSite leads those who have to do with a section alone to its pages: what
// other sections there are, and whom they are for, is not told to them.
func onWholeSite(c *Console, x *gin.Context) {
	if c.House.Can(Actor(x), x.Param("site"), "/") != 0 {
		return
	}
	if x.FullPath() == "/sites/:site" {
		x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/pages")
	} else {
		c.Refuse(x, http.StatusForbidden, "Your part of this site is a section of it, under Pages.")
	}
	x.Abort()
}

// mayRehearse lets only those on who may change who views or who edits the site.
func mayRehearse(c *Console, x *gin.Context) {
	if caps := c.House.Can(Actor(x), x.Param("site"), "/"); !caps.Has(access.ChangeDoor) && !caps.Has(access.ManageTeam) && !caps.Has(access.ManageMembers) {
		c.Refuse(x, http.StatusForbidden, "You may look at this site's doors, team and members, not change them.")
		x.Abort()
	}
}

// NotFound answers as where there is nothing, or nothing that the one who asks has to do with.
func (c *Console) NotFound(x *gin.Context) {
	c.Refuse(x, http.StatusNotFound, "There is nothing at this address, or nothing that you have to do with.")
}

// Refuse answers with a status and why, in a sentence.
func (c *Console) Refuse(x *gin.Context, status int, text string) {
	p := c.Page(x, "Not here")
	p.Problem = text
	c.Show(x, status, "problem", p)
}

// Fail answers an error of a use case.
func (c *Console) Fail(x *gin.Context, err error) {
	switch {
	case errors.Is(err, house.ErrMoved), errors.Is(err, pages.ErrBusy), errors.Is(err, people.ErrAddressTaken):
		c.Refuse(x, http.StatusConflict, words.Capital(err.Error())+".")
	case errors.Is(err, house.ErrNoSite):
		c.NotFound(x)
	case errors.Is(err, house.ErrMayNot):
		c.Refuse(x, http.StatusForbidden, words.Capital(err.Error())+".")
	case errors.Is(err, house.ErrFull): // which the log says once
		c.Refuse(x, http.StatusInsufficientStorage, diskFull(c.House.IsSteward(Actor(x)))+" Nothing was changed: go back, what you typed is still there.")
	case errors.Is(err, house.ErrNotKept):
		slog.Error("the disk fails", "path", x.Request.URL.Path, "error", err)
		c.Refuse(x, http.StatusInternalServerError, words.Capital(house.ErrNotKept.Error())+". Whoever looks after this machine should look at its disk.")
	default:
		slog.Error("a use case failed", "path", x.Request.URL.Path, "error", err)
		c.Refuse(x, http.StatusInternalServerError, "Something went wrong here. Nothing was changed.")
	}
}

// diskFull says that the disk is full, and what can be done.
func diskFull(steward bool) string {
	text := "The disk of this house is full: nothing can be saved, and sites are served as they are. "
	if steward {
		return text + "Make room on the machine that Velada runs on; it goes on by itself then."
	}
	return text + "Whoever looks after the house has to make room."
}

// Remote returns the address that a request comes from.
func Remote(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// Page is what every view of the console shows around its own.
type Page struct {
	Title    string
	House    string
	Me       string
	Steward  bool
	Unseen   int    // what they were told and have not looked at
	Rules    bool   // may look at the house rules
	Keeps    bool   // keeps a group
	Here     string // the tab
	Tabs     []Tab
	Zone     string // the house's zone
	Now      string // the house's time there, as in 2026-11-24T18:00
	Initials string // of who is signed in
	Site     *SiteHead
	Standing Sentence
	Tray     *trayView
	Flash    string
	Bad      bool
	Problem  string
	Alarm    string    // what is the matter with the house as a whole
	Visiting *Visiting // somebody on their way to a site, who is shown its name
	Not      string    // what one may not do here, and who could change that
	Onward   string    // where the page leads on to by itself
	Style    string    // the address of a style of its own
	View     any
}

// SiteHead is what stands above every view of a site.
type SiteHead struct {
	Address, Title, Host, URL string
	Live, Since               string // which edition is live, and how much is not
	Rehearsal                 string // how much of their own rehearsal is not applied yet
	MayDoor                   bool
	IsLive                    bool // visitors get it, or a holding page instead
	MaySee                    bool // may do something on the whole site
	MayPreview, MayWrite      bool // somewhere on it
	MayPublish, MayAdmit      bool
	MayTraffic                bool
	ToPublish                 bool // the working copy is not what is live
	Next                      int  // the number of the next edition
}

// Page returns what stands around a view for whoever is signed in.
func (c *Console) Page(x *gin.Context, title string) *Page {
	p := &Page{Title: title}
	if s := c.House.State(); s != nil {
		p.House, p.Zone = s.Policy.Document().House.Name, s.Policy.Document().House.Zone
		p.Now = c.House.Now().In(s.Zone).Format("2006-01-02T15:04")
	}
	if a, ok := x.Get("actor"); ok {
		me := a.(house.Actor)
		p.Me = me.Name
		p.Steward = c.House.IsSteward(me)
		p.Rules = p.Steward || c.House.WorksSomewhere(me)
		unseen, err := store.UnseenNotices(x.Request.Context(), c.House.Reader(), me.Who)
		if err != nil {
			slog.Error("counting what somebody was told", "error", err)
		}
		kept, err := store.KeptBy(x.Request.Context(), c.House.Reader(), me.Who)
		if err != nil {
			slog.Error("reading what groups somebody keeps", "error", err)
		}
		p.Unseen, p.Keeps, p.Initials = unseen, len(kept) > 0, initials(me.Name)
		if _, full := c.House.FullSince(); full {
			p.Alarm = diskFull(p.Steward)
			p.Unseen++ // it is among the notifications, which cannot be written
		}
	}
	p.Flash = c.Sessions.PopString(x.Request.Context(), "flash")
	p.Bad = c.Sessions.PopBool(x.Request.Context(), "bad")
	return p
}

// Flash is told on the next view.
func (c *Console) Flash(x *gin.Context, text string) {
	c.Sessions.Put(x.Request.Context(), "flash", text)
}

// Complain is flash for what went wrong.
func (c *Console) Complain(x *gin.Context, text string) {
	c.Flash(x, text)
	c.Sessions.Put(x.Request.Context(), "bad", true)
}

// Show answers with a view: rendered whole before the first byte is sent, so that one
// that fails is told as failed.
func (c *Console) Show(x *gin.Context, status int, name string, p any) {
	if page, is := p.(*Page); is && page.Tabs == nil && page.Me != "" {
		page.Tabs = c.houseTabs(x, page)
	}
	if page, is := p.(*Page); is && page.Tray != nil && page.Site != nil {
		page.Tray.Traffic = page.Site.MayTraffic && page.Tray.Problem == ""
	}
	t := c.Templates[name]
	root := "layout"
	if t.Lookup("fragment") != nil {
		root = "fragment"
	}
	var whole bytes.Buffer
	if err := t.ExecuteTemplate(&whole, root, p); err != nil {
		panic(fmt.Errorf("showing %s: %w", name, err))
	}
	x.Data(status, "text/html; charset=utf-8", whole.Bytes())
}

// forStewards lets only those on who look after the house.
func forStewards(c *Console, x *gin.Context) {
	if !c.House.IsSteward(Actor(x)) {
		c.NotFound(x)
		x.Abort()
	}
}

// forKeepers lets only those on who may look after the group.
func forKeepers(c *Console, x *gin.Context) {
	if parts.GroupAt(c.House.State().Policy.Document(), x.Param("group")) == nil || !c.House.MayKeep(x.Request.Context(), Actor(x), x.Param("group")) {
		c.NotFound(x)
		x.Abort()
	}
}
