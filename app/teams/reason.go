package teams

import (
	"context"
	"fmt"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// SetReason says why somebody is on a site's team; who is a person's id,
// group:ID or an address. It opens nothing, and so is not rehearsed.
func SetReason(ctx context.Context, h *house.House, a house.Actor, site, who, reason string) error {
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageTeam}, func(tx *house.Tx) error {
		id := tx.State().ID(site)
		reasons, err := store.TeamReasons(ctx, tx, id)
		if err != nil || reasons[who] == reason {
			return err
		}
		tx.Log(site, "team", fmt.Sprintf("Why %s is on the team: %s.", who, reason), reasons[who], reason)
		return store.SaveTeamReason(ctx, tx, id, who, reason)
	})
}
