// Package gate answers visitors on the sites' own hosts: it asks core/access
// about every request, and then serves. It decides nothing itself, and when it
// cannot decide it answers 503.
package gate

import (
	"bytes"
	"context"
	"log/slog"
	"net/http"
	"net/netip"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"velada/app/doors"
	"velada/app/pages"
	"velada/app/search"
	"velada/app/traffic"
	"velada/core/access"
	"velada/house"
	"velada/look"
	"velada/packed"
	"velada/store"
)

// Gate serves every site of a house.
type Gate struct {
	House   *house.House
	Console string // the console's origin, as in http://velada.localhost:8080
	Secure  bool   // visitors come by https
	SiteURL func(address string) string
	Traffic *traffic.Counter // nil where nothing is counted

	protection *http.CrossOriginProtection
	finder     *search.Finder
	upstreams  *http.Transport
}

// New returns the gate of a house.
func New(house *house.House, console string, secure bool, siteURL func(address string) string) *Gate {
	return &Gate{House: house, Console: console, Secure: secure, SiteURL: siteURL, protection: http.NewCrossOriginProtection(), finder: search.New(house), upstreams: reaching()}
}

// KeepSearchable makes live editions searchable soon after they went live, see search.Finder.Keep.
func (g *Gate) KeepSearchable(ctx context.Context) error { return g.finder.Keep(ctx) }

// request is one request on its way through the gate.
type request struct {
	*http.Request
	w          http.ResponseWriter
	gate       *Gate
	state      *house.State
	address    string // the site's
	site       *access.CompiledSite
	path       string // normalised
	at         access.Instant
	visitor    access.Visitor
	who        store.Who // signed in; "" is nobody
	noticeRead bool      // the notice about cookies
	as         *As       // whose eyes somebody else looks through
	notes      *notes    // what is asked about the reader, while a page is made that is kept
	answered   int       // the status, where it is not that of the outcome

	commentWrong, commentText   string            // a comment that was refused, and why
	contactWrong, contactValues map[string]string // a message that was refused, and why
}

// Serve answers a request to the host of the site with an address.
func (g *Gate) Serve(w http.ResponseWriter, r *http.Request, address string) {
	g.serveFor(w, r, address, nil)
}

func (g *Gate) serveFor(w http.ResponseWriter, r *http.Request, address string, as *As) {
	defer func() {
		if trouble := recover(); trouble != nil {
			if trouble == http.ErrAbortHandler { // a visitor of an upstream hung up
				panic(trouble)
			}
			slog.Error("answering a visitor", "site", address, "path", r.URL.Path, "trouble", trouble, "stack", string(debug.Stack()))
			unavailable(w)
		}
	}()
	state := g.House.State()
	if state == nil {
		unavailable(w)
		return
	}
	at := access.At(g.House.Now())
	if as != nil {
		rehearsed := *state
		rehearsed.Policy = as.Policy
		state, at = &rehearsed, as.At
	}
	q := &request{Request: r, w: w, gate: g, state: state, address: address, site: state.Policy.Site(address), at: at, as: as}
	raw, _, _ := strings.Cut(r.RequestURI, "?")
	if !strings.HasPrefix(raw, "/") {
		raw = r.URL.EscapedPath()
	}
	path, err := access.URLPath(raw)
	if err != nil {
		headers(w)
		w.Header().Set("Cache-Control", "private, no-store")
		http.Error(w, "This address cannot be read: "+err.Error()+".", http.StatusBadRequest)
		return
	}
	q.path = path
	of := state.Site(address)
	if as == nil {
		AsStranger(forwarded(r, path))
	}
	if workerWanted(r) && (as != nil || !of.Details.Workers || path == "/velada" || strings.HasPrefix(path, "/velada/")) {
		q.noWorker()
		return
	}
	if state.ClearsAny() {
		q.forget()
	}
	if g.Secure && of.Details.Strict {
		q.strict()
	}
	if (len(of.Domains) > 0 || state.Settings.Front == of.ID) && q.leads(of) {
		return
	}
	if len(r.Header["Cookie"]) == 0 && q.sending().known(raw) { // nobody in particular
		q.visitor.IP = remoteIP(r)
		q.count(access.Decision{Outcome: access.Open}, 0)
		return
	}
	if to := state.LedTo(address); to != "" && q.site == nil {
		q.moveOn(to)
		return
	}
	q.identify()
	if q.sending().known(raw) {
		q.count(access.Decision{Outcome: access.Open}, 0)
		return
	}
	if rest, own := strings.CutPrefix(path, "/velada/"); own {
		q.own(rest)
		return
	}
	if name, short := strings.CutPrefix(path, "/go/"); short {
		q.short(name)
		return
	}
	if path == "/robots.txt" || path == "/sitemap.xml" {
		q.crawls()
		q.meeting().crawlers()
		return
	}
	if upstream := state.Site(address).Details.Upstream; upstream != "" {
		q.elsewhere().forward(raw, upstream)
		return
	}
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		w.Header().Set("Allow", "GET, HEAD")
		headers(w)
		http.Error(w, "Pages are only read here.", http.StatusMethodNotAllowed)
		return
	}
	q.serve(raw)
}

func unavailable(w http.ResponseWriter) {
	headers(w)
	w.Header().Set("Cache-Control", "private, no-store")
	w.Header().Set("Retry-After", "60")
	http.Error(w, "This site cannot be answered for at the moment.", http.StatusServiceUnavailable)
}

// headers sets what every answer of the gate carries.
func headers(w http.ResponseWriter) {
	h := w.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("X-Frame-Options", "SAMEORIGIN")
	h.Add("Vary", "Cookie")
	apart(h)
}

// identify finds out who is asking: the visit and the passes from the cookies,
// whose values are plain tokens, and the network address.
func (q *request) identify() {
	if q.as != nil {
		q.visitor = q.as.Visitor
		return
	}
	q.visitor.IP = remoteIP(q.Request)
	if len(q.Header["Cookie"]) == 0 {
		return
	}
	house := q.gate.House
	for _, line := range q.Header["Cookie"] {
		for part := range strings.SplitSeq(line, ";") {
			name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
			if q.gate.Secure {
				only := false
				if name, only = strings.CutPrefix(name, hostOnly); !only {
					continue
				}
			}
			switch name {
			case visitCookie:
				if who, ok := house.Sessions.SiteSession(value, q.state.ID(q.address)); ok && q.who == "" {
					if id := q.state.Identity(who); id.Known() { // gone otherwise
						q.who, q.visitor.Identity = who, id
					}
				}
			case passCookie:
				q.visitor.Passes = doors.Held(house, "pass", q.state, q.address, value)
			case linkCookie:
				q.visitor.Links = doors.Held(house, "link", q.state, q.address, value)
			case noticeCookie:
				q.noticeRead = true
			}
		}
	}
}

func remoteIP(r *http.Request) netip.Addr {
	peer, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return netip.Addr{}
	}
	return peer.Addr().Unmap().WithZone("")
}

// serve answers with what the visitor meets at the path.
func (q *request) serve(raw string) {
	edition := q.edition()
	d := q.site.Decide(q.path, &q.visitor, q.at)
	if q.as != nil && !q.as.may(q.path) && (d.Outcome == access.Open || d.Outcome == access.Missing) {
		q.notYours()
		return
	}
	if d.Outcome == access.Missing && edition != nil && edition.Files[q.path] != nil && edition.Files[q.path].Type != pages.TableFile {
		if q.site.DecideFile(q.path, &q.visitor, q.at).Outcome == access.Open {
			q.file(edition.Files[q.path])
			return
		}
	}
	if d.Outcome == access.Missing && q.as == nil && (q.moved() || q.byFile()) {
		q.count(d, http.StatusPermanentRedirect)
		return
	}
	if d.Outcome == access.Open && !q.atItsAddress(raw) {
		q.w.Header().Set("Cache-Control", "private, no-store")
		http.Redirect(q.w, q.Request, edition.URLPath(q.path)+query(q.Request), http.StatusPermanentRedirect)
		q.count(d, http.StatusPermanentRedirect)
		return
	}
	q.meeting().meet(d)
	q.count(d, 0)
}

// edition is what is shown of the site: the live edition, or for a look at the
// working copy that.
func (q *request) edition() *house.LiveEdition {
	if q.as != nil && q.as.Edition != nil {
		return q.as.Edition
	}
	return q.state.Site(q.address).Live
}

// atItsAddress reports whether a page that opens was asked for as its address is written.
func (q *request) atItsAddress(raw string) bool {
	if p := q.edition().Page(q.path); p != nil && p.Folder && q.path != "/" {
		return strings.EqualFold(raw, escape(q.path)+"/")
	}
	return raw == q.path || strings.EqualFold(raw, escape(q.path))
}

func query(r *http.Request) string {
	if r.URL.RawQuery == "" {
		return ""
	}
	return "?" + r.URL.RawQuery
}

// storing says who may keep the answer: it is asked for again every time, so
// that a change holds at once, and only what anybody would get is shared.
func (q *request) storing() {
	if q.site.Shareable(q.path, &q.visitor, q.at) {
		q.w.Header().Set("Cache-Control", "public, max-age=0, must-revalidate")
	} else {
		q.w.Header().Set("Cache-Control", "private, no-store")
	}
}

func (q *request) file(f *house.LiveFile) {
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", pages.ServedType(q.path, f.Type))
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	if d := q.state.Site(q.address).Details; d.Scripts && pages.IsScript(q.path) {
		h.Set("Content-Type", "text/javascript; charset=utf-8")
		// A worker of a page runs where its scripts do, and a sandbox would hold it; one that stays got here where it may.
		if workerWanted(q.Request) || slices.Contains([]string{"worker", "sharedworker"}, q.Header.Get("Sec-Fetch-Dest")) {
			h.Set("Content-Security-Policy", "default-src 'self'")
		}
	}
	anybody := q.visitor.Identity == access.Identity{} && len(q.visitor.Passes) == 0 && len(q.visitor.Links) == 0 &&
		q.site.DecideFile(q.path, &access.Visitor{}, q.at).Outcome == access.Open
	if anybody {
		h.Set("Cache-Control", "public, max-age=0, must-revalidate")
	} else {
		h.Set("Cache-Control", "private, no-store")
	}
	if q.smallerPicture(f, anybody) {
		return
	}
	data, err := q.gate.House.FileData(q.Context(), f)
	if err != nil {
		panic(err)
	}
	if anybody {
		h.Set("ETag", `"`+f.Blob+`"`)
	}
	if packed.Worth(h.Get("Content-Type"), f.Size) {
		h.Set("Vary", "Accept-Encoding")
		if packed.Takes(q.Header["Accept-Encoding"]) && q.Header.Get("Range") == "" {
			small, err := q.gate.House.PackedFile(q.Context(), f)
			if err != nil {
				panic(err)
			}
			if len(small) > 0 {
				q.small(small, f.Blob, anybody)
				return
			}
		}
	}
	http.ServeContent(q.w, q.Request, "", time.Time{}, bytes.NewReader(data)) // with ranges, and what a browser has already
}

// small answers with what is compressed; where anybody may have it, under a tag.
func (q *request) small(data []byte, mark string, anybody bool) {
	h := q.w.Header()
	h["Content-Encoding"] = packedWith
	if anybody {
		tag := `"` + mark + "-" + packed.Coding + `"`
		h.Set("ETag", tag)
		if match := q.Header["If-None-Match"]; len(match) > 0 && has(match, tag) {
			q.notModified()
			return
		}
	}
	h.Set("Content-Length", strconv.Itoa(len(data)))
	q.w.WriteHeader(http.StatusOK)
	q.write(data)
}

// write sends a body, in parts, but for HEAD. Whoever hung up does not matter.
func (q *request) write(parts ...[]byte) {
	if q.Method == http.MethodHead {
		return
	}
	length := 0
	for _, part := range parts {
		length += len(part)
	}
	if c, ok := q.Context().Value(wireKey{}).(*wire); ok && length <= mostHeld {
		c.send(q.w, parts)
		return
	}
	for _, part := range parts {
		_, _ = q.w.Write(part)
	}
}

// absent reports whether the site is to look as if it did not exist.
func (q *request) absent() bool {
	return q.site.Decide("/", &access.Visitor{}, q.at).Outcome == access.Absent
}

// asset answers with one of the styles, fonts and drawings that all sites share.
func (q *request) asset(name string) bool {
	apart(q.w.Header())
	return look.Serve(q.w, q.Request, name)
}

// own answers Velada's own paths on a site's host.
func (q *request) own(rest string) {
	q.endWorkers()
	switch {
	case q.as != nil && q.Method != http.MethodGet || q.as != nil && (rest == "enter" || rest == "sign-in" || strings.HasPrefix(rest, "in/")):
		q.notYours()
	case rest == "sign-in" && q.Method == http.MethodGet:
		q.signIn()
	case rest == "enter" && q.Method == http.MethodGet:
		q.enter()
	case strings.HasPrefix(rest, "in/") && q.Method == http.MethodGet:
		q.follow(strings.TrimPrefix(rest, "in/"))
	case rest == "decide":
		q.elsewhere().decide()
	case q.absent() && q.site.Decide("/", &q.visitor, q.at).Outcome == access.Absent:
		q.meeting().meet(access.Decision{})
	case q.asMember().members(rest):
	case (rest == "feed" || strings.HasPrefix(rest, "feed/")) && (q.Method == http.MethodGet || q.Method == http.MethodHead):
		q.feeds().feed(strings.TrimPrefix(strings.TrimPrefix(rest, "feed"), "/"))
	case rest == "search" && (q.Method == http.MethodGet || q.Method == http.MethodHead):
		q.search()
	case rest == "pages" && (q.Method == http.MethodGet || q.Method == http.MethodHead):
		q.contents()
	case rest == "pass" && q.Method == http.MethodPost:
		q.enterPass()
	case rest == "leave" && q.Method == http.MethodPost:
		q.leave()
	case rest == "noticed" && q.Method == http.MethodPost:
		q.noticed()
	case rest == "icon" && q.Method == http.MethodGet:
		q.icon()
	case rest == "look.css" && q.Method == http.MethodGet:
		q.meeting().colours()
	case rest == "contact" && q.Method == http.MethodPost:
		q.meeting().contact()
	case rest == "as-stranger" && q.Method == http.MethodGet:
		q.whileHeld().asStranger()
	case rest == "holding-picture" && q.Method == http.MethodGet:
		q.whileHeld().holdingPicture()
	case rest == "holding" && q.Method == http.MethodGet:
		q.whileHeld().ownHolding()
	case q.Method == http.MethodGet && q.asset(rest):
	default:
		q.meeting().meet(access.Decision{Outcome: access.Missing})
	}
}

// The parts that a request's answer falls into; each knows the request whole.
func (q *request) asMember() memberPages  { return memberPages{q} }
func (q *request) elsewhere() elsewhere   { return elsewhere{q} }
func (q *request) sending() sending       { return sending{q} }
func (q *request) whileHeld() holdingPage { return holdingPage{q} }
func (q *request) meeting() meeting       { return meeting{q} }
func (q *request) feeds() feeds           { return feeds{q} }
