package accounts

import (
	"bytes"
	"context"
	"crypto/hmac"
	"errors"
	"net/http"
	"strings"
	"time"

	"velada/house"
	"velada/identity"
	"velada/limits"
	"velada/store"
)

// Keyholder returns somebody with their passkeys.
func Keyholder(ctx context.Context, h *house.House, a house.Actor) (identity.Keyholder, error) {
	k := identity.Keyholder{Handle: handle(h, a.Who), Address: a.Address.String(), Name: a.Name}
	list, err := store.Passkeys(ctx, h.Reader(), a.Who)
	for _, p := range list {
		k.Handle = p.Handle // theirs since their first passkey
		k.Credentials = append(k.Credentials, p.Credential)
	}
	return k, err
}

// handle tells somebody from others without telling who they are.
func handle(h *house.House, who store.Who) []byte { return h.Keys.MAC("passkey handle " + string(who)) }

// ErrPasskeyKnown says that a passkey signs somebody in already.
var ErrPasskeyKnown = errors.New("this passkey signs somebody in here already: make a new one")

// KeepPasskey keeps a new passkey of somebody's; never in the place of another. It
// returns ErrPasskeyKnown for one that signs somebody in already.
func KeepPasskey(ctx context.Context, h *house.House, p *identity.Passkeys, a house.Actor, name string, kept []byte, r *http.Request) error {
	holder, err := Keyholder(ctx, h, a)
	if err != nil {
		return err
	}
	id, credential, err := p.New(holder, kept, r)
	if err != nil {
		return err
	}
	if name = strings.TrimSpace(name); name == "" || limits.Longer(name, house.MostPasskey) {
		name = "A passkey"
	}
	now := time.Now()
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		err := store.NewPasskey(ctx, tx, store.Passkey{ID: id, Handle: holder.Handle, Who: a.Who, Name: name, Credential: credential, Made: now, Used: now})
		if errors.Is(err, store.ErrPasskey) {
			return ErrPasskeyKnown
		}
		tx.NotifyAccount(a.Who, "A new passkey", "The passkey “"+name+"” signs you in from now on. If that was not you, remove it, and set a new password.")
		return err
	})
}

// DropPasskey removes a passkey of somebody's own, and ends the sign-ins that were made by it, which it
// returns.
func DropPasskey(ctx context.Context, h *house.House, a house.Actor, id []byte) (ended []store.Session, err error) {
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		all, err := store.SessionsOf(ctx, tx, a.Who)
		if err != nil {
			return err
		}
		for _, s := range all {
			if len(id) > 0 && bytes.Equal(s.Passkey, id) {
				tx.EndSession(s.ID)
				ended = append(ended, s)
			}
		}
		return store.DropPasskey(ctx, tx, a.Who, id)
	})
	return ended, err
}

// SignInByPasskey returns whose passkey a browser has shown, and which. One that was copied lets nobody
// in from then on, and whoever it belongs to and the stewards are told once.
func SignInByPasskey(ctx context.Context, h *house.House, p *identity.Passkeys, kept []byte, r *http.Request) (store.Who, []byte, error) {
	var found *store.Passkey
	_, credential, err := p.Check(kept, r, func(id, handle []byte) (k identity.Keyholder, err error) {
		if found, err = store.FindPasskey(ctx, h.Reader(), id); err != nil {
			return k, err
		}
		nobody := errors.New("nobody here has this passkey")
		if found == nil || len(handle) == 0 || !hmac.Equal(handle, found.Handle) {
			return k, nobody
		}
		a, there := h.ActorOf(found.Who)
		if !there {
			return k, nobody
		}
		k, err = Keyholder(ctx, h, a)
		k.Handle = found.Handle
		return k, err
	})
	copied := errors.Is(err, identity.ErrCopied)
	if err != nil && !copied {
		return "", nil, err
	}
	was := found.Credential
	found.Credential, found.Used = credential, time.Now()
	err = h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		if copied && identity.Copied(was) {
			return nil // they were told
		}
		if copied {
			tellCopied(h, tx, found)
		}
		return store.UsePasskey(ctx, tx, *found)
	})
	if copied && err == nil {
		err = identity.ErrCopied
	}
	return found.Who, found.ID, err
}

// tellCopied tells that a passkey was copied.
func tellCopied(h *house.House, tx *house.Tx, p *store.Passkey) {
	name := h.NameOf(p.Who)
	tx.NotifyAccount(p.Who, "A passkey was copied", "Somebody tried to sign in with a copy of your passkey “"+p.Name+"”, or you used the older of two. It lets nobody in any more. Remove it on your account page, which also ends the sign-ins made by it, and make a new one.")
	what := "The passkey “" + p.Name + "” of " + name + " was copied: it lets nobody in any more."
	tx.Log("", "people", what, "", "")
	tx.NotifyHere(tx.State().Stewards(), "", what, "/people")
}
