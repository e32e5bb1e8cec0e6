// Package doors holds passes, links, holding pages, promises and sites that live elsewhere.
package doors

import (
	"cmp"
	"context"
	"errors"
	"log/slog"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// ErrWrongPass says that a password opens no pass of the site.
var ErrWrongPass = errors.New("this is not a password for this page")

// EnterPass checks a password that a visitor enters at the door of a path. held is the
// value of the cookie of passes they have; the new value is given back. It returns
// ErrWrongPass, or identity.TryLater after too many.
func EnterPass(ctx context.Context, h *house.House, site, path, password, held string, from house.From) (string, error) {
	s := h.State()
	key := string(s.ID(site)) + " from " + from.Source()
	if list := entries(h, "pass", s, site, held); len(list) > 0 { // whoever is in by another password is counted alone
		key = string(s.ID(site)) + " in " + held
	}
	forgive, err := house.Try(h.Throttles.Passes, "", key)
	if err != nil {
		return "", err
	}
	forgiveSite, err := house.Slow(ctx, h.Throttles.Sites, string(s.ID(site)))
	if err != nil {
		return "", err
	}
	doc := s.SiteDocument(site)
	if doc == nil || len(password) > identity.LongestPassword {
		return "", ErrWrongPass
	}
	leave, err := h.Throttles.Hashing.Enter(ctx, from.Source(), held != "")
	if err != nil {
		return "", err
	}
	entered := s.PassKey(site, password)
	leave()
	now := access.At(h.Now())
	for _, p := range doc.Passes {
		secret, ok := s.Site(site).Passes[p.ID]
		if !ok || p.Revoked || !identity.SameKey(secret.Hash, entered) || !parts.Within(p.From, p.Until, now) || !access.Covers(p.Under, path) {
			continue
		}
		forgive()
		forgiveSite()
		err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { return store.CountPassUse(ctx, tx, s.ID(site), p.ID, tx.Now()) })
		if err != nil {
			slog.Error("counting a use of a pass", "site", site, "pass", p.ID, "error", err)
		}
		return hold(h, "pass", s, site, held, p.ID, secret.Version), nil
	}
	return "", ErrWrongPass
}

// ReusedOn names another site on which a pass has the same password, of those that
// somebody has to do with; "" where there is none. It takes no hashing.
func ReusedOn(h *house.House, a house.Actor, site string, secret store.NewSecret) string {
	s := h.State()
	for _, doc := range s.Policy.Document().Sites {
		if doc.Address == site {
			continue
		}
		for _, p := range doc.Passes {
			if reuse := s.Site(doc.Address).Passes[p.ID].Reuse; !p.Revoked && len(reuse) > 0 && identity.SameKey(reuse, secret.Reuse) && h.CanAnywhere(a, doc.Address) != 0 {
				return cmp.Or(doc.Title, doc.Address)
			}
		}
	}
	return ""
}
