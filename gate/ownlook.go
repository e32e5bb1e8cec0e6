package gate

import (
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"velada/core/access"
	"velada/core/content"
	"velada/packed"
)

// A page that came as HTML keeps its own look, in a sandbox that runs nothing,
// unless a steward lets the site's own scripts run.
const (
	ownLookSecurity    = "sandbox allow-same-origin allow-popups; default-src 'self' data:; script-src 'none'; style-src 'self' 'unsafe-inline'; base-uri 'self'; form-action 'none'; frame-ancestors 'self'"
	ownScriptsSecurity = "sandbox allow-same-origin allow-scripts allow-popups allow-forms; default-src 'self' data:; script-src 'self' 'unsafe-inline'; style-src 'self' 'unsafe-inline'; base-uri 'self'; form-action 'self'; frame-ancestors 'self'"
)

var headElement = regexp.MustCompile(`(?i)<head[^>]*>`)

// ownLook serves a page with a look of its own.
func (q *request) ownLook(page string) {
	headers(q.w)
	h := q.w.Header()
	if to := content.LeadsOn(page); to != "" { // a sandbox lets no page lead on by itself
		if at, err := url.Parse(to); err == nil && at.Host == "" && at.Scheme == "" && staysHere(to) && q.URL.ResolveReference(at).Path != q.URL.Path {
			h.Set("Cache-Control", "private, no-store")
			http.Redirect(q.w, q.Request, to, http.StatusFound)
			return
		}
	}
	q.ownLookHead(page)
	if q.site.NoIndex(q.path, q.at) {
		h.Set("X-Robots-Tag", "noindex")
		at := headElement.FindStringIndex(page)
		meta := `<meta name="robots" content="noindex">`
		if at == nil {
			page = meta + page
		} else {
			page = page[:at[1]] + meta + page[at[1]:]
		}
	}
	q.storing()
	if packed.Worth("text/html", len(page)) {
		h.Add("Vary", "Accept-Encoding")
		if e := q.edition(); q.as == nil && packed.Takes(q.Header["Accept-Encoding"]) {
			variant := h.Get("X-Robots-Tag")
			if small := q.gate.House.PackedText(e, q.path, variant, page); len(small) > 0 {
				q.small(small, "", false)
				return
			}
		}
	}
	h.Set("Content-Length", strconv.Itoa(len(page)))
	q.w.WriteHeader(http.StatusOK)
	q.write([]byte(page))
}

// ownLookHead sets what a page with a look of its own may do.
func (q *request) ownLookHead(page string) {
	h := q.w.Header()
	h.Set("Content-Type", "text/html; charset="+content.CharsetOf(page))
	h.Set("Content-Security-Policy", ownLookSecurity)
	if q.state.Site(q.address).Details.Scripts {
		h.Set("Content-Security-Policy", ownScriptsSecurity+ownWorkers) // those that stay are refused by themselves
		if q.as != nil {                                                // whoever looks is somebody else
			h.Set("Content-Security-Policy", strings.Replace(ownScriptsSecurity, " allow-same-origin", "", 1)+noWorkers)
		}
	}
}

// ownMissing sends the page that an archive brought for where there is none, to whoever may read it; false
// where there is no such page for them.
func (q *request) ownMissing() bool {
	const at = "/404"
	e := q.edition()
	if e == nil {
		return false
	}
	p := e.Page(at)
	if p == nil || !p.Own || q.site.Decide(at, &q.visitor, q.at).Outcome != access.Open || q.as != nil && !q.as.may(at) {
		return false
	}
	page, err := q.gate.House.PageHTML(q.Context(), e, p)
	if err != nil {
		panic(err)
	}
	headers(q.w)
	q.ownLookHead(page)
	h := q.w.Header()
	h.Set("X-Robots-Tag", "noindex")
	h.Set("Cache-Control", "private, no-store")
	h.Set("Content-Length", strconv.Itoa(len(page)))
	q.w.WriteHeader(http.StatusNotFound)
	q.write([]byte(page))
	return true
}

// staysHere reports whether browsers read an address without host as one of this site: they take a
// backslash for a slash, and leave out tabs and line ends.
func staysHere(to string) bool {
	return !strings.HasPrefix(to, "//") && !strings.ContainsFunc(to, func(r rune) bool { return r == '\\' || r < ' ' || r == 0x7f })
}
