package app

import (
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"log/slog"

	"velada/core/access"
	"velada/store"
)

// ErrNoLink says that a token belongs to no link that leads anywhere now.
var ErrNoLink = errors.New("this link leads nowhere any more")

// LinkVersion is how often a link got a new token, from 1.
func (s *State) LinkVersion(site, link string) int { return max(1, s.Site(site).links[link]) }

// LinkToken is the secret part of a link's address at a version of it. It comes
// from the site's salt rather than its address, so that it outlives a change of that.
func (h *House) LinkToken(site, link string, version int) string {
	return h.seal("link-token", string(h.State().Site(site).salt), fmt.Sprintf("%s.%d", link, version))[:24]
}

// FollowLink finds the link that a token belongs to. held is the cookie of
// links the visitor has; the new one is given back with the path to go to.
func (h *House) FollowLink(ctx context.Context, site, token, held string) (cookie, path string, err error) {
	s := h.State()
	doc, now := s.SiteDocument(site), access.At(h.Now())
	if doc == nil {
		return "", "", ErrNoLink
	}
	for _, l := range doc.Links {
		version := s.LinkVersion(site, l.ID)
		if subtle.ConstantTimeCompare([]byte(token), []byte(h.LinkToken(site, l.ID, version))) != 1 {
			continue
		}
		if l.Revoked || !within(l.From, l.Until, now) {
			return "", "", ErrNoLink
		}
		err := h.Change(ctx, Velada, Needs{}, func(tx *Tx) error { return store.CountLinkUse(ctx, tx, s.ID(site), l.ID, tx.Now()) })
		if err != nil {
			slog.Error("counting a use of a link", "site", site, "link", l.ID, "error", err)
		}
		return h.hold("link", s, site, held, l.ID, version), l.Under, nil
	}
	return "", "", ErrNoLink
}

func within(from, until, at access.Instant) bool {
	return (from.IsZero() || !at.Before(from)) && (until.IsZero() || at.Before(until))
}
