package access

import "slices"

// ruleSet is the house rules in force for a site at an instant.
type ruleSet uint8

const (
	signInRequired ruleSet = 1 << iota
	houseDomainsOnly
	noListing
	passMustEnd
	insideTeamOnly
	recordsNeedSignIn
)

var ruleByName = map[string]ruleSet{
	"sign-in-required": signInRequired, "house-domains-only": houseDomainsOnly, "no-listing": noListing,
	"pass-must-end": passMustEnd, "inside-team-only": insideTeamOnly, "records-need-sign-in": recordsNeedSignIn,
}

type rule struct {
	id   string
	kind ruleSet
	win  window
	doc  *HouseRule
}

func compileRules(rules []HouseRule) []rule {
	compiled := make([]rule, len(rules))
	for i := range rules {
		r := &rules[i]
		compiled[i] = rule{r.ID, ruleByName[r.Rule], newWindow(r.From, r.Until), r}
	}
	return compiled
}

// caps reports whether a house rule has a site in its scope.
func (r *rule) caps(site string) bool {
	switch scope := r.doc.Sites; {
	case scope.Only != nil:
		return slices.Contains(scope.Only, site)
	default:
		return !slices.Contains(scope.Except, site)
	}
}

// rulesAt returns the house rules in force for the site.
func (s *CompiledSite) rulesAt(t Instant) (set ruleSet) {
	for i := range s.rules {
		if s.rules[i].win.holds(t) {
			set |= s.rules[i].kind
		}
	}
	return set
}

// ruleOf returns the id of the first rule of a kind that is in force, for telling why.
func (s *CompiledSite) ruleOf(kind ruleSet, t Instant) string {
	for i := range s.rules {
		if s.rules[i].kind&kind != 0 && s.rules[i].win.holds(t) {
			return s.rules[i].id
		}
	}
	return ""
}
