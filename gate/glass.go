package gate

import (
	"bytes"
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

// Glass shows pages to administrators as others meet them, in a frame of the
// console: on a host of its own, so that no cookie and no origin is shared with
// the console or a site. Each look has an address that cannot be guessed and
// ends by itself.
type Glass struct {
	Gate    *Gate
	Console string // the origin that may frame it

	// Preview returns the look that a preview link's token stands for, if any.
	Preview func(r *http.Request, token string) (site string, as As, ok bool)

	begin sync.Once
	looks *expirable.LRU[string, *glassLook]
}

type glassLook struct {
	site string
	as   As
}

// GlassHost is the label of the host that looks are shown on; no site has it.
const GlassHost = "looking-glass"

const (
	lookLife  = 30 * time.Minute
	mostLooks = 2000
)

// Open begins a look at a site and returns its key: its pages are at /KEY/PATH.
func (g *Glass) Open(site string, as As) string {
	key := identity.Token()
	g.kept().Add(key, &glassLook{site, as})
	return key
}

// kept returns the looks that have not ended.
func (g *Glass) kept() *expirable.LRU[string, *glassLook] {
	g.begin.Do(func() { g.looks = expirable.NewLRU[string, *glassLook](mostLooks, nil, lookLife) })
	return g.looks
}

func (g *Glass) find(key string) *glassLook {
	l, _ := g.kept().Peek(key)
	return l
}

func (g *Glass) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	raw, query, _ := strings.Cut(r.RequestURI, "?")
	if !strings.HasPrefix(raw, "/") {
		raw = r.URL.EscapedPath()
	}
	key, path, _ := strings.Cut(strings.TrimPrefix(raw, "/"), "/")
	look := g.find(key)
	if look == nil && g.Preview != nil && strings.Contains(key, ".") {
		if site, as, ok := g.Preview(r, key); ok {
			look = &glassLook{site: site, as: as}
		}
	}
	if look == nil || r.Method != http.MethodGet && r.Method != http.MethodHead {
		Nothing(w, r)
		return
	}
	inner := r.Clone(r.Context())
	inner.RequestURI = "/" + path
	if query != "" {
		inner.RequestURI += "?" + query
	}
	inner.Header = http.Header{}
	answer := &Answer{}
	g.Gate.LookAs(answer, inner, look.site, look.as)
	h := w.Header()
	for name, values := range answer.Header() {
		switch name {
		case "X-Frame-Options", "Set-Cookie", "Etag", "Content-Length", "Www-Authenticate":
		case "Content-Security-Policy":
			h.Set(name, strings.Replace(strings.Join(values, ", "), "frame-ancestors 'self'", "frame-ancestors 'self' "+g.Console, 1))
		case "Location":
			h.Set(name, within(key, values[0]))
		default:
			h[name] = values
		}
	}
	h.Set("Cache-Control", "private, no-store")
	h.Set("Referrer-Policy", "no-referrer")
	body := answer.Body.Bytes()
	if strings.HasPrefix(h.Get("Content-Type"), "text/html") {
		body = rewrite(body, key)
	}
	status := max(answer.Status, http.StatusOK)
	if status >= http.StatusBadRequest && r.Header.Get("Sec-Fetch-Dest") == "iframe" { // a frame shows it; the view around it says the status
		status = http.StatusOK
	}
	w.WriteHeader(status)
	_, _ = w.Write(body) // whoever hung up does not matter
}

// within puts an address of the site below the look's own.
func within(key, address string) string {
	if strings.HasPrefix(address, "/") && !strings.HasPrefix(address, "//") {
		return "/" + key + address
	}
	return address
}

// sourcesWithin is within for each address of a list of pictures in several widths.
func sourcesWithin(key, list string) string {
	sources := strings.Split(list, ", ")
	for i, one := range sources {
		sources[i] = within(key, one)
	}
	return strings.Join(sources, ", ")
}

// rewrite leads every address of a page that begins at the site's root below
// the look's own.
func rewrite(page []byte, key string) []byte {
	return Readdress(page, func(t *html.Token) (changed bool) {
		for i, a := range t.Attr {
			if slices.Contains(Addresses, a.Key) && within(key, a.Val) != a.Val {
				t.Attr[i].Val, changed = within(key, a.Val), true
			}
			if a.Key == "srcset" {
				t.Attr[i].Val, changed = sourcesWithin(key, a.Val), true
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
