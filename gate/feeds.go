package gate

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/xml"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"velada/app/news"
	"velada/core/access"
	"velada/core/content"
	"velada/house"
)

// feeds answers with what is new below a page, for programs that read feeds.
type feeds struct{ *request }

// feedAt is the address of the feed of a page: everybody's, or somebody's own by its secret.
func feedAt(path, secret string) string {
	at := "/velada/feed"
	if secret != "" {
		at += "/" + secret
	}
	if path == "/" {
		return at
	}
	return at + "?" + url.Values{"path": {path}}.Encode()
}

// mostEntries is how many pages a feed has.
const mostEntries = 50

// hasFeed reports whether a stranger reads a page and one below it.
func (q feeds) hasFeed(p *house.LivePage) bool {
	below := q.edition().Below(p.Path)
	if len(below) == 0 {
		return false
	}
	opens := func(p *house.LivePage) bool { return q.strangerOpens(p.Path) }
	return opens(p) && slices.ContainsFunc(below[:min(len(below), mostBelow)], opens)
}

// feed answers with the pages right below a page, those that changed last first: just those that a
// stranger may read, or for a secret address those that its owner may read now.
func (q feeds) feed(secret string) {
	path, err := access.DocumentPath(cmp.Or(q.URL.Query().Get("path"), "/"))
	e := q.edition()
	missing := func() { q.meeting().meet(access.Decision{Outcome: access.Missing}) }
	if err != nil || e == nil || q.as != nil {
		missing()
		return
	}
	reader := &access.Visitor{}
	if secret != "" {
		who, err := news.WhoReads(q.Context(), q.gate.House, q.address, secret)
		if err != nil {
			panic(err)
		}
		if who == "" || q.noOwnFeed() != "" {
			missing()
			return
		}
		reader = &access.Visitor{Identity: q.state.Identity(who)}
	}
	opens := func(p *house.LivePage) bool { return q.site.Decide(p.Path, reader, q.at).Outcome == access.Open }
	of := e.Page(path)
	if of == nil || !opens(of) {
		missing()
		return
	}
	var list []*house.LivePage
	for _, p := range e.Below(path) {
		if opens(p) {
			list = append(list, p)
		}
	}
	if len(list) == 0 && secret == "" {
		missing()
		return
	}
	slices.SortStableFunc(list, func(a, b *house.LivePage) int { return b.Changed.Compare(a.Changed) })
	q.sendFeed(of, list[:min(len(list), mostEntries)], secret)
}

// noOwnFeed says why addresses of one's own show nothing on the site: nobody signs in by one, and where
// the site hides itself, one would tell that it is there. It returns "" where they work.
func (q *request) noOwnFeed() string {
	switch {
	case q.inForce("sign-in-required"), q.inForce("house-domains-only"):
		return "Whoever reads here signs in, as the house asks, and an address cannot."
	case q.absent():
		return "This site hides itself from strangers, and an address of your own would tell that it is there."
	}
	return ""
}

func (q feeds) sendFeed(of *house.LivePage, list []*house.LivePage, secret string) {
	f := feedSight{
		title: q.state.SiteTitle(q.address), page: q.gate.SiteURL(q.address) + q.edition().URLPath(of.Path),
		self: q.gate.SiteURL(q.address) + feedAt(of.Path, secret), id: "tag:" + HostName(q.Host) + ",2026:" + string(q.state.ID(q.address)) + "/" + of.ID, updated: q.edition().At,
	}
	if of.Path != "/" {
		f.title = of.Title + ", " + f.title
	}
	for _, p := range list {
		entry := feedEntry{title: p.Title, url: q.gate.SiteURL(q.address) + q.edition().URLPath(p.Path), id: "tag:" + HostName(q.Host) + ",2026:" + string(q.state.ID(q.address)) + "/" + p.ID, updated: p.Changed, words: house.DescriptionOf(q.state.Site(q.address), p)}
		if entry.words == "" && !p.Own {
			text, err := q.gate.House.PageHTML(q.Context(), q.edition(), p)
			if err != nil {
				q.meeting().unless(err)
				return
			}
			entry.words, _ = content.Teaser(content.Unconditional(text))
		}
		if entry.updated.IsZero() {
			entry.updated = f.updated
		}
		f.entries = append(f.entries, entry)
	}
	body, kind := f.atom(), "application/atom+xml; charset=utf-8"
	if q.URL.Query().Get("as") == "rss" {
		body, kind = f.rss(), "application/rss+xml; charset=utf-8"
	}
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", kind)
	h.Set("X-Robots-Tag", "noindex")
	h.Set("Cache-Control", "private, no-store")
	if secret == "" {
		h.Set("Cache-Control", "public, max-age=0, must-revalidate")
		sum := sha256.Sum256(body)
		tag := `"` + hex.EncodeToString(sum[:12]) + `"`
		h.Set("ETag", tag)
		if has(q.Header.Values("If-None-Match"), tag) {
			q.w.WriteHeader(http.StatusNotModified)
			return
		}
	}
	q.w.WriteHeader(http.StatusOK)
	q.write(body)
}

// feedSight is a feed, before it is written as Atom (RFC 4287) or as RSS 2.0.
type feedSight struct {
	title, page, self, id string
	updated               time.Time
	entries               []feedEntry
}

type feedEntry struct {
	title, url, id, words string
	updated               time.Time
}

type atomLink struct {
	Rel  string `xml:"rel,attr,omitempty"`
	Href string `xml:"href,attr"`
	Type string `xml:"type,attr,omitempty"`
}

type atomEntry struct {
	ID      string   `xml:"id"`
	Title   string   `xml:"title"`
	Updated string   `xml:"updated"`
	Link    atomLink `xml:"link"`
	Summary string   `xml:"summary,omitempty"`
}

func (f feedSight) atom() []byte {
	type feed struct {
		XMLName xml.Name    `xml:"http://www.w3.org/2005/Atom feed"`
		ID      string      `xml:"id"`
		Title   string      `xml:"title"`
		Updated string      `xml:"updated"`
		Author  string      `xml:"author>name"`
		Links   []atomLink  `xml:"link"`
		Entries []atomEntry `xml:"entry"`
	}
	out := feed{ID: f.id, Title: f.title, Updated: f.updated.UTC().Format(time.RFC3339), Author: f.title, Links: []atomLink{{"self", f.self, "application/atom+xml"}, {"alternate", f.page, "text/html"}}}
	for _, e := range f.entries {
		out.Entries = append(out.Entries, atomEntry{e.id, e.title, e.updated.UTC().Format(time.RFC3339), atomLink{Href: e.url}, e.words})
	}
	return written(out)
}

func (f feedSight) rss() []byte {
	type guid struct {
		Permanent string `xml:"isPermaLink,attr"`
		ID        string `xml:",chardata"`
	}
	type item struct {
		Title       string `xml:"title"`
		Link        string `xml:"link"`
		GUID        guid   `xml:"guid"`
		Date        string `xml:"pubDate"`
		Description string `xml:"description,omitempty"`
	}
	type self struct { // where the feed is: readers that were handed it go back there
		Rel  string `xml:"rel,attr"`
		Href string `xml:"href,attr"`
		Type string `xml:"type,attr"`
	}
	type channel struct {
		Title       string `xml:"title"`
		Link        string `xml:"link"`
		Description string `xml:"description"`
		Self        self   `xml:"atom:link"`
		Items       []item `xml:"item"`
	}
	type rss struct {
		XMLName xml.Name `xml:"rss"`
		Version string   `xml:"version,attr"`
		Atom    string   `xml:"xmlns:atom,attr"`
		Channel channel  `xml:"channel"`
	}
	at := f.self + "?as=rss"
	if strings.Contains(f.self, "?") {
		at = f.self + "&as=rss"
	}
	out := rss{Version: "2.0", Atom: "http://www.w3.org/2005/Atom", Channel: channel{
		Title: f.title, Link: f.page, Description: "What is new on " + strings.TrimSpace(f.title), Self: self{"self", at, "application/rss+xml"},
	}}
	for _, e := range f.entries {
		out.Channel.Items = append(out.Channel.Items, item{e.title, e.url, guid{"false", e.id}, e.updated.UTC().Format(time.RFC1123Z), e.words})
	}
	return written(out)
}

// written is a document as XML.
func written(document any) []byte {
	body, err := xml.MarshalIndent(document, "", " ")
	if err != nil {
		panic(err) // it is texts alone
	}
	return append([]byte(xml.Header), body...)
}
