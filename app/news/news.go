// Package news tells readers of a site what is new on it: by mail, to those who chose that, and in
// feeds. Nobody is told of what they may not open at that moment.
package news

import (
	"context"
	"crypto/sha256"
	"slices"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// Choice is what somebody wants to be told of a site, and the pages that they follow, by id.
type Choice struct {
	store.NewsChoice
	Pages []string
}

// ChoiceOf reads what somebody wants to be told of a site.
func ChoiceOf(ctx context.Context, h *house.House, site string, who store.Who) (c Choice, err error) {
	id := h.SiteID(site)
	if c.NewsChoice, err = store.FindNewsChoice(ctx, h.Reader(), id, who); err != nil {
		return c, err
	}
	c.Pages, err = store.Followed(ctx, h.Reader(), id, who)
	return c, err
}

// Choose has somebody be told of editions that change what they may read, and of answers to their
// comments, or no longer.
func Choose(ctx context.Context, h *house.House, site string, who store.Who, all, answers bool) error {
	return change(ctx, h, who, func(tx *house.Tx) error {
		id := tx.State().ID(site)
		if all || answers { // who asks for mail wants some again
			if err := wantMail(ctx, tx, id, who); err != nil {
				return err
			}
		}
		return store.SaveNewsChoice(ctx, tx, id, store.NewsChoice{Who: who, News: all, Answer: answers})
	})
}

// mostFollowed is how many pages of a site somebody follows at most.
const mostFollowed = 200

// Follow has somebody follow a page that opens to them, by its path; or follow one no longer, by its id
// or path. It returns house.ErrMayNot where there is no such page for them, and house.FieldErrors.
func Follow(ctx context.Context, h *house.House, site string, who store.Who, path string, on bool) error {
	return change(ctx, h, who, func(tx *house.Tx) error {
		s := tx.State()
		id, of := s.ID(site), s.Site(site)
		page := of.Live.Page(path)
		if !on {
			if page != nil {
				path = page.ID
			}
			return store.Follow(ctx, tx, id, who, path, false, tx.Now())
		}
		if page == nil || !Opens(s, site, page.Path, who, tx.Now()) {
			return house.ErrMayNot
		}
		have, err := store.Followed(ctx, tx, id, who)
		switch {
		case err != nil:
			return err
		case len(have) >= mostFollowed && !slices.Contains(have, page.ID):
			return house.FieldErrors{"follow": "You follow very many pages already. Take one off the list first."}
		}
		if err := wantMail(ctx, tx, id, who); err != nil {
			return err
		}
		return store.Follow(ctx, tx, id, who, page.ID, true, tx.Now())
	})
}

// wantMail takes back that somebody wanted no mail of a site.
func wantMail(ctx context.Context, tx *house.Tx, site store.SiteID, who store.Who) error {
	p, err := store.FindProfile(ctx, tx, site, string(who))
	if err != nil || !p.NoMail {
		return err
	}
	p.NoMail = false
	return store.SaveProfile(ctx, tx, site, p)
}

// Address makes an address of somebody's own at which they read the news of a site, and returns its
// secret; one that they had before stops working.
func Address(ctx context.Context, h *house.House, site string, who store.Who) (secret string, err error) {
	secret = identity.Token()
	hash := sha256.Sum256([]byte(secret))
	return secret, change(ctx, h, who, func(tx *house.Tx) error {
		return store.SaveFeed(ctx, tx, tx.State().ID(site), who, hash[:])
	})
}

// TakeBack has the address of somebody's own stop working.
func TakeBack(ctx context.Context, h *house.House, site string, who store.Who) error {
	return change(ctx, h, who, func(tx *house.Tx) error { return store.SaveFeed(ctx, tx, tx.State().ID(site), who, nil) })
}

// WhoReads returns whose address of news on a site has a secret; "" is nobody's. Somebody who was
// blocked, or is not known any more, reads nothing by it.
func WhoReads(ctx context.Context, h *house.House, site, secret string) (store.Who, error) {
	hash := sha256.Sum256([]byte(secret))
	who, err := store.FindFeed(ctx, h.Reader(), h.SiteID(site), hash[:])
	if err != nil || who == "" || !reads(h.State(), who) {
		return "", err
	}
	return who, nil
}

// reads reports whether somebody is known and not blocked.
func reads(s *house.State, who store.Who) bool {
	id := s.Identity(who)
	if !id.Known() {
		return false
	}
	p, known := s.Policy.PersonOf(id)
	return !known || !p.Blocked
}

// Opens reports whether a page opens to somebody who has signed in, at an instant.
func Opens(s *house.State, site, path string, who store.Who, at time.Time) bool {
	if !reads(s, who) {
		return false
	}
	v := access.Visitor{Identity: s.Identity(who)}
	return s.Policy.Site(site).Decide(path, &v, access.At(at)).Outcome == access.Open
}

// change is a change that somebody makes for themselves.
func change(ctx context.Context, h *house.House, who store.Who, do func(tx *house.Tx) error) error {
	a, there := h.ActorOf(who)
	if !there {
		return house.ErrMayNot
	}
	return h.Change(ctx, a, house.Needs{Asks: true}, do)
}
