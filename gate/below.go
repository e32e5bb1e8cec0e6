package gate

import (
	"html/template"
	"log/slog"
	"strings"

	"velada/core/content"
	"velada/house"
)

// mostBelow is how many of the pages below a page stand on it; for the others there is a page of
// their own.
const mostBelow = 48

// belowSight is the pages below a page.
type belowSight struct {
	Cards bool
	Items []belowItem
}

type belowItem struct {
	URL, Title, Words string
	Picture           template.HTML
}

// candidates are the pages below a page that may stand on it: below the front page, those that are
// in the menu.
func (q meeting) candidates(p *house.LivePage) (list []*house.LivePage) {
	for _, c := range q.edition().Below(p.Path) {
		if p.Path == "/" && !c.InMenu {
			continue
		}
		if list = append(list, c); len(list) == mostBelow {
			break
		}
	}
	return list
}

// showsBelow reports whether the look shows the pages below a page by itself: not where the text
// has cards or a list of them already.
func (q meeting) showsBelow(p *house.LivePage, text string) bool {
	return q.look().ShowsBelow() != "none" && !strings.Contains(text, `<div class="v-cards">`)
}

// below is the pages below a page that open to the visitor, each with how it begins and its first
// picture: of a picture that not just everybody may open who opens the page nothing is shown.
func (q meeting) below(p *house.LivePage) string {
	v := belowSight{Cards: q.look().ShowsBelow() != "list"}
	e, of := q.edition(), q.state.Site(q.address)
	for _, c := range q.candidates(p) {
		if !q.opens(c.Path) {
			continue
		}
		item := belowItem{URL: e.URLPath(c.Path), Title: c.Title, Words: house.DescriptionOf(of, c)}
		if !c.Own && (q.as == nil || q.as.may(c.Path)) {
			text, err := q.gate.House.PageHTML(q.Context(), e, c)
			if err != nil {
				if q.Context().Err() == nil {
					slog.Error("reading how a page begins", "site", q.address, "page", c.Path, "error", err)
				}
				continue
			}
			words, _ := content.Teaser(content.Unconditional(text))
			_, src := content.Teaser(text)
			if item.Words == "" {
				item.Words = words
			}
			if q.opensFile(src) {
				item.Picture = template.HTML(q.picturesAs(`<img src="`+template.HTMLEscapeString(escape(src))+`" alt="">`, "(max-width: 40rem) 92vw, 20rem"))
			}
		}
		v.Items = append(v.Items, item)
	}
	if len(v.Items) == 0 {
		return ""
	}
	var b strings.Builder
	if err := execute(&b, "below.html", v); err != nil {
		panic(err)
	}
	return b.String()
}
