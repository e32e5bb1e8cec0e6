package gate

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"path"
	"strconv"
	"strings"

	"velada/app/pages"
	"velada/core/access"
	"velada/core/content"
	"velada/core/looks"
	"velada/house"
	"velada/look"
	"velada/store"
)

// dressSight is how a page of the gate is dressed: what its look needs to know.
type dressSight struct {
	Look        looks.Look
	Kind        looks.Kind
	Colours     string        // the mark of the style with its colours; "" where it has none
	Front       bool          // it is the front page
	HeadPicture template.HTML // "" where there is none, or it does not open
	Logo        string        // the address of the logo
	Menu        []menuNode
	Rest        []menuNode // of the menu, where it is long
	Top         template.HTML
	Outline     []content.Heading
	Below       template.HTML // the pages below this one
	Above       []menuItem    // the pages that this one stands below
	Feed        string        // where a stranger reads what is new below the page
	News        string        // where whoever is signed in chooses what they are told
	Foot        footSight
}

// footSight is what stands at the foot of every page.
type footSight struct {
	Any     bool
	Links   []linkSight
	Licence string
	Terms   string // where it is written out
	Phone   string // as a number that can be called
}

type linkSight struct {
	URL, Name string
	Icon      template.HTML
}

// look is what the site wears: with its edition, or else with its draft.
func (q meeting) look() looks.Look {
	if e := q.edition(); e != nil {
		return e.Look
	}
	return q.state.Site(q.address).Working.Look
}

// dress begins how a page is dressed.
func (q meeting) dress(menu []menuItem) dressSight {
	l := q.look()
	d := dressSight{Look: l, Kind: l.Kind(), Front: q.path == "/"}
	if q.insideOrFront() {
		d.Foot = footOf(q.state.Site(q.address).Details)
	} else { // whoever stands at the door of a site that is not theirs learns its name alone
		d.Look.Tagline = ""
	}
	if style := l.Style(); len(style) > 0 {
		d.Colours = markOf(style)
	}
	if q.opensFile(l.Logo) {
		d.Logo = escape(l.Logo)
	}
	d.Menu = menuTree(menu)
	if !d.Kind.Rail && len(d.Menu) > mostAbreast {
		d.Menu, d.Rest = d.Menu[:mostAbreast-1], d.Menu[mostAbreast-1:]
	}
	return d
}

// insideOrFront reports whether the page that is asked for opens to the visitor, or the front page does.
func (q meeting) insideOrFront() bool {
	return q.opens(q.path) || q.opens("/")
}

// headPicture puts the header picture of a look onto a page.
func (q meeting) headPicture(d *dressSight) {
	if l := d.Look; l.Picture != "" && q.opensFile(l.Picture) {
		img := fmt.Sprintf(`<img src="%s" alt="%s" fetchpriority="high">`, template.HTMLEscapeString(escape(l.Picture)), template.HTMLEscapeString(l.PictureText))
		d.HeadPicture = template.HTML(q.picturesAs(img, "100vw"))
	}
}

func markOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:6])
}

// StyleOf is the colours of a site's look as a style: where it is published, as visitors get it.
// It is empty where nobody chose a colour.
func StyleOf(s *house.State, site string) []byte {
	l := s.Site(site).Working.Look
	if live := s.Site(site).Live; live != nil {
		l = live.Look
	}
	if l.Colour == "" {
		return nil
	}
	return l.Style()
}

// colours serves the colours of the site's look as a style. Whoever asks by its mark may keep it.
func (q meeting) colours() {
	style := q.look().Style()
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", "text/css; charset=utf-8")
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	h.Set("Cache-Control", "private, max-age=0, must-revalidate")
	if q.URL.RawQuery == markOf(style) {
		h.Set("Cache-Control", "private, max-age=31536000, immutable")
	}
	q.w.WriteHeader(http.StatusOK)
	q.write(style)
}

// footOf is what a site says of itself at the foot.
func footOf(d store.Details) footSight {
	f := footSight{Any: d.Contact != "" || d.Phone != "" || d.Hours != "" || d.Postal != "" || d.Licence != "" || len(d.Links) > 0}
	for _, l := range d.Links {
		name := l.Name
		if name == "" {
			if at, err := url.Parse(l.URL); err == nil {
				name = strings.TrimPrefix(at.Host, "www.")
			}
		}
		f.Links = append(f.Links, linkSight{l.URL, name, look.Icon(l.Icon)})
	}
	for _, l := range pages.Licences {
		if l.ID == d.Licence {
			f.Licence, f.Terms = l.Name, l.URL
		}
	}
	for _, r := range d.Phone {
		if r == '+' && f.Phone == "" || r >= '0' && r <= '9' {
			f.Phone += string(r)
		}
	}
	return f
}

// menuNode is an item of a menu with those below it.
type menuNode struct {
	menuItem
	Within bool // the page that is shown stands below it
	Below  []menuNode
}

// shownItem is an item of a menu as it is drawn: in a rail its branches are open where the page
// stands in them, and listed is what stands in an open branch.
type shownItem struct {
	menuNode
	Rail, Listed bool
}

func menuItemOf(n menuNode, rail bool) shownItem { return shownItem{menuNode: n, Rail: rail} }

func listedItem(n menuNode) shownItem { return shownItem{menuNode: n, Listed: true} }

// bodyClass is what the styles know of a page.
func bodyClass(s *sight) string {
	list := []string{"look-" + s.Kind.ID}
	if s.Look.Head != "" {
		list = append(list, "head-"+s.Look.Head)
	}
	if s.Look.Foot != "" {
		list = append(list, "foot-"+s.Look.Foot)
	}
	if s.Front {
		list = append(list, "front")
	}
	if s.Look.Focus != "" {
		list = append(list, "focus-"+s.Look.Focus)
	}
	if s.HeadPicture != "" {
		list = append(list, "pictured")
	}
	if s.Hold != nil {
		list = append(list, "holding", "h-"+s.Hold.Design)
	}
	return strings.Join(list, " ")
}

const (
	mostAbreast = 8 // items of a menu in a row; the others are behind a word
	mostLevels  = 3
)

// menuTree puts the items of a menu below each other as their pages stand: in three levels at most.
func menuTree(items []menuItem) []menuNode {
	there := make(map[string]bool, len(items))
	for _, item := range items {
		there[item.at] = true
	}
	below := map[string][]menuItem{}
	for _, item := range items {
		above := ""
		if item.at != "/" {
			for above = path.Dir(item.at); above != "/" && !there[above]; {
				above = path.Dir(above)
			}
			if above == "/" { // the front page is one among the first
				above = ""
			}
		}
		below[above] = append(below[above], item)
	}
	var build func(above string, level int) []menuNode
	build = func(above string, level int) (list []menuNode) {
		for _, item := range below[above] {
			n := menuNode{menuItem: item}
			children := build(item.at, level+1)
			for _, c := range children {
				n.Within = n.Within || c.Here || c.Within
			}
			if level < mostLevels {
				n.Below = children
				list = append(list, n)
			} else {
				list = append(append(list, n), children...)
			}
		}
		return list
	}
	return build("", 1)
}

// above lists the pages of the edition that a page stands below and that open to the visitor, from
// the top; the front page is not among them.
func (q meeting) above(of string) (list []menuItem) {
	for at := path.Dir(of); at != "/" && at != "."; at = path.Dir(at) {
		if p := q.edition().Page(at); p != nil {
			list = append(q.opening([]*house.LivePage{p}), list...)
		}
	}
	return list
}

// fill puts what a page shows in its places: what stands in it, its top, and what is below it.
func (q meeting) fill(s *sight, p *house.LivePage, text string) {
	s.Above = q.above(p.Path)
	if q.feeds().hasFeed(p) {
		s.Feed = feedAt(p.Path, "")
	}
	if q.signedIn() {
		s.News = "/velada/news?" + url.Values{"path": {p.Path}}.Encode()
	}
	below := ""
	if placed := strings.Contains(text, `<div class="v-below">`); placed || q.showsBelow(p, text) {
		below = q.below(p)
		if !placed {
			s.Below = template.HTML(below)
		}
	}
	text = content.Withhold(text, q.shows)
	text = content.PutPlaces(text, func(name, title string) string {
		switch name {
		case content.Below:
			return below
		case content.Files:
			return q.fileList(p, title)
		}
		return q.contactForm()
	})
	text = content.PutDates(text, q.dates)
	text = content.Downloads(text, q.sizeOf)
	text = q.pictures(q.tables(scrolled.Replace(text)))
	s.Outline = content.Outline(text)
	top, rest := content.Top(text)
	s.Top, s.HTML = template.HTML(top), template.HTML(rest) // sanitised when it was published
}

// shows reports whether something that a page brings in or leads to is shown to the reader: a page or
// a file of the site that opens to them, or what is neither.
func (q meeting) shows(at string) bool {
	path, err := access.URLPath(at)
	e := q.edition()
	if err != nil || e == nil {
		return true
	}
	if p := e.ByFile(path); p != nil {
		path = p.Path
	}
	switch {
	case e.Page(path) != nil:
		return q.opens(path) && (q.as == nil || q.as.may(path))
	case e.File(path) != nil:
		return q.opensFile(path) && (q.as == nil || q.as.may(path))
	}
	return true
}

// scrolled puts tables that stand in the text where they are scrolled, also by keyboard, if they are wider.
var scrolled = strings.NewReplacer("<table>", `<div class="v-table" tabindex="0" role="group" aria-label="Table"><table>`, "</table>", "</table></div>")

// sizeOf says how large a file is that a page links to, if it opens for whom the page opens.
func (q meeting) sizeOf(href string) string {
	e := q.edition()
	to, err := url.Parse(href)
	if err != nil || to.Host != "" || e == nil {
		return ""
	}
	f := e.Files[to.Path]
	if f == nil || !q.opensFile(to.Path) {
		return ""
	}
	return strings.ToUpper(strings.TrimPrefix(path.Ext(to.Path), ".")) + ", " + bytesText(f.Size)
}

// bytesText is a size in words.
func bytesText(n int) string {
	switch {
	case n >= 1<<20:
		return strconv.FormatFloat(float64(n)/(1<<20), 'f', 1, 64) + " MB"
	case n >= 1<<10:
		return strconv.Itoa((n+512)>>10) + " kB"
	}
	return strconv.Itoa(n) + " bytes"
}
