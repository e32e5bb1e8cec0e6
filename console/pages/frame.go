package pages

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"
	"golang.org/x/net/html"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/gate"
)

// frameSecurity holds for a page of the draft in its frame beside the editor: nothing of it runs,
// and what it leads to opens in the whole window.
const frameSecurity = "sandbox allow-same-origin allow-top-navigation-by-user-activation; default-src 'none'; style-src 'self'; img-src 'self' data:; media-src 'self'; font-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'self'"

// framed shows a page of the draft in its look, as whoever writes it would get it.
func framed(c *web.Console, x *gin.Context) {
	p, err := workingPage(c, x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	site, me := x.Param("site"), web.Actor(x)
	edition, then, err := pages.WorkingEdition(x.Request.Context(), c.House, site)
	if err != nil {
		c.Fail(x, err)
		return
	}
	as := gate.As{Policy: then, Visitor: access.Visitor{Identity: then.Address(me.Address)}, At: c.At(), Edition: edition}
	as.May = func(path string) bool { return c.House.Can(me, site, path).Has(access.Preview) }
	r, err := http.NewRequestWithContext(x.Request.Context(), http.MethodGet, edition.URLPath(p.Path), nil)
	if err != nil {
		c.Fail(x, err)
		return
	}
	r.RequestURI = r.URL.RequestURI()
	answer := &gate.Answer{}
	c.Glass.Gate.LookAs(answer, r, site, as)
	h := x.Writer.Header()
	h.Set("Content-Security-Policy", frameSecurity)
	h.Set("X-Frame-Options", "SAMEORIGIN")
	x.Data(http.StatusOK, "text/html; charset=utf-8", inConsole(answer.Body.Bytes(), site))
}

// frameColours serves the colours of the draft's look for that frame.
func frameColours(c *web.Console, x *gin.Context) {
	x.Data(http.StatusOK, "text/css; charset=utf-8", c.House.State().Site(x.Param("site")).Working.Look.Style())
}

// inConsole leads what a page of a site loads and links to to where the console has it.
func inConsole(page []byte, site string) []byte {
	return gate.Readdress(page, func(t *html.Token) (changed bool) {
		kept := t.Attr[:0]
		for _, a := range t.Attr {
			switch {
			case a.Key == "srcset" || a.Key == "sizes": // the console has each picture in its own size
				changed = true
				continue
			case slices.Contains(gate.Addresses, a.Key) && strings.HasPrefix(a.Val, "/") && !strings.HasPrefix(a.Val, "//"):
				a.Val, changed = toConsole(t.Data, a.Val, site), true
			}
			kept = append(kept, a)
		}
		t.Attr = kept
		if t.Data == "a" {
			t.Attr, changed = append(t.Attr, html.Attribute{Key: "target", Val: "_top"}), true
		}
		return changed
	})
}

func toConsole(element, to, site string) string {
	own, is := strings.CutPrefix(to, "/velada/")
	switch {
	case is && strings.HasPrefix(own, "look.css"):
		return "/sites/" + site + "/" + own
	case is && element == "link":
		return "/look/" + own
	case is:
		return "#"
	case element == "a":
		path, _, _ := strings.Cut(to, "#")
		path, _, _ = strings.Cut(path, "?")
		if plain, err := url.PathUnescape(path); err == nil {
			path = plain
		}
		return "/sites/" + site + "/pages?path=" + url.QueryEscape(path)
	}
	return "/sites/" + site + "/files" + to
}
