package web

import (
	"fmt"
	"net/http"
	"slices"

	"velada/core/access"
	"velada/gate"
	"velada/house"
)

// PreviewRow is a preview link as the working copy lists it.
type PreviewRow struct{ ID, Label, URL, Until, Who string }

// WalkPage is a page of a site in a frame, exactly as whoever walks in gets it.
type WalkPage struct {
	Scope    ScopeView
	Walk     WalkView
	Frame    string
	Status   string
	Headers  []headerRow
	Width    string // phone, tablet or wide
	Widths   []Chip
	Door     string // where the page's door is, or where it is written
	Working  bool   // the working copy is looked at
	Previews []PreviewRow
	Site     string
	MayWrite bool
}

type headerRow struct{ Name, Value string }

// shownHeaders are the headers that tell what browsers and search engines make
// of an answer.
var shownHeaders = []string{"Content-Type", "Cache-Control", "X-Robots-Tag", "WWW-Authenticate", "Retry-After", "Location", "Content-Security-Policy"}

var frameWidths = []struct{ name, label string }{{"phone", "Phone"}, {"tablet", "Tablet"}, {"wide", "Wide"}}

// Widths are the widths that a frame can have, to choose from.
func Widths(chosen string, url func(width string) string) (string, []Chip) {
	if !slices.ContainsFunc(frameWidths, func(w struct{ name, label string }) bool { return w.name == chosen }) {
		chosen = "wide"
	}
	var chips []Chip
	for _, w := range frameWidths {
		chips = append(chips, Chip{w.label, url(w.name), w.name == chosen})
	}
	return chosen, chips
}

// LookAs looks through the eyes of whoever walks in; what the one who looks may
// not read themself is not shown to them.
func LookAs(c *Console, d *Site, me house.Actor, policy *access.Policy) gate.As {
	visitor := d.Visitor(policy)
	as := gate.As{Policy: policy, Visitor: visitor, At: d.At}
	if person, ok := policy.PersonOf(visitor.Identity); ok {
		as.Name = d.Words.Person(person.ID)
	} else if visitor.Identity.Known() {
		as.Name = d.Words.Observer(d.As)
	}
	site := d.Site
	as.May = func(path string) bool {
		now := c.House.State().Policy
		id := now.Address(me.Address)
		at := access.At(c.House.Now())
		return now.Site(site).Capabilities(path, id, at).Has(access.Preview) ||
			now.Site(site).DecideFile(path, &access.Visitor{Identity: id}, at).Outcome == access.Open
	}
	return as
}

// AnswerAs asks the gate for a page as somebody else, for its status and headers.
func AnswerAs(c *Console, site, path string, as gate.As) (string, []headerRow) {
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
