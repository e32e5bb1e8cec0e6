package app

import (
	"context"
	"fmt"
	"time"

	"velada/identity"
)

// From is where somebody who tries something comes from.
type From struct {
	IP      string
	Browser string // the token of a browser in which somebody has signed in before, or ""
}

// source is the network that a try is counted against.
func (f From) source() string { return identity.Source(f.IP) }

// throttles slow down whoever tries too often. What is counted by one's account and
// source, or by one's browser, is refused when it is too much; what is counted
// across sources only waits, so that nobody can lock somebody else out.
type throttles struct {
	signIns  *identity.Throttle // wrong passwords of an account from a source
	accounts *identity.Brake    // of an account, wherever they come from
	sources  *identity.Brake    // of all accounts, from a source
	passes   *identity.Throttle // wrong passwords of a site from a source
	sites    *identity.Brake    // of a site, wherever they come from
	steps    *identity.Throttle // wrong codes of a second step
	slow     *identity.Throttle // the same after many in a row
	codes    *identity.Throttle // join codes that are none, from a source
	allCodes *identity.Brake    // the same, wherever they come from
	joins    *identity.Throttle // people who join by one code
	asks     *identity.Throttle // letters to an address that are asked for from a source
	letters  *identity.Throttle // letters to an address, wherever they are asked for
	forms    *identity.Throttle // forms that anybody may send, from a source
	comments *identity.Throttle
}

// A school sits behind one address: in an evening 500 people join, sign up or ask
// for a link from there.
const schoolEvening = 500

func newThrottles() throttles {
	return throttles{
		signIns:  &identity.Throttle{Every: 12 * time.Second, Burst: 8},
		accounts: &identity.Brake{Every: time.Second, Burst: 40, Most: 3 * time.Second},
		sources:  &identity.Brake{Every: time.Second / 2, Burst: 100, Most: 3 * time.Second},
		passes:   &identity.Throttle{Every: 12 * time.Second, Burst: 5},
		sites:    &identity.Brake{Every: time.Second, Burst: 120, Most: 3 * time.Second},
		steps:    &identity.Throttle{Every: 12 * time.Second, Burst: 8},
		slow:     &identity.Throttle{Every: time.Minute, Burst: 1},
		codes:    &identity.Throttle{Every: 6 * time.Second, Burst: 30},
		allCodes: &identity.Brake{Every: time.Second / 4, Burst: 200, Most: 3 * time.Second},
		joins:    &identity.Throttle{Every: 4 * time.Second, Burst: schoolEvening},
		asks:     &identity.Throttle{Every: time.Minute, Burst: 6},
		letters:  &identity.Throttle{Every: 5 * time.Minute, Burst: 20},
		forms:    &identity.Throttle{Every: 10 * time.Second, Burst: schoolEvening},
		comments: &identity.Throttle{Every: 20 * time.Second, Burst: 10},
	}
}

// TryLater says that there was too much of something, and how long to wait.
type TryLater struct {
	What string // what there was too much of, as a sentence; "" for wrong tries
	Wait time.Duration
}

func (t TryLater) Error() string {
	what := t.What
	if what == "" {
		what = "Too many wrong tries."
	}
	seconds := int(t.Wait.Seconds()) + 1
	if seconds > 90 {
		return fmt.Sprintf("%s Try again in %d minutes.", what, (seconds+59)/60)
	}
	return fmt.Sprintf("%s Try again in %d seconds.", what, seconds)
}

// try counts a try against a key, until it is forgiven.
func try(t *identity.Throttle, what string, keys ...string) (forgive func(), err error) {
	forgive, wait := t.Try(time.Now(), keys...)
	if wait > 0 {
		return func() {}, TryLater{what, wait}
	}
	return forgive, nil
}

// slow waits where there were many tries across sources, but never refuses. The try
// counts until it is forgiven.
func slow(ctx context.Context, b *identity.Brake, key string) (forgive func(), err error) {
	return b.Wait(ctx, key)
}

// CountForm counts a form that anybody may send against where it comes from; give
// it back where the form was refused for another reason.
func (h *House) CountForm(form string, from From) (giveBack func(), err error) {
	return try(h.throttles.forms, "Very many of these forms were sent from your network.", form+" "+from.source())
}
