package accounts

import (
	"context"
	"errors"
	"fmt"

	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// Vouched returns the address that a provider vouches for: one at its domains, of which
// the provider has seen that it is read. Otherwise it returns an error whose text may
// be shown to them.
func Vouched(p *house.Provider, claims identity.Claims) (access.Address, error) {
	a, err := access.ParseAddress(claims.Address)
	switch {
	case err != nil:
		return a, fmt.Errorf("%s did not tell an address", p.Name)
	case claims.Verified == identity.NotVerified:
		return a, fmt.Errorf("%s has not verified that the address %s is yours", p.Name, a)
	case claims.Verified == identity.Unsaid && !p.Unsaid:
		return a, fmt.Errorf("%s does not say whether it has verified that the address %s is yours. A steward sets, beside the provider, what that means", p.Name, a)
	case !access.MatchesAny(p.Domains, a):
		return a, fmt.Errorf("%s is not trusted for %s: it is trusted for %s alone", p.Name, a, words.And(p.Domains))
	}
	return a, nil
}

// had says why an address signs nobody in.
func had(a access.Address) error {
	return fmt.Errorf("%s signs nobody in here: somebody had it before", a)
}

// WouldSignIn returns whom a provider would sign in, as SignInWith does, and changes
// nothing; "" is somebody whom nobody has heard of yet.
func WouldSignIn(s *house.State, p *house.Provider, claims identity.Claims) (store.Who, error) {
	a, err := Vouched(p, claims)
	if err != nil {
		return "", err
	}
	who, signsIn := s.WhoSignsIn(a)
	if !signsIn {
		return "", had(a)
	}
	return who, nil
}

// NewSubject says that a provider means somebody else than before by an address: whoever comes by it
// shows in another way who they are.
type NewSubject struct {
	Who      store.Who
	Issuer   string
	Subject  string
	Provider string // its name
}

func (n NewSubject) Error() string {
	return fmt.Sprintf("%s knows another account by this address than before. Sign in once by a link by mail, or ask a steward; after that %s signs you in again", n.Provider, n.Provider)
}

// Bind says whom a provider means by a subject, once they have shown in another way who they are.
func Bind(ctx context.Context, h *house.House, who store.Who, issuer, subject string) error {
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		tx.NotifyAccount(who, "A new account signs you in", "You are signed in by another account of a provider than before. If that was not you, tell a steward.")
		return store.SaveSubject(ctx, tx, issuer, subject, who, tx.Now())
	})
}

// SignInWith returns whom a provider vouches for, or an error whose text may be shown
// to them. Whom it means is kept by its issuer and subject; NewSubject where an address is another's
// there by now, of which whoever it is here is told.
func SignInWith(ctx context.Context, h *house.House, p *house.Provider, claims identity.Claims) (who store.Who, err error) {
	a, err := Vouched(p, claims)
	if err != nil {
		return "", err
	}
	name, text := house.NameTyped(claims.Name)
	if text != "" {
		name = ""
	}
	var another *NewSubject
	err = h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		var signsIn bool
		if who, signsIn = tx.State().WhoSignsIn(a); !signsIn {
			return had(a)
		}
		if claims.Subject != "" {
			known, err1 := store.WhoIsSubject(ctx, tx, claims.Issuer, claims.Subject)
			has, err2 := store.HasSubject(ctx, tx, claims.Issuer, who)
			if err := errors.Join(err1, err2); err != nil {
				return err
			}
			switch {
			case known == who:
			case known == "" && !has:
				tx.Try(store.SaveSubject(ctx, tx, claims.Issuer, claims.Subject, who, tx.Now()))
			default:
				another = &NewSubject{who, claims.Issuer, claims.Subject, p.Name}
				tx.NotifyAccount(who, "Somebody else comes by your address", fmt.Sprintf("%s says that an account signs in by your address that is another one than before. It was not let in. If that is you, sign in by a link by mail; otherwise tell a steward.", p.Name))
				return nil
			}
		}
		tx.NewAccountUnlessThere(store.Account{Who: who, Name: name})
		return nil
	})
	switch {
	case err != nil:
		return "", err
	case another != nil:
		return "", *another
	}
	return who, nil
}
