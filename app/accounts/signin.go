package accounts

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"sync"

	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// WrongSignIn says that an address and a password do not belong together,
// whether or not there is such an account.
type WrongSignIn struct{}

func (WrongSignIn) Error() string { return "This address and this password do not belong together." }

// noAccount is a hash that no password has, so that an unknown address takes as
// long as a known one.
var noAccount = sync.OnceValue(func() string { return identity.HashPassword(identity.Token()) })

// SignIn checks an address and a password, and returns whose they are. An address that
// somebody had before signs nobody in. It returns WrongSignIn, whether or not there is
// such an account, or identity.TryLater.
func SignIn(ctx context.Context, h *house.House, address, password string, from house.From) (store.Who, error) {
	a, err := access.ParseAddress(address)
	if err != nil {
		return "", WrongSignIn{}
	}
	who, signsIn := h.State().WhoSignsIn(a)
	if !signsIn {
		who = store.Who("nobody " + a.String())
	}
	return who, checkPassword(ctx, h, who, password, from)
}

// CheckPassword checks the password of somebody who is signed in already. It returns
// what SignIn returns.
func CheckPassword(ctx context.Context, h *house.House, a house.Actor, password string, from house.From) error {
	return checkPassword(ctx, h, a.Who, password, from)
}

func checkPassword(ctx context.Context, h *house.House, who store.Who, password string, from house.From) error {
	forgive, err := countSignIn(ctx, h, "password", h.Throttles.SignIns, who, from)
	if err != nil {
		return err
	}
	account, err := store.FindAccount(ctx, h.Reader(), who)
	if err != nil {
		return fmt.Errorf("looking for an account: %w", err)
	}
	hash := noAccount()
	if account != nil && account.Password != "" {
		hash = account.Password
		if account.MustChange {
			password = identity.PlainCode(password)
		}
	}
	if len(password) > identity.LongestPassword {
		return WrongSignIn{}
	}
	leave, err := h.Throttles.Hashing.Enter(ctx, from.Source(), knownHere(ctx, h, who, from))
	if err != nil {
		return err
	}
	right, err := identity.CheckPassword(hash, password)
	leave()
	if err != nil {
		return err
	}
	if !right || account == nil || account.Password == "" {
		return WrongSignIn{}
	}
	if account.MustChange && account.SlipBy != "" {
		if err := slipStands(ctx, h, account); err != nil {
			return err
		}
	}
	forgive()
	return nil
}

// slipStands ends the first code of a slip whose maker may not make one any more.
func slipStands(ctx context.Context, h *house.House, account *store.Account) error {
	need := house.Needs{Steward: true}
	if account.SlipGroup != "" {
		need = house.Needs{Keeps: account.SlipGroup}
	}
	if h.Stands(ctx, account.SlipBy, need) == nil {
		return nil
	}
	err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		now, err := store.FindAccount(ctx, tx, account.Who)
		if err != nil || now == nil || now.Password != account.Password {
			return err
		}
		what := fmt.Sprintf("The sign-in slip of %s ended: %s, who made it, may not make one any more.", h.NameOf(account.Who), h.NameOf(account.SlipBy))
		tx.Log("", "people", what, "", "")
		tx.NotifyHere(tx.State().Stewards(), "", what, "/people")
		return store.SetPassword(ctx, tx, account.Who, "", false)
	})
	if err != nil {
		return err
	}
	return WrongSignIn{}
}

// countSignIn counts a guess at what somebody signs in with. A browser in which
// they have signed in before is counted by itself, so that whoever guesses elsewhere
// keeps nobody out; across browsers and networks guesses only wait.
func countSignIn(ctx context.Context, h *house.House, what string, t *identity.Throttle, who store.Who, from house.From) (forgive func(), err error) {
	token := sha256.Sum256([]byte(from.Browser))
	known := false
	if from.Browser != "" {
		if known, err = store.KnownBrowser(ctx, h.Reader(), who, token); err != nil {
			return nil, err
		}
	}
	if known {
		return house.Try(t, "", what+" of "+string(who)+" in "+string(token[:]))
	}
	here, err := house.Try(t, "", what+" of "+string(who)+" from "+from.Source())
	if err != nil {
		return nil, err
	}
	all, err := house.Try(h.Throttles.Guesses, "Many wrong passwords came from your network.", what+" from "+from.Source())
	if err != nil {
		return nil, err
	}
	one, err1 := house.Slow(ctx, h.Throttles.Accounts, what+" "+string(who))
	two, err2 := house.Slow(ctx, h.Throttles.Sources, what+" "+from.Source())
	return func() { here(); all(); one(); two() }, errors.Join(err1, err2)
}

// knownHere reports whether somebody has signed in before in the browser that they come from.
func knownHere(ctx context.Context, h *house.House, who store.Who, from house.From) bool {
	if from.Browser == "" {
		return false
	}
	known, err := store.KnownBrowser(ctx, h.Reader(), who, sha256.Sum256([]byte(from.Browser)))
	return err == nil && known
}
