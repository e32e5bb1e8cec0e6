package door

import (
	"cmp"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/roster"
	"velada/words"
)

// check reads a list as the form of a way will, without changing anything.
func check(c *web.Console, x *gin.Context) {
	s := c.House.State()
	list := x.PostForm("list")
	var v web.Checked
	switch x.PostForm("kind") {
	case "people":
		v = web.CheckGuests(roster.ReadGuests(list, c.Known(x)), words.Wording{Document: c.Known(x), Zone: s.Zone})
	case "groups":
		ids, unknown := web.ReadGroups(list, c.Known(x))
		if len(ids) > 0 {
			v.Good = append(v.Good, web.Count(len(ids), "group", "groups")+".")
		}
		for _, name := range unknown {
			v.Bad = append(v.Bad, fmt.Sprintf("There is no group “%s”.", name))
		}
	case "network":
		for _, n := range web.EachWord(list) {
			prefix, err := web.ReadNetwork(n)
			if err != nil {
				v.Bad = append(v.Bad, fmt.Sprintf("“%s” is %s.", n, web.NetworkProblem(err)))
				continue
			}
			v.Good = append(v.Good, web.NetworkWords(prefix))
		}
	case "domain":
		for _, n := range web.EachWord(list) {
			pattern, err := access.ParseDomainPattern(n)
			if err != nil {
				v.Bad = append(v.Bad, fmt.Sprintf("“%s” is %v.", n, err))
				continue
			}
			people := 0
			for _, p := range s.Policy.Document().People {
				if a, err := access.ParseAddress(p.Address); err == nil && pattern.Matches(a.Domain) {
					people++
				}
			}
			v.Good = append(v.Good, fmt.Sprintf("%s: %s of the house now.", n, web.Count(people, "person", "people")))
		}
	}
	c.Show(x, http.StatusOK, "checked", v)
}

// pick finds people or groups of the house to put on a list.
func pick(c *web.Console, x *gin.Context) {
	want := strings.ToLower(strings.TrimSpace(x.Query("find")))
	doc := c.Known(x)
	const most = 8
	var hits []web.PersonHit
	if want == "" {
		c.Show(x, http.StatusOK, "picked", hits)
		return
	}
	if x.Query("kind") == "groups" {
		for _, g := range doc.Groups {
			if len(hits) < most && strings.Contains(strings.ToLower(g.Name+" "+g.ID), want) {
				hits = append(hits, web.PersonHit{ID: g.ID, Name: cmp.Or(g.Name, g.ID), Address: web.Count(len(g.People), "person", "people") + " by name", URL: ""})
			}
		}
	} else {
		for _, p := range doc.People {
			if len(hits) < most && strings.Contains(strings.ToLower(p.Name+" "+p.Address), want) {
				hits = append(hits, web.PersonHit{ID: p.ID, Name: cmp.Or(p.Name, p.ID), Address: p.Address, URL: ""})
			}
		}
	}
	c.Show(x, http.StatusOK, "picked", hits)
}
