package settings

import (
	"cmp"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/house"
	"velada/words"
)

type ruleRow struct{ ID, Text, Scope, Window string }

var ruleWords = map[string]string{
	"sign-in-required":     "Nobody is let in without signing in.",
	"house-domains-only":   "Only people with an address at the house’s own domains are let in.",
	"no-listing":           "Search engines may list nothing.",
	"pass-must-end":        "A password or link counts only with an end of its own.",
	"inside-team-only":     "Only addresses at the house’s own domains count on a team.",
	"records-need-sign-in": "Tables of records are shown only to those who sign in.",
}

// rulesView lists the house rules.
type rulesView struct{ Rules []ruleRow }

// houseRules shows the limits that hold on every site, to everyone who looks after one.
func houseRules(c *web.Console, x *gin.Context) {
	s, me := c.House.State(), web.Actor(x)
	if !c.House.IsSteward(me) && len(web.SitesOf(c, me)) == 0 {
		c.NotFound(x)
		return
	}
	v := &rulesView{}
	w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
	for _, r := range s.Policy.Document().Rules {
		row := ruleRow{ID: r.ID, Text: ruleWords[r.Rule], Scope: "On every site", Window: w.Window(r.From, r.Until)}
		switch {
		case r.Sites.Only != nil:
			row.Scope = "On " + strings.Join(titles(c, me, r.Sites.Only), ", ")
		case r.Sites.Except != nil:
			row.Scope = "On every site but " + strings.Join(titles(c, me, r.Sites.Except), ", ")
		}
		v.Rules = append(v.Rules, row)
	}
	p := c.Page(x, "House rules")
	p.Here, p.View = "House rules", v
	c.Show(x, http.StatusOK, "house-rules", p)
}

// titles names sites to somebody; those they have nothing to do with are counted.
func titles(c *web.Console, me house.Actor, sites []string) (list []string) {
	others := 0
	for _, address := range sites {
		if doc := c.House.State().SiteDocument(address); doc != nil && c.House.CanAnywhere(me, address) != 0 {
			list = append(list, cmp.Or(doc.Title, address))
		} else {
			others++
		}
	}
	if others > 0 {
		list = append(list, web.Count(others, "other", "others"))
	}
	return list
}
