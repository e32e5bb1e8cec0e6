package app

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// ErrWrongPass says that a password opens no pass of the site.
var ErrWrongPass = errors.New("this is not a password for this page")

// EnterPass checks a password that a visitor enters at the door of a path. held
// is the value of the cookie of passes they have; the new value is given back.
func (h *House) EnterPass(ctx context.Context, site, path, password, held, from string) (string, error) {
	forgive, wait := h.passGuesses.Try(time.Now(), from+" to "+site)
	if wait > 0 {
		return "", TryLater{wait}
	}
	forgiveSite, wait := h.siteGuesses.Try(time.Now(), site)
	if wait > 0 {
		forgive()
		return "", TryLater{wait}
	}
	s := h.State()
	doc := s.SiteDocument(site)
	if doc == nil || len(password) > identity.LongestPassword {
		return "", ErrWrongPass
	}
	key := identity.Key(strings.TrimSpace(password), s.salts[site])
	now := access.At(h.now())
	for _, p := range doc.Passes {
		secret, ok := s.Passes[site][p.ID]
		if !ok || p.Revoked || !identity.SameKey(secret.Hash, key) || !within(p.From, p.Until, now) || !access.Covers(p.Under, path) {
			continue
		}
		forgive()
		forgiveSite()
		if err := store.CountPassUse(ctx, h.DB, site, p.ID, h.now()); err != nil {
			slog.Error("counting a use of a pass", "site", site, "pass", p.ID, "error", err)
		}
		return h.hold("pass", s, site, held, p.ID, secret.Version), nil
	}
	return "", ErrWrongPass
}

// SecretFor derives what is kept of a pass's password on a site.
func (s *State) SecretFor(site, password string) store.NewSecret {
	return store.NewSecret{
		Hash: identity.Key(strings.TrimSpace(password), s.salts[site]),
		Weak: identity.StrengthOf(strings.TrimSpace(password), site).Score < 3,
	}
}
