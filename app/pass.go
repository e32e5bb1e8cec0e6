package app

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"log/slog"
	"strconv"
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
		if !ok || p.Revoked || !identity.SameKey(secret.Hash, key) || ended(p, now) || !access.Covers(p.Under, path) {
			continue
		}
		forgive()
		forgiveSite()
		if err := store.CountPassUse(ctx, h.DB, site, p.ID, h.now()); err != nil {
			slog.Error("counting a use of a pass", "site", site, "pass", p.ID, "error", err)
		}
		return h.sealPasses(site, append(h.heldPasses(s, site, held, p.ID), fmt.Sprintf("%s.%d", p.ID, secret.Version))), nil
	}
	return "", ErrWrongPass
}

func ended(p access.Pass, now access.Instant) bool {
	return !p.From.IsZero() && now.Before(p.From) || !p.Until.IsZero() && !now.Before(p.Until)
}

// HeldPasses gives the ids of the passes that a cookie of passes stands for
// and that still have the password they were entered with.
func (h *House) HeldPasses(s *State, site, value string) []string {
	if value == "" {
		return nil
	}
	var ids []string
	for _, entry := range h.heldPasses(s, site, value, "") {
		id, _, _ := strings.Cut(entry, ".")
		ids = append(ids, id)
	}
	return ids
}

// heldPasses gives the entries of a cookie that hold, but for one pass.
func (h *House) heldPasses(s *State, site, value, but string) []string {
	seal, list, ok := strings.Cut(value, "~")
	if !ok || !hmac.Equal([]byte(seal), []byte(h.passSeal(site, list))) {
		return nil
	}
	var entries []string
	for _, entry := range strings.Split(list, "~") {
		id, version, _ := strings.Cut(entry, ".")
		secret, known := s.Passes[site][id]
		if known && strconv.Itoa(secret.Version) == version && id != but {
			entries = append(entries, entry)
		}
	}
	return entries
}

func (h *House) sealPasses(site string, entries []string) string {
	list := strings.Join(entries, "~")
	return h.passSeal(site, list) + "~" + list
}

func (h *House) passSeal(site, list string) string {
	mac := hmac.New(sha256.New, h.cookieKey)
	mac.Write([]byte("passes\x00" + site + "\x00" + list))
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}

// SecretFor derives what is kept of a pass's password on a site.
func (s *State) SecretFor(site, password string) store.NewSecret {
	return store.NewSecret{
		Hash: identity.Key(strings.TrimSpace(password), s.salts[site]),
		Weak: identity.StrengthOf(strings.TrimSpace(password), site).Score < 3,
	}
}
