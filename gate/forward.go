package gate

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"path"
	"strings"
	"time"

	"velada/core/access"
)

// How long a server behind Velada may take to be reached, and until it begins to answer. What it
// then says may take as long as it likes.
const (
	longestReach  = 10 * time.Second
	longestThink  = 60 * time.Second
	mostIdle      = 64 // connections to one server that are kept
	longestUnused = 90 * time.Second
)

// reaching is how servers behind Velada are asked: what they say passes as it is.
func reaching() *http.Transport {
	dial := &net.Dialer{Timeout: longestReach, KeepAlive: 30 * time.Second}
	return &http.Transport{
		DialContext: dial.DialContext, TLSHandshakeTimeout: longestReach, ResponseHeaderTimeout: longestThink, ExpectContinueTimeout: time.Second,
		MaxIdleConnsPerHost: mostIdle, MaxIdleConns: 16 * mostIdle, IdleConnTimeout: longestUnused, DisableCompression: true, ForceAttemptHTTP2: true,
	}
}

// forward answers with what the upstream says, where the door opens.
func (q elsewhere) forward(raw, upstream string) {
	d := q.decideElsewhere(q.path)
	if d.Outcome == access.Absent { // whatever is asked for
		q.meeting().meet(d)
		return
	}
	if !q.sentFromHere() {
		return
	}
	switch {
	case q.readsOtherwise(q.path):
		q.unreadable("This address cannot be read: a part of it holds a semicolon, or ends in a dot or a blank.")
		return
	case q.state.Site(q.address).Details.AsSent && !plain(raw, q.path):
		q.unreadable("This address can be read in more than one way.")
		return
	}
	if q.as != nil && !q.as.may(q.path) && (d.Outcome == access.Open || d.Outcome == access.Missing) {
		q.notYours()
		return
	}
	asked, stands := q.path, [2]string{}
	switch {
	case d.Outcome == access.Missing: // hidden: the upstream says how it answers what is missing
		asked, stands = q.madeUp()
	case d.Outcome != access.Open:
		q.countElsewhere(d, 0, false)
		q.meeting().meet(d)
		return
	}
	target, err := url.Parse(upstream)
	if err != nil {
		panic(err) // it was checked when it was set
	}
	hidden := asked != q.path
	if asked != "/" && strings.HasSuffix(raw, "/") {
		asked += "/"
	}
	anybody := q.visitor.Identity == access.Identity{} && len(q.visitor.Passes)+len(q.visitor.Links) == 0 && d.Outcome == access.Open
	ctx, end := context.WithCancel(q.Context())
	defer end()
	wait := watchEvery // what lasts is watched, and at once what says that it stays open
	if q.Header.Get("Upgrade") != "" {
		wait = 0
	}
	watch := time.AfterFunc(wait, func() { q.endWithDoor(ctx, end) })
	defer watch.Stop()
	q.proxy(handing{raw: raw, path: asked, stands: stands, target: target, d: d, hidden: hidden, anybody: anybody}).ServeHTTP(q.w, q.Request.WithContext(ctx))
}

// sentFromHere refuses, as Velada's own forms do, what may change something and a page of another origin
// sent: a server behind is told who asks. Where it must take forms from elsewhere they come as a
// stranger's.
func (q elsewhere) sentFromHere() bool {
	if q.mayBeSent(q.Request) {
		return true
	}
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Error(q.w, "This was sent from another site.", http.StatusForbidden)
	return false
}

// mayBeSent reports whether a request is one that only reads, or one that the site itself sent.
func (q elsewhere) mayBeSent(r *http.Request) bool {
	reads := r.Method == http.MethodGet || r.Method == http.MethodHead || r.Method == http.MethodOptions
	socket := r.Header.Get("Upgrade") != ""
	return reads && !socket || !FromElsewhere(r) || !socket && q.state.Site(q.address).Details.FromElsewhere
}

// errMissing says that a server has nothing at a path. On a site that hides something all that is
// missing is answered from one place of Velada's own, whatever is asked and however: so what hides
// cannot be told from it by a length, an encoding, a slash or an escape.
var errMissing = errors.New("there is nothing there")

// madeUp is a path that a server surely does not have, beside the one that hides: the same each time,
// and with the same ending, so that the server answers as it answers what is missing there.
func (q elsewhere) madeUp() (made string, stands [2]string) {
	top := q.path
	for above := path.Dir(top); above != "/" && q.decideElsewhere(above).Outcome == access.Missing; above = path.Dir(above) {
		top = above
	}
	name := q.gate.House.Keys.Seal("made up", q.address, top)[:24]
	return path.Join(path.Dir(top), name+path.Ext(top)) + strings.TrimPrefix(q.path, top), [2]string{name, strings.TrimSuffix(path.Base(top), path.Ext(top))}
}

// unreadable refuses a path that servers read in more than one way.
func (q elsewhere) unreadable(text string) {
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Error(q.w, text, http.StatusBadRequest)
}

// handing is a request that is handed on to a server.
type handing struct {
	raw, path string // as it was sent, and as the server is asked
	target    *url.URL
	d         access.Decision
	stands    [2]string // what stands in it for a name that hides, and that
	hidden    bool      // the path is one that the server does not have
	anybody   bool      // anybody would get the same
}

// proxy hands a request on and its answer back.
func (q elsewhere) proxy(on handing) *httputil.ReverseProxy {
	raw, path, target, d, hidden, anybody := on.raw, on.path, on.target, on.d, on.hidden, on.anybody
	asSent := q.state.Site(q.address).Details.AsSent
	in := inner{target: target, host: q.Host, wide: q.state.HasDomain(q.address, HostName(q.Host))}
	return &httputil.ReverseProxy{
		FlushInterval: -1, Transport: q.gate.upstreams,
		Rewrite: func(r *httputil.ProxyRequest) {
			r.Out.URL = &url.URL{Scheme: target.Scheme, Host: target.Host, Path: strings.TrimSuffix(target.Path, "/") + path, RawQuery: r.In.URL.RawQuery}
			if decoded, err := url.PathUnescape(raw); err == nil && asSent && !hidden {
				r.Out.URL.Path, r.Out.URL.RawPath = strings.TrimSuffix(target.Path, "/")+decoded, strings.TrimSuffix(target.EscapedPath(), "/")+raw
			}
			r.Out.Host = r.In.Host
			if q.state.Site(q.address).Details.ServerHost {
				r.Out.Host = target.Host
				in.inward(r.Out.Header)
			}
			r.SetXForwarded()
			r.Out.Header.Set("X-Forwarded-Proto", "http")
			if q.gate.Secure {
				r.Out.Header.Set("X-Forwarded-Proto", "https")
			}
			if q.hidesSomething() { // what it says of a path that hides is put right below, and all is encoded alike
				r.Out.Header.Del("Accept-Encoding")
			}
			if cookies := theirCookies(r.In.Header["Cookie"]); cookies == "" {
				r.Out.Header.Del("Cookie")
			} else {
				r.Out.Header.Set("Cookie", cookies)
			}
			q.identityOf(r.Out.Header, r.In.Method, q.path)
		},
		ModifyResponse: func(r *http.Response) error {
			q.gate.House.Servers.Answered(q.state.ID(q.address))
			if r.StatusCode == http.StatusNotFound && q.hidesSomething() {
				return errMissing
			}
			q.countElsewhere(d, r.StatusCode, d.Outcome == access.Open && r.StatusCode < http.StatusBadRequest && isHTML(r))
			in.outward(r.Header)
			if !anybody || r.StatusCode >= http.StatusBadRequest || q.hidesSomething() { // what hides answers as what is missing
				r.Header.Set("Cache-Control", "private, no-store")
			}
			if q.site.NoIndex(q.path, q.at) {
				r.Header.Set("X-Robots-Tag", "noindex")
			}
			r.Header.Add("Vary", "Cookie")
			r.Header.Del("Service-Worker-Allowed") // no worker reaches further than its folder
			for name, value := range map[string]string{"Cross-Origin-Resource-Policy": "same-origin", "Cross-Origin-Opener-Policy": "same-origin-allow-popups"} {
				if r.Header.Get(name) == "" {
					r.Header.Set(name, value)
				}
			}
			if strings.HasPrefix(r.Header.Get("Content-Type"), "text/event-stream") {
				r.Header.Set("X-Accel-Buffering", "no") // servers in front hand it on as it comes
			}
			if q.Method == http.MethodHead && q.hidesSomething() { // its length would tell of the path that was asked for
				r.Header.Del("Content-Length")
				r.ContentLength = -1
			}
			if hidden {
				return spellBack(r, on.stands[0], on.stands[1])
			}
			return nil
		},
		ErrorHandler: func(w http.ResponseWriter, _ *http.Request, err error) {
			if errors.Is(err, errMissing) {
				q.countElsewhere(d, http.StatusNotFound, false)
				q.meeting().meet(access.Decision{Outcome: access.Missing})
				return
			}
			slog.Error("asking an upstream", "site", q.address, "error", err)
			if q.Context().Err() == nil {
				q.gate.House.Servers.Failed(q.state.ID(q.address), q.gate.House.Now())
			}
			q.countElsewhere(d, http.StatusBadGateway, false)
			headers(w)
			w.Header().Set("Cache-Control", "private, no-store")
			http.Error(w, "The site behind this door does not answer at the moment.", http.StatusBadGateway)
		},
	}
}
