package house

import (
	"context"

	"velada/core/access"
	"velada/store"
)

// Stands asks, at the moment at which something takes effect that somebody set going before, whether
// they still may: an invitation or a hand-over that is accepted, a preview that is looked at, a slip or a
// join code that is used, an exception that is granted, an edition or a change that is due. It returns
// nil, or why not, as Allows does; who is blocked or gone may nothing. Whatever does not stand is ended
// where it is seen, never passed over.
func (s *State) Stands(ctx context.Context, q store.Reader, who store.Who, n Needs, at access.Instant) error {
	if s == nil || s.Blocked(who) || !s.Identity(who).Known() {
		return ErrMayNot
	}
	return s.Allows(ctx, q, Actor{Who: who}, n, at)
}

// Stands is State.Stands now.
func (h *House) Stands(ctx context.Context, who store.Who, n Needs) error {
	return h.State().Stands(ctx, h.db, who, n, access.At(h.Now()))
}
