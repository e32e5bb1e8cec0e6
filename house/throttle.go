package house

import (
	"context"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/limits"
)

// From is where somebody who tries something comes from.
type From struct {
	IP      string
	Browser string // the token of a browser in which somebody has signed in before, or ""
}

// Source is the network that a try is counted against.
func (f From) Source() string { return identity.Source(f.IP) }

// Throttles slow down whoever tries too often. What is counted by one's account and
// source, or by one's browser, is refused when it is too much; what is counted
// across sources only waits, so that nobody can lock somebody else out.
type Throttles struct {
	SignIns  *identity.Throttle // wrong passwords of an account from a source
	Accounts *identity.Brake    // of an account, wherever they come from
	Sources  *identity.Brake    // of all accounts, from a source
	Passes   *identity.Throttle // wrong passwords of a site from a source
	Sites    *identity.Brake    // of a site, wherever they come from
	Steps    *identity.Throttle // wrong codes of a second step
	Slow     *identity.Throttle // the same after many in a row
	Codes    *identity.Throttle // join codes that are none, from a source
	AllCodes *identity.Brake    // the same, wherever they come from
	Joins    *identity.Throttle // people who join by one code
	Asks     *identity.Throttle // letters to an address that are asked for from a source
	Letters  *identity.Throttle // letters to an address, wherever they are asked for
	forms    *identity.Throttle // forms that anybody may send, from a source
	Comments *identity.Throttle
	Guesses  *identity.Throttle // wrong passwords from a source, whatever the account
	Invites  *identity.Throttle // invitations by one person
	ToMany   *identity.Throttle // letters of a site to its members
	Frees    *identity.Throttle // whether an address is free, by one person
	Hashing  *identity.Line     // whose passwords are looked at
	Searches *identity.Line
	Looks    *identity.Throttle // at the name servers of a domain, because somebody waits
}

// A school sits behind one address: in an evening 500 people join, sign up or ask
// for a link from there.
const schoolEvening = 500

func newThrottles() Throttles {
	return Throttles{
		SignIns:  &identity.Throttle{Every: 12 * time.Second, Burst: 8},
		Accounts: &identity.Brake{Every: time.Second, Burst: 40, Most: 3 * time.Second},
		Sources:  &identity.Brake{Every: time.Second / 2, Burst: 100, Most: 3 * time.Second},
		Passes:   &identity.Throttle{Every: 12 * time.Second, Burst: 5},
		Sites:    &identity.Brake{Every: time.Second, Burst: 120, Most: 3 * time.Second},
		Steps:    &identity.Throttle{Every: 12 * time.Second, Burst: 8},
		Slow:     &identity.Throttle{Every: time.Minute, Burst: 1},
		Codes:    &identity.Throttle{Every: 6 * time.Second, Burst: 30},
		AllCodes: &identity.Brake{Every: time.Second / 4, Burst: 200, Most: 3 * time.Second},
		Joins:    &identity.Throttle{Every: 4 * time.Second, Burst: schoolEvening},
		Asks:     &identity.Throttle{Every: time.Minute, Burst: 6},
		Letters:  &identity.Throttle{Every: 5 * time.Minute, Burst: 20},
		forms:    &identity.Throttle{Every: 10 * time.Second, Burst: schoolEvening},
		Comments: &identity.Throttle{Every: 20 * time.Second, Burst: 10},
		Guesses:  &identity.Throttle{Every: limits.GuessPause, Burst: limits.GuessesBySource},
		Invites:  &identity.Throttle{Every: time.Hour / limits.InvitationsAnHour, Burst: limits.InvitationsAnHour},
		ToMany:   &identity.Throttle{Every: 24 * time.Hour / limits.LettersADay, Burst: limits.LettersADay},
		Frees:    &identity.Throttle{Every: limits.AddressPause, Burst: limits.AddressesAsked},
		Hashing:  &identity.Line{Slots: limits.HashesAtOnce, Waiting: limits.WaitBySource},
		Searches: &identity.Line{Slots: limits.SearchesAtOnce, Waiting: limits.WaitBySource},
		Looks:    &identity.Throttle{Every: 4 * time.Second, Burst: 1},
	}
}

// Try counts a try against a key, until it is forgiven.
func Try(t *identity.Throttle, what string, keys ...string) (forgive func(), err error) {
	forgive, wait := t.Try(time.Now(), keys...)
	if wait > 0 {
		return func() {}, identity.TryLater{What: what, Wait: wait}
	}
	return forgive, nil
}

// Slow waits where there were many tries across sources, but never refuses. The try
// counts until it is forgiven.
func Slow(ctx context.Context, b *identity.Brake, key string) (forgive func(), err error) {
	return b.Wait(ctx, key)
}

// CountForm counts a form that anybody may send against where it comes from; give
// it back where the form was refused for another reason.
func (h *House) CountForm(form string, from From) (giveBack func(), err error) {
	return Try(h.Throttles.forms, "Very many of these forms were sent from your network.", form+" "+from.Source())
}

// MayWriteTo counts a letter that somebody asked for to an address, and reports whether it is written:
// where it is not, enough of its kind are in the mailbox already, and each of them works. Links to sign
// in and to set a new password are counted by themselves, so that nobody keeps one from somebody by
// asking for others in their name.
func (h *House) MayWriteTo(a access.Address, kind string) bool {
	of := "others"
	if kind == LinkReset || kind == LinkSignIn {
		of = kind
	}
	_, wait := h.Throttles.Letters.Try(time.Now(), of+" to "+a.String())
	return wait == 0
}
