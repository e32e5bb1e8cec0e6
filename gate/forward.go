package gate

import (
	"context"
	"log/slog"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"strings"
	"time"

	"velada/core/access"
	"velada/identity"
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
	switch {
	case q.readsOtherwise(q.path):
		q.unreadable("This address cannot be read: a part of it holds a semicolon, or ends in a dot or a blank.")
		return
	case q.state.Site(q.address).Details.AsSent && !plain(raw, q.path):
		q.unreadable("This address can be read in more than one way.")
		return
	}
	if q.as != nil && !q.as.May(q.path) && (d.Outcome == access.Open || d.Outcome == access.Missing) {
		q.notYours()
		return
	}
	path := q.path
	switch {
	case d.Outcome == access.Missing: // hidden: the upstream says how it answers what is missing
		path = "/" + identity.Token()
	case d.Outcome != access.Open:
		q.countElsewhere(d, 0, false)
		q.meeting().meet(d)
		return
	}
	target, err := url.Parse(upstream)
	if err != nil {
		panic(err) // it was checked when it was set
	}
	hidden := path != q.path
	if path != "/" && strings.HasSuffix(raw, "/") {
		path += "/"
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
	q.proxy(handing{raw: raw, path: path, target: target, d: d, hidden: hidden, anybody: anybody}).ServeHTTP(q.w, q.Request.WithContext(ctx))
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
	hidden    bool // the path is one that the server does not have
	anybody   bool // anybody would get the same
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
			if hidden {
				r.Out.Header.Del("Accept-Encoding") // what it says of the path is put right below
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
			q.countElsewhere(d, r.StatusCode, d.Outcome == access.Open && r.StatusCode < http.StatusBadRequest && isHTML(r))
			in.outward(r.Header)
			if !anybody || r.StatusCode >= http.StatusBadRequest || q.hidesSomething() { // what hides answers as what is missing
				r.Header.Set("Cache-Control", "private, no-store")
			}
			if q.site.NoIndex(q.path, q.at) {
				r.Header.Set("X-Robots-Tag", "noindex")
			}
			r.Header.Add("Vary", "Cookie")
			if strings.HasPrefix(r.Header.Get("Content-Type"), "text/event-stream") {
				r.Header.Set("X-Accel-Buffering", "no") // servers in front hand it on as it comes
			}
			if hidden {
				return spellBack(r, path, q.path)
			}
			return nil
		},
		ErrorHandler: func(w http.ResponseWriter, _ *http.Request, err error) {
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
