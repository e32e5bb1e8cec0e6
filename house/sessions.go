package house

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"sync"
	"time"

	"velada/identity"
	"velada/store"
)

// Sessions are who is signed in: on the console, and on the sites' own hosts by visits
// that go back to a session there.
type Sessions struct {
	Tickets *identity.Tickets // from the console to a site's host

	house  *House
	visits sync.Map // [32]byte → store.SiteSession
	unkept unkept
}

// BeginSession writes that somebody signed in on the console in one browser.
func (l *Sessions) BeginSession(ctx context.Context, id string, who store.Who, device, how string) error {
	return l.BeginSessionBy(ctx, id, who, device, how, nil)
}

// BeginSessionBy is BeginSession for whoever came by a passkey, with its id.
func (l *Sessions) BeginSessionBy(ctx context.Context, id string, who store.Who, device, how string, passkey []byte) error {
	now := time.Now()
	s := store.Session{ID: id, Who: who, Device: device, How: how, Began: now, Used: now, Passkey: passkey}
	err := l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error { return store.SaveSession(ctx, tx, s) })
	if errors.Is(err, ErrFull) && l.unkept.begin(s) {
		return nil
	}
	return err
}

// usedEvery is how exactly it is kept when a session was used last.
const usedEvery = time.Minute

// FindSession returns who a sign-in is of, when it was not ended from elsewhere, and
// keeps when it was used last, to the minute.
func (l *Sessions) FindSession(ctx context.Context, id string) (store.Who, bool, error) {
	s, ended := l.unkept.find(id)
	if s != nil || ended {
		if ended {
			return "", false, nil
		}
		return s.Who, true, nil
	}
	s, err := store.FindSession(ctx, l.house.db, id)
	if err != nil || s == nil {
		return "", false, err
	}
	if now := time.Now(); now.Sub(s.Used) >= usedEvery {
		err := l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error { return store.UseSession(ctx, tx, id, now) })
		if err != nil && !errors.Is(err, ErrFull) {
			return "", false, err
		}
	}
	return s.Who, true, nil
}

// SignOutEverywhere ends every sign-in of somebody but one, on the sites too.
func (l *Sessions) SignOutEverywhere(ctx context.Context, who store.Who, but string) error {
	return l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		tx.EndSignIns(who, but)
		return nil
	})
}

// EndOwnSession ends one sign-in of somebody's own.
func (l *Sessions) EndOwnSession(ctx context.Context, a Actor, id string) error {
	s, _ := l.unkept.find(id)
	if s == nil {
		var err error
		if s, err = store.FindSession(ctx, l.house.db, id); err != nil {
			return err
		}
	}
	if s == nil || s.Who != a.Who {
		return nil
	}
	return l.EndSession(ctx, id)
}

// SignOutPerson ends every sign-in of a person.
func (l *Sessions) SignOutPerson(ctx context.Context, id string) error {
	return l.SignOutEverywhere(ctx, store.Who(id), "")
}

// HasSecondStep reports whether an account has a second step.
func (l *Sessions) HasSecondStep(ctx context.Context, who store.Who) (bool, error) {
	account, err := store.FindAccount(ctx, l.house.db, who)
	return account != nil && account.TOTP != "", err
}

// KnowBrowser remembers a browser in which somebody has signed in, and returns the
// token that it keeps: the one that it has, or a new one.
func (l *Sessions) KnowBrowser(ctx context.Context, who store.Who, token string) (string, error) {
	if token == "" {
		token = identity.Token()
	}
	err := l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		return store.KnowBrowser(ctx, tx, who, sha256.Sum256([]byte(token)), time.Now())
	})
	if errors.Is(err, ErrFull) { // it is known the next time
		err = nil
	}
	return token, err
}

// VisitLife is how long a sign-in lasts on a site's host.
const SiteSessionLife = 12 * time.Hour

// How long a sign-in on the console lasts, and how long when nothing is done in it.
const (
	SessionLife = 7 * 24 * time.Hour
	SessionIdle = 24 * time.Hour
)

// BeginSiteSession redeems a ticket on a site's host, in the browser that it is for, and
// returns the value of the cookie that stands for the visit.
func (l *Sessions) BeginSiteSession(ctx context.Context, code, site, nonce string) (string, error) {
	id := l.house.SiteID(site)
	ticket, ok := l.Tickets.Redeem(code, string(id), nonce, l.TicketTime())
	if !ok || id == "" {
		return "", fmt.Errorf("the ticket is spent, or not for %s in this browser", site)
	}
	return l.SiteSessionFrom(ctx, id, ticket.Console)
}

// SiteSessionFrom begins a visit on a site's host that goes back to a sign-in on the
// console, and returns the value of its cookie.
func (l *Sessions) SiteSessionFrom(ctx context.Context, site store.SiteID, console string) (string, error) {
	value := identity.Token()
	err := l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		in, err := store.FindSession(ctx, tx, console)
		if err != nil {
			return err
		}
		if begun, ended := l.unkept.find(console); ended {
			return errSignedOut
		} else if in == nil {
			in = begun
		}
		if in == nil {
			return errSignedOut
		}
		v := store.SiteSession{Token: sha256.Sum256([]byte(value)), Site: site, Who: in.Who, Console: console, Expires: time.Now().Add(SiteSessionLife)}
		tx.After(func() { l.visits.Store(v.Token, v) })
		return store.SaveSiteSession(ctx, tx, v)
	})
	if errors.Is(err, ErrFull) {
		who, in, found := l.FindSession(ctx, console)
		if found == nil && !in {
			found = errSignedOut
		}
		if err = found; err == nil {
			v := store.SiteSession{Token: sha256.Sum256([]byte(value)), Site: site, Who: who, Console: console, Expires: time.Now().Add(SiteSessionLife)}
			l.visits.Store(v.Token, v)
			l.unkept.visit(v)
		}
	}
	if err != nil {
		return "", fmt.Errorf("beginning a visit: %w", err)
	}
	return value, nil
}

var errSignedOut = errors.New("the sign-in that the visit comes from has ended")

// SiteSession returns who a visit's cookie stands for on a site.
func (l *Sessions) SiteSession(value string, site store.SiteID) (store.Who, bool) {
	found, ok := l.visits.Load(sha256.Sum256([]byte(value)))
	if !ok || site == "" {
		return "", false
	}
	v := found.(store.SiteSession)
	return v.Who, v.Site == site && time.Now().Before(v.Expires)
}

// EndExpired forgets the visits and sign-ins that have expired.
func (l *Sessions) EndExpired(ctx context.Context) error {
	now := time.Now()
	return l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		tx.After(func() {
			l.visits.Range(func(token, v any) bool {
				if !now.Before(v.(store.SiteSession).Expires) {
					l.visits.Delete(token)
				}
				return true
			})
		})
		return store.EndExpired(ctx, tx, now, now.Add(-SessionLife), now.Add(-SessionIdle-usedEvery))
	})
}

// dropVisits forgets the visits that are meant, for the requests to come, and wakes
// whoever holds a connection open for one.
func (l *Sessions) dropSiteSessions(meant func(v store.SiteSession) bool) {
	l.unkept.drop(meant)
	l.visits.Range(func(token, v any) bool {
		if meant(v.(store.SiteSession)) {
			l.visits.Delete(token)
		}
		return true
	})
	l.house.wake()
}

// EndSiteSession signs out on one site's host.
func (l *Sessions) EndSiteSession(ctx context.Context, value string) error {
	return l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		tx.endSiteSession(sha256.Sum256([]byte(value)))
		return nil
	})
}

func (tx *Tx) endSiteSession(token [32]byte) {
	tx.Try(store.EndSiteSession(tx.Context(), tx, token))
	tx.After(func() { tx.house.Sessions.dropSiteSessions(func(v store.SiteSession) bool { return v.Token == token }) })
}

// EndSession signs out on every site's host that a console session led to.
func (l *Sessions) EndSession(ctx context.Context, console string) error {
	err := l.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		tx.EndSession(console)
		return nil
	})
	if begun, _ := l.unkept.find(console); begun != nil || errors.Is(err, ErrFull) {
		l.unkept.end(console)
		l.dropSiteSessions(func(v store.SiteSession) bool { return v.Console == console })
		if errors.Is(err, ErrFull) {
			return nil
		}
	}
	return err
}

// EndSession signs out in one browser, on the console and on every site's host that it led to.
func (tx *Tx) EndSession(console string) {
	tx.After(func() {
		tx.house.Sessions.dropSiteSessions(func(v store.SiteSession) bool { return v.Console == console })
	})
	tx.Try(errors.Join(store.EndSiteSessionsOf(tx.ctx, tx, console), store.EndSession(tx.ctx, tx, console)))
}

// dropSignIns makes it hold for the requests to come that somebody was signed out
// everywhere but in one place, once store.EndSignIns of that is committed.
func (l *Sessions) dropSignIns(who store.Who, but string) {
	l.unkept.endAll(who, but)
	l.dropSiteSessions(func(v store.SiteSession) bool { return v.Who == who && (but == "" || v.Console != but) })
}

// TicketTime is the time by which tickets are issued and redeemed: the real
// one, also where the house's clock stands still.
func (l *Sessions) TicketTime() time.Time { return time.Now() }
