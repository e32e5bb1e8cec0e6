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

	"velada/app"
	"velada/core/access"
)

const (
	visitCookie  = "velada_visit"
	passCookie   = "velada_passes"
	linkCookie   = "velada_links"
	noticeCookie = "velada_noticed"
)

// cookie sets a cookie of this host alone.
func (q *request) cookie(name, value string, life time.Duration) {
	http.SetCookie(q.w, &http.Cookie{
		Name: name, Value: value, Path: "/", MaxAge: int(life.Seconds()),
		HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: q.gate.Secure,
	})
}

// local gives a path on this host to go back to, whatever was asked for.
func local(path string) string {
	if !strings.HasPrefix(path, "/") || strings.HasPrefix(path, "//") {
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
func (q *request) signInURL() string {
	return q.gate.Console + "/sign-in?" + url.Values{"site": {q.address}, "path": {q.path}}.Encode()
}

// enter redeems a ticket from the console and begins a visit.
func (q *request) enter() {
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	values := q.URL.Query()
	value, err := q.gate.House.BeginVisit(q.Context(), values.Get("ticket"), q.address)
	if err != nil {
		slog.Info("a ticket was refused", "site", q.address, "error", err)
	} else {
		q.cookie(visitCookie, value, 12*time.Hour)
	}
	path := local(values.Get("path"))
	if first := q.state.Memberships[q.address].First; first != "" && path == "/" {
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

// enterPass checks the password of a pass at the door of a path.
func (q *request) enterPass() {
	if !q.fromHere() {
		return
	}
	q.Body = http.MaxBytesReader(q.w, q.Body, 4<<10)
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
	held := ""
	if c, err := q.Cookie(passCookie); err == nil {
		held = c.Value
	}
	value, err := q.gate.House.EnterPass(q.Context(), q.address, path, q.PostFormValue("password"), held, remoteIP(q.Request).String())
	var later app.TryLater
	switch {
	case errors.As(err, &later):
		q.w.Header().Set("Retry-After", strconv.Itoa(int(math.Ceil(later.Wait.Seconds()))))
		q.door(d, http.StatusTooManyRequests, later.Error())
	case errors.Is(err, app.ErrWrongPass):
		q.door(d, 0, "This password does not open this page. Check it with whoever gave it to you.")
	case err != nil:
		panic(err)
	default:
		q.cookie(passCookie, value, 30*24*time.Hour)
		q.back()
	}
}

func offers(d access.Decision, o access.Offers) bool { return d.Offers&o != 0 }

func (q *request) back() {
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Redirect(q.w, q.Request, escape(q.path), http.StatusSeeOther)
}

// follow lets in whoever comes by a link.
func (q *request) follow(token string) {
	held := ""
	if c, err := q.Cookie(linkCookie); err == nil {
		held = c.Value
	}
	value, path, err := q.gate.House.FollowLink(q.Context(), q.address, token, held)
	if err != nil { // a link that ended tells nothing of the site
		q.nothing()
		return
	}
	q.cookie(linkCookie, value, 30*24*time.Hour)
	q.path = path
	q.back()
}

// noticed remembers that a visitor has read the notice about cookies.
func (q *request) noticed() {
	if !q.fromHere() {
		return
	}
	q.cookie(noticeCookie, "yes", 365*24*time.Hour)
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
	if c, err := q.Cookie(visitCookie); err == nil {
		if err := q.gate.House.EndVisit(q.Context(), c.Value); err != nil {
			panic(err)
		}
	}
	q.cookie(visitCookie, "", -time.Second)
	q.cookie(passCookie, "", -time.Second)
	q.cookie(linkCookie, "", -time.Second)
	q.path = "/"
	q.back()
}
