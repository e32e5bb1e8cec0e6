// Package accounts holds what people sign in with: passwords, links by mail, passkeys and
// second steps.
package accounts

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// known reports whether a house has to do with an address: an account, a person,
// a guest, somebody on a team.
func known(ctx context.Context, h *house.House, a access.Address) (bool, error) {
	s := h.State()
	who, signsIn := s.WhoSignsIn(a)
	if !signsIn { // somebody's before: who reads its mail now is not known
		return false, nil
	}
	account, err := store.FindAccount(ctx, h.Reader(), who)
	if err != nil || account != nil || !who.Bare() {
		return err == nil, err
	}
	is := func(text string) bool { return strings.Contains(text, "@") && parts.Canonical(text) == a.String() }
	guest := func(w access.Way) bool {
		return slices.ContainsFunc(w.People, is) || w.Way == "domain" && access.MatchesAny(w.Domains, a)
	}
	for _, site := range s.Policy.Document().Sites {
		if site.HasWay(guest) || slices.ContainsFunc(site.Team, func(e access.TeamEntry) bool { return is(e.Address) }) {
			return true, nil
		}
	}
	return false, nil
}

// SendLink mails a link by which somebody signs in or sets a new password, when the
// house has to do with their address. Whether it has is not to be seen from the answer,
// nor from how long it takes. It returns house.FieldErrors for what is no address, and
// identity.TryLater where too many were asked for.
func SendLink(h *house.House, kind, address string, to map[string]string, from house.From) error {
	a, err := access.ParseAddress(address)
	if err != nil {
		return house.FieldErrors{"address": "This is " + err.Error() + "."}
	}
	if _, err := house.Try(h.Throttles.Asks, "You have asked for several links to this address.", "link to "+a.String()+" from "+from.Source()); err != nil {
		return err
	}
	if _, err := h.CountForm("link", from); err != nil {
		return err
	}
	if !h.MayWriteTo(a, kind) {
		return nil // enough are in the mailbox already, and each of them works
	}
	goOn := house.GoOnTo{Then: to["then"], Site: to["site"], Path: to["path"]}
	h.InBackground("sending a link", func(ctx context.Context) error {
		known, err := known(ctx, h, a)
		if err != nil || !known {
			return err
		}
		return h.Outbox.SendMailLink(ctx, kind, a.String(), goOn)
	})
	return nil
}

// FollowMailLink spends a link to sign in, or one that proves the address of a new account, and returns
// whose it is and where they go on to. Name and password are those of a new account: whoever followed
// the link chooses them. It returns house.ErrLinkSpent where the link cannot be followed any more, and
// house.FieldErrors.
func FollowMailLink(ctx context.Context, h *house.House, token, name, password string) (store.Who, map[string]string, error) {
	l, err := h.Outbox.FindMailLink(ctx, token)
	switch {
	case err != nil:
		return "", nil, err
	case l == nil || l.Kind != house.LinkSignIn && l.Kind != house.LinkAccount:
		return "", nil, house.ErrLinkSpent
	}
	var n house.PendingAccount
	if err := json.Unmarshal([]byte(l.Detail), &n); err != nil {
		return "", nil, err
	}
	account := store.Account{}
	if l.Kind == house.LinkAccount && IsNew(ctx, h, l.Address) {
		if account, err = house.AccountTyped(name, password, l.Address); err != nil {
			return "", nil, err
		}
	}
	who, err := h.Outbox.Spend(ctx, token, l.Address, func(tx *house.Tx, who store.Who) error {
		account.Who = who
		tx.NewAccountUnlessThere(account)
		return nil
	})
	return who, map[string]string{"then": n.Then, "site": n.Site, "path": n.Path}, err
}

// ResetPassword spends a link to set a new password. Everywhere else the account is
// signed out. It returns house.ErrLinkSpent, or house.FieldErrors for a weak password.
func ResetPassword(ctx context.Context, h *house.House, token, password string) (store.Who, error) {
	l, err := h.Outbox.FindMailLink(ctx, token)
	if err != nil {
		return "", err
	}
	if l == nil || l.Kind != house.LinkReset {
		return "", house.ErrLinkSpent
	}
	if text := identity.PasswordProblem(password, l.Address); text != "" {
		return "", house.FieldErrors{"password": text}
	}
	hash := identity.HashPassword(password)
	return h.Outbox.Spend(ctx, token, l.Address, func(tx *house.Tx, who store.Who) error {
		tx.EndSignIns(who, "")
		return errors.Join(
			store.EnsureAccount(ctx, tx, who, h.NameOf(who)), store.SetPassword(ctx, tx, who, hash, false),
		)
	})
}

// Account reads somebody's account; one without a password where there is none yet.
func Account(ctx context.Context, h *house.House, who store.Who) (*store.Account, error) {
	account, err := store.FindAccount(ctx, h.Reader(), who)
	if err == nil && account == nil {
		account = &store.Account{Who: who}
	}
	return account, err
}

// ChangePassword sets a new password, and signs somebody out everywhere but in one
// place. The old one is asked for where there is one, unless it was a first code, just
// entered. It returns house.FieldErrors for a wrong old or a weak new one.
func ChangePassword(ctx context.Context, h *house.House, a house.Actor, old, password string, from house.From, but string) error {
	account, err := Account(ctx, h, a.Who)
	if err != nil {
		return err
	}
	wrong := house.FieldErrors{}
	if account.Password != "" && !account.MustChange {
		var later identity.TryLater
		switch err := CheckPassword(ctx, h, a, old, from); {
		case errors.As(err, &later):
			wrong["old"] = later.Error()
		case err != nil:
			wrong["old"] = "This is not your password of now."
		}
	}
	if text := identity.PasswordProblem(password, account.Name, a.Address.String()); text != "" {
		wrong["password"] = text
	}
	if account.MustChange && len(wrong) == 0 {
		if same, err := identity.CheckPassword(account.Password, identity.PlainCode(password)); err == nil && same {
			wrong["password"] = "That is the code from the slip. Choose a password that only you know."
		}
	}
	if len(wrong) > 0 {
		return wrong
	}
	hash := identity.HashPassword(password)
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		if err := store.EnsureAccount(ctx, tx, a.Who, a.Name); err != nil {
			return err
		}
		now, err := store.FindAccount(ctx, tx, a.Who)
		if err != nil {
			return err
		}
		if now.Password != account.Password { // set anew meanwhile, by a slip or a link
			return house.FieldErrors{"old": "Your password was changed meanwhile. Sign in with the new one."}
		}
		tx.EndSignIns(a.Who, but)
		tx.NotifyAccount(a.Who, "Your password was changed", "If that was not you, set a new one by a link by mail.")
		return store.SetPassword(ctx, tx, a.Who, hash, false)
	})
}

// ChangeAccount sets somebody's name and what they are told by mail. It returns
// house.FieldErrors for a name that is none.
func ChangeAccount(ctx context.Context, h *house.House, a house.Actor, name string, byMail []string) error {
	name, text := house.NameTyped(name)
	if text != "" {
		return house.FieldErrors{"name": text}
	}
	var kinds []string
	for _, k := range house.NoticeKinds {
		if slices.Contains(byMail, k.ID) {
			kinds = append(kinds, k.ID)
		}
	}
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		tx.NameAccount(a.Who, name)
		return errors.Join(store.EnsureAccount(ctx, tx, a.Who, name), store.SetAccountName(ctx, tx, a.Who, name, kinds))
	})
}

// IsNew reports whether nobody has an account yet who is at an address.
func IsNew(ctx context.Context, h *house.House, address string) bool {
	a, err := access.ParseAddress(address)
	if err != nil {
		return false
	}
	who, signsIn := h.State().WhoSignsIn(a)
	if !signsIn {
		return false
	}
	account, err := store.FindAccount(ctx, h.Reader(), who)
	return err == nil && account == nil
}

// Epoch returns in which epoch somebody's account is: what is half done counts in it alone.
func Epoch(ctx context.Context, h *house.House, who store.Who) (int64, error) {
	account, err := Account(ctx, h, who)
	if err != nil {
		return 0, err
	}
	return account.Epoch, nil
}
