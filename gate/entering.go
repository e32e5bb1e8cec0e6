package gate

import (
	"errors"
	"log/slog"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"velada/app/doors"
	"velada/core/access"
	"velada/house"
	"velada/identity"
)

const (
	visitCookie  = "velada_visit"
	passCookie   = "velada_passes"
	linkCookie   = "velada_links"
	noticeCookie = "velada_noticed"
	nonceCookie  = "velada_nonce"
)

// hostOnly stands before the names of cookies where visitors come by https: browsers
// take such a cookie from just this host, by https.
const hostOnly = "__Host-"

// cookieName is a cookie's name as browsers send it here.
func (g *Gate) cookieName(name string) string {
	if g.Secure {
		return hostOnly + name
	}
	return name
}

// read returns the value of one of Velada's cookies; "" where it was not sent.
func (q *request) read(name string) string {
	c, err := q.Cookie(q.gate.cookieName(name))
	if err != nil {
		return ""
	}
	return c.Value
}

// cookie sets a cookie of this host alone.
func (q *request) cookie(name, value string, life time.Duration) {
	http.SetCookie(q.w, &http.Cookie{
		Name: q.gate.cookieName(name), Value: value, Path: "/", MaxAge: int(life.Seconds()),
		HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: q.gate.Secure,
	})
}

// local returns a path on this host to go back to, whatever was asked for.
func local(path string) string {
	if strings.HasPrefix(path, "//") {
		return "/"
	}
	normal, err := access.DocumentPath(path)
	if err != nil {
		return "/"
	}
	return escape(normal)
}

// escape writes a normalised path for a URL.
func escape(path string) string { return access.EscapePath(path) }

// signInURL is where a visitor signs in, to come back to where they are.
func (q *request) signInURL() string { return signInAt(q.path) }

func signInAt(path string) string { return "/velada/sign-in?" + url.Values{"path": {path}}.Encode() }

// nonceLife is how long a visitor may take to sign in on the console.
const nonceLife = time.Hour

// signIn leads to the console to sign in. This host gives the browser a value first,
// so that nobody can send a ticket of their own to another's browser. The answer is
// the same where there is no such site.
func (q *request) signIn() {
	nonce := q.read(nonceCookie)
	if nonce == "" {
		nonce = identity.Token()
	}
	q.cookie(nonceCookie, nonce, nonceLife)
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	to := url.Values{"site": {q.address}, "path": {local(q.URL.Query().Get("path"))}, "nonce": {identity.Nonced(nonce)}}
	to.Set("at", HostName(q.Host))
	http.Redirect(q.w, q.Request, q.gate.Console+"/sign-in?"+to.Encode(), http.StatusSeeOther)
}

// enter redeems a ticket from the console and begins a visit.
func (q *request) enter() {
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	values := q.URL.Query()
	value, err := q.gate.House.Sessions.BeginSiteSession(q.Context(), values.Get("ticket"), q.address, q.read(nonceCookie))
	if err != nil {
		slog.Info("a ticket was refused", "site", q.address, "error", err)
	} else {
		q.cookie(visitCookie, value, house.SiteSessionLife)
		q.cookie(nonceCookie, "", -time.Second)
	}
	path := local(values.Get("path"))
	if first := q.state.Site(q.address).Membership.First; first != "" && path == "/" {
		path = escape(first)
	}
	http.Redirect(q.w, q.Request, path, http.StatusSeeOther)
}

// fromHere refuses a form that another origin sent.
func (q *request) fromHere() bool {
	if err := q.gate.protection.Check(q.Request); err != nil {
		headers(q.w)
		http.Error(q.w, "This form was sent from another site.", http.StatusForbidden)
		return false
	}
	return true
}

// How much visitors may send, and how long their browsers keep that they came by a pass
// or a link, and that they have read the notice about cookies.
const (
	mostSmallForm    = 4 << 10
	mostPortraitForm = 16 << 20 // more than a portrait may have, so that it is told at its field
	heldLife         = 30 * 24 * time.Hour
	noticeLife       = 365 * 24 * time.Hour
)

// enterPass checks the password of a pass at the door of a path.
func (q *request) enterPass() {
	if !q.fromHere() {
		return
	}
	q.Body = http.MaxBytesReader(q.w, q.Body, mostSmallForm)
	path, err := access.DocumentPath(q.PostFormValue("path"))
	if err != nil {
		path = "/"
	}
	q.path = path
	d := q.site.Decide(path, &q.visitor, q.at)
	if !offers(d, access.OfferPassword) {
		q.back()
		return
	}
	value, err := doors.EnterPass(q.Context(), q.gate.House, q.address, path, q.PostFormValue("password"), q.read(passCookie), q.from())
	var later identity.TryLater
	switch {
	case errors.As(err, &later):
		q.w.Header().Set("Retry-After", strconv.Itoa(int(math.Ceil(later.Wait.Seconds()))))
		q.meeting().door(d, http.StatusTooManyRequests, later.Error())
	case errors.Is(err, doors.ErrWrongPass):
		q.meeting().door(d, 0, "This password does not open this page. Check it with whoever gave it to you.")
	case err != nil:
		panic(err)
	default:
		q.cookie(passCookie, value, heldLife)
		q.useOfKey("pass", value)
		q.back()
	}
}

// from is where the visitor comes from.
func (q *request) from() house.From { return house.From{IP: remoteIP(q.Request).String()} }

func offers(d access.Decision, o access.Offers) bool { return d.Offers&o != 0 }

func (q *request) back() {
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Redirect(q.w, q.Request, escape(q.path), http.StatusSeeOther)
}

// follow lets in whoever comes by a link.
func (q *request) follow(token string) {
	value, path, err := doors.FollowLink(q.Context(), q.gate.House, q.address, token, q.read(linkCookie), q.from())
	if err != nil { // a link that ended tells nothing of the site
		q.meeting().nothing()
		return
	}
	q.cookie(linkCookie, value, heldLife)
	q.useOfKey("link", value)
	q.path = path
	q.back()
}

// noticed remembers that a visitor has read the notice about cookies.
func (q *request) noticed() {
	if !q.fromHere() {
		return
	}
	q.cookie(noticeCookie, "yes", noticeLife)
	path, err := access.DocumentPath(q.PostFormValue("path"))
	if err != nil {
		path = "/"
	}
	q.path = path
	q.back()
}

// leave signs out on this host and gives up its passes.
func (q *request) leave() {
	if !q.fromHere() {
		return
	}
	if value := q.read(visitCookie); value != "" {
		if err := q.gate.House.Sessions.EndSiteSession(q.Context(), value); err != nil {
			panic(err)
		}
	}
	q.cookie(visitCookie, "", -time.Second)
	q.cookie(passCookie, "", -time.Second)
	q.cookie(linkCookie, "", -time.Second)
	q.path = "/"
	q.back()
}
