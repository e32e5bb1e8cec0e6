// Package rules sets the house rules, and answers those who ask for an exception from one.
package rules

import (
	"fmt"
	"slices"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/limits"
	"velada/store"
	"velada/words"
)

// Where a house rule holds.
const (
	OnAll    = "all"
	OnOnly   = "only"
	OnExcept = "except"
)

// longestReason is how long a reason may be, in letters.
const longestReason = 300

// Form is what is said of a house rule. Scope is one of the constants above; Sites are
// addresses.
type Form struct {
	ID          string // "" makes a new one
	Rule        string
	Scope       string
	Sites       []string
	From, Until access.Instant
	Reason      string
}

// Set sets a house rule, or changes one. It returns house.FieldErrors.
func Set(h *house.House, f Form) (house.PeopleChange, error) {
	s := h.State()
	rule, wrong := f.rule(s.Policy.Document())
	if len(wrong) > 0 {
		return house.PeopleChange{}, wrong
	}
	w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
	what := "The house rule is set: "
	if f.ID != "" {
		what = "The house rule is changed: "
	}
	c := house.PeopleChange{What: what + words.LowerFirst(w.Rule(rule, s.SiteTitle)), Kind: "rule"}
	c.Do = func(doc *access.Document) error {
		if f.ID == "" {
			rule.ID = parts.FreeID(rule.Rule, "rule", func(id string) bool { return at(doc, id) >= 0 })
			doc.Rules = append(doc.Rules, rule)
			return nil
		}
		i := at(doc, f.ID)
		if i < 0 {
			return house.ErrNothing
		}
		rule.ID = f.ID
		doc.Rules[i] = rule
		return nil
	}
	c.Also = func(tx *house.Tx) error {
		return store.SaveRuleNote(tx.Context(), tx, store.RuleNote{Rule: rule.ID, Who: tx.By().Who, At: tx.Now(), Reason: f.Reason})
	}
	return c, nil
}

// rule reads a form into a rule without an id; what is wrong is said by field.
func (f *Form) rule(doc *access.Document) (access.HouseRule, house.FieldErrors) {
	wrong := house.FieldErrors{}
	r := access.HouseRule{Rule: f.Rule, From: f.From, Until: f.Until}
	if words.KindOfRule(f.Rule).ID == "" {
		wrong["rule"] = "Choose one of these."
	}
	if (f.Rule == "house-domains-only" || f.Rule == "inside-team-only") && len(doc.House.Domains) == 0 {
		wrong["rule"] = "It speaks of the house’s own domains, and there are none yet: add them under Settings."
	}
	for _, site := range f.Sites {
		if !slices.ContainsFunc(doc.Sites, func(s *access.Site) bool { return s.Address == site }) {
			wrong["sites"] = "There is no site at " + site + "."
		}
	}
	switch f.Scope {
	case OnAll:
	case OnOnly:
		r.Sites.Only = f.Sites
	case OnExcept:
		r.Sites.Except = f.Sites
	default:
		wrong["sites"] = "Choose where it applies."
	}
	if (f.Scope == OnOnly || f.Scope == OnExcept) && len(f.Sites) == 0 {
		wrong["sites"] = "Choose at least one site."
	}
	if !f.From.IsZero() && !f.Until.IsZero() && !f.From.Before(f.Until) {
		wrong["until"] = "The end is not after the beginning."
	}
	if limits.Longer(f.Reason, longestReason) {
		wrong["reason"] = fmt.Sprintf("A reason has at most %d letters.", longestReason)
	}
	return r, wrong
}

// Remove takes a house rule away.
func Remove(h *house.House, id string) house.PeopleChange {
	s := h.State()
	what := "A house rule is removed."
	if i := at(s.Policy.Document(), id); i >= 0 {
		w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
		what = "The house rule is removed: " + words.LowerFirst(w.Rule(s.Policy.Document().Rules[i], s.SiteTitle))
	}
	return house.PeopleChange{What: what, Kind: "rule", Do: func(doc *access.Document) error {
		i := at(doc, id)
		if i < 0 {
			return house.ErrNothing
		}
		doc.Rules = slices.Delete(doc.Rules, i, i+1)
		return nil
	}}
}

func at(doc *access.Document, id string) int {
	return slices.IndexFunc(doc.Rules, func(r access.HouseRule) bool { return r.ID == id })
}
