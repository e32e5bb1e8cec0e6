package app

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"sync"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// TryLater says that there were too many wrong guesses.
type TryLater struct{ Wait time.Duration }

func (t TryLater) Error() string {
	seconds := int(t.Wait.Seconds()) + 1
	if seconds > 90 {
		return fmt.Sprintf("Too many wrong tries. Try again in %d minutes.", (seconds+59)/60)
	}
	return fmt.Sprintf("Too many wrong tries. Try again in %d seconds.", seconds)
}

// WrongSignIn says that an address and a password do not belong together,
// whether or not there is such an account.
type WrongSignIn struct{}

func (WrongSignIn) Error() string { return "This address and this password do not belong together." }

// noAccount is a hash that no password has, so that an unknown address takes as
// long as a known one.
var noAccount = sync.OnceValue(func() string { return identity.HashPassword(identity.Token()) })

// SignIn checks an address and a password. from is where the visitor comes from.
func (h *House) SignIn(ctx context.Context, address, password, from string) (access.Address, error) {
	a, err := access.ParseAddress(address)
	if err != nil {
		return a, WrongSignIn{}
	}
	forgive, wait := h.signInGuesses.Try(time.Now(), "from "+from, "account "+a.String())
	if wait > 0 {
		return a, TryLater{wait}
	}
	account, err := store.FindAccount(ctx, h.DB, a.String())
	if err != nil {
		return a, fmt.Errorf("looking for an account: %w", err)
	}
	hash := noAccount()
	if account != nil && account.Password != "" {
		hash = account.Password
		if account.MustChange {
			password = plainCode(password)
		}
	}
	if len(password) > identity.LongestPassword {
		return a, WrongSignIn{}
	}
	right, err := identity.CheckPassword(hash, password)
	if err != nil {
		return a, err
	}
	if !right || account == nil || account.Password == "" {
		return a, WrongSignIn{}
	}
	forgive()
	return a, nil
}

// visitLife is how long a sign-in lasts on a site's host.
const visitLife = 12 * time.Hour

// BeginVisit redeems a ticket on a site's host and gives the value of the
// cookie that stands for the visit.
func (h *House) BeginVisit(ctx context.Context, code, site string) (string, error) {
	ticket, ok := h.Tickets.Redeem(code, site, h.TicketTime())
	if !ok {
		return "", fmt.Errorf("the ticket is spent or not for %s", site)
	}
	value := identity.Token()
	v := store.Visit{Token: sha256.Sum256([]byte(value)), Site: site, Address: ticket.Address, Console: ticket.Console, Expires: time.Now().Add(visitLife)}
	if err := store.SaveVisit(ctx, h.DB, v); err != nil {
		return "", fmt.Errorf("beginning a visit: %w", err)
	}
	h.keepVisit(v)
	return value, nil
}

// Visiting gives the address that a visit's cookie stands for on a site.
func (h *House) Visiting(value, site string) (access.Address, bool) {
	found, ok := h.visits.Load(sha256.Sum256([]byte(value)))
	if !ok {
		return access.Address{}, false
	}
	v := found.(visiting)
	return v.address, v.Site == site && time.Now().Before(v.Expires)
}

// visiting is a visit with its address as it is compared.
type visiting struct {
	store.Visit
	address access.Address
}

// keepVisit keeps a visit for the requests to come.
func (h *House) keepVisit(v store.Visit) {
	if a, err := access.ParseAddress(v.Address); err == nil {
		h.visits.Store(v.Token, visiting{v, a})
	}
}

// EndVisit signs out on one site's host.
func (h *House) EndVisit(ctx context.Context, value string) error {
	token := sha256.Sum256([]byte(value))
	h.visits.Delete(token)
	return store.EndVisit(ctx, h.DB, token)
}

// EndSession signs out on every site's host that a console session led to.
func (h *House) EndSession(ctx context.Context, console string) error {
	h.visits.Range(func(token, v any) bool {
		if v.(visiting).Console == console {
			h.visits.Delete(token)
		}
		return true
	})
	return errors.Join(store.EndVisitsOf(ctx, h.DB, console), store.EndSignedIn(ctx, h.DB, console))
}

// TicketTime is the time by which tickets are issued and redeemed: the real
// one, also where the house's clock stands still.
func (h *House) TicketTime() time.Time { return time.Now() }
