package gate

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"html/template"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"path"
	"strconv"
	"strings"

	"velada/core/access"
	"velada/core/content"
	"velada/core/listing"
	"velada/core/looks"
	"velada/house"
	"velada/look"
	"velada/packed"
	"velada/store"
)

//go:embed templates
var templateFiles embed.FS

// meeting answers with what somebody meets: a page, a door, or nothing.
type meeting struct{ *request }

// partials are the parts that pages of the gate have in common: the frame, the head and the steps at a door.
var partials = template.Must(template.New("").Funcs(template.FuncMap{
	"page":      func(contact string) bool { return strings.HasPrefix(contact, "https://") },
	"asset":     func(name string) string { return look.URL("/velada/", name) },
	"font":      func(name string) string { return look.URL("/velada/", "fonts/"+name) },
	"style":     func(kind looks.Kind) string { return look.URL("/velada/", "site-"+kind.ID+".css") },
	"join":      strings.Join,
	"menuItem":  menuItemOf,
	"listed":    listedItem,
	"bodyClass": bodyClass,
}).ParseFS(templateFiles, "templates/shared/*.html"))

// views are what the gate shows, by file name: each defines the body that the frame is put around.
var views = parseViews()

func parseViews() map[string]*template.Template {
	names, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		panic(err) // the pattern is right
	}
	all := map[string]*template.Template{}
	for _, name := range names {
		all[path.Base(name)] = template.Must(template.Must(partials.Clone()).ParseFS(templateFiles, name))
	}
	return all
}

// execute renders a page of the gate; one that has no body of its own stands without a frame.
func execute(to io.Writer, name string, data any) error {
	t := views[name]
	if t.Lookup("body") != nil {
		return t.ExecuteTemplate(to, "frame", data)
	}
	return t.ExecuteTemplate(to, name, data)
}

// sight is what a page of the gate shows.
type sight struct {
	Site  string
	Title string
	HTML  template.HTML
	dressSight
	More     bool           // the menu goes on, on a page of its own
	Contents *contentsSight // that page
	NoIndex  bool
	SignedIn string // who, or ""
	HasPass  bool
	Path     string
	SignIn   string // where to sign in, where that is offered
	Password bool   // whether entering a pass is offered
	Wrong    string // what was wrong with the last try
	Hold     *holdSight
	Ribbon   *ribbon
	Details  store.Details
	Notice   bool          // the notice about cookies is still to be read
	Named    bool          // people who sign in are counted by name
	Head     template.HTML // a steward's own code, and that at the end of the page
	OwnFoot  template.HTML
	Style    template.CSS
	Member   *memberSight
	Join     string // where to become a member, where that is offered
	Comments *commentSight
	Reader   *newsSight
	Corner   cornerSight
	Search   bool         // visitors may search
	Result   *resultSight // what the page says of itself where it is found and shared
	Found    *searchSight // what they searched for
}

// resultSight is what a page says of itself to search engines, and where it is shared.
type resultSight struct {
	Title       string // with the site's, by its pattern
	Description string
	Canonical   string // the one address of the page
	Shared      bool   // a stranger opens it: what it is called may be told wherever its address is
	Name        string // of the page alone
	Picture     string // an address; "" is none
}

// cornerSight is the corner that knows who is signed in.
type cornerSight struct {
	Foot        bool // it stands at the foot
	SignIn, URL string
	Yours       string // what leads to the member's own page
}

type menuItem struct {
	Path, Title string
	Here        bool
	at          string // the page's path, as the policy has it
}

// pageSecurity lets nothing run: what may connect is for tools that look at a page from outside.
const pageSecurity = "default-src 'none'; connect-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; media-src 'self'; base-uri 'none'; frame-ancestors 'self'; form-action 'self'"

// codeSecurity holds where a steward has let the site's own code into its pages;
// never on a door, where passwords are entered.
const codeSecurity = "default-src 'none'; script-src 'self' 'unsafe-inline' https:; style-src 'self' 'unsafe-inline' https:; img-src 'self' data: https:; font-src 'self' https:; media-src 'self' https:; connect-src 'self' https:; frame-src https:; base-uri 'none'; frame-ancestors 'self'; form-action 'self' https:"

// Workers are let in by a steward's word of their own.
const (
	noWorkers  = "; worker-src 'none'"
	ownWorkers = "; worker-src 'self'"
)

// meet answers with what the visitor meets.
func (q meeting) meet(d access.Decision) {
	switch d.Outcome {
	case access.Open:
		q.page()
	case access.Challenge, access.Refused, access.Pending:
		q.endWorkers()
		q.door(d, 0, "")
	case access.Held:
		q.whileHeld().holding(d, d.Status(), "")
	case access.Missing:
		if q.ownMissing() {
			return
		}
		s := q.sight("Not found")
		s.Notice = false
		if s.Details.NotFound != "" && (q.insideOrFront() || q.reader(aboutMissing, q.path) == yes) { // a site's words are for those inside
			if text, err := content.Render(s.Details.NotFound); err == nil {
				s.HTML = template.HTML(text) // sanitised by content
			}
		}
		q.send("missing.html", d.Status(), s)
	case access.Gone:
		s := q.sight("Taken down")
		s.noMenu()
		q.send("gone.html", d.Status(), s)
	default:
		q.nothing()
	}
}

// sight begins what a page shows.
func (q meeting) sight(title string) *sight {
	s := &sight{Title: title, Path: q.path, NoIndex: q.reader(aboutNoIndex, q.path) == yes, HasPass: q.reader(aboutPass, "") == yes}
	if doc := q.state.SiteDocument(q.address); doc != nil {
		s.Site = doc.Title
	}
	switch {
	case !q.signedIn():
	case q.as != nil:
		s.SignedIn = q.as.Name
	case q.notes != nil: // the name is put in when the page is sent
		s.SignedIn = nameStandIn
	default:
		s.SignedIn = q.gate.House.NameOf(q.who)
	}
	s.Ribbon = q.whileHeld().ribbon()
	s.Details = q.state.Site(q.address).Details
	s.Corner = q.corner()
	s.Notice = s.Details.CookieNotice != "" && q.insideOrFront() && q.reader(aboutNotice, "") == no
	s.Named = q.state.Site(q.address).Counted.Names
	if e := q.edition(); e != nil {
		s.dressSight, s.More = q.dress(q.opening(e.Menu[:min(len(e.Menu), mostMenu)])), q.goesOn(e)
	} else {
		s.dressSight = q.dress(nil)
	}
	s.Search = len(s.Menu) > 0 && q.searchable()
	return s
}

// noMenu takes the menu off a page.
func (s *sight) noMenu() { s.Menu, s.Rest = nil, nil }

// opening lists just the pages that open to the visitor: a title can say too much.
func (q meeting) opening(pages []*house.LivePage) (list []menuItem) {
	for _, p := range pages {
		if q.opens(p.Path) {
			list = append(list, menuItem{q.edition().URLPath(p.Path), p.Title, p.Path == q.path, p.Path})
		}
	}
	return list
}

// corner is the sign-in corner of the site's pages.
func (q meeting) corner() cornerSight {
	m := q.state.Site(q.address).Membership
	c := cornerSight{Foot: m.Corner == "foot"}
	if m.Corner != "" || q.reader(aboutMember, "") == yes {
		c.Yours = m.YoursWords()
	}
	if m.Corner != "" {
		if q.as == nil && !q.signedIn() {
			c.SignIn, c.URL = m.SignInWords(), q.signInURL()
			if q.reader(aboutMissing, q.path) == yes { // the same for a page that hides
				c.URL = signInAt("/")
			}
		}
	}
	return c
}

func (q meeting) page() {
	e := q.edition()
	p := e.Page(q.path)
	if p == nil { // an imported policy names pages before anybody has written them
		s := q.sight(q.path)
		s.HTML = "<p>Nothing is written on this page yet.</p>"
		q.send("page.html", http.StatusOK, s)
		return
	}
	if q.as != nil || q.commentWrong != "" {
		q.pageAlone(e, p)
		return
	}
	rendered, err := q.state.RenderedOf(q.address).Once(q.Context(), q.path, q.class(), q.answerHere, func() (*house.RenderedPage, []house.Note, error) {
		return q.rendered(e, p)
	})
	switch {
	case errors.Is(err, errNotKept):
		q.pageAlone(e, p)
	case err != nil:
		q.unless(err)
	default:
		q.sending().sendKept(rendered)
	}
}

// errNotKept says that more tells on a page than what it asks about its reader.
var errNotKept = errors.New("this page is made anew each time")

// class is by what readers of a page differ most, so that those of one wait for each other.
func (q meeting) class() string {
	return yesIf(q.who != "") + yesIf(len(q.visitor.Passes)+len(q.visitor.Links) > 0)
}

func (q meeting) answerHere(question house.Question) string { return q.answer(question, &q.visitor) }

// rendered makes the page of the edition for the reader and notes what it asked; nil where more than
// that tells on it, so that it is not kept.
func (q meeting) rendered(e *house.LiveEdition, p *house.LivePage) (*house.RenderedPage, []house.Note, error) {
	text, err := q.gate.House.PageHTML(q.Context(), e, p)
	if err != nil {
		return nil, nil, err
	}
	if p.Own || strings.Contains(text, "[[table ") { // rows are asked for in the address
		return nil, nil, errNotKept
	}
	q.notes = &notes{answers: map[house.Question]string{}}
	defer func() { q.notes = nil }()
	var b bytes.Buffer
	if err := renderWhile(q.Context(), &b, "page.html", q.whole(p, text)); err != nil {
		return nil, nil, err
	}
	list := q.notes.list
	return q.sending().pack(b.Bytes(), q.notes), list, nil
}

// pageAlone sends a page made for this request alone.
func (q meeting) pageAlone(e *house.LiveEdition, p *house.LivePage) {
	text, err := q.gate.House.PageHTML(q.Context(), e, p)
	if err != nil {
		q.unless(err)
		return
	}
	if p.Own {
		q.ownLook(text)
		return
	}
	q.send("page.html", http.StatusOK, q.whole(p, text))
}

// unless returns up quietly where the visitor has gone, and panics otherwise.
func (q meeting) unless(err error) {
	if q.Context().Err() == nil {
		panic(err)
	}
}

// whole is everything that a page shows.
func (q meeting) whole(p *house.LivePage, text string) *sight {
	s := q.sight(p.Title)
	s.Comments = q.asMember().comments()
	if s.Comments != nil {
		s.Comments.Wrong, s.Comments.Text = q.commentWrong, q.commentText
	}
	s.Result = q.result(p, text)
	q.fill(s, p, text)
	if s.Front {
		q.headPicture(&s.dressSight)
	}
	if q.as == nil {
		s.Head, s.OwnFoot = template.HTML(s.Details.Head), template.HTML(s.Details.Foot) // a steward's own code
	}
	return s
}

// result is what a page says of itself where it is found and shared; text is what it says.
func (q meeting) result(p *house.LivePage, text string) *resultSight {
	of := q.state.Site(q.address)
	origin := q.gate.SiteURL(q.address)
	r := &resultSight{
		Name: cmp.Or(of.Results[p.ID].Title, p.Title), Description: house.DescriptionOf(of, p), Canonical: origin + escape(p.Path),
		Shared: q.strangerOpens(q.path),
	}
	site := ""
	if doc := q.state.SiteDocument(q.address); doc != nil {
		site = doc.Title
	}
	r.Title = listing.Pattern(of.Details.Pattern).Title(r.Name, site)
	if r.Description == "" { // how it begins
		r.Description, _ = content.Teaser(content.Unconditional(text))
	}
	if picture := house.PictureOf(of, p); picture != "" && q.reader(aboutStrangerFile, picture) == yes {
		r.Picture = origin + escape(picture)
	}
	return r
}

// door shows the door page with what the decision offers; status 0 is the
// decision's own.
func (q meeting) door(d access.Decision, status int, wrong string) {
	if status == 0 {
		status = d.Status()
	}
	if d.Outcome == access.Held {
		q.whileHeld().holding(d, status, wrong)
		return
	}
	s := q.sight("This page has a door")
	q.headPicture(&s.dressSight)
	s.Notice = false
	s.Wrong = wrong
	s.Password = offers(d, access.OfferPassword)
	if offers(d, access.OfferSignIn) {
		s.SignIn = q.signInURL()
	}
	if offers(d, access.OfferJoin) {
		s.Join = "/velada/join?path=" + url.QueryEscape(q.path)
	}
	if d.Outcome == access.Refused {
		q.asMember().refused(d, status, map[string]string{}, nil)
		return
	}
	name := map[access.Outcome]string{access.Challenge: "door.html", access.Pending: "pending.html", access.Refused: "refused.html"}[d.Outcome]
	if d.Outcome == access.Challenge {
		q.w.Header().Set("WWW-Authenticate", "Velada")
	} else {
		s.Title = "Not for you"
	}
	q.send(name, status, s)
}

func (q meeting) send(name string, status int, s *sight) {
	var b bytes.Buffer
	render(&b, name, s)
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Content-Security-Policy", pageSecurity)
	if s.Head != "" || s.OwnFoot != "" {
		h["Content-Security-Policy"] = withCode
		if q.state.Site(q.address).Details.Workers {
			h["Content-Security-Policy"] = withWorkers
		}
	}
	if s.Hold != nil {
		h.Set("Content-Security-Policy", holdingSecurity)
	}
	if s.NoIndex {
		h.Set("X-Robots-Tag", "noindex")
	}
	if status == http.StatusOK && name == "page.html" && q.as == nil {
		q.storing()
		sum := sha256.Sum256(b.Bytes())
		tag := `"` + hex.EncodeToString(sum[:12]) + `"`
		h.Set("ETag", tag)
		public := strings.HasPrefix(h.Get("Cache-Control"), "public")
		if has(q.Header.Values("If-None-Match"), tag) && public {
			q.notModified()
			return
		}
		if h.Add("Vary", "Accept-Encoding"); public && packed.Takes(q.Header["Accept-Encoding"]) { // with nothing in it that is anybody's own
			if small := packed.Pack(b.Bytes()); len(small) > 0 {
				q.small(small, hex.EncodeToString(sum[:12]), true)
				return
			}
		}
	} else {
		h.Set("Cache-Control", "private, no-store")
	}
	h.Set("Content-Length", strconv.Itoa(b.Len()))
	q.w.WriteHeader(status)
	q.write(b.Bytes())
}

const nothingStyle = "body{margin:0;background:#e9edec;color:#1d2b38;font:16px/1.5 system-ui,sans-serif}main{max-width:34rem;margin:18vh auto 0;padding:0 24px}@media(prefers-color-scheme:dark){body{background:#10181f;color:#dfe7ea}}"

var nothingSecurity = func() string {
	sum := sha256.Sum256([]byte(nothingStyle))
	return "default-src 'none'; style-src 'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) + "'; img-src data:; base-uri 'none'; frame-ancestors 'self'; form-action 'none'"
}()

// nothing answers as if there were no such site: the same for an address that
// nobody has, a draft, and a site that is hidden.
func (q meeting) nothing() { Nothing(q.w, q.Request) }

// Nothing answers a request to a host at which there is no site.
func Nothing(w http.ResponseWriter, r *http.Request) {
	var b bytes.Buffer
	if err := execute(&b, "nothing.html", sight{Style: nothingStyle}); err != nil {
		panic(err)
	}
	headers(w)
	h := w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Content-Security-Policy", nothingSecurity)
	h.Set("X-Robots-Tag", "noindex")
	h.Set("Cache-Control", "private, no-store")
	h.Set("Content-Length", strconv.Itoa(b.Len()))
	w.WriteHeader(http.StatusNotFound)
	if r.Method != http.MethodHead {
		_, _ = w.Write(b.Bytes()) // whoever hung up does not matter
	}
}

// broughtRobots are the lines of a robots.txt that came with an archive, for whoever may read it.
func (q meeting) broughtRobots() string {
	const at = "/robots.txt"
	e := q.edition()
	if e == nil || e.Files[at] == nil || e.Files[at].Size > listing.MostRobots/2 || q.site.DecideFile(at, &q.visitor, q.at).Outcome != access.Open {
		return ""
	}
	data, err := q.gate.House.FileData(q.Context(), e.Files[at])
	if err != nil {
		panic(err)
	}
	return string(data) + "\nUser-agent: *\n" // what follows is for all again
}

// crawlers answers robots.txt and the sitemap. robots.txt forbids nothing: what
// is not to be listed must be seen to say so.
func (q meeting) crawlers() {
	if q.absent() {
		q.nothing()
		return
	}
	headers(q.w)
	h := q.w.Header()
	h.Set("Cache-Control", "private, no-store")
	origin, status := q.gate.SiteURL(q.address), http.StatusOK
	var b bytes.Buffer
	if q.path == "/robots.txt" {
		h.Set("Content-Type", "text/plain; charset=utf-8")
		d := q.state.Site(q.address).Details
		own, _ := listing.ReadOwn(q.broughtRobots() + d.Robots) // what is wrong in it was said when it was set
		var sitemaps []string
		if len(q.site.Listed(q.at)) > 0 {
			sitemaps = []string{origin + "/sitemap.xml"}
		}
		for _, path := range d.Sitemaps {
			sitemaps = append(sitemaps, origin+escape(path))
		}
		b.WriteString(listing.Robots(own, sitemaps...))
	} else {
		h.Set("Content-Type", "application/xml; charset=utf-8")
		var addresses []listing.Address
		live := q.state.Site(q.address).Live
		for _, path := range q.site.Listed(q.at) {
			addresses = append(addresses, live.Address(origin, path))
		}
		b.Write(listing.Sitemap(addresses))
		if len(addresses) == 0 { // there is no such thing as a sitemap of nothing
			h.Set("Content-Type", "text/plain; charset=utf-8")
			b.Reset()
			b.WriteString("Search engines may list no page of this site: it has no sitemap.\n")
			status = http.StatusNotFound
		}
	}
	h.Set("Content-Length", strconv.Itoa(b.Len()))
	q.w.WriteHeader(status)
	q.write(b.Bytes())
}
