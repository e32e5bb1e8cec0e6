package words

import (
	"strings"

	"velada/core/access"
)

// RuleKind is one of the six kinds of house rules, in words.
type RuleKind struct {
	ID    string
	Name  string // as short as may be
	Text  string // what holds under it
	Means string // what that does, for whoever chooses among them
}

// RuleKinds are all kinds of house rules.
var RuleKinds = []RuleKind{
	{"sign-in-required", "Everyone signs in", "Nobody is let in without signing in.",
		"“Anyone”, passwords, links and networks let in only those who have signed in."},
	{"house-domains-only", "Own domains only", "Only people with an address at the house’s own domains are let in.",
		"Guests from elsewhere are turned away, whatever a door says."},
	{"no-listing", "No search engines", "Search engines may list nothing.", "Pages stay as they are, and are found only by those who know the address."},
	{"pass-must-end", "Passwords and links end", "A password or link counts only with an end date of its own.",
		"Those without one let nobody in until somebody sets it."},
	{"inside-team-only", "Team from the house alone", "Only addresses at the house’s own domains count on a team.",
		"Freelancers and guests can no longer see drafts or edit."},
	{"records-need-sign-in", "Records after signing in", "Tables of records are shown only to those who sign in.",
		"The pages around them stay open; a notice says why the records are missing."},
}

// KindOfRule returns a kind of house rule by its id; an empty one where there is none.
func KindOfRule(id string) RuleKind {
	for _, k := range RuleKinds {
		if k.ID == id {
			return k
		}
	}
	return RuleKind{}
}

// Rule says in a sentence what a house rule sets, on which sites and when. title names a
// site by its address.
func (w Wording) Rule(r access.HouseRule, title func(site string) string) string {
	text := KindOfRule(r.Rule).Text
	return strings.TrimSuffix(text, ".") + ", " + RuleScope(r.Sites, title) + ", " + w.Window(r.From, r.Until) + "."
}

// RuleScope says which sites a house rule caps.
func RuleScope(scope access.RuleScope, title func(site string) string) string {
	var names []string
	for _, site := range append(append([]string(nil), scope.Only...), scope.Except...) {
		names = append(names, title(site))
	}
	switch {
	case scope.Only != nil && len(names) == 0:
		return "on no site"
	case scope.Only != nil:
		return "on " + And(names)
	case len(names) > 0:
		return "on every site but " + And(names)
	}
	return "on every site"
}

// Shut says what a house rule takes from a way in, without naming the rule.
func (w Wording) Shut(way access.Way, s access.Shut) string {
	if len(s.Keys) > 0 {
		names := w.Links(s.Keys)
		if way.Way == "pass" {
			names = w.passes(s.Keys)
		}
		if len(names) == 1 {
			return names[0] + " has no end date and lets nobody in."
		}
		return And(names) + " have no end date and let nobody in."
	}
	var out []string
	if s.Strangers && s.Rule.Rule == "sign-in-required" {
		switch way.Way {
		case "pass":
			return "The password is asked for only after signing in."
		case "anyone":
			return "Only those who sign in are let in by this."
		}
		return "It lets in only those who sign in."
	}
	if s.Strangers {
		out = append(out, "whoever is not signed in")
	}
	if n := s.People.Count(); n > 0 {
		out = append(out, w.People(s.People.IDs())...)
	}
	if s.Others {
		out = append(out, "addresses from elsewhere")
	}
	return "It keeps out " + And(out) + "."
}
