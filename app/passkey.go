package app

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"errors"
	"net/http"
	"strings"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// Keyholder gives somebody with their passkeys.
func (h *House) Keyholder(ctx context.Context, a access.Address) (identity.Keyholder, error) {
	k := identity.Keyholder{Handle: h.handle(a.String()), Address: a.String(), Name: h.Actor(a).Name}
	list, err := store.Passkeys(ctx, h.DB, k.Address)
	for _, p := range list {
		k.Credentials = append(k.Credentials, p.Credential)
	}
	return k, err
}

// handle tells an address from others without telling which it is.
func (h *House) handle(address string) []byte {
	mac := hmac.New(sha256.New, h.cookieKey)
	mac.Write([]byte("passkey handle " + address))
	return mac.Sum(nil)
}

// KeepPasskey keeps a new passkey of somebody's.
func (h *House) KeepPasskey(ctx context.Context, p *identity.Passkeys, a Actor, name string, kept []byte, r *http.Request) error {
	holder, err := h.Keyholder(ctx, a.Address)
	if err != nil {
		return err
	}
	id, credential, err := p.New(holder, kept, r)
	if err != nil {
		return err
	}
	if name = strings.TrimSpace(name); name == "" || len(name) > 80 {
		name = "A passkey"
	}
	now := time.Now()
	return store.SavePasskey(ctx, h.DB, store.Passkey{ID: id, Address: holder.Address, Name: name, Credential: credential, Made: now, Used: now})
}

// SignInByPasskey gives whose passkey a browser has shown.
func (h *House) SignInByPasskey(ctx context.Context, p *identity.Passkeys, kept []byte, r *http.Request) (access.Address, error) {
	var found *store.Passkey
	id, credential, err := p.Check(kept, r, func(id, handle []byte) (k identity.Keyholder, err error) {
		if found, err = store.FindPasskey(ctx, h.DB, id); err != nil {
			return k, err
		}
		if found == nil || !hmac.Equal(handle, h.handle(found.Address)) {
			return k, errors.New("nobody here has this passkey")
		}
		return h.Keyholder(ctx, mustAddress(found.Address))
	})
	if err != nil {
		return access.Address{}, err
	}
	found.ID, found.Credential, found.Used = id, credential, time.Now()
	return mustAddress(found.Address), store.SavePasskey(ctx, h.DB, *found)
}
