package web

import (
	"context"
	"log/slog"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

// RuleNote says what a house rule takes from something that is set on a site.
type RuleNote struct {
	Rule, Text string
	Site       string
	MayAsk     bool // for an exception
}

// ruleSetters names who set the house rules in force for a site, by rule.
func (c *Console) ruleSetters(ctx context.Context, site string) map[string]string {
	rules := c.House.State().Policy.RulesInForce(site, c.At())
	if len(rules) == 0 {
		return nil
	}
	notes, err := store.RuleNotes(ctx, c.House.Reader())
	if err != nil {
		slog.Error("reading who set house rules", "error", err)
		return nil
	}
	names := map[string]string{}
	for _, r := range rules {
		if n, there := notes[r.ID]; there {
			names[r.ID] = c.House.NameOf(n.Who)
		}
	}
	return names
}

// ruleNamed names a house rule and who set it, as far as that is known.
func ruleNamed(r access.HouseRule, setters map[string]string) string {
	text := "House rule “" + words.KindOfRule(r.Rule).Name + "”"
	if who := setters[r.ID]; who != "" {
		text += ", set by " + who
	}
	return text
}

// capping says which house rules a site stands under, and who set them.
func capping(rules []access.HouseRule, setters map[string]string) string {
	var list []string
	for _, r := range rules {
		by := "House rule"
		if who := setters[r.ID]; who != "" {
			by += " by " + who
		}
		list = append(list, by+": "+strings.ToLower(words.KindOfRule(r.Rule).Name)+".")
	}
	return strings.Join(list, " ")
}

// RuleNotes says what house rules in force take from a way in of a site.
func (d *Site) RuleNotes(w access.Way) (list []RuleNote) {
	for _, s := range d.Policy.Shuts(d.Site, w, d.At) {
		list = append(list, RuleNote{s.Rule.ID, ruleNamed(*s.Rule, d.setters) + ": " + words.LowerFirst(d.Words.Shut(w, s)), d.Site, d.MayAsk})
	}
	return list
}

// RuleOfKind returns the note of a house rule of a kind that is in force for a site, with
// what it says there; nil where there is none.
func (c *Console) RuleOfKind(x *gin.Context, kind, says string) *RuleNote {
	site := x.Param("site")
	for _, r := range c.House.State().Policy.RulesInForce(site, c.At()) {
		if r.Rule == kind {
			text := ruleNamed(r, c.ruleSetters(x.Request.Context(), site)) + ": " + says
			return &RuleNote{r.ID, text, site, mayAskException(c.House, Actor(x), site)}
		}
	}
	return nil
}

// mayAskException reports whether somebody may ask the stewards for an exception. A steward
// makes one.
func mayAskException(h *house.House, a house.Actor, site string) bool {
	caps := h.Can(a, site, "/")
	return !h.IsSteward(a) && (caps.Has(access.ChangeDoor) || caps.Has(access.ManageTeam) || caps.Has(access.ManageListing) || caps.Has(access.ManageMembers))
}
