package people

import (
	"context"
	"fmt"

	"velada/core/access"
	"velada/core/roster"
	"velada/house"
)

// atOnce is how many people a roster changes in one change of the house: of a larger one so
// many at a time, so that others who change something wait for no more than that.
const atOnce = 1000

// Changes is how many people a roster changes.
func (p *RosterPlan) Changes() int { return len(p.rows) + len(p.leave) }

// InStretches reports whether a roster comes in a stretch at a time.
func (p *RosterPlan) InStretches() bool { return p.Changes() > atOnce }

// TakeRoster makes the change that was planned for a roster: at once, or stretch by stretch,
// each a change of its own that is worked out on what is there by then. told is told how many
// people are done of how many. Where it ends with an error what was told of is done, and the
// same roster brings in the rest.
func TakeRoster(ctx context.Context, h *house.House, a house.Actor, f RosterForm, plan *RosterPlan, told func(done, of int)) error {
	if !plan.InStretches() {
		return h.ChangePeople(ctx, a, plan.Change)
	}
	part := f
	part.Gone = false
	rows, leave, of := plan.rows, plan.leave, plan.Changes()
	for done := 0; done < of; {
		some, gone := take(&rows, atOnce), []string(nil)
		if len(some) == 0 {
			gone = take(&leave, atOnce)
		}
		to := done + len(some) + len(gone)
		err := h.ChangePeople(ctx, a, house.PeopleChange{
			Group: f.Group, What: fmt.Sprintf("%s Here %d to %d of %d.", plan.Change.What, done+1, to, of),
			Do: func(doc *access.Document) error {
				c, err := planRoster(doc, part, some, h.IsSteward(a), h.State().Settings.Reaches) // as they are by then
				if err != nil {
					return err
				}
				for _, id := range gone {
					c.gone[id] = true
				}
				return c.do(doc)
			},
		})
		if err != nil {
			return err
		}
		done = to
		told(done, of)
	}
	return nil
}

// take takes the first of a list off it.
func take[T roster.Person | string](list *[]T, most int) []T {
	first := (*list)[:min(most, len(*list))]
	*list = (*list)[len(first):]
	return first
}
