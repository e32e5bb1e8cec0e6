package app

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"velada/core/access"
	"velada/store"
)

// SetReason says why somebody is on a site's team; who is a person's id,
// group:ID or an address. It opens nothing, and so is not rehearsed.
func (h *House) SetReason(ctx context.Context, a Actor, site, who, reason string) error {
	return h.Change(ctx, a, Needs{Site: site, Cap: access.ManageTeam}, func(tx *Tx) error {
		id := tx.State().ID(site)
		reasons, err := store.TeamReasons(ctx, tx, id)
		if err != nil || reasons[who] == reason {
			return err
		}
		tx.Log(site, "team", fmt.Sprintf("Why %s is on the team: %s.", who, reason), reasons[who], reason)
		return store.SaveTeamReason(ctx, tx, id, who, reason)
	})
}

// tellOfRoles tells people in which entries of their own a site's team changes.
func (tx *Tx) tellOfRoles(before, after *access.Site) {
	s := tx.State()
	is := Wording{Document: s.Policy.Document(), Site: after, Zone: s.Zone}
	was := is
	was.Site = before
	title := cmp.Or(after.Title, after.Address)
	for _, u := range changedUnits(before, after) {
		if u.kind != "team" {
			continue
		}
		who, _, _ := strings.Cut(u.id, "|")
		whose := store.Who(who)
		if parts := strings.Split(u.id, "|"); who == "" && len(parts) > 2 && parts[2] != "" {
			whose = s.WhoHas(mustAddress(parts[2]))
		}
		if whose == "" || whose == tx.By().Who {
			continue
		}
		tx.Notify([]store.Who{whose}, after.Address, "role", title+": "+is.teamChange(was, u.id).Text, "/account")
	}
}
