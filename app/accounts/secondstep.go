package accounts

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"time"

	"velada/house"
	"velada/identity"
	"velada/store"
)

// ErrWrongCode says that a code of the second step is wrong or was used before.
var ErrWrongCode = errors.New("this is not the code of now: wait for the next one, a code works once")

// ErrHasSecondStep says that a second step is taken off, with a code of it, before
// another takes its place.
var ErrHasSecondStep = errors.New("two-step sign-in is set up already: turn it off first, with a code")

// manyWrongCodes is after how many wrong codes in a row an account is told, and
// further ones are slowed to one a minute.
const manyWrongCodes = 10

// SecondStep checks a code of somebody's second step, or one of their recovery codes,
// each of which works once. It returns ErrWrongCode, or identity.TryLater where many
// were wrong.
func SecondStep(ctx context.Context, h *house.House, who store.Who, code string, from house.From) error {
	account, err := store.FindAccount(ctx, h.Reader(), who)
	if err != nil {
		return err
	}
	if account == nil || account.TOTP == "" {
		return ErrWrongCode
	}
	code = strings.ToLower(strings.Join(strings.Fields(code), ""))
	forgive, err := countSignIn(ctx, h, "second step", h.Throttles.Steps, who, from)
	if err != nil {
		return err
	}
	if account.WrongCodes >= manyWrongCodes && len(code) <= 6 { // recovery codes are too long to guess
		if err := slowCodes(ctx, h, who, from); err != nil {
			forgive()
			return err
		}
	}
	secret, err := h.Keys.OpenSecondStep(account.TOTP)
	if err != nil {
		return err
	}
	step, isCode := identity.CheckCode(secret, code, time.Now())
	right := false
	err = h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) (err error) {
		if isCode {
			right, err = store.UseTimeStep(ctx, tx, who, step)
		} else if len(code) > 6 {
			right, err = store.SpendRecoveryCode(ctx, tx, who, sha256.Sum256([]byte(strings.ReplaceAll(code, "-", ""))))
		}
		switch {
		case err != nil:
			return err
		case right:
			return store.ForgetWrongCodes(ctx, tx, who)
		}
		return countWrongCode(tx, who)
	})
	if errors.Is(err, house.ErrFull) && isCode { // a recovery code is spent once, and that must be kept
		right, err = h.Sessions.UseTimeStep(ctx, who, step)
	}
	switch {
	case err != nil:
		return err
	case !right:
		return ErrWrongCode
	}
	forgive()
	return nil
}

// slowCodes lets one code a minute through for an account for which many were wrong,
// wherever they come from; a browser in which its holder has signed in before counts
// by itself.
func slowCodes(ctx context.Context, h *house.House, who store.Who, from house.From) error {
	key := string(who)
	if from.Browser != "" {
		known, err := store.KnownBrowser(ctx, h.Reader(), who, sha256.Sum256([]byte(from.Browser)))
		if err != nil {
			return err
		}
		if known {
			key += " in " + from.Browser
		}
	}
	_, err := house.Try(h.Throttles.Slow, "Many wrong codes were entered for this account.", key)
	return err
}

// countWrongCode counts a wrong code, and tells whose it is when there were many.
func countWrongCode(tx *house.Tx, who store.Who) error {
	n, err := store.CountWrongCode(tx.Context(), tx, who)
	if err != nil || n != manyWrongCodes {
		return err
	}
	what := fmt.Sprintf("%d wrong codes in a row were entered for your account, by somebody who knows how you sign in. If that was not you, change your password.", n)
	tx.NotifyAccount(who, "Wrong codes for your account", what)
	return nil
}

// ErrEnded says that somebody's sign-ins ended after they showed who they are.
var ErrEnded = errors.New("this sign-in has ended: sign in again")

// SetSecondStep makes a secret the second step of somebody's account, once they have
// shown with a code that they keep it, and returns their recovery codes. They are signed
// out everywhere but in one place. It returns ErrWrongCode, ErrHasSecondStep where there is one, or
// ErrEnded where their account is not in the epoch any more in which they showed who they are.
func SetSecondStep(ctx context.Context, h *house.House, who store.Who, secret, code, but string, epoch int64) (recovery []string, err error) {
	step, ok := identity.CheckCode(secret, strings.Join(strings.Fields(code), ""), time.Now())
	if !ok {
		return nil, ErrWrongCode
	}
	var hashes [][32]byte
	for range 10 {
		c := identity.RecoveryCode()
		recovery = append(recovery, c)
		hashes = append(hashes, sha256.Sum256([]byte(strings.ReplaceAll(c, "-", ""))))
	}
	err = h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		if err := store.EnsureAccount(ctx, tx, who, h.NameOf(who)); err != nil {
			return err
		}
		account, err := store.FindAccount(ctx, tx, who)
		if err != nil {
			return err
		}
		if account.Epoch != epoch {
			return ErrEnded
		}
		if account.TOTP != "" {
			return ErrHasSecondStep
		}
		tx.EndSignIns(who, but)
		return errors.Join(store.SetSecondStep(ctx, tx, who, h.Keys.SealSecondStep(secret), step), store.SaveRecoveryCodes(ctx, tx, who, hashes))
	})
	if err != nil {
		return nil, err
	}
	return recovery, nil
}

// DropSecondStep takes the second step off somebody's account, with a code of it. It
// returns what SecondStep returns.
func DropSecondStep(ctx context.Context, h *house.House, a house.Actor, code string, from house.From, but string) error {
	if err := SecondStep(ctx, h, a.Who, code, from); err != nil {
		return err
	}
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		tx.EndSignIns(a.Who, but)
		tx.NotifyAccount(a.Who, "Two-step sign-in was turned off", "Signing in takes one step from now on. If that was not you, set a new password.")
		return errors.Join(store.SetSecondStep(ctx, tx, a.Who, "", 0), store.SaveRecoveryCodes(ctx, tx, a.Who, nil))
	})
}
