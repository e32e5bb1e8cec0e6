package rules

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/house"
	"velada/limits"
	"velada/store"
	"velada/words"
)

// mayAsk is who may ask for an exception: whoever sets anything that a rule can cap.
func mayAsk(site string) house.Needs {
	return house.Needs{Site: site, Cap: access.ChangeDoor, Or: []access.Capability{access.ManageTeam, access.ManageListing, access.ManageMembers}}
}

// Ask asks the stewards that a house rule leave a site out; word says why. It returns
// house.ErrNothing where no such rule caps the site, and house.FieldErrors.
func Ask(ctx context.Context, h *house.House, a house.Actor, site, rule, word string) error {
	word = strings.TrimSpace(word)
	switch {
	case word == "":
		return house.FieldErrors{"word": "Say why: the stewards decide by it."}
	case limits.Longer(word, longestReason):
		return house.FieldErrors{"word": fmt.Sprintf("This has at most %d letters.", longestReason)}
	}
	return h.Change(ctx, a, mayAsk(site), func(tx *house.Tx) error {
		s := tx.State()
		i := at(s.Policy.Document(), rule)
		if i < 0 || !s.Policy.Document().Rules[i].Caps(site) {
			return house.ErrNothing
		}
		name := words.KindOfRule(s.Policy.Document().Rules[i].Rule).Name
		tx.Notify(s.Stewards(), site, "waiting", fmt.Sprintf("%s asks for an exception from the house rule “%s” for %s.", a.Name, name, s.SiteTitle(site)), "/house-rules")
		tx.Log(site, "rule", fmt.Sprintf("An exception from the house rule “%s” is asked for: %s", name, word), "", "")
		return store.SaveException(tx.Context(), tx, store.Exception{Site: s.ID(site), Rule: rule, Who: a.Who, Word: word, At: tx.Now()})
	})
}

// Grant leaves a site out of a house rule, as somebody asked, and tells them. A rule that
// holds on that site alone is removed.
func Grant(h *house.House, e store.Exception) house.PeopleChange {
	s := h.State()
	title, name := s.SiteTitle(s.SiteAddress(e.Site)), ""
	if i := at(s.Policy.Document(), e.Rule); i >= 0 {
		name = words.KindOfRule(s.Policy.Document().Rules[i].Rule).Name
	}
	return house.PeopleChange{
		What: fmt.Sprintf("The house rule “%s” makes an exception of %s.", name, title), Kind: "rule",
		Do: func(doc *access.Document) error {
			i, site := at(doc, e.Rule), h.State().SiteAddress(e.Site)
			if i < 0 || site == "" || !doc.Rules[i].Caps(site) {
				return house.ErrNothing
			}
			scope := &doc.Rules[i].Sites
			if scope.Only == nil {
				scope.Except = append(slices.Clone(scope.Except), site)
				return nil
			}
			scope.Only = slices.DeleteFunc(slices.Clone(scope.Only), func(other string) bool { return other == site })
			if len(scope.Only) == 0 {
				doc.Rules = slices.Delete(doc.Rules, i, i+1)
			}
			return nil
		},
		Also: func(tx *house.Tx) error {
			if site := tx.State().SiteAddress(e.Site); tx.State().Stands(tx.Context(), tx, e.Who, mayAsk(site), access.At(tx.Now())) != nil {
				return house.FieldErrors{"": "Whoever asked for this exception may not set anything on that site any more. Decline it; somebody else can ask."}
			}
			tx.Notify([]store.Who{e.Who}, s.SiteAddress(e.Site), "answer", fmt.Sprintf("The house rule “%s” makes an exception of %s, as you asked.", name, title), "/sites/"+s.SiteAddress(e.Site)+"/door")
			return store.DropException(tx.Context(), tx, e.ID)
		},
	}
}

// Decline says no to somebody who asks for an exception; they are told, with a word.
func Decline(ctx context.Context, h *house.House, a house.Actor, id int64, word string) error {
	return h.Change(ctx, a, house.Needs{Steward: true}, func(tx *house.Tx) error {
		e, err := Find(ctx, tx, id)
		if err != nil {
			return err
		}
		s := tx.State()
		name := ""
		if i := at(s.Policy.Document(), e.Rule); i >= 0 {
			name = words.KindOfRule(s.Policy.Document().Rules[i].Rule).Name
		}
		site := s.SiteAddress(e.Site)
		text := fmt.Sprintf("The house rule “%s” makes no exception of %s.", name, s.SiteTitle(site))
		if word = strings.TrimSpace(word); word != "" {
			text += " " + a.Name + " writes: " + word
		}
		tx.Notify([]store.Who{e.Who}, site, "answer", text, "/sites/"+site+"/door")
		tx.Log(site, "rule", text, "", "")
		return store.DropException(ctx, tx, id)
	})
}

// Find returns a request for an exception; house.ErrNothing where there is none.
func Find(ctx context.Context, q store.Reader, id int64) (store.Exception, error) {
	list, err := store.Exceptions(ctx, q)
	if err != nil {
		return store.Exception{}, err
	}
	i := slices.IndexFunc(list, func(e store.Exception) bool { return e.ID == id })
	if i < 0 {
		return store.Exception{}, house.ErrNothing
	}
	return list[i], nil
}
