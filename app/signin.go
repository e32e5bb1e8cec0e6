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

// WrongSignIn says that an address and a password do not belong together,
// whether or not there is such an account.
type WrongSignIn struct{}

func (WrongSignIn) Error() string { return "This address and this password do not belong together." }

// noAccount is a hash that no password has, so that an unknown address takes as
// long as a known one.
var noAccount = sync.OnceValue(func() string { return identity.HashPassword(identity.Token()) })

// SignIn checks an address and a password, and returns whose they are. An address
// that somebody had before signs nobody in.
func (h *House) SignIn(ctx context.Context, address, password string, from From) (store.Who, error) {
	a, err := access.ParseAddress(address)
	if err != nil {
		return "", WrongSignIn{}
	}
	who, signsIn := h.State().WhoSignsIn(a)
	if !signsIn {
		who = store.Who("nobody " + a.String())
	}
	return who, h.checkPassword(ctx, who, password, from)
}

// CheckPassword checks the password of somebody who is signed in already.
func (h *House) CheckPassword(ctx context.Context, a Actor, password string, from From) error {
	return h.checkPassword(ctx, a.Who, password, from)
}

func (h *House) checkPassword(ctx context.Context, who store.Who, password string, from From) error {
	forgive, err := h.countSignIn(ctx, "password", h.throttles.signIns, who, from)
	if err != nil {
		return err
	}
	account, err := store.FindAccount(ctx, h.DB, who)
	if err != nil {
		return fmt.Errorf("looking for an account: %w", err)
	}
	hash := noAccount()
	if account != nil && account.Password != "" {
		hash = account.Password
		if account.MustChange {
			password = plainCode(password)
		}
	}
	if len(password) > identity.LongestPassword {
		return WrongSignIn{}
	}
	right, err := identity.CheckPassword(hash, password)
	if err != nil {
		return err
	}
	if !right || account == nil || account.Password == "" {
		return WrongSignIn{}
	}
	forgive()
	return nil
}

// countSignIn counts a guess at what somebody signs in with. A browser in which
// they have signed in before is counted by itself, so that whoever guesses elsewhere
// keeps nobody out; across browsers and networks guesses only wait.
func (h *House) countSignIn(ctx context.Context, what string, t *identity.Throttle, who store.Who, from From) (forgive func(), err error) {
	token := sha256.Sum256([]byte(from.Browser))
	known := false
	if from.Browser != "" {
		if known, err = store.KnownBrowser(ctx, h.DB, who, token); err != nil {
			return nil, err
		}
	}
	if known {
		return try(t, "", what+" of "+string(who)+" in "+string(token[:]))
	}
	here, err := try(t, "", what+" of "+string(who)+" from "+from.source())
	if err != nil {
		return nil, err
	}
	one, err1 := slow(ctx, h.throttles.accounts, what+" "+string(who))
	two, err2 := slow(ctx, h.throttles.sources, what+" "+from.source())
	return func() { here(); one(); two() }, errors.Join(err1, err2)
}

// KnowBrowser remembers a browser in which somebody has signed in, and returns the
// token that it keeps: the one that it has, or a new one.
func (h *House) KnowBrowser(ctx context.Context, who store.Who, token string) (string, error) {
	if token == "" {
		token = identity.Token()
	}
	return token, h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		return store.KnowBrowser(ctx, tx, who, sha256.Sum256([]byte(token)), time.Now())
	})
}

// VisitLife is how long a sign-in lasts on a site's host.
const VisitLife = 12 * time.Hour

// BeginVisit redeems a ticket on a site's host, in the browser that it is for, and
// returns the value of the cookie that stands for the visit.
func (h *House) BeginVisit(ctx context.Context, code, site, nonce string) (string, error) {
	id := h.id(site)
	ticket, ok := h.Tickets.Redeem(code, string(id), nonce, h.TicketTime())
	if !ok || id == "" {
		return "", fmt.Errorf("the ticket is spent, or not for %s in this browser", site)
	}
	return h.VisitFrom(ctx, id, ticket.Console)
}

// VisitFrom begins a visit on a site's host that goes back to a sign-in on the
// console, and returns the value of its cookie.
func (h *House) VisitFrom(ctx context.Context, site store.SiteID, console string) (string, error) {
	value := identity.Token()
	err := h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		in, err := store.FindSignedIn(ctx, tx, console)
		if err != nil {
			return err
		}
		if in == nil {
			return errSignedOut
		}
		v := store.Visit{Token: sha256.Sum256([]byte(value)), Site: site, Who: in.Who, Console: console, Expires: time.Now().Add(VisitLife)}
		tx.After(func() { h.visits.Store(v.Token, v) })
		return store.SaveVisit(ctx, tx, v)
	})
	if err != nil {
		return "", fmt.Errorf("beginning a visit: %w", err)
	}
	return value, nil
}

var errSignedOut = errors.New("the sign-in that the visit comes from has ended")

// Visiting returns who a visit's cookie stands for on a site.
func (h *House) Visiting(value string, site store.SiteID) (store.Who, bool) {
	found, ok := h.visits.Load(sha256.Sum256([]byte(value)))
	if !ok || site == "" {
		return "", false
	}
	v := found.(store.Visit)
	return v.Who, v.Site == site && time.Now().Before(v.Expires)
}

// dropVisits forgets the visits that are meant, for the requests to come, and wakes
// whoever holds a connection open for one.
func (h *House) dropVisits(meant func(v store.Visit) bool) {
	h.visits.Range(func(token, v any) bool {
		if meant(v.(store.Visit)) {
			h.visits.Delete(token)
		}
		return true
	})
	h.wake()
}

// EndVisit signs out on one site's host.
func (h *House) EndVisit(ctx context.Context, value string) error {
	return h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		tx.endVisit(sha256.Sum256([]byte(value)))
		return nil
	})
}

func (tx *Tx) endVisit(token [32]byte) {
	tx.Try(store.EndVisit(tx.Context(), tx, token))
	tx.After(func() { tx.house.dropVisits(func(v store.Visit) bool { return v.Token == token }) })
}

// EndSession signs out on every site's host that a console session led to.
func (h *House) EndSession(ctx context.Context, console string) error {
	return h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		tx.After(func() { h.dropVisits(func(v store.Visit) bool { return v.Console == console }) })
		return errors.Join(store.EndVisitsOf(ctx, tx, console), store.EndSignedIn(ctx, tx, console))
	})
}

// dropSignIns makes it hold for the requests to come that somebody was signed out
// everywhere but in one place, once store.EndSignIns of that is committed.
func (h *House) dropSignIns(who store.Who, but string) {
	h.dropVisits(func(v store.Visit) bool { return v.Who == who && (but == "" || v.Console != but) })
}

// TicketTime is the time by which tickets are issued and redeemed: the real
// one, also where the house's clock stands still.
func (h *House) TicketTime() time.Time { return time.Now() }
