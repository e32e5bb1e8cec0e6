package listing

import (
	"fmt"
	"html/template"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/look"
	"velada/store"
)

// linkRow is an address elsewhere in the form of what stands at the foot.
type linkRow struct {
	Number           int
	URL, Name, Wrong string
	Icons            []iconPick
}

type iconPick struct {
	Row      int
	ID, Name string
	Drawing  template.HTML
	On       bool
}

// spareLinks is how many rows stand empty below the addresses that there are.
const spareLinks = 2

// foot is what stands at the foot of every page, as the form has it.
func (v *settingsView) foot(x *gin.Context, d store.Details) {
	v.Licences = []web.Choice{{ID: "", Name: "Nothing is said", On: v.Form.Values["licence"] == ""}}
	for _, l := range pages.Licences {
		v.Licences = append(v.Licences, web.Choice{ID: l.ID, Name: l.Name, On: v.Form.Values["licence"] == l.ID})
	}
	links := d.Links
	if len(v.Form.Wrong) > 0 { // as they were typed
		links = linksTyped(x)
	}
	for i := range min(len(links)+spareLinks, pages.MostLinks) {
		row := linkRow{Number: i + 1, Wrong: v.Form.Wrong[fmt.Sprintf("link_%d", i)]}
		icon := ""
		if i < len(links) {
			row.URL, row.Name, icon = links[i].URL, links[i].Name, links[i].Icon
		}
		for _, k := range look.Icons {
			row.Icons = append(row.Icons, iconPick{Row: i, ID: k.ID, Name: k.Name, Drawing: look.Icon(k.ID), On: icon == k.ID})
		}
		v.Links = append(v.Links, row)
	}
}

// linksTyped reads the addresses elsewhere of the form: those that are not empty.
func linksTyped(x *gin.Context) (links []store.Link) {
	urls, names := x.PostFormArray("link_url"), x.PostFormArray("link_name")
	for i, url := range urls[:min(len(urls), pages.MostLinks+1)] {
		l := store.Link{URL: strings.TrimSpace(url), Icon: x.PostForm(fmt.Sprintf("link_icon_%d", i))}
		if i < len(names) {
			l.Name = strings.TrimSpace(names[i])
		}
		if !look.KnownIcon(l.Icon) {
			l.Icon = ""
		}
		if l.URL != "" {
			links = append(links, l)
		}
	}
	return slices.Clip(links)
}
