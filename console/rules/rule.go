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
	"velada/store"
	"velada/words"
)

// ruleView sets one rule.
type ruleView struct {
	web.Form
	ID    string // "" is a new one
	Kind  words.RuleKind
	Scope string
	Sites []web.Choice
	Does  *web.ChangeView // what the rule does as it is; nil of a new one
	Back  string
}

func newRule(c *web.Console, x *gin.Context) {
	kind := words.KindOfRule(x.Query("rule"))
	if kind.ID == "" {
		c.NotFound(x)
		return
	}
	f := web.Form{Values: map[string]string{"rule": kind.ID, "scope": rules.OnAll}}
	showRule(c, x, http.StatusOK, "", f, nil)
}

func rule(c *web.Console, x *gin.Context) {
	s := c.House.State()
	list := s.Policy.Document().Rules
	i := slices.IndexFunc(list, func(r access.HouseRule) bool { return r.ID == x.Param("rule") })
	if i < 0 {
		c.NotFound(x)
		return
	}
	r := list[i]
	notes, err := store.RuleNotes(x.Request.Context(), c.House.Reader())
	if err != nil {
		c.Fail(x, err)
		return
	}
	f := web.Form{Values: map[string]string{"rule": r.Rule, "scope": rules.OnAll, "reason": notes[r.ID].Reason}}
	f.Values["from"], f.Values["until"] = web.LocalIn(r.From, s.Zone), web.LocalIn(r.Until, s.Zone)
	sites := r.Sites.Only
	switch {
	case r.Sites.Only != nil:
		f.Values["scope"] = rules.OnOnly
	case len(r.Sites.Except) > 0:
		f.Values["scope"], sites = rules.OnExcept, r.Sites.Except
	}
	showRule(c, x, http.StatusOK, r.ID, f, sites)
}

// showRule shows the form of a rule, and what the rule does as it is.
func showRule(c *web.Console, x *gin.Context, status int, id string, f web.Form, sites []string) {
	s := c.House.State()
	v := &ruleView{Form: f, ID: id, Kind: words.KindOfRule(f.Values["rule"]), Scope: f.Values["scope"], Back: "/house-rules"}
	for _, site := range s.Policy.Document().Sites {
		v.Sites = append(v.Sites, web.Choice{ID: site.Address, Name: s.SiteTitle(site.Address), On: slices.Contains(sites, site.Address)})
	}
	if id != "" {
		without, err := c.House.PreviewPeople(x.Request.Context(), web.Actor(x), rules.Remove(c.House, id))
		if err == nil { // else it cannot be left out alone, and what that would do is not known
			v.Does = web.NewDifferenceView(c, x, without.Then, s.Policy)
		}
	}
	p := c.Page(x, "House rules")
	p.Here, p.View = "House rules", v
	c.Show(x, status, "house-rule", p)
}

// doRule sets a rule or changes one, once what it does was seen.
func doRule(c *web.Console, x *gin.Context) {
	f := web.Typed(x, "id", "rule", "scope", "from", "until", "reason")
	sites := x.PostFormArray("sites")
	from, until := f.Window(c.House.State().Zone)
	id := f.Values["id"]
	if f.Values["scope"] == rules.OnAll {
		sites = nil
	}
	var change house.PeopleChange
	if len(f.Wrong) == 0 {
		var err error
		change, err = rules.Set(c.House, rules.Form{ID: id, Rule: f.Values["rule"], Scope: f.Values["scope"], Sites: sites, From: from, Until: until, Reason: f.Values["reason"]})
		if err != nil && !errors.As(err, &f.Wrong) {
			c.Fail(x, err)
			return
		}
	}
	if len(f.Wrong) > 0 {
		showRule(c, x, http.StatusUnprocessableEntity, id, f, sites)
		return
	}
	web.HouseChangeWith(c, x, change, "/house-rules", "/house-rules", "Applied.", func(v *web.ChangeView, plan *house.Preview) {
		if v.Nothing {
			v.Warns = append(v.Warns, "It changes nothing for anybody: what it shuts is shut already, or another rule says the same on these sites.")
		}
		v.Warns = append(v.Warns, saysAnyone(c, plan)...)
	})
}

// saysAnyone names the pages whose own way “anyone” a change shuts all the same.
func saysAnyone(c *web.Console, plan *house.Preview) (list []string) {
	s := c.House.State()
	for _, site := range plan.Impact.Full.Sites {
		var pages []string
		for _, p := range site.Pages {
			if slices.ContainsFunc(p.Observers, func(o access.ObserverChange) bool { return o.Who == "stranger" && o.Before == access.Open }) {
				pages = append(pages, s.Title(site.Site, p.Path))
			}
		}
		if len(pages) > 0 {
			list = append(list, s.SiteTitle(site.Site)+": "+web.Count(len(pages), "page says", "pages say")+" that anyone may view it, and strangers are shut out all the same: "+web.ShortList(pages)+".")
		}
	}
	return list
}

func doRemove(c *web.Console, x *gin.Context) {
	web.HouseChange(c, x, rules.Remove(c.House, x.PostForm("id")), "/house-rules", "/house-rules", "The rule is removed.")
}
