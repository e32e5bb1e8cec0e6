package app

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"strings"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// ErrWrongCode says that a code of the second step is wrong or was used before.
var ErrWrongCode = errors.New("this is not the code of now. Look at it again; a code works once")

// ErrHasSecondStep says that a second step is taken off, with a code of it, before
// another takes its place.
var ErrHasSecondStep = errors.New("there is a second step already: take it off first, with a code of it")

// HasSecondStep reports whether an account has a second step.
func (h *House) HasSecondStep(ctx context.Context, a access.Address) (bool, error) {
	account, err := store.FindAccount(ctx, h.DB, a.String())
	return account != nil && account.TOTP != "", err
}

// SecondStep checks a code of somebody's second step, or one of their recovery
// codes, each of which works once.
func (h *House) SecondStep(ctx context.Context, a access.Address, code, from string) error {
	forgive, wait := h.signInGuesses.Try(time.Now(), "second from "+from, "second "+a.String())
	if wait > 0 {
		return TryLater{wait}
	}
	account, err := store.FindAccount(ctx, h.DB, a.String())
	if err != nil {
		return err
	}
	if account == nil || account.TOTP == "" {
		return ErrWrongCode
	}
	code = strings.ToLower(strings.Join(strings.Fields(code), ""))
	right := false
	if step, ok := identity.CheckCode(account.TOTP, code, time.Now()); ok {
		right, err = store.UseTimeStep(ctx, h.DB, account.Address, step)
	} else if len(code) > 6 {
		right, err = store.SpendRecoveryCode(ctx, h.DB, account.Address, sha256.Sum256([]byte(strings.ReplaceAll(code, "-", ""))))
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

// SetSecondStep makes a secret the second step of somebody's account, once they
// have shown with a code that they keep it, and gives their recovery codes.
func (h *House) SetSecondStep(ctx context.Context, a access.Address, secret, code string) (recovery []string, err error) {
	step, ok := identity.CheckCode(secret, strings.Join(strings.Fields(code), ""), time.Now())
	if !ok {
		return nil, ErrWrongCode
	}
	account, err := h.Account(ctx, a)
	if err != nil {
		return nil, err
	}
	if account.TOTP != "" {
		return nil, ErrHasSecondStep
	}
	account.TOTP, account.TOTPUsed = secret, step
	var hashes [][32]byte
	for range 10 {
		c := identity.RecoveryCode()
		recovery = append(recovery, c)
		hashes = append(hashes, sha256.Sum256([]byte(strings.ReplaceAll(c, "-", ""))))
	}
	return recovery, store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(h.saveAccount(ctx, tx, *account), store.SaveRecoveryCodes(ctx, tx, account.Address, hashes))
	})
}

// DropSecondStep takes the second step off somebody's account, with a code of it.
func (h *House) DropSecondStep(ctx context.Context, a Actor, code, from string) error {
	if err := h.SecondStep(ctx, a.Address, code, from); err != nil {
		return err
	}
	account, err := h.Account(ctx, a.Address)
	if err != nil {
		return err
	}
	account.TOTP, account.TOTPUsed = "", 0
	return store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(h.saveAccount(ctx, tx, *account), store.SaveRecoveryCodes(ctx, tx, account.Address, nil))
	})
}
