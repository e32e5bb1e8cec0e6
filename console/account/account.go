package account

import (
	"bytes"
	"encoding/base64"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"velada/app/accounts"
	"velada/app/reminders"
	"velada/app/teams"
	"velada/console/web"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// accountView is somebody's own account.
type accountView struct {
	Address, Name string
	Form          web.Form // the name
	Pass          web.Form // the password
	Code          web.Form // the second step
	HasPassword   bool
	HasSecond     bool
	Recovery      int
	SetUp         *secretView
	CalledFor     string // why a second step is called for, after "everyone who"
	Kinds         []web.Choice
	Reminders     []web.Choice // how often they are reminded by mail
	Passkeys      []keyOfMine
	Browsers      []browserRow
	Offers        []*teams.Offer
	Sites         []web.MySite
	Others        []web.MySite // what a steward may do everything on, some
	OtherCount    int
}

// keyOfMine is a passkey, and the sign-ins that were made by it and end with it.
type keyOfMine struct {
	ID, Name, When string
	SignIns        []string
	Copied         bool
}

type browserRow struct {
	ID, Device, How, Began, Used string
	Here                         bool
}

func account(c *web.Console, x *gin.Context) {
	showAccount(c, x, http.StatusOK, web.Form{}, web.Form{}, web.Form{})
}

func showAccount(c *web.Console, x *gin.Context, status int, name, pass, code web.Form) {
	me, ctx := web.Actor(x), x.Request.Context()
	account, err := accounts.Account(ctx, c.House, me.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := &accountView{Address: me.Address.String(), Name: account.Name, Form: name, Pass: pass, Code: code, HasPassword: account.Password != "", HasSecond: account.TOTP != ""}
	v.CalledFor = words.SecondSteps(c.House.SecondStepFor(me))
	if v.Form.Values == nil {
		v.Form.Values = map[string]string{"name": account.Name}
	}
	for _, k := range house.NoticeKinds {
		v.Kinds = append(v.Kinds, web.Choice{ID: k.ID, Name: k.Name, On: slices.Contains(account.ByMail, k.ID)})
	}
	every, err := store.RemindersOf(ctx, c.House.Reader(), account.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	for _, r := range []struct{ id, name string }{{reminders.Never, "not by mail"}, {reminders.EachDay, "in one mail a day"}, {reminders.EachWeek, "in one mail a week, on Mondays"}} {
		v.Reminders = append(v.Reminders, web.Choice{ID: r.id, Name: r.name, On: r.id == every.Every})
	}
	if v.HasSecond {
		v.Recovery, err = store.RecoveryCodes(ctx, c.House.Reader(), account.Who)
	} else if x.Query("second") != "" && !c.Fresh(x) {
		x.Redirect(http.StatusSeeOther, "/again?then="+url.QueryEscape("/account?second=new#second"))
		return
	} else if x.Query("second") != "" || len(code.Wrong) > 0 {
		v.SetUp, err = newSecret(c, x, me.Address)
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	keys, err1 := store.Passkeys(ctx, c.House.Reader(), account.Who)
	browsers, err2 := store.SessionsOf(ctx, c.House.Reader(), account.Who)
	offers, err3 := teams.OffersTo(ctx, c.House, me)
	if err := errors.Join(err1, err2, err3); err != nil {
		c.Fail(x, err)
		return
	}
	for _, k := range keys {
		key := keyOfMine{base64.RawURLEncoding.EncodeToString(k.ID), k.Name, c.Moment(k.Used), nil, identity.Copied(k.Credential)}
		for _, b := range browsers {
			if bytes.Equal(b.Passkey, k.ID) {
				key.SignIns = append(key.SignIns, b.Device+", since "+c.Moment(b.Began))
			}
		}
		v.Passkeys = append(v.Passkeys, key)
	}
	here := c.Sessions.GetString(ctx, web.SessionVisits)
	for _, b := range browsers {
		v.Browsers = append(v.Browsers, browserRow{b.ID, b.Device, b.How, c.Moment(b.Began), c.Moment(b.Used), b.ID == here})
	}
	v.Offers = offers
	for _, site := range web.SitesOf(c, me) {
		if len(site.Entries) > 0 {
			v.Sites = append(v.Sites, site)
		} else if v.OtherCount++; len(v.Others) < mostOthers {
			v.Others = append(v.Others, site)
		}
	}
	p := c.Page(x, "Your account")
	p.Here, p.View = "Account", v
	c.Show(x, status, "account", p)
}

// mostOthers is how many sites a steward is shown that they are not on the team of.
const mostOthers = 20

func doAccount(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "name")
	err := accounts.ChangeAccount(x.Request.Context(), c.House, web.Actor(x), f.Values["name"], x.PostFormArray("by_mail"))
	if err == nil {
		err = reminders.Set(x.Request.Context(), c.House, web.Actor(x), x.PostForm("reminders"))
	}
	if errors.As(err, &f.Wrong) {
		showAccount(c, x, http.StatusUnprocessableEntity, f, web.Form{}, web.Form{})
		return
	}
	c.Done(x, err, "Saved.", "/account")
}

func doPassword(c *web.Console, x *gin.Context) {
	ctx, me := x.Request.Context(), web.Actor(x)
	f := web.Form{Wrong: house.FieldErrors{}}
	err := accounts.ChangePassword(ctx, c.House, me, x.PostForm("old"), x.PostForm("password"), c.From(x), c.Sessions.GetString(ctx, web.SessionVisits))
	if errors.As(err, &f.Wrong) {
		showAccount(c, x, http.StatusUnprocessableEntity, web.Form{}, f, web.Form{})
		return
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	c.Proven(x)
	c.SayWhatStays(x, me.Who, "Your password is changed. Everywhere else you are signed out.")
	x.Redirect(http.StatusSeeOther, "/account")
}

func doSetSecond(c *web.Console, x *gin.Context) {
	ctx, me := x.Request.Context(), web.Actor(x)
	f := web.Form{Wrong: house.FieldErrors{}}
	if x.PostForm("action") == "drop" {
		if list := c.House.SecondStepFor(me); len(list) > 0 {
			c.Complain(x, "The house asks for two-step sign-in of everyone who "+words.SecondSteps(list)+".")
			x.Redirect(http.StatusSeeOther, "/account")
			return
		}
		err := accounts.DropSecondStep(ctx, c.House, me, x.PostForm("code"), c.From(x), c.Sessions.GetString(ctx, web.SessionVisits))
		if wrongCode(c, x, &f, err) {
			return
		}
		if err == nil {
			c.SayWhatStays(x, me.Who, "Signing in takes one step from now on. Everywhere else you are signed out.")
			x.Redirect(http.StatusSeeOther, "/account")
			return
		}
		c.Fail(x, err)
		return
	}
	epoch, err := accounts.Epoch(ctx, c.House, me.Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	recovery, err := accounts.SetSecondStep(ctx, c.House, me.Who, c.Sessions.GetString(ctx, web.SessionSecret), x.PostForm("code"), c.Sessions.GetString(ctx, web.SessionVisits), epoch)
	switch {
	case wrongCode(c, x, &f, err):
	case err != nil:
		c.Fail(x, err)
	default:
		c.Sessions.Remove(ctx, web.SessionSecret)
		c.Sessions.Put(ctx, web.SessionSecond, true)
		c.SayWhatStays(x, me.Who, "Two-step sign-in is set up. Everywhere else you are signed out.")
		showRecovery(c, x, recovery, "/account")
	}
}

func wrongCode(c *web.Console, x *gin.Context, f *web.Form, err error) bool {
	var later identity.TryLater
	switch {
	case errors.As(err, &later):
		f.Wrong["code"] = later.Error()
	case errors.Is(err, accounts.ErrWrongCode), errors.Is(err, accounts.ErrHasSecondStep):
		f.Wrong["code"] = words.Capital(err.Error()) + "."
	default:
		return false
	}
	showAccount(c, x, http.StatusUnprocessableEntity, web.Form{}, web.Form{}, *f)
	return true
}

// askNewPasskey returns what a browser needs to make a passkey.
func askNewPasskey(c *web.Console, x *gin.Context) {
	holder, err := accounts.Keyholder(x.Request.Context(), c.House, web.Actor(x))
	if err != nil {
		c.Fail(x, err)
		return
	}
	options, kept, err := c.Passkeys.AskForNew(holder)
	if err != nil {
		c.Fail(x, err)
		return
	}
	c.Sessions.Put(x.Request.Context(), web.SessionPasskey, string(kept))
	x.Data(http.StatusOK, "application/json", options)
}

func keepPasskey(c *web.Console, x *gin.Context) {
	kept := c.Sessions.PopString(x.Request.Context(), web.SessionPasskey)
	name := x.Query("name")
	if name == "" {
		name = web.Device(x.Request.UserAgent()) + ", " + time.Now().Format("2 Jan 2006")
	}
	if err := accounts.KeepPasskey(x.Request.Context(), c.House, c.Passkeys, web.Actor(x), name, []byte(kept), x.Request); err != nil {
		text := "The browser made no passkey that can be used here."
		if errors.Is(err, accounts.ErrPasskeyKnown) {
			text = words.Capital(err.Error()) + "."
		}
		x.JSON(http.StatusUnprocessableEntity, map[string]string{"error": text})
		return
	}
	c.Flash(x, "The passkey is kept. You can sign in with it from now on.")
	x.JSON(http.StatusOK, map[string]string{"to": "/account"})
}

func dropPasskey(c *web.Console, x *gin.Context) {
	id, err := base64.RawURLEncoding.DecodeString(x.PostForm("id"))
	var ended []store.Session
	if err == nil {
		ended, err = accounts.DropPasskey(x.Request.Context(), c.House, web.Actor(x), id)
	}
	text := "The passkey is forgotten."
	if len(ended) > 0 {
		text += " " + words.Capital(words.Count(len(ended), "sign-in that was made by it", "sign-ins that were made by it")) + " ended."
	}
	c.Done(x, err, text, "/account")
}

func endBrowser(c *web.Console, x *gin.Context) {
	ctx, me := x.Request.Context(), web.Actor(x)
	var err error
	if id := x.PostForm("id"); id != "" {
		err = c.House.Sessions.EndOwnSession(ctx, me, id)
	} else {
		err = c.House.Sessions.SignOutEverywhere(ctx, me.Who, c.Sessions.GetString(ctx, web.SessionVisits))
	}
	c.Done(x, err, "Signed out there, from the next request on.", "/account")
}

// noticesView is what somebody was told.
type noticesView struct {
	Rows []noticeRow
	Last int64
	Any  bool // some are not looked at yet

	Pager web.Pager
}

type noticeRow struct {
	When, What, URL string
	New             bool
}

func notices(c *web.Console, x *gin.Context) {
	v := &noticesView{}
	n, err := store.CountNotices(x.Request.Context(), c.House.Reader(), web.Actor(x).Who)
	if err != nil {
		c.Fail(x, err)
		return
	}
	from, to := v.Pager.Cut(x, n)
	list, err := store.NoticesFrom(x.Request.Context(), c.House.Reader(), web.Actor(x).Who, from, to-from)
	if err != nil {
		c.Fail(x, err)
		return
	}
	for _, n := range list {
		v.Rows = append(v.Rows, noticeRow{c.Moment(n.At), words.AsSeen(n.What, c.House.Now().In(c.House.State().Zone)), n.URL, !n.Seen})
		v.Last = max(v.Last, n.ID)
		v.Any = v.Any || !n.Seen
	}
	p := c.Page(x, "Notifications")
	if since, full := c.House.FullSince(); full {
		v.Rows = append([]noticeRow{{c.Moment(since), p.Alarm, "/notices", true}}, v.Rows...)
	}
	p.Here, p.View = "Told", v
	c.Show(x, http.StatusOK, "notices", p)
}

func seeNotices(c *web.Console, x *gin.Context) {
	last, err := web.ReadNumber(x.PostForm("last"))
	if err != nil {
		c.Refuse(x, http.StatusBadRequest, "Which notices were seen is not said.")
		return
	}
	if err := c.House.Outbox.SeeNotices(x.Request.Context(), web.Actor(x), last); err != nil {
		c.Fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, "/notices")
}
