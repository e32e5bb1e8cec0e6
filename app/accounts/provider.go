package accounts

import (
	"context"
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

// SignInWith returns whom a provider vouches for, or an error whose text may be shown
// to them.
func SignInWith(ctx context.Context, h *house.House, p *house.Provider, claims identity.Claims) (who store.Who, err error) {
	a, err := Vouched(p, claims)
	if err != nil {
		return "", err
	}
	name, text := house.NameTyped(claims.Name)
	if text != "" {
		name = ""
	}
	err = h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		var signsIn bool
		if who, signsIn = tx.State().WhoSignsIn(a); !signsIn {
			return had(a)
		}
		tx.NewAccountUnlessThere(store.Account{Who: who, Name: name})
		return nil
	})
	if err != nil {
		return "", err
	}
	return who, nil
}
