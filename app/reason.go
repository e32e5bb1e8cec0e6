package app

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"velada/core/access"
	"velada/store"
)

// SetReason says why somebody is on a site's team; who is a person's id,
// group:ID or an address. It opens nothing, and so is not rehearsed.
func (h *House) SetReason(ctx context.Context, a Actor, site, who, reason string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayManageTeam(a, site); err != nil {
		return err
	}
	reasons, err := store.TeamReasons(ctx, h.DB, h.id(site))
	if err != nil || reasons[who] == reason {
		return err
	}
	return store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.SaveTeamReason(ctx, tx, h.id(site), who, reason),
			h.ledger(ctx, tx, a.Address.String(), site, "team", fmt.Sprintf("Why %s is on the team: %s.", who, reason), reasons[who], reason),
		)
	})
}

// tellOfRoles tells people in which entries of their own a site's team changes.
func (h *House) tellOfRoles(ctx context.Context, q store.Queryer, a Actor, s *State, before, after *access.Site) error {
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
		if whose == "" || whose == a.Who {
			continue
		}
		what := title + ": " + is.teamChange(was, u.id).Text
		if err := h.tell(ctx, q, []store.Who{whose}, after.Address, "role", what, "/account"); err != nil {
			return err
		}
	}
	return nil
}
