package pages

import (
	"context"
	"sync"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// lastDraft is the draft that was read last. Whoever tries looks or writes a page has it shown many
// times, and each time that it is shown it is held for a while: those share one.
var lastDraft struct {
	sync.Mutex
	of      *house.Site // in that state: another one begins with every change of the draft
	edition *store.Edition
	live    *house.LiveEdition
}

// WorkingEdition is the working copy of a site as visitors would meet it, and the policy as it
// would be once it is live. The edition is shared: it is not to be changed.
func WorkingEdition(ctx context.Context, h *house.House, site string) (*house.LiveEdition, *access.Policy, error) {
	s := h.State()
	of := s.Site(site)
	lastDraft.Lock()
	e, live := lastDraft.edition, lastDraft.live
	known := lastDraft.of == of && of.ID != ""
	lastDraft.Unlock()
	if !known {
		var err error
		if e, err = workingAsEdition(ctx, h, site); err != nil {
			return nil, nil, err
		}
		nameAll(e.Pages)
	}
	was := *e // what is worked out beside it is this caller's own
	then, err := withEdition(s, site, &was)
	if err != nil {
		return nil, nil, err
	}
	if !known {
		live = house.NewLiveEdition(&was, rendering(was.Pages))
		lastDraft.Lock()
		lastDraft.of, lastDraft.edition, lastDraft.live = of, e, live
		lastDraft.Unlock()
	}
	return live, then, nil
}
