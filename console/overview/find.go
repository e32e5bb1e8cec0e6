package overview

import (
	"cmp"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/words"
)

// hit is a site, page, person or group that was found.
type hit struct{ Name, Sub, URL string }

// How much is found: at the band, and on a view of its own.
const (
	mostHits      = 12
	mostHitsWhole = 100
)

// findView lists what was found.
type findView struct {
	Query string
	Hits  []hit
	More  bool
}

func find(c *web.Console, x *gin.Context) {
	p := c.Page(x, "Find")
	v := findView{Query: strings.TrimSpace(x.Query("q")), Hits: search(c, x, mostHitsWhole+1)}
	if len(v.Hits) > mostHitsWhole {
		v.Hits, v.More = v.Hits[:mostHitsWhole], true
	}
	p.View = v
	c.Show(x, http.StatusOK, "find", p)
}

func findHits(c *web.Console, x *gin.Context) {
	c.Show(x, http.StatusOK, "hits", findView{Query: strings.TrimSpace(x.Query("q")), Hits: search(c, x, mostHits)})
}

// search finds by names what somebody may know of: on the site that they are on first, then
// in the house.
func search(c *web.Console, x *gin.Context, most int) (hits []hit) {
	want := strings.ToLower(strings.TrimSpace(x.Query("q")))
	if want == "" {
		return nil
	}
	s, me, here := c.House.State(), web.Actor(x), x.Query("site")
	match := func(name string, more ...string) bool {
		return len(hits) < most && strings.Contains(strings.ToLower(name+" "+strings.Join(more, " ")), want)
	}
	found := func(name, sub, url string, more ...string) {
		if match(name, more...) {
			hits = append(hits, hit{name, sub, url})
		}
	}
	sites := slices.Clone(s.Policy.Document().Sites)
	slices.SortStableFunc(sites, func(a, b *access.Site) int {
		return cmp.Compare(rank(a.Address == here), rank(b.Address == here))
	})
	steward := c.House.IsSteward(me)
	for _, doc := range sites {
		if c.House.CanAnywhere(me, doc.Address) == 0 {
			continue
		}
		title := cmp.Or(doc.Title, doc.Address)
		if doc.Address != here {
			found(title, "site", "/sites/"+doc.Address, doc.Address)
		}
		for _, path := range web.OrderedPaths(s, doc) {
			if c.House.Can(me, doc.Address, path) == 0 { // not even its title is told
				continue
			}
			found(s.Title(doc.Address, path), "page of "+title, web.DoorURL(doc.Address, path, ""), path)
		}
		if doc.Address == here && c.House.Can(me, here, "/") != 0 {
			known := c.House.KnownTo(me, here)
			for _, p := range known.People {
				found(p.Name, "walk in as, on "+title, web.ViewURL(here, "walk", "", "person:"+p.ID), p.ID)
			}
			found(title, "site", "/sites/"+doc.Address, doc.Address)
		}
	}
	if steward {
		for _, p := range s.Policy.Document().People {
			found(p.Name, "person", "/people/"+url.PathEscape(p.ID), p.Address)
		}
	}
	for _, g := range s.Policy.Document().Groups {
		if name := cmp.Or(g.Name, g.ID); match(name) && c.House.MayKeep(x.Request.Context(), me, g.ID) {
			found(name, "group", "/groups/"+url.PathEscape(g.ID))
		}
	}
	return hits
}

func rank(first bool) int {
	if first {
		return 0
	}
	return 1
}

// help explains Velada's own words, its windows and its keys.
func help(c *web.Console, x *gin.Context) {
	p := c.Page(x, "Help")
	p.View = struct{ Terms []words.Term }{words.Glossary}
	name := "help"
	if x.Query("part") != "" {
		name = "help-part"
	}
	c.Show(x, http.StatusOK, name, p)
}
