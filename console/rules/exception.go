package rules

import (
	"errors"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"velada/app/rules"
	"velada/console/web"
	"velada/core/access"
	"velada/house"
	"velada/words"
)

// askView asks the stewards for an exception.
type askView struct {
	web.Form
	Site, Rule string
	Kind       words.RuleKind
	Who        string // who decides
	Back       string
}

func askException(c *web.Console, x *gin.Context) {
	showAsk(c, x, http.StatusOK, x.Query("rule"), web.Form{Values: map[string]string{}})
}

func showAsk(c *web.Console, x *gin.Context, status int, rule string, f web.Form) {
	s, site := c.House.State(), x.Param("site")
	list := s.Policy.Document().Rules
	i := slices.IndexFunc(list, func(r access.HouseRule) bool { return r.ID == rule && r.Caps(site) })
	if i < 0 {
		c.NotFound(x)
		return
	}
	v := &askView{Form: f, Site: site, Rule: rule, Kind: words.KindOfRule(list[i].Rule), Back: "/sites/" + site + "/door"}
	var names []string
	for _, who := range s.Stewards() {
		names = append(names, c.House.NameOf(who))
	}
	v.Who = words.Or(names)
	p := c.SitePage(x, "Door")
	p.View = v
	c.Show(x, status, "exception", p)
}

func doAsk(c *web.Console, x *gin.Context) {
	site, f := x.Param("site"), web.Typed(x, "rule", "word")
	err := rules.Ask(x.Request.Context(), c.House, web.Actor(x), site, f.Values["rule"], f.Values["word"])
	if errors.As(err, &f.Wrong) {
		showAsk(c, x, http.StatusUnprocessableEntity, f.Values["rule"], f)
		return
	}
	c.Done(x, err, "The stewards are asked. You are told when they have answered.", "/sites/"+site+"/door")
}

// doException grants an exception, once what that does was seen, or declines one.
func doException(c *web.Console, x *gin.Context) {
	id, err := web.ReadNumber(x.PostForm("id"))
	if err != nil {
		c.NotFound(x)
		return
	}
	if x.PostForm("answer") != "grant" {
		c.Done(x, rules.Decline(x.Request.Context(), c.House, web.Actor(x), id, x.PostForm("word")), "Declined. They are told.", "/house-rules")
		return
	}
	e, err := rules.Find(x.Request.Context(), c.House.Reader(), id)
	if errors.Is(err, house.ErrNothing) {
		c.Done(x, err, "", "/house-rules")
		return
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	web.HouseChange(c, x, rules.Grant(c.House, e), "/house-rules", "/house-rules", "The exception is made. Whoever asked is told.")
}
