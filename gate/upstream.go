package gate

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"io"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/text/unicode/norm"

	"velada/core/access"
)

// elsewhere answers for a site that lives on a web server behind Velada.
type elsewhere struct{ *request }

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

// ours reports whether a header or a cookie is of Velada's own, however a server
// spells it: many take an underscore for a hyphen.
func ours(name string) bool {
	name = strings.ReplaceAll(strings.ToLower(name), "_", "-")
	return strings.HasPrefix(strings.TrimPrefix(name, "--host-"), "velada-")
}

// identityOf writes who asks into the headers of a request to an upstream, in
// place of whatever came from outside.
func (q elsewhere) identityOf(h http.Header, method, path string) {
	for name := range h {
		if ours(name) {
			delete(h, name)
		}
	}
	h.Set("Velada-Site", q.address)
	h.Set("Velada-Identity", "")
	h.Set("Velada-Person", "")
	if q.who != "" && q.site.Decide("/", &q.visitor, q.at).Outcome != access.Absent {
		if a, there := q.state.AddressOf(q.who); there {
			h.Set("Velada-Identity", a.String())
		}
		if p, ok := q.state.Policy.PersonOf(q.visitor.Identity); ok {
			h.Set("Velada-Person", p.ID)
		}
	}
	h.Set("Velada-Method", method)
	h.Set("Velada-Path", escape(path))
	h.Set("Velada-Time", strconv.FormatInt(time.Now().Unix(), 10))
	h.Set("Velada-Signature", Signature(q.gate.House.Keys.UpstreamSecret(q.address), h))
}

// readsOtherwise reports whether a server may read a path as another than Velada
// does: many drop what follows a semicolon, and some the dots and blanks at the end
// of a segment. A site's server that reads them as they stand says so.
func (q elsewhere) readsOtherwise(path string) bool {
	if q.state.Site(q.address).Details.Literal {
		return false
	}
	for segment := range strings.SplitSeq(path, "/") {
		if strings.Contains(segment, ";") || strings.HasSuffix(segment, ".") || strings.HasSuffix(segment, " ") {
			return true
		}
	}
	return false
}

// decideElsewhere decides a path of a server that Velada stands in front of, or that
// asks: there any path may exist. Where that server takes small and capital letters
// for the same, all that the policy says of a path holds however it is spelled.
func (q elsewhere) decideElsewhere(path string) access.Decision {
	d := q.site.DecideFile(path, &q.visitor, q.at)
	if d.Outcome != access.Open || !q.state.Site(q.address).Details.AnyCase {
		return d
	}
	for _, spelled := range spellings(q.state.SiteDocument(q.address), path) {
		if other := q.site.DecideFile(spelled, &q.visitor, q.at); other.Outcome != access.Open {
			return other
		}
	}
	return d
}

// spellings lists a path as each part of a policy that covers it in other letters
// spells it, and in small letters.
func spellings(doc *access.Site, path string) []string {
	named := []string{strings.ToLower(path)}
	for _, d := range doc.Doors {
		named = append(named, d.Path)
	}
	for _, p := range doc.Pages {
		named = append(named, p.Path)
	}
	segments := strings.Split(path, "/")
	var list []string
	for _, name := range named {
		parts := strings.Split(name, "/")
		if name == "/" || len(parts) > len(segments) || !slices.EqualFunc(parts, segments[:len(parts)], strings.EqualFold) {
			continue
		}
		if spelled := strings.Join(append(parts, segments[len(parts):]...), "/"); spelled != path {
			list = append(list, spelled)
		}
	}
	return list
}

// isHTML reports whether an answer is a page, or says that the browser has it already.
func isHTML(r *http.Response) bool {
	return r.StatusCode == http.StatusNotModified || strings.HasPrefix(r.Header.Get("Content-Type"), "text/html")
}

// hidesSomething reports whether any door of the site is hidden.
func (q elsewhere) hidesSomething() bool {
	return slices.ContainsFunc(q.state.SiteDocument(q.address).Doors, func(d access.PageDoor) bool { return d.Hide })
}

// mostMissing is how long an upstream's page for what is missing may be.
const mostMissing = 1 << 20

// spellBack puts the name that was asked for into an answer in the place of the one that was made up.
func spellBack(r *http.Response, made, asked string) error {
	body, err := io.ReadAll(io.LimitReader(r.Body, mostMissing))
	if err != nil {
		return err
	}
	if err := r.Body.Close(); err != nil {
		return err
	}
	for _, values := range r.Header {
		for i := range values {
			values[i] = strings.ReplaceAll(values[i], made, escape(asked))
		}
	}
	body = bytes.ReplaceAll(body, []byte(made), []byte(escape(asked)))
	r.Body = io.NopCloser(bytes.NewReader(body))
	if r.Request.Method == http.MethodHead {
		return nil
	}
	r.ContentLength = int64(len(body))
	r.Header.Set("Content-Length", strconv.Itoa(len(body)))
	return nil
}

// watchEvery is how often a connection that stays open is held against the clock:
// doors shut by time too.
const watchEvery = 5 * time.Second

// endWithDoor ends a connection that stays open when its door shuts, or whoever
// came through it signs out.
func (q elsewhere) endWithDoor(ctx context.Context, end context.CancelFunc) {
	defer func() {
		if trouble := recover(); trouble != nil {
			slog.Error("watching a connection", "site", q.address, "trouble", trouble, "stack", string(debug.Stack()))
			end()
		}
	}()
	house := q.gate.House
	tick := time.NewTicker(watchEvery)
	defer tick.Stop()
	for {
		changed := house.Changed()
		if !q.stillOpens() {
			end()
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-changed:
		case <-tick.C:
		}
	}
}

// stillOpens reports whether the same request would be let in now.
func (q elsewhere) stillOpens() bool {
	state := q.gate.House.State()
	address := state.SiteAddress(q.state.ID(q.address))
	now := request{Request: q.Request, gate: q.gate, state: state, address: address, site: state.Policy.Site(address), path: q.path, at: access.At(q.gate.House.Now())}
	now.identify()
	return now.site != nil && now.who == q.who && now.elsewhere().decideElsewhere(q.path).Outcome == access.Open
}

// mayAskToDecide reports whether whoever asks is a server of the site's: it shows the
// site's secret, or asks from a network that a steward has named.
func (q elsewhere) mayAskToDecide() bool {
	if q.site == nil || q.as != nil {
		return false
	}
	secret := q.gate.House.Keys.UpstreamSecret(q.address)
	if subtle.ConstantTimeCompare([]byte(q.Header.Get("Velada-Secret")), []byte(secret)) == 1 {
		return true
	}
	for _, asker := range q.state.Site(q.address).Details.Askers {
		if network, err := netip.ParsePrefix(asker); err == nil && network.Contains(q.visitor.IP) {
			return true
		}
	}
	return false
}

// decide answers a server of the site's that asks before it serves: 200 where the
// forwarded request is let in, 401 where a further step would help, 403 otherwise, also
// where it is to look as if there were nothing: servers take nothing else. To anybody
// else there is nothing here.
func (q elsewhere) decide() {
	if !q.mayAskToDecide() {
		if q.absent() && q.site.Decide("/", &q.visitor, q.at).Outcome == access.Absent {
			q.meeting().nothing()
			return
		}
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	headers(q.w)
	h := q.w.Header()
	h.Set("Cache-Control", "private, no-store")
	q.visitor.IP = forwardedFor(q.Request)
	raw, _, _ := strings.Cut(q.Header.Get("X-Forwarded-Uri"), "?")
	host := HostName(q.Header.Get("X-Forwarded-Host"))
	label, _, _ := strings.Cut(host, ".")
	path, err := access.URLPath(raw)
	if err != nil || host != "" && label != q.address && !q.state.HasDomain(q.address, host) || q.readsOtherwise(path) || !plain(raw, path) || !q.mayBeSent(forwarded(q.Request, q.path)) {
		q.w.WriteHeader(http.StatusForbidden)
		return
	}
	q.path = path
	switch d := q.decideElsewhere(path); d.Outcome {
	case access.Open:
		method := q.Header.Get("X-Forwarded-Method")
		if method == "" {
			method = http.MethodGet
		}
		q.identityOf(h, method, path)
		if (q.visitor.Identity != access.Identity{}) || len(q.visitor.Passes)+len(q.visitor.Links) > 0 || q.hidesSomething() {
			h.Set("Velada-Caching", "private, no-store") // not everybody would get it
		}
	case access.Challenge:
		h.Set("WWW-Authenticate", "Velada")
		q.w.WriteHeader(http.StatusUnauthorized)
	default:
		q.w.WriteHeader(http.StatusForbidden)
	}
}

// plain reports whether a raw path is the path that it is read as, but for escapes
// and a slash at its end. The server that asks serves it as it stands, and may not
// read empty segments, dots and escaped slashes as Velada does.
func plain(raw, path string) bool {
	if strings.Contains(strings.ToLower(raw), "%2f") {
		return false
	}
	decoded, err := url.PathUnescape(raw)
	if err != nil {
		return false
	}
	if decoded != "/" {
		decoded = strings.TrimSuffix(decoded, "/")
	}
	return norm.NFC.String(decoded) == path
}

// forwardedFor is the address of the visitor for whom a server asks, as it saw it.
func forwardedFor(r *http.Request) netip.Addr {
	said := r.Header.Values("X-Forwarded-For")
	if len(said) == 0 {
		return netip.Addr{}
	}
	list := strings.Split(said[len(said)-1], ",")
	ip, err := netip.ParseAddr(strings.TrimSpace(list[len(list)-1]))
	if err != nil {
		return netip.Addr{}
	}
	return ip.Unmap().WithZone("")
}
