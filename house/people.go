package house

import (
	"cmp"
	"context"
	"fmt"
	"maps"

	"velada/core/access"
	"velada/core/parts"
	"velada/store"
	"velada/words"
)

// PeopleChange is a change of the house as a whole: its people and groups, its rules, its
// name.
type PeopleChange struct {
	What  string // what it does, in a sentence
	Kind  string // of its entry in the ledger; "" is people
	Do    func(doc *access.Document) error
	Also  func(tx *Tx) error // what else is written with it; nil for nothing
	Site  string             // the site whose doors one must be able to change: its promises change alone
	Group string             // the one group whose people it changes; "" for what only stewards may

	Becomes map[string]string // people who turn out to be others, by id
	Admits  bool              // whoever admits members of a site may make it: they ask for that themselves
}

// PeoplePreview is a change of the house that has not been applied, with what it would do.
type PeoplePreview struct {
	What string
	*Preview
}

// Needs is who may make it: stewards everything, those who keep a group its people.
func (c PeopleChange) Needs() Needs {
	switch {
	case c.Admits:
		return Needs{Asks: true}
	case c.Site != "":
		return Needs{Site: c.Site, Cap: access.ChangeDoor}
	case c.Group == "":
		return Needs{Steward: true}
	}
	return Needs{Keeps: c.Group}
}

// In makes it within a change that has asked for what it needs.
func (c PeopleChange) In(tx *Tx) error {
	for from, to := range c.Becomes {
		tx.Becomes(from, to)
	}
	if err := c.Do(tx.Document()); err != nil {
		return err
	}
	if !c.Admits && !tx.State().IsSteward(tx.By()) {
		if err := givesNoMore(tx); err != nil {
			return err
		}
	}
	tx.Log("", cmp.Or(c.Kind, "people"), c.What, "", "")
	if c.Also == nil {
		return nil
	}
	return c.Also(tx)
}

// PreviewPeople works out what a change of people and groups would do, and whether
// the one who asks may make it.
func (h *House) PreviewPeople(ctx context.Context, a Actor, c PeopleChange) (*PeoplePreview, error) {
	would, err := h.Preview(ctx, a, c.Needs(), c.In)
	if err != nil {
		return nil, err
	}
	return &PeoplePreview{c.What, would}, nil
}

// ChangePeople makes a change of people and groups, for the very next request.
func (h *House) ChangePeople(ctx context.Context, a Actor, c PeopleChange) error {
	return h.Change(ctx, a, c.Needs(), c.In)
}

// givesNoMore refuses a change by which somebody gives or takes rights that the one
// who makes it lacks.
func givesNoMore(tx *Tx) error {
	then, err := tx.Policy()
	if err != nil {
		return err
	}
	s := tx.State()
	for _, site := range access.ImpactOf(s.Policy, then, access.At(tx.Now())).Sites {
		for _, at := range site.Rights() {
			mine := tx.Can(site.Site, at.Path)
			for _, can := range at.Can {
				if err := mayGive(mine, can.Gains|can.Loses); err != nil {
					return err
				}
			}
		}
	}
	before, after := s.Policy.Document(), then.Document()
	return MayGiveRightsOf(tx, then, func(group string) bool { // also those that begin only later
		return !maps.Equal(parts.PeopleWithin(before, group), parts.PeopleWithin(after, group))
	})
}

// mayGive refuses rights that the one who gives or takes them lacks.
func mayGive(mine, rights access.Capabilities) error {
	if lacks := rights &^ mine; lacks != 0 {
		return access.TeamRefusal{Text: fmt.Sprintf("This group lets people %s on a site where you may not. A steward can change it.", words.CapabilityWords(lacks))}
	}
	return nil
}

// MayGiveRightsOf checks that the one who makes a change has all the rights that come
// with groups.
func MayGiveRightsOf(tx *Tx, p *access.Policy, these func(group string) bool) error {
	if tx.State().IsSteward(tx.By()) {
		return nil
	}
	for _, site := range p.Document().Sites {
		for _, e := range site.Team {
			if e.Group == "" || !these(e.Group) {
				continue
			}
			if err := mayGive(tx.Can(site.Address, cmp.Or(e.Under, "/")), p.Site(site.Address).RoleCapabilities(e.Role)); err != nil {
				return err
			}
		}
	}
	return nil
}

// BecomePerson returns the id of somebody as a person of a document, into which they
// come where they are none.
func BecomePerson(h *House, doc *access.Document, who store.Who) string {
	return BecomePersonAs(h, doc, who, h.NameOf(who))
}

// BecomePersonAs does that under a name.
func BecomePersonAs(h *House, doc *access.Document, who store.Who, name string) string {
	if !who.Bare() {
		return string(who)
	}
	return parts.NewPerson(doc, parts.MustAddress(string(who)), name)
}
