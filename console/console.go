// Package console answers administrators on the console's own host: Gin
// handlers and templates over the use cases of app. What it shows about access
// it has asked core/access for.
package console

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net"
	"net/http"
	"runtime/debug"
	"sync"
	"time"
	"velada/app/pages"
	"velada/app/people"
	"velada/house"
	"velada/words"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/gate"
	"velada/identity"
	"velada/look"
	"velada/store"
)

//go:embed templates
var templateFiles embed.FS

// Console serves administrators.
type Console struct {
	House     *house.House
	SetUpCode string // what the first visitor must know to make the house
	SiteURL   func(address string) string
	SiteHost  func(address string) string
	Glass     *gate.Glass // shows pages as others meet them
	LookURL   string      // the origin of that

	sessions  *scs.SessionManager
	passkeys  *identity.Passkeys
	handouts  sync.Map // token → handout, shown once
	presence  presence
	rosters   comingIn
	slips     slipSheets
	ending    <-chan struct{} // closed when the console ends
	templates map[string]*template.Template
	handler   http.Handler
	engine    *gin.Engine      // its routes
	https     bool             // visitors come by it
	clock     func() time.Time // by which it is told how long ago somebody showed who they are
}

// New gives the console of a house; ctx ends its background work.
func New(ctx context.Context, house *house.House, glass *gate.Glass, setUpCode string, secure bool, siteHost, siteURL func(string) string) *Console {
	c := &Console{House: house, Glass: glass, LookURL: siteURL(gate.GlassHost), SetUpCode: setUpCode, SiteHost: siteHost, SiteURL: siteURL, ending: ctx.Done()}
	c.sessions = scs.New()
	c.sessions.Store = house.SessionStore(ctx)
	c.sessions.Lifetime = 7 * 24 * time.Hour
	c.sessions.IdleTimeout = 24 * time.Hour
	c.https, c.clock = secure, time.Now
	c.sessions.Cookie.Name = c.cookieName("velada_console")
	c.sessions.Cookie.SameSite = http.SameSiteLaxMode
	c.sessions.Cookie.Secure = secure
	c.sessions.HashTokenInStore = true
	c.templates = parseTemplates()
	house.ConsoleURL, house.SiteURL = siteURL("velada"), siteURL
	passkeys, err := identity.NewPasskeys(house.ConsoleURL, "Velada")
	if err != nil {
		panic(err) // the console's origin is one
	}
	c.passkeys = passkeys
	glass.Preview = c.preview
	c.handler = c.routes(secure)
	return c
}

func (c *Console) ServeHTTP(w http.ResponseWriter, r *http.Request) { c.handler.ServeHTTP(w, r) }

func (c *Console) routes(secure bool) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	c.engine = g
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
	g.GET("/set-up", c.showSetUp)
	g.POST("/set-up", limit(mostSignIn), c.doSetUp)
	open := g.Group("/", limit(mostSignIn), c.needsHouse)
	open.GET("/sign-in", c.showSignIn)
	open.POST("/sign-in", c.doSignIn)
	open.GET("/sign-in/with/:provider", c.signInWith)
	open.GET("/tint/:site", c.tint)
	open.GET("/sign-in/back", c.backFrom)
	open.POST("/sign-in/passkey", c.signInByPasskey)
	open.POST("/sign-in/passkey/ask", c.askPasskey)
	open.GET("/forgot", c.showForgot)
	open.POST("/forgot", c.doForgot)
	open.GET("/by-mail/:token", c.showByMail)
	open.POST("/by-mail/:token", c.doByMail)
	open.GET("/second-step", c.showSecond)
	open.POST("/second-step", c.doSecond)
	open.GET("/first-password", c.showFirstPassword)
	open.POST("/first-password", c.doFirstPassword)
	open.GET("/invitations/:token", c.showOffer)
	open.POST("/invitations/:token", c.doOffer)
	open.GET("/stop/:token", c.stop)
	open.POST("/stop/:token", c.stop)
	open.GET("/join", c.showJoin)
	open.POST("/join", c.doJoin)
	open.POST("/sign-out", c.signOut)

	in := g.Group("/", c.signedIn, limit(mostForm), c.readForm)
	in.GET("/", func(x *gin.Context) { x.Redirect(http.StatusSeeOther, "/sites") })
	in.GET("/sites", c.sites)
	in.GET("/new-site", c.newSite)
	in.POST("/new-site", c.doNewSite)
	in.GET("/address-free", c.addressFree)
	in.GET("/jump", c.jump)
	in.GET("/strength", c.strength)
	in.GET("/ledger", c.ledger)
	in.GET("/account", c.account)
	in.POST("/account", c.doAccount)
	in.POST("/account/password", c.needsProofWithout, c.doPassword)
	in.GET("/again", c.showAgain)
	in.POST("/again", c.doAgain)
	in.POST("/account/second-step", c.needsProof, c.doSetSecond)
	in.POST("/account/passkeys", c.needsProof, c.keepPasskey)
	in.POST("/account/passkeys/ask", c.needsProof, c.askNewPasskey)
	in.POST("/account/passkeys/drop", c.needsProof, c.dropPasskey)
	in.POST("/account/browsers", c.endBrowser)
	in.POST("/account/invitation", c.answerInvitation)
	in.GET("/people", c.people)
	stewards := in.Group("", c.forStewards)
	stewards.POST("/people", c.doNewPerson)
	stewards.GET("/people/:person", c.person)
	stewards.POST("/people/:person", c.doPerson)
	stewards.POST("/people/:person/leave", c.doLeaveHouse)
	stewards.POST("/people/:person/merge", c.doMerge)
	stewards.POST("/people/:person/release", c.doRelease)
	stewards.POST("/people/:person/group", c.doPersonGroup)
	stewards.GET("/new-group", c.newGroup)
	stewards.POST("/new-group", c.doGroup)
	keepers := in.Group("/groups/:group", c.forKeepers)
	keepers.GET("", c.group)
	keepers.GET("/out", c.groupOut)
	keepers.GET("/roster", c.roster)
	keepers.POST("/roster", c.doRoster)
	keepers.POST("/people", c.doGroupPeople)
	keepers.POST("/slips", c.doSlips)
	keepers.POST("/codes", c.doJoinCode)
	keepers.POST("/joins", c.doAnswerJoin)
	keepers.POST("", c.forStewards, c.doGroup)
	keepers.POST("/keepers", c.forStewards, c.doKeepers)
	keepers.POST("/delete", c.forStewards, c.doDeleteGroup)
	in.GET("/slips/:token", c.showSlips)
	in.GET("/notices", c.notices)
	in.POST("/notices", c.seeNotices)
	in.GET("/outbox", c.outbox)
	in.GET("/outbox/:id", c.outbox)
	in.GET("/outbox/:id/eml", c.mailFile)
	in.GET("/house-rules", c.houseRules)
	in.POST("/house-rules/second-step", c.doSecondStepRule)
	in.POST("/house-rules/no-mail", c.doNoMail)
	in.POST("/house-rules/mail", c.doMailServer)
	in.POST("/house-rules/providers", c.doProvider)
	site := in.Group("/sites/:site", c.onSite)
	whole := site.Group("", c.onWholeSite)
	whole.GET("", c.standing)
	whole.GET("/door", c.door)
	whole.GET("/walk", c.walkIn)
	whole.GET("/passes", c.passes)
	whole.GET("/holding", c.holding)
	whole.GET("/rehearsal", c.rehearsal)
	whole.GET("/team", c.team)
	whole.GET("/pick", c.pick)
	whole.GET("/here", c.watch)
	whole.GET("/sightlines", c.sightlines)
	whole.GET("/sightlines.csv", c.sightlinesCSV)
	whole.GET("/sightlines.svg", c.sightlinesSVG)
	whole.GET("/people", c.findPeople)
	whole.GET("/ledger", c.siteLedger)
	door := site.Group("", c.may(access.ChangeDoor, "You may look at this site's door, not change it."))
	door.GET("/links/:file", c.linkQR)
	door.POST("/door/start", c.doStart)
	door.POST("/door/add", c.doAdd)
	door.POST("/door/change", c.doChange)
	door.POST("/door/remove", c.doRemove)
	door.POST("/door/settings", c.doSettings)
	door.POST("/door/own", c.doOwnDoor)
	door.POST("/door/pass", c.doPass)
	door.POST("/door/check", c.check)
	door.POST("/passes/key", c.doKey)
	door.POST("/passes/link", c.doLink)
	door.POST("/holding", c.doHolding)
	door.POST("/holding/words", c.doHoldingWords)
	door.POST("/promises", c.doPromise)
	door.POST("/promises/drop", c.dropPromise)
	site.GET("/pages", c.pages)
	site.GET("/pages/:page", c.page1)
	site.GET("/pages/:page/live", c.live)
	site.POST("/pages", c.newPage)
	site.POST("/pages/:page", c.savePage)
	site.POST("/pages/:page/place", c.placePage)
	site.POST("/pages/:page/shift", c.shiftPage)
	site.POST("/pages/:page/drop", c.dropPage)
	site.POST("/pages/:page/restore", c.restorePage)
	site.POST("/pages/:page/drop-file", c.dropFile)
	site.POST("/files", c.addFile)
	site.GET("/files/*path", c.workingFile)
	site.GET("/find-link", c.findLink)
	site.GET("/look", c.lookAtWorking)
	site.GET("/archive", c.archiveOut)
	site.POST("/archive", c.archiveIn)
	site.POST("/previews", c.doPreview)
	site.POST("/previews/end", c.endPreview)
	site.GET("/publish", c.publish)
	site.POST("/publish", c.may(access.Publish, "You may write here, not publish: ask those who may."), c.doPublish)
	site.POST("/ask", c.doAsk)
	site.GET("/editions", c.editions)
	site.GET("/editions/:number", c.edition)
	whole.GET("/listing", c.listing)
	whole.GET("/address-free", c.addressFree)
	whole.GET("/short/:file", c.shortQR)
	whole.GET("/sheet", c.shortSheet)
	whole.GET("/members", c.members)
	admitting := site.Group("", c.may(access.ManageMembers, "Members of this site are looked after by others."))
	admitting.POST("/members", c.doMember)
	admitting.GET("/members.csv", c.membersOut)
	admitting.POST("/members/sign-up", c.doSignUp)
	admitting.POST("/members/like", c.doLike)
	admitting.POST("/members/letter", c.doMemberLetter)
	admitting.POST("/members/asking", c.doAnswerAsking)
	admitting.POST("/members/comments", c.doModerate)
	listing := site.Group("", c.may(access.ManageListing, "You may look at how this site is found, not change it."))
	listing.POST("/details", c.doDetails)
	listing.POST("/address", c.doAddress)
	listing.POST("/address/let-go", c.doLetGo)
	listing.POST("/short", c.doShort)
	listing.POST("/upstream", c.doUpstream)
	publishing := site.Group("", c.may(access.Publish, "You may look at this site's editions, not change which is live."))
	publishing.POST("/editions/back", c.doGoBack)
	publishing.POST("/editions/call-off", c.doCallOff)
	publishing.POST("/editions/down", c.doTakeDown)
	team := site.Group("", c.may(access.ManageTeam, "You may look at this site's team, not change it."))
	team.POST("/team/entry", c.doEntry)
	team.POST("/team/leave", c.doLeaveTeam)
	team.POST("/team/role", c.doRole)
	team.POST("/team/invite", c.doInvite)
	team.POST("/team/invitation", c.doInvitation)
	team.POST("/team/editors", c.doEditors)
	team.POST("/team/sections", c.doSections)
	site.POST("/team/hand-over", c.may(access.Own, "Only an owner can hand this site over."), c.doHandOver)
	site.POST("/team/leave-self", c.doLeave)
	rehearsing := site.Group("", c.mayRehearse)
	rehearsing.POST("/rehearsal/discard", c.doDiscard)
	rehearsing.POST("/rehearsal/apply", c.doApply)
	rehearsing.POST("/rehearsal/later", c.doLater)
	door.POST("/ledger/undo", c.doUndo)
	g.NoRoute(c.signedIn, func(x *gin.Context) { c.notFound(x) })

	protection := http.NewCrossOriginProtection()
	return c.secure(protection.Handler(c.sessions.LoadAndSave(g)), secure)
}

// secure sets the headers that every answer of the console carries.
func (c *Console) secure(next http.Handler, https bool) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		// A form that signs in leads on to the site it came from, so forms may go there.
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; frame-src "+c.LookURL+"; base-uri 'none'; frame-ancestors 'none'; form-action 'self' "+c.SiteURL("*"))
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cache-Control", "private, no-store")
		if https {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}

// signedIn lets only those on who are signed in; before there is a house
// everybody goes to the set-up.
func (c *Console) signedIn(x *gin.Context) {
	if c.House.State() == nil {
		x.Redirect(http.StatusSeeOther, "/set-up")
		x.Abort()
		return
	}
	me, ok := c.whoIsIn(x)
	if !ok {
		target := "/sign-in"
		if x.Request.Method == http.MethodGet && x.Request.URL.Path != "/" {
			target += "?then=" + template.URLQueryEscaper(x.Request.URL.RequestURI())
		}
		x.Redirect(http.StatusSeeOther, target)
		x.Abort()
		return
	}
	if to := c.unfinished(x, me); to != "" {
		x.Redirect(http.StatusSeeOther, to)
		x.Abort()
		return
	}
	x.Set("actor", me)
}

// at is the instant that everything is decided at.
func (c *Console) at() access.Instant { return access.At(c.House.Now()) }

// moment says a time in the house's zone.
func (c *Console) moment(t time.Time) string { return words.Moment(t.In(c.House.State().Zone)) }

func actor(x *gin.Context) house.Actor { return x.MustGet("actor").(house.Actor) }

// onSite lets only those on who have something to do with the site; to others
// it does not exist.
func (c *Console) onSite(x *gin.Context) {
	if c.House.State().SiteDocument(x.Param("site")) == nil || c.House.CanAnywhere(actor(x), x.Param("site")) == 0 {
		c.notFound(x)
		x.Abort()
	}
}

// onWholeSite leads those who have to do with a section alone to its pages: what
// other sections there are, and whom they are for, is not told to them.
func (c *Console) onWholeSite(x *gin.Context) {
	if c.House.Can(actor(x), x.Param("site"), "/") != 0 {
		return
	}
	if x.FullPath() == "/sites/:site" {
		x.Redirect(http.StatusSeeOther, "/sites/"+x.Param("site")+"/pages")
	} else {
		c.refuse(x, http.StatusForbidden, "Your part of this site is a section of it: you find it under Pages.")
	}
	x.Abort()
}

// may lets only those on who have a capability on the whole site.
func (c *Console) may(needed access.Capability, otherwise string) gin.HandlerFunc {
	return func(x *gin.Context) {
		if !c.House.Can(actor(x), x.Param("site"), "/").Has(needed) {
			c.refuse(x, http.StatusForbidden, otherwise)
			x.Abort()
		}
	}
}

// mayRehearse lets only those on who may change who views or who edits the site.
func (c *Console) mayRehearse(x *gin.Context) {
	if caps := c.House.Can(actor(x), x.Param("site"), "/"); !caps.Has(access.ChangeDoor) && !caps.Has(access.ManageTeam) && !caps.Has(access.ManageMembers) {
		c.refuse(x, http.StatusForbidden, "You may look at this site's doors, team and members, not change them.")
		x.Abort()
	}
}

func (c *Console) notFound(x *gin.Context) {
	c.refuse(x, http.StatusNotFound, "There is nothing at this address, or nothing that you have to do with.")
}

func (c *Console) refuse(x *gin.Context, status int, text string) {
	p := c.page(x, "Not here")
	p.Problem = text
	c.show(x, status, "problem", p)
}

// fail answers an error of a use case.
func (c *Console) fail(x *gin.Context, err error) {
	switch {
	case errors.Is(err, people.ErrMoved), errors.Is(err, pages.ErrBusy), errors.Is(err, people.ErrAddressTaken):
		c.refuse(x, http.StatusConflict, capital(err.Error())+".")
	case errors.Is(err, house.ErrNoSite):
		c.notFound(x)
	case errors.Is(err, house.ErrMayNot):
		c.refuse(x, http.StatusForbidden, capital(err.Error())+".")
	default:
		slog.Error("a use case failed", "path", x.Request.URL.Path, "error", err)
		c.refuse(x, http.StatusInternalServerError, "Something went wrong here. Nothing was changed.")
	}
}

func remote(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// page is what every view of the console shows around its own.
type page struct {
	Title    string
	House    string
	Me       string
	Steward  bool
	Unseen   int    // what they were told and have not looked at
	Rules    bool   // may look at the house rules
	Keeps    bool   // keeps a group
	Here     string // the tab
	Site     *siteHead
	Standing standingWords
	Tray     *trayView
	Flash    string
	Bad      bool
	Problem  string
	Visiting *visiting // somebody on their way to a site, who is shown its name
	Not      string    // what one may not do here, and who could change that
	View     any
}

type siteHead struct {
	Address, Title, Host, URL string
	Live                      string // which edition is live, and what is not
	MayDoor                   bool
	MaySee                    bool // may do something on the whole site
	MayPreview, MayWrite      bool // somewhere on it
	MayPublish, MayAdmit      bool
	Changes                   int  // not live yet
	ToPublish                 bool // the working copy is not what is live
	Next                      int  // the number of the next edition
}

func (c *Console) page(x *gin.Context, title string) *page {
	p := &page{Title: title}
	if s := c.House.State(); s != nil {
		p.House = s.Policy.Document().House.Name
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
		p.Unseen, p.Keeps = unseen, len(kept) > 0
	}
	p.Flash = c.sessions.PopString(x.Request.Context(), "flash")
	p.Bad = c.sessions.PopBool(x.Request.Context(), "bad")
	return p
}

// flash is told on the next view.
func (c *Console) flash(x *gin.Context, text string) {
	c.sessions.Put(x.Request.Context(), "flash", text)
}

// complain is flash for what went wrong.
func (c *Console) complain(x *gin.Context, text string) {
	c.flash(x, text)
	c.sessions.Put(x.Request.Context(), "bad", true)
}

func (c *Console) show(x *gin.Context, status int, name string, p any) {
	t := c.templates[name]
	x.Header("Content-Type", "text/html; charset=utf-8")
	x.Status(status)
	root := "layout"
	if t.Lookup("fragment") != nil {
		root = "fragment"
	}
	if err := t.ExecuteTemplate(x.Writer, root, p); err != nil {
		panic(fmt.Errorf("showing %s: %w", name, err))
	}
}
