package console

import (
	"encoding/base64"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"velada/app/accounts"
	"velada/app/teams"
	"velada/house"
	"velada/identity"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// accountView is somebody's own account.
type accountView struct {
	Address, Name string
	Form          form // the name
	Pass          form // the password
	Code          form // the second step
	HasPassword   bool
	HasSecond     bool
	Recovery      int
	SetUp         *secretView
	CalledFor     string // the roles for which a second step is called for
	Kinds         []choice
	Passkeys      []keyOfMine
	Browsers      []browserRow
	Offers        []*teams.Offer
	Sites         []mySite
}

type keyOfMine struct{ ID, Name, When string }

type browserRow struct {
	ID, Device, How, Began, Used string
	Here                         bool
}

// mySite is a site with what somebody may do on it, and through what.
type mySite struct {
	Address, Title, Can string
	Entries             []string
	MayLeave            bool
}

func (c *Console) account(x *gin.Context) { c.showAccount(x, http.StatusOK, form{}, form{}, form{}) }

func (c *Console) showAccount(x *gin.Context, status int, name, pass, code form) {
	me, ctx := actor(x), x.Request.Context()
	account, err := accounts.Account(ctx, c.House, me.Who)
	if err != nil {
		c.fail(x, err)
		return
	}
	v := &accountView{Address: me.Address.String(), Name: account.Name, Form: name, Pass: pass, Code: code, HasPassword: account.Password != "", HasSecond: account.TOTP != ""}
	v.CalledFor = strings.Join(c.House.SecondStepFor(me), ", ")
	if v.Form.Values == nil {
		v.Form.Values = map[string]string{"name": account.Name}
	}
	for _, k := range house.NoticeKinds {
		v.Kinds = append(v.Kinds, choice{k.ID, k.Name, slices.Contains(account.ByMail, k.ID)})
	}
	if v.HasSecond {
		v.Recovery, err = store.RecoveryCodes(ctx, c.House.Reader(), account.Who)
	} else if x.Query("second") != "" && !c.fresh(x) {
		x.Redirect(http.StatusSeeOther, "/again?then="+url.QueryEscape("/account?second=new#second"))
		return
	} else if x.Query("second") != "" || len(code.Wrong) > 0 {
		v.SetUp, err = c.newSecret(x, me.Address)
	}
	if err != nil {
		c.fail(x, err)
		return
	}
	keys, err1 := store.Passkeys(ctx, c.House.Reader(), account.Who)
	browsers, err2 := store.SignedInOf(ctx, c.House.Reader(), account.Who)
	offers, err3 := teams.OffersTo(ctx, c.House, me)
	if err := errors.Join(err1, err2, err3); err != nil {
		c.fail(x, err)
		return
	}
	for _, k := range keys {
		v.Passkeys = append(v.Passkeys, keyOfMine{base64.RawURLEncoding.EncodeToString(k.ID), k.Name, c.moment(k.Used)})
	}
	here := c.sessions.GetString(ctx, sessionVisits)
	for _, b := range browsers {
		v.Browsers = append(v.Browsers, browserRow{b.ID, b.Device, b.How, c.moment(b.Began), c.moment(b.Used), b.ID == here})
	}
	v.Offers, v.Sites = offers, c.sitesOf(me)
	p := c.page(x, "Your account")
	p.Here, p.View = "Account", v
	c.show(x, status, "account", p)
}

// sitesOf lists the sites that somebody has to do with, and what they may do there;
// a site without entries is theirs as a steward's alone.
func (c *Console) sitesOf(me house.Actor) (list []mySite) {
	s := c.House.State()
	for _, doc := range s.Policy.Document().Sites {
		caps := c.House.CanAnywhere(me, doc.Address)
		if caps == 0 {
			continue
		}
		w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
		row := mySite{Address: doc.Address, Title: doc.Title, Can: words.CapabilityWords(caps)}
		for _, e := range s.Policy.Site(doc.Address).EntriesOf(s.Identity(me.Who), c.at()) {
			text := capital(e.Role) + ", for " + w.Section(e.Under) + ", " + w.Window(e.From, e.Until)
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

func (c *Console) doAccount(x *gin.Context) {
	f := typed(x, "name")
	err := accounts.ChangeAccount(x.Request.Context(), c.House, actor(x), f.Values["name"], x.PostFormArray("by_mail"))
	if errors.As(err, &f.Wrong) {
		c.showAccount(x, http.StatusUnprocessableEntity, f, form{}, form{})
		return
	}
	c.done(x, err, "Kept.", "/account")
}

// done says that something was done, or answers its error, and leads on.
func (c *Console) done(x *gin.Context, err error, text, to string) {
	var refusal access.TeamRefusal
	switch {
	case errors.As(err, &refusal):
		c.complain(x, refusal.Text)
	case errors.Is(err, house.ErrNothing):
		c.complain(x, "Nothing was changed: somebody else was quicker.")
	case err != nil:
		c.fail(x, err)
		return
	default:
		c.flash(x, text)
	}
	x.Redirect(http.StatusSeeOther, to)
}

func (c *Console) doPassword(x *gin.Context) {
	ctx, me := x.Request.Context(), actor(x)
	f := form{Wrong: house.FieldErrors{}}
	err := accounts.ChangePassword(ctx, c.House, me, x.PostForm("old"), x.PostForm("password"), c.from(x), c.sessions.GetString(ctx, sessionVisits))
	if errors.As(err, &f.Wrong) {
		c.showAccount(x, http.StatusUnprocessableEntity, form{}, f, form{})
		return
	}
	if err != nil {
		c.fail(x, err)
		return
	}
	c.proven(x)
	c.sayWhatStays(x, me.Who, "Your password is changed. Everywhere else you are signed out.")
	x.Redirect(http.StatusSeeOther, "/account")
}

func (c *Console) doSetSecond(x *gin.Context) {
	ctx, me := x.Request.Context(), actor(x)
	f := form{Wrong: house.FieldErrors{}}
	if x.PostForm("action") == "drop" {
		if roles := c.House.SecondStepFor(me); len(roles) > 0 {
			c.complain(x, "The house wants a second step of everyone who is "+strings.Join(roles, ", ")+".")
			x.Redirect(http.StatusSeeOther, "/account")
			return
		}
		err := accounts.DropSecondStep(ctx, c.House, me, x.PostForm("code"), c.from(x), c.sessions.GetString(ctx, sessionVisits))
		if c.wrongCode(x, &f, err) {
			return
		}
		if err == nil {
			c.sayWhatStays(x, me.Who, "Signing in takes one step from now on. Everywhere else you are signed out.")
			x.Redirect(http.StatusSeeOther, "/account")
			return
		}
		c.fail(x, err)
		return
	}
	recovery, err := accounts.SetSecondStep(ctx, c.House, me.Who, c.sessions.GetString(ctx, sessionSecret), x.PostForm("code"), c.sessions.GetString(ctx, sessionVisits))
	switch {
	case c.wrongCode(x, &f, err):
	case err != nil:
		c.fail(x, err)
	default:
		c.sessions.Remove(ctx, sessionSecret)
		c.sessions.Put(ctx, sessionSecond, true)
		c.sayWhatStays(x, me.Who, "The second step is set up. Everywhere else you are signed out.")
		c.showRecovery(x, recovery, "/account")
	}
}

func (c *Console) wrongCode(x *gin.Context, f *form, err error) bool {
	var later identity.TryLater
	switch {
	case errors.As(err, &later):
		f.Wrong["code"] = later.Error()
	case errors.Is(err, accounts.ErrWrongCode), errors.Is(err, accounts.ErrHasSecondStep):
		f.Wrong["code"] = capital(err.Error()) + "."
	default:
		return false
	}
	c.showAccount(x, http.StatusUnprocessableEntity, form{}, form{}, *f)
	return true
}

// needsProofWithout is needsProof for who has no password that is asked for anyway.
func (c *Console) needsProofWithout(x *gin.Context) {
	account, err := accounts.Account(x.Request.Context(), c.House, actor(x).Who)
	if err != nil {
		c.fail(x, err)
		x.Abort()
		return
	}
	if account.Password == "" {
		c.needsProof(x)
	}
}

// askNewPasskey gives what a browser needs to make a passkey.
func (c *Console) askNewPasskey(x *gin.Context) {
	holder, err := accounts.Keyholder(x.Request.Context(), c.House, actor(x))
	if err != nil {
		c.fail(x, err)
		return
	}
	options, kept, err := c.passkeys.AskForNew(holder)
	if err != nil {
		c.fail(x, err)
		return
	}
	c.sessions.Put(x.Request.Context(), sessionPasskey, string(kept))
	x.Data(http.StatusOK, "application/json", options)
}

func (c *Console) keepPasskey(x *gin.Context) {
	kept := c.sessions.PopString(x.Request.Context(), sessionPasskey)
	name := x.Query("name")
	if name == "" {
		name = device(x.Request.UserAgent()) + ", " + time.Now().Format("2 Jan 2006")
	}
	if err := accounts.KeepPasskey(x.Request.Context(), c.House, c.passkeys, actor(x), name, []byte(kept), x.Request); err != nil {
		text := "The browser made no passkey that can be used here."
		if errors.Is(err, accounts.ErrPasskeyKnown) {
			text = capital(err.Error()) + "."
		}
		x.JSON(http.StatusUnprocessableEntity, map[string]string{"error": text})
		return
	}
	c.flash(x, "The passkey is kept. You can sign in with it from now on.")
	x.JSON(http.StatusOK, map[string]string{"to": "/account"})
}

func (c *Console) dropPasskey(x *gin.Context) {
	id, err := base64.RawURLEncoding.DecodeString(x.PostForm("id"))
	if err == nil {
		err = accounts.DropPasskey(x.Request.Context(), c.House, actor(x), id)
	}
	c.done(x, err, "The passkey is forgotten.", "/account")
}

func (c *Console) endBrowser(x *gin.Context) {
	ctx, me := x.Request.Context(), actor(x)
	var err error
	if id := x.PostForm("id"); id != "" {
		err = c.House.EndOwnSession(ctx, me, id)
	} else {
		err = c.House.SignOutEverywhere(ctx, me.Who, c.sessions.GetString(ctx, sessionVisits))
	}
	c.done(x, err, "Signed out there, from the next request on.", "/account")
}

// noticesView is what somebody was told.
type noticesView struct {
	Rows []noticeRow
	Last int64
	Any  bool // some are not looked at yet
}

type noticeRow struct {
	When, What, URL string
	New             bool
}

func (c *Console) notices(x *gin.Context) {
	list, err := store.Notices(x.Request.Context(), c.House.Reader(), actor(x).Who, 100)
	if err != nil {
		c.fail(x, err)
		return
	}
	v := &noticesView{}
	for _, n := range list {
		v.Rows = append(v.Rows, noticeRow{c.moment(n.At), n.What, n.URL, !n.Seen})
		v.Last = max(v.Last, n.ID)
		v.Any = v.Any || !n.Seen
	}
	p := c.page(x, "What you are told")
	p.Here, p.View = "Told", v
	c.show(x, http.StatusOK, "notices", p)
}

func (c *Console) seeNotices(x *gin.Context) {
	last, err := readNumber(x.PostForm("last"))
	if err != nil {
		c.refuse(x, http.StatusBadRequest, "Which notices were seen is not said.")
		return
	}
	if err := c.House.SeeNotices(x.Request.Context(), actor(x), last); err != nil {
		c.fail(x, err)
		return
	}
	x.Redirect(http.StatusSeeOther, "/notices")
}
