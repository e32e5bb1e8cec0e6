package gate

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"log/slog"
	"net/http"
	"net/http/httputil"
	"net/url"
	"strconv"
	"strings"
	"time"

	"velada/core/access"
)

// A site that lives elsewhere is forwarded to its upstream web server once its
// door opens. The upstream sees just the path that was decided on (a slash at its
// end is handed on: both have one decision), never Velada's own cookies, and who
// asks in headers that are signed and cannot come from outside.

// identityHeaders are those by which an upstream learns who asks.
var identityHeaders = []string{"Velada-Site", "Velada-Identity", "Velada-Person", "Velada-Method", "Velada-Path", "Velada-Time"}

// Signature signs what the identity headers say, in their order.
func Signature(secret string, h http.Header) string {
	mac := hmac.New(sha256.New, []byte(secret))
	for _, name := range identityHeaders {
		mac.Write([]byte(h.Get(name) + "\n"))
	}
	return hex.EncodeToString(mac.Sum(nil))
}

// identityOf writes who asks into the headers of a request to an upstream, in
// place of whatever came from outside.
func (q *request) identityOf(h http.Header, method, path string) {
	for name := range h {
		if strings.HasPrefix(http.CanonicalHeaderKey(name), "Velada-") {
			delete(h, name)
		}
	}
	h.Set("Velada-Site", q.address)
	h.Set("Velada-Identity", "")
	h.Set("Velada-Person", "")
	if q.who != nil && q.site.Decide("/", &q.visitor, q.at).Outcome != access.Absent {
		h.Set("Velada-Identity", q.who.String())
		if p, ok := q.state.Policy.PersonOf(q.visitor.Identity); ok {
			h.Set("Velada-Person", p.ID)
		}
	}
	h.Set("Velada-Method", method)
	h.Set("Velada-Path", escape(path))
	h.Set("Velada-Time", strconv.FormatInt(time.Now().Unix(), 10))
	h.Set("Velada-Signature", Signature(q.gate.House.UpstreamSecret(q.address), h))
}

// forward answers with what the upstream says, where the door opens.
func (q *request) forward(raw, upstream string) {
	d := q.site.DecideFile(q.path, &q.visitor, q.at)
	if q.as != nil && !q.as.May(q.path) && d.Outcome == access.Open {
		q.notYours()
		return
	}
	if d.Outcome != access.Open {
		q.meet(d)
		return
	}
	target, err := url.Parse(upstream)
	if err != nil {
		panic(err) // it was checked when it was set
	}
	path := q.path
	if path != "/" && strings.HasSuffix(raw, "/") {
		path += "/"
	}
	anybody := q.visitor.Identity == access.Identity{} && len(q.visitor.Passes)+len(q.visitor.Links) == 0 &&
		q.site.DecideFile(q.path, &access.Visitor{}, q.at).Outcome == access.Open
	proxy := &httputil.ReverseProxy{
		FlushInterval: -1,
		Rewrite: func(r *httputil.ProxyRequest) {
			r.Out.URL = &url.URL{Scheme: target.Scheme, Host: target.Host, Path: strings.TrimSuffix(target.Path, "/") + path, RawQuery: r.In.URL.RawQuery}
			r.Out.Host = target.Host
			r.SetXForwarded()
			r.Out.Header.Del("Cookie")
			for _, c := range r.In.Cookies() {
				if !strings.HasPrefix(c.Name, "velada_") {
					r.Out.AddCookie(&http.Cookie{Name: c.Name, Value: c.Value})
				}
			}
			q.identityOf(r.Out.Header, r.In.Method, q.path)
		},
		ModifyResponse: func(r *http.Response) error {
			cookies := r.Cookies()
			r.Header.Del("Set-Cookie")
			for _, c := range cookies {
				if !strings.HasPrefix(c.Name, "velada_") {
					r.Header.Add("Set-Cookie", c.String())
				}
			}
			if !anybody {
				r.Header.Set("Cache-Control", "private, no-store")
			}
			if q.site.NoIndex(q.path, q.at) {
				r.Header.Set("X-Robots-Tag", "noindex")
			}
			r.Header.Add("Vary", "Cookie")
			return nil
		},
		ErrorHandler: func(w http.ResponseWriter, _ *http.Request, err error) {
			slog.Error("asking an upstream", "site", q.address, "error", err)
			headers(w)
			w.Header().Set("Cache-Control", "private, no-store")
			http.Error(w, "The site behind this door does not answer at the moment.", http.StatusBadGateway)
		},
	}
	proxy.ServeHTTP(q.w, q.Request)
}

// decide answers a server that asks before it serves: 200 where the forwarded
// request is let in, 401 where a further step would help, 403 otherwise.
func (q *request) decide() {
	headers(q.w)
	h := q.w.Header()
	h.Set("Cache-Control", "private, no-store")
	raw, _, _ := strings.Cut(q.Header.Get("X-Forwarded-Uri"), "?")
	host, _, _ := strings.Cut(q.Header.Get("X-Forwarded-Host"), ":")
	label, _, _ := strings.Cut(host, ".")
	path, err := access.URLPath(raw)
	if err != nil || host != "" && label != q.address {
		q.w.WriteHeader(http.StatusForbidden)
		return
	}
	q.path = path
	d := q.site.DecideFile(path, &q.visitor, q.at)
	switch d.Outcome {
	case access.Open:
		method := q.Header.Get("X-Forwarded-Method")
		if method == "" {
			method = http.MethodGet
		}
		q.identityOf(h, method, path)
	case access.Challenge:
		h.Set("WWW-Authenticate", "Velada")
		q.w.WriteHeader(http.StatusUnauthorized)
	default:
		q.w.WriteHeader(http.StatusForbidden)
	}
}
