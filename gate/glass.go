package gate

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"
	"golang.org/x/net/html"

	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/look"
)

// As is somebody through whose eyes an administrator looks at a site: nobody is
// signed in or out by it, no cookie is set and no visit is counted.
type As struct {
	Policy  *access.Policy // in force, or as rehearsed
	Visitor access.Visitor
	Name    string // of whom they are signed in as
	At      access.Instant
	Edition *house.LiveEdition     // shown instead of the live one
	May     func(path string) bool // whether the one who looks may read the page themself
	Back    string                 // where looking ends, on the site's own host
	Link    bool                   // by a preview link, whoever has it: house rules hold for it as for a way link
}

// may reports whether the one who looks may read what stands at a path themself; where nobody says
// what they may not, they look at what anybody gets.
func (a *As) may(path string) bool { return a.May == nil || a.May(path) }

// LookAs answers a request as the visitor would be answered.
func (g *Gate) LookAs(w http.ResponseWriter, r *http.Request, site string, as As) {
	g.serveFor(w, r, site, &as)
}

// notYours stands in place of a page that the one who looks may not read.
func (q *request) notYours() {
	headers(q.w)
	q.w.Header().Set("Cache-Control", "private, no-store")
	http.Error(q.w, "Whoever you walk in as is let in here. What is on the page is not shown, since you may not read it yourself.", http.StatusForbidden)
}

// Glass shows pages to administrators, and drafts to whoever has a preview link, as others meet them.
// Each look has a host of its own below the house's domain, and a cookie there without which its name
// leads nowhere; both end with it. Whatever is shown runs in an origin that is nobody's, so that code of
// one site, and a server behind it, reach no other look, neither then nor later.
type Glass struct {
	Gate    *Gate
	Console string // the origin that may frame it
	Origin  func(label string) string

	// Shared says that certificates are got host by host: then all looks are at GlassHost, each at a
	// path and with a cookie of its own.
	Shared bool

	// Preview returns the look that a preview link's token stands for, if any.
	Preview func(r *http.Request, token string) (site string, as As, ok bool)

	begin  sync.Once
	looks  *expirable.LRU[string, *glassLook] // by name
	opened *expirable.LRU[string, string]     // tokens of previews that were opened, by name
}

type glassLook struct {
	key  string
	site string
	as   As
}

// GlassHost is the label of the host at which looks were, and are where they share one; no site has it.
const GlassHost = "looking-glass"

const (
	lookLabel   = "look-"
	lookName    = 32 // hexadecimal digits
	lookCookie  = "velada_look"
	lookLife    = 30 * time.Minute
	previewLife = 24 * time.Hour // of its cookie: the link is opened again then
	mostLooks   = 2000
)

// IsGlassHost reports whether a label is that of a host at which looks are.
func IsGlassHost(label string) bool {
	name, is := strings.CutPrefix(label, lookLabel)
	return label == GlassHost || is && isLookName(name)
}

func isLookName(name string) bool {
	_, err := hex.DecodeString(name)
	return err == nil && len(name) == lookName && name == strings.ToLower(name)
}

// Open begins a look at a page of a site, and returns its address: it leads to the page, and the cookie
// that it sets is all that opens the look from then on.
func (g *Glass) Open(site string, as As, path string) string {
	key, name := identity.Token(), nameOf(identity.Token())
	g.kept().Add(name, &glassLook{key, site, as})
	return g.at(name) + openPath + key + access.EscapePath(path)
}

// PreviewURL is the address of a preview link.
func (g *Glass) PreviewURL(token string) string { return g.at(nameOf(token)) + openPath + token + "/" }

// openPath is where a look is opened, before its key or token.
const openPath = "/velada/look/"

// nameOf makes the name of a look out of something that nobody guesses.
func nameOf(secret string) string {
	sum := sha256.Sum256([]byte("the name of a look " + secret))
	return hex.EncodeToString(sum[:])[:lookName]
}

// at is the address of a look, without a slash at its end.
func (g *Glass) at(name string) string {
	if g.Shared {
		return g.Origin(GlassHost) + "/" + name
	}
	return g.Origin(lookLabel + name)
}

// kept returns the looks that have not ended.
func (g *Glass) kept() *expirable.LRU[string, *glassLook] {
	g.begin.Do(func() {
		g.looks = expirable.NewLRU[string, *glassLook](mostLooks, nil, lookLife)
		g.opened = expirable.NewLRU[string, string](mostLooks, nil, previewLife)
	})
	return g.looks
}

// find returns the look of a name that a key opens.
func (g *Glass) find(r *http.Request, name, key string) *glassLook {
	if look, _ := g.kept().Peek(name); look != nil {
		if subtle.ConstantTimeCompare([]byte(look.key), []byte(key)) == 1 {
			return look
		}
		return nil
	}
	if g.Preview == nil || nameOf(key) != name {
		return nil
	}
	if site, as, ok := g.Preview(r, key); ok {
		return &glassLook{key, site, as}
	}
	return nil
}

// asked is what somebody asks a host of looks for: the name of the look, what stands before its
// addresses, and the path.
func (g *Glass) asked(r *http.Request) (name, before, path, query string) {
	raw, query, _ := strings.Cut(r.RequestURI, "?")
	if !strings.HasPrefix(raw, "/") {
		raw = r.URL.EscapedPath()
	}
	label, _, _ := strings.Cut(HostName(r.Host), ".")
	if name, own := strings.CutPrefix(label, lookLabel); own && !g.Shared {
		return name, "", raw, query
	}
	name, path, _ = strings.Cut(strings.TrimPrefix(raw, "/"), "/")
	return name, "/" + name, "/" + path, query
}

func (g *Glass) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	g.kept() // before anything is looked for
	name, before, path, query := g.asked(r)
	switch {
	case r.Method != http.MethodGet && r.Method != http.MethodHead, workerWanted(r), r.Header.Get("Sec-Fetch-Site") == "same-site" && r.Header.Get("Sec-Fetch-Mode") != "navigate":
		Nothing(w, r)
		return
	case !isLookName(name): // a preview link as they were written before
		if token, is := strings.CutPrefix(before, "/"); is && g.Preview != nil {
			if _, _, ok := g.Preview(r, token); ok {
				g.lead(w, r, strings.TrimSuffix(g.PreviewURL(token), "/")+path)
				return
			}
		}
		Nothing(w, r)
		return
	}
	if rest, opens := strings.CutPrefix(path, openPath); opens {
		g.open(w, r, name, before, rest)
		return
	}
	if rest, own := strings.CutPrefix(path, "/velada/"); own && look.Serve(forAll{w}, r, rest) { // what all sites share
		return
	}
	key, part := g.keyOf(r, name), false
	if key == "" && (path == ownHoldingPath || partOfAPage(r)) {
		key, _ = g.opened.Peek(name)
		part = true
	}
	look := g.find(r, name, key)
	if look == nil {
		Nothing(w, r)
		return
	}
	g.opened.Add(name, key)
	g.show(w, r, look, lookedAt{before, path, query, part})
}

// ownHoldingPath is where a site's own holding page is, which is shown in a frame.
const ownHoldingPath = "/velada/holding"

// partOfAPage reports whether a page loads something: a picture, a style. What has no origin loads without
// cookies in many browsers, so that for this the name of a look that was opened is enough, which nobody
// learns but code of the site that is looked at; it opens no page.
func partOfAPage(r *http.Request) bool {
	switch r.Header.Get("Sec-Fetch-Dest") {
	case "image", "style", "script", "audio", "video", "track", "font":
		return r.Header.Get("Sec-Fetch-Mode") != "navigate"
	}
	return false
}

// open takes a key for the cookie of a look, and leads to what it is for.
func (g *Glass) open(w http.ResponseWriter, r *http.Request, name, before, rest string) {
	key, path, _ := strings.Cut(rest, "/")
	if g.find(r, name, key) == nil {
		Nothing(w, r)
		return
	}
	g.opened.Add(name, key)
	if g.Gate.Secure {
		// What is shown has no origin, so that browsers count where it leads to as from elsewhere: such a
		// cookie alone comes along, and in a frame of another domain the second.
		c := http.Cookie{Name: g.cookieName(), Value: key, Path: cmp.Or(before, "/"), MaxAge: int(previewLife.Seconds()), HttpOnly: true, Secure: true, SameSite: http.SameSiteNoneMode}
		http.SetCookie(w, &c)
		c.Partitioned = true
		http.SetCookie(w, &c)
	}
	g.lead(w, r, before+"/"+path)
}

func (g *Glass) lead(w http.ResponseWriter, r *http.Request, to string) {
	h := w.Header()
	h.Set("Cache-Control", "private, no-store")
	h.Set("Referrer-Policy", "no-referrer")
	if strings.HasPrefix(to, "//") {
		to = "/"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// cookieName is the name of the cookie that opens a look.
func (g *Glass) cookieName() string {
	if g.Shared {
		return "__Secure-" + lookCookie
	}
	return hostOnly + lookCookie
}

// keyOf is the key that a request brings. Where visitors come by http no cookie would reach what is
// shown: there the name of a look that was opened is enough.
func (g *Glass) keyOf(r *http.Request, name string) string {
	if !g.Gate.Secure {
		if key, there := g.opened.Peek(name); there {
			return key
		}
		return ""
	}
	if c, err := r.Cookie(g.cookieName()); err == nil {
		return c.Value
	}
	return ""
}

// forAll is an answer that any page may load, that of a look too, which has no origin.
type forAll struct{ http.ResponseWriter }

func (o forAll) WriteHeader(status int) {
	o.Header().Set("Access-Control-Allow-Origin", "*")
	o.ResponseWriter.WriteHeader(status)
}

func (o forAll) Write(p []byte) (int, error) {
	o.Header().Set("Access-Control-Allow-Origin", "*")
	return o.ResponseWriter.Write(p)
}

// lookSecurity holds beside what a page says itself: nothing of it has an origin, and scripts run alone
// where a steward lets the site's own run, or a server stands behind.
const (
	lookSecurity  = "sandbox allow-forms allow-popups"
	scriptsInLook = " allow-scripts"
)

// lookedAt is what of a look is asked for.
type lookedAt struct {
	before, path, query string
	part                bool // no page
}

// show answers as it is looked at.
func (g *Glass) show(w http.ResponseWriter, r *http.Request, look *glassLook, what lookedAt) {
	inner := r.Clone(r.Context())
	inner.RequestURI, inner.Header = what.path, http.Header{}
	if what.query != "" {
		inner.RequestURI += "?" + what.query
	}
	if _, host, found := strings.Cut(g.Gate.SiteURL(look.site), "://"); found { // a server behind learns no address of a look
		inner.Host = host
	}
	answer := &Answer{}
	g.Gate.LookAs(answer, inner, look.site, look.as)
	if what.part && what.path != ownHoldingPath && strings.HasPrefix(answer.Header().Get("Content-Type"), "text/html") {
		Nothing(w, r)
		return
	}
	h := w.Header()
	for name, values := range answer.Header() {
		switch name {
		case "X-Frame-Options", "Set-Cookie", "Etag", "Content-Length", "Www-Authenticate", "Clear-Site-Data", "Cross-Origin-Opener-Policy", "Access-Control-Allow-Origin", "Access-Control-Allow-Credentials":
		case "Content-Security-Policy":
			ancestors := "frame-ancestors 'self' " + g.Console
			if what.path == ownHoldingPath { // the page that frames it has no origin
				ancestors = ""
			}
			h.Set(name, strings.Replace(strings.Join(values, ", "), "frame-ancestors 'self'", ancestors, 1))
		case "Location":
			h.Set(name, within(what.before, values[0]))
		default:
			h[name] = values
		}
	}
	security := lookSecurity
	if d := g.Gate.House.State().Site(look.site).Details; d.Scripts || d.Upstream != "" {
		security += scriptsInLook
	}
	h.Add("Content-Security-Policy", security)
	h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	h.Set("Cache-Control", "private, no-store")
	h.Set("Referrer-Policy", "no-referrer")
	body := answer.Body.Bytes()
	if what.before != "" && strings.HasPrefix(h.Get("Content-Type"), "text/html") {
		body = rewrite(body, what.before)
	}
	status := max(answer.Status, http.StatusOK)
	if status >= http.StatusBadRequest && r.Header.Get("Sec-Fetch-Dest") == "iframe" { // a frame shows it; the view around it says the status
		status = http.StatusOK
	}
	w.WriteHeader(status)
	_, _ = w.Write(body) // whoever hung up does not matter
}

// within puts an address of the site below what stands before the look's.
func within(before, address string) string {
	if strings.HasPrefix(address, "/") && !strings.HasPrefix(address, "//") {
		return before + address
	}
	return address
}

// sourcesWithin is within for each address of a list of pictures in several widths.
func sourcesWithin(before, list string) string {
	sources := strings.Split(list, ", ")
	for i, one := range sources {
		sources[i] = within(before, one)
	}
	return strings.Join(sources, ", ")
}

// rewrite leads every address of a page that begins at the site's root below
// the look's own.
func rewrite(page []byte, before string) []byte {
	return Readdress(page, func(t *html.Token) (changed bool) {
		for i, a := range t.Attr {
			if slices.Contains(Addresses, a.Key) && within(before, a.Val) != a.Val {
				t.Attr[i].Val, changed = within(before, a.Val), true
			}
			if a.Key == "srcset" {
				t.Attr[i].Val, changed = sourcesWithin(before, a.Val), true
			}
		}
		return changed
	})
}

// Addresses are the attributes of a page that hold an address.
var Addresses = []string{"href", "src", "action", "poster"}

// Readdress returns a page in which change was asked about every tag that begins an element; it
// says whether it changed the tag. What it did not change is as it was, byte for byte.
func Readdress(page []byte, change func(t *html.Token) bool) []byte {
	var out bytes.Buffer
	z := html.NewTokenizer(bytes.NewReader(page))
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			return out.Bytes()
		}
		if kind != html.StartTagToken && kind != html.SelfClosingTagToken {
			out.Write(z.Raw())
			continue
		}
		raw := bytes.Clone(z.Raw())
		if token := z.Token(); change(&token) {
			out.WriteString(token.String())
		} else {
			out.Write(raw)
		}
	}
}
