package calendar

import (
	"context"
	"fmt"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/store"
	"velada/words"
)

// Maintain rehearses that a site shows its maintenance page in the time of a proposal.
func Maintain(ctx context.Context, h *house.House, a house.Actor, site string, p Proposal) error {
	return h.Trays.Rehearse(ctx, a, site, func(draft *access.Site, _ map[string]store.NewSecret) error {
		draft.Holding.On, draft.Holding.Kind = true, "maintenance"
		draft.Holding.From, draft.Holding.Until, draft.Holding.Repeat = p.From, p.Until, p.Repeat
		return nil
	})
}

// Term is the change by which a group holds for the time of a proposal.
func Term(h *house.House, group string, p Proposal) house.PeopleChange {
	s := h.State()
	w := words.Wording{Document: s.Policy.Document(), Zone: s.Zone}
	return house.PeopleChange{
		What: fmt.Sprintf("The group %s holds %s.", w.Group(group), w.Window(p.From, p.Until)),
		Do: func(doc *access.Document) error {
			g := parts.GroupAt(doc, group)
			if g == nil {
				return house.ErrNothing
			}
			g.From, g.Until = p.From, p.Until
			return nil
		},
	}
}
