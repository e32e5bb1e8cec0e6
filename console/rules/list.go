package rules

import (
	"cmp"
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

// listView lists the house rules, and who asks for exceptions.
type listView struct {
	Rules      []ruleRow
	Exceptions []exceptionRow
	Kinds      []words.RuleKind // to choose a new one from; none for who may not
	Steward    bool
}

type ruleRow struct {
	ID, Name, Text, Scope, Window, State string
	By, Reason                           string
	InForce                              bool
}

type exceptionRow struct {
	ID                            int64
	Who, Site, Rule, Word, When   string
	Opens                         []string // what granting would do, in figures
	SiteURL, WhenNothing, Trouble string
}

// houseRules shows the limits that hold on every site, to everyone who looks after one.
func houseRules(c *web.Console, x *gin.Context) {
	s, me := c.House.State(), web.Actor(x)
	v := &listView{Steward: c.House.IsSteward(me)}
	if !v.Steward && len(web.SitesOf(c, me)) == 0 {
		c.NotFound(x)
		return
	}
	notes, err := store.RuleNotes(x.Request.Context(), c.House.Reader())
	if err != nil {
		c.Fail(x, err)
		return
	}
	w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
	for _, r := range s.Policy.Document().Rules {
		kind := words.KindOfRule(r.Rule)
		row := ruleRow{ID: r.ID, Name: kind.Name, Text: kind.Text, Scope: words.Capital(scopeFor(c, me, r.Sites)), Window: w.Window(r.From, r.Until)}
		row.State, row.InForce = stateOf(r, c.At())
		if n, there := notes[r.ID]; there {
			row.By, row.Reason = c.House.NameOf(n.Who)+", "+words.Moment(n.At.In(s.Zone)), n.Reason
		}
		v.Rules = append(v.Rules, row)
	}
	if v.Steward {
		v.Kinds = words.RuleKinds
		if v.Exceptions, err = exceptions(c, x); err != nil {
			c.Fail(x, err)
			return
		}
	}
	p := c.Page(x, "House rules")
	p.Here, p.View = "House rules", v
	c.Show(x, http.StatusOK, "house-rules", p)
}

// stateOf says whether a rule is in force at an instant, and how it is called where not.
func stateOf(r access.HouseRule, at access.Instant) (string, bool) {
	switch {
	case !r.From.IsZero() && at.Before(r.From):
		return "not yet", false
	case !r.Until.IsZero() && !at.Before(r.Until):
		return "ended", false
	}
	return "in force", true
}

// scopeFor says where a rule holds to somebody; sites that they have nothing to do with are
// counted.
func scopeFor(c *web.Console, me house.Actor, scope access.RuleScope) string {
	mine := func(list []string) ([]string, int) {
		var names []string
		for _, address := range list {
			if c.House.IsSteward(me) || c.House.CanAnywhere(me, address) != 0 {
				names = append(names, c.House.State().SiteTitle(address))
			}
		}
		return names, len(list) - len(names)
	}
	tell := func(list []string) string {
		names, others := mine(list)
		if others > 0 {
			names = append(names, web.Count(others, "other", "others"))
		}
		return words.And(names)
	}
	switch {
	case scope.Only != nil && len(scope.Only) == 0:
		return "on no site"
	case scope.Only != nil:
		return "on " + tell(scope.Only)
	case len(scope.Except) > 0:
		return "on every site but " + tell(scope.Except)
	}
	return "on every site"
}

// exceptions lists who asks for an exception, each with what granting it would open.
func exceptions(c *web.Console, x *gin.Context) (rows []exceptionRow, err error) {
	s, ctx := c.House.State(), x.Request.Context()
	list, err := store.Exceptions(ctx, c.House.Reader())
	for _, e := range list {
		doc := s.Policy.Document()
		i := slices.IndexFunc(doc.Rules, func(r access.HouseRule) bool { return r.ID == e.Rule })
		site := s.SiteAddress(e.Site)
		if i < 0 || site == "" {
			continue
		}
		row := exceptionRow{
			ID: e.ID, Who: c.House.NameOf(e.Who), Site: s.SiteTitle(site), SiteURL: "/sites/" + site + "/door", Rule: words.KindOfRule(doc.Rules[i].Rule).Name, Word: e.Word,
			When: words.Moment(e.At.In(s.Zone)),
		}
		change := rules.Grant(c.House, e)
		would, err := c.House.PreviewPeople(ctx, web.Actor(x), change)
		if err != nil {
			row.Trouble = "It cannot be granted as it is: " + cmp.Or(err.Error(), "try again") + "."
		} else {
			row.Opens = web.FiguresOf(would.Impact)
			if len(row.Opens) == 0 {
				row.Opens = []string{"Nothing opens by it now."}
			}
		}
		rows = append(rows, row)
	}
	return rows, err
}
