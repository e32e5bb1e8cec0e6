package console

import (
	"fmt"
	"net/http"
	"slices"
	"velada/house"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/gate"
)

// walkPage is a page of a site in a frame, exactly as whoever walks in gets it.
type walkPage struct {
	Scope    scopeView
	Walk     walkView
	Frame    string
	Status   string
	Headers  []headerRow
	Width    string // phone, tablet or wide
	Widths   []chip
	Door     string // where the page's door is, or where it is written
	Working  bool   // the working copy is looked at
	Previews []previewRow
	Site     string
	MayWrite bool
}

type headerRow struct{ Name, Value string }

// shownHeaders are the headers that tell what browsers and search engines make
// of an answer.
var shownHeaders = []string{"Content-Type", "Cache-Control", "X-Robots-Tag", "WWW-Authenticate", "Retry-After", "Location", "Content-Security-Policy"}

var frameWidths = []struct{ name, label string }{{"phone", "Phone"}, {"tablet", "Tablet"}, {"wide", "Wide"}}

// widths are the widths that a frame can have, to choose from.
func widths(chosen string, url func(width string) string) (string, []chip) {
	if !slices.ContainsFunc(frameWidths, func(w struct{ name, label string }) bool { return w.name == chosen }) {
		chosen = "wide"
	}
	var chips []chip
	for _, w := range frameWidths {
		chips = append(chips, chip{w.label, url(w.name), w.name == chosen})
	}
	return chosen, chips
}

func (c *Console) walkIn(x *gin.Context) {
	d, err := c.doorContext(x)
	if err != nil {
		c.fail(x, err)
		return
	}
	d.view = "walk"
	p := c.sitePage(x, "Walk in as")
	v := &walkPage{Scope: d.scope("walk"), Walk: d.walk(), Door: d.doorURL(d.page, d.as)}
	v.Width, v.Widths = widths(x.Query("width"), func(width string) string { return d.url(d.page, d.as, "width", width) })
	as := c.lookAs(d, actor(x), d.policy)
	v.Status, v.Headers = c.answerAs(d.site, d.path(), as)
	v.Frame = c.LookURL + "/" + c.Glass.Open(d.site, as) + access.EscapePath(d.path())
	if d.tray != nil {
		p.Tray = c.trayView(d.tray, d.state, d.url(d.page, d.as))
	}
	p.View = v
	c.show(x, http.StatusOK, "walk", p)
}

// lookAs looks through the eyes of whoever walks in; what the one who looks may
// not read themself is not shown to them.
func (c *Console) lookAs(d *doorContext, me house.Actor, policy *access.Policy) gate.As {
	visitor := d.visitor(policy)
	as := gate.As{Policy: policy, Visitor: visitor, At: d.at}
	if person, ok := policy.PersonOf(visitor.Identity); ok {
		as.Name = d.words.Person(person.ID)
	} else if visitor.Identity.Known() {
		as.Name = d.words.Observer(d.as)
	}
	site := d.site
	as.May = func(path string) bool {
		now := c.House.State().Policy
		id := now.Address(me.Address)
		at := access.At(c.House.Now())
		return now.Site(site).Capabilities(path, id, at).Has(access.Preview) ||
			now.Site(site).DecideFile(path, &access.Visitor{Identity: id}, at).Outcome == access.Open
	}
	return as
}

// answerAs asks the gate for a page as somebody else, for its status and headers.
func (c *Console) answerAs(site, path string, as gate.As) (string, []headerRow) {
	r, err := http.NewRequest(http.MethodGet, access.EscapePath(path), nil)
	if err != nil {
		return "", nil // no path of a site is none of an address
	}
	r.RequestURI = r.URL.RequestURI()
	w := &gate.Answer{}
	c.Glass.Gate.LookAs(w, r, site, as)
	var rows []headerRow
	for _, name := range shownHeaders {
		if value := w.Header().Get(name); value != "" {
			rows = append(rows, headerRow{name, value})
		}
	}
	return fmt.Sprintf("%d %s", w.Status, http.StatusText(w.Status)), rows
}
