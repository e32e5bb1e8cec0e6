package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"velada/core/access"
	"velada/store"
)

// MemberChange is what is done about a member of a site.
type MemberChange string

// What is done about a member.
const (
	Admit   MemberChange = "admit"
	Refuse  MemberChange = "refuse" // a request that waits
	Block   MemberChange = "block"
	Unblock MemberChange = "unblock"
	Remove  MemberChange = "remove"
)

// ErrOnTeam says that somebody on the team cannot be blocked as a member.
var ErrOnTeam = errors.New("somebody on the team cannot be blocked as a member: take them off the team first")

// ChangeMember admits, refuses, blocks, unblocks or removes a member of a site.
// It holds for their next request, also where they are inside.
func (h *House) ChangeMember(ctx context.Context, a Actor, site, who string, change MemberChange) error {
	switch caps := h.Can(a, site, "/"); {
	case caps == 0:
		return ErrNoSite
	case !caps.Has(access.ManageMembers):
		return ErrMayNot
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	doc := *s.SiteDocument(site)
	doc.Members = slices.Clone(doc.Members)
	i := slices.IndexFunc(doc.Members, func(m access.Member) bool { return m.Who == who })
	if i < 0 {
		return ErrNothing
	}
	name := Wording{Document: s.Policy.Document(), Site: &doc, Zone: s.Zone}.Person(who)
	was := doc.Members[i].Status
	what := ""
	switch {
	case change == Admit && was == "pending":
		doc.Members[i].Status, what = "approved", name+" was admitted as a member."
	case change == Refuse && was == "pending":
		doc.Members, what = slices.Delete(doc.Members, i, i+1), name+" was refused as a member."
	case change == Block && was != "blocked":
		if slices.ContainsFunc(s.Policy.TeamMembers(site, access.At(h.now())), func(m access.TeamMember) bool { return m.Person == who }) {
			return ErrOnTeam
		}
		doc.Members[i].Status, what = "blocked", name+" was blocked as a member."
	case change == Unblock && was == "blocked":
		doc.Members[i].Status, what = "approved", name+" is a member again."
	case change == Remove && was != "pending":
		doc.Members, what = slices.Delete(doc.Members, i, i+1), name+" is no member any more."
	default:
		return ErrNothing
	}
	then, err := s.Policy.Replace(&doc)
	if err != nil {
		return err
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.SaveSite(ctx, tx, &doc, sitePosition(s, site)),
			h.ledger(ctx, tx, a.Address.String(), site, "member", what, was, string(change)),
		)
	})
	if err != nil {
		return fmt.Errorf("changing a member: %w", err)
	}
	next := *s
	next.Policy = then
	h.swap(&next)
	return nil
}
