package doors

import (
	"context"
	"crypto/subtle"
	"errors"
	"log/slog"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/store"
)

// ErrNoLink says that a token belongs to no link that leads anywhere now.
var ErrNoLink = errors.New("this link no longer works")

// FollowLink finds the link that a token belongs to. held is the cookie of links the
// visitor has; the new one is given back with the path to go to. It returns ErrNoLink
// for a token that leads nowhere now.
func FollowLink(ctx context.Context, h *house.House, site, token, held string, from house.From) (cookie, path string, err error) {
	s := h.State()
	doc, now := s.SiteDocument(site), access.At(h.Now())
	if doc == nil {
		return "", "", ErrNoLink
	}
	for _, l := range doc.Links {
		version := s.LinkVersion(site, l.ID)
		if subtle.ConstantTimeCompare([]byte(token), []byte(h.Keys.LinkToken(site, l.ID, version))) != 1 {
			continue
		}
		if l.Revoked || !parts.Within(l.From, l.Until, now) {
			return "", "", ErrNoLink
		}
		source := h.Keys.SourceMark(site, l.ID, from.Source())
		err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
			if err := store.CountLinkSource(ctx, tx, s.ID(site), l.ID, source); err != nil {
				return err
			}
			return store.CountLinkUse(ctx, tx, s.ID(site), l.ID, tx.Now())
		})
		if err != nil {
			slog.Error("counting a use of a link", "site", site, "link", l.ID, "error", err)
		}
		return hold(h, "link", s, site, held, l.ID, version), l.Under, nil
	}
	return "", "", ErrNoLink
}
