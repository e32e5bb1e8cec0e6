package web

import (
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
)

// Tab leads to a view of a site or of the house, or to a part of a view.
type Tab struct {
	Name, URL string
	Note      string // a number beside it
	On        bool
}

// siteTabs are the views of a site that somebody has to do with.
func siteTabs(s *SiteHead, here string) (tabs []Tab) {
	add := func(may bool, name, path string) {
		if may {
			tabs = append(tabs, Tab{Name: name, URL: "/sites/" + s.Address + path, On: name == here})
		}
	}
	add(s.MaySee, "Overview", "")
	add(s.MaySee, "Door", "/door")
	add(s.MaySee, "Sightlines", "/sightlines")
	add(s.MayPreview, "Pages", "/pages")
	add(s.MaySee, "Team", "/team")
	add(s.MayAdmit, "Members", "/members")
	add(s.MayTraffic, "Traffic", "/traffic")
	add(s.MaySee, "Calendar", "/calendar")
	add(s.MayDoor, "Ledger", "/ledger")
	add(s.MaySee, "Settings", "/settings")
	return tabs
}

// houseTabs are the views of the house that somebody has to do with.
func (c *Console) houseTabs(x *gin.Context, p *Page) (tabs []Tab) {
	add := func(may bool, name, path string) {
		if may {
			tabs = append(tabs, Tab{Name: name, URL: path, On: name == p.Here})
		}
	}
	add(true, "Sites", "/sites")
	add(p.Steward || p.Keeps, "People", "/people")
	add(p.Rules, "House rules", "/house-rules")
	add(p.Rules, "Rounds", "/rounds")
	if p.Rules {
		tabs[len(tabs)-1].Note = c.foundNote(x.Request.Context(), Actor(x))
	}
	add(p.Steward, "Traffic", "/traffic")
	add(p.Rules, "Calendar", "/calendar")
	add(p.Steward, "Ledger", "/ledger")
	add(p.Steward, "Outbox", "/outbox")
	add(p.Steward, "Settings", "/settings")
	return tabs
}

// initials are the first letters of a name's first and last word.
func initials(name string) string {
	fields := strings.Fields(name)
	text := ""
	for i, f := range fields {
		if i == 0 || i == len(fields)-1 {
			r, _ := utf8.DecodeRuneInString(f)
			text += strings.ToUpper(string(r))
		}
	}
	return text
}
