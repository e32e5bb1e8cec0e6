package house

import (
	"cmp"
	"context"
	"slices"

	"velada/core/access"
	"velada/store"
)

// Needs is what the one who makes a change must be able to do. It is asked inside the
// lock, of the state that the change is based on. The zero value lets nobody through.
type Needs struct {
	Site  string              // the address of a site on which they have a capability
	Path  string              // where on it; "" is all of it
	Cap   access.Capability   // that capability
	Or    []access.Capability // others of which one is enough too
	Keeps string              // or a group that they keep; stewards keep every one

	Steward bool // or they look after the house
	Asks    bool // or the change itself asks, of what it reads: a link, an invitation, a member
}

// Allows returns nil where somebody has what is needed, or why not: ErrNoSite where
// they have nothing to do with the site, ErrSection or ErrMayNot.
func (s *State) Allows(ctx context.Context, q store.Reader, a Actor, n Needs, at access.Instant) error {
	switch {
	case a.velada || n.Asks:
		return nil
	case s == nil:
		return ErrNoSite
	case n.Keeps != "":
		return s.allowsKeeper(ctx, q, a, n.Keeps)
	case n.Steward:
		if s.IsSteward(a) {
			return nil
		}
		return ErrMayNot
	case n.Site == "":
		return ErrMayNot
	}
	caps := s.Can(a, n.Site, cmp.Or(n.Path, "/"), at)
	switch {
	case caps.Has(n.Cap) || slices.ContainsFunc(n.Or, caps.Has):
		return nil
	case n.Path == "" && caps == 0 || s.CanAnywhere(a, n.Site, at) == 0:
		return ErrNoSite
	case n.Path != "":
		return ErrSection
	}
	return ErrMayNot
}

// allowsKeeper asks for the right to change the people of a group.
func (s *State) allowsKeeper(ctx context.Context, q store.Reader, a Actor, group string) error {
	if s.IsSteward(a) {
		return nil
	}
	if s.Blocked(a.Who) || !s.Identity(a.Who).Known() {
		return ErrMayNot
	}
	keeps, err := s.keeps(ctx, q, a, group)
	if err == nil && !keeps {
		err = ErrMayNot
	}
	return err
}

// keeps reports whether somebody keeps a group, or one that it is in.
func (s *State) keeps(ctx context.Context, q store.Reader, a Actor, group string) (bool, error) {
	kept, err := store.KeptBy(ctx, q, a.Who)
	if err != nil || len(kept) == 0 {
		return false, err
	}
	doc := s.Policy.Document()
	seen := map[string]bool{}
	var up func(id string) bool
	up = func(id string) bool {
		if slices.Contains(kept, id) {
			return true
		}
		if seen[id] {
			return false
		}
		seen[id] = true
		for _, g := range doc.Groups {
			if slices.Contains(g.Groups, id) && up(g.ID) {
				return true
			}
		}
		return false
	}
	return up(group), nil
}

// Can returns what somebody may do on a site below a path.
func (s *State) Can(a Actor, site, path string, at access.Instant) access.Capabilities {
	return s.Policy.Site(site).Capabilities(path, s.Identity(a.Who), at)
}

// CanAnywhere returns what somebody may do anywhere on a site.
func (s *State) CanAnywhere(a Actor, site string, at access.Instant) access.Capabilities {
	doc := s.SiteDocument(site)
	if doc == nil {
		return 0
	}
	caps := s.Can(a, site, "/", at)
	for _, e := range doc.Team {
		caps |= s.Can(a, site, e.Under, at)
	}
	return caps
}

// IsSteward reports whether somebody looks after the house.
func (s *State) IsSteward(a Actor) bool {
	p, known := s.Policy.PersonOf(s.Identity(a.Who))
	return known && p.Steward && !p.Blocked
}

// Blocked reports whether somebody is a person of the house who is blocked.
func (s *State) Blocked(who store.Who) bool {
	p, known := s.Policy.PersonOf(s.Identity(who))
	return known && p.Blocked
}

// May returns nil where somebody has what is needed now, or why not: what allows
// returns. A change asks again, inside the lock.
func (h *House) May(ctx context.Context, a Actor, n Needs) error {
	return h.State().Allows(ctx, h.db, a, n, access.At(h.Now()))
}

// Can returns what somebody may do on a site as a whole, or below a path, now: who
// they are is looked up in the policy that decides.
func (h *House) Can(a Actor, site, path string) access.Capabilities {
	return h.State().Can(a, site, path, access.At(h.Now()))
}

// CanAnywhere returns what somebody may do anywhere on a site, now.
func (h *House) CanAnywhere(a Actor, site string) access.Capabilities {
	return h.State().CanAnywhere(a, site, access.At(h.Now()))
}

// IsSteward reports whether somebody looks after the house.
func (h *House) IsSteward(a Actor) bool { return h.State().IsSteward(a) }

// WorksSomewhere reports whether somebody may do anything on any site.
func (h *House) WorksSomewhere(a Actor) bool {
	return slices.ContainsFunc(h.State().Policy.Document().Sites, func(site *access.Site) bool { return h.CanAnywhere(a, site.Address) != 0 })
}

// MayKeep reports whether somebody may look after a group: its keepers, those of
// a group that it is in, and stewards.
func (h *House) MayKeep(ctx context.Context, a Actor, group string) bool {
	return h.May(ctx, a, Needs{Keeps: group}) == nil
}
