package domains

import (
	"fmt"
	"time"

	"velada/domain"
	"velada/store"
	"velada/words"
)

// Grace is how long a domain answers after its proof is gone: long enough to mend what was
// deleted by mistake.
const Grace = 3 * 24 * time.Hour

// After is what is kept of a domain after its name servers were asked. What nobody answered
// changes nothing that was known.
func After(d store.Domain, seen domain.Seen, to domain.Target, now time.Time) store.Domain {
	proof, pointing := domain.Judge(seen, d.Token, to)
	d.Looked = now
	d.Seen.Proof, d.Seen.Pointing, d.Seen.Unregistered = proof, pointing, seen.Unregistered
	switch {
	case seen.Unregistered, proof.Absent():
		if d.Seen.Unproven.IsZero() && !d.Proven.IsZero() {
			d.Seen.Unproven = now
		}
		if !d.Proven.IsZero() && now.Sub(d.Seen.Unproven) >= Grace {
			d.Proven, d.Main = time.Time{}, false
		}
	case proof.Set():
		d.Seen.Unproven = time.Time{}
		if d.Proven.IsZero() {
			d.Proven = now
		}
	}
	switch {
	case pointing.Set():
		d.Seen.Reached, d.Seen.Elsewhere = true, time.Time{}
	case (seen.Unregistered || pointing.Absent()) && d.Seen.Reached && d.Seen.Elsewhere.IsZero():
		d.Seen.Elsewhere = now
	}
	d.Next = now.Add(pause(d, now))
	return d
}

// pause is how long it takes until a domain is looked at again: every few minutes while somebody
// sets it up or mends it, then daily.
func pause(d store.Domain, now time.Time) time.Duration {
	since := d.Added
	for _, at := range []time.Time{d.Seen.Unproven, d.Seen.Elsewhere} {
		if at.After(since) {
			since = at
		}
	}
	well := !d.Proven.IsZero() && d.Seen.Proof.Kind == domain.Right && d.Seen.Pointing.Kind == domain.Right
	switch age := now.Sub(since); {
	case age < time.Hour:
		return 3 * time.Minute
	case age < 24*time.Hour && !well:
		return 15 * time.Minute
	case !well && age < 7*24*time.Hour:
		return 2 * time.Hour
	}
	return 24 * time.Hour
}

// changes says what has become of a domain.
func changes(was, now store.Domain) (list []string) {
	name := domain.Show(now.Name)
	add := func(format string, args ...any) { list = append(list, fmt.Sprintf(format, args...)) }
	switch {
	case was.Proven.IsZero() && !now.Proven.IsZero():
		add("The domain %s is proven.", name)
	case !was.Proven.IsZero() && now.Proven.IsZero():
		add("The domain %s is lost: its proving record has been gone for %s. Nothing answers there any more.", name, days(Grace))
	case was.Seen.Unproven.IsZero() && !now.Seen.Unproven.IsZero() && now.Seen.Unregistered:
		add("The domain %s is not registered any more: it may have expired.", name)
	case was.Seen.Unproven.IsZero() && !now.Seen.Unproven.IsZero():
		add("The proving record of the domain %s is gone. Without it the domain is lost in %s.", name, days(Grace))
	}
	switch {
	case now.Proven.IsZero():
	case was.Seen.Elsewhere.IsZero() && !now.Seen.Elsewhere.IsZero() && !now.Seen.Unregistered:
		add("The domain %s leads elsewhere: %s.", name, words.Leads(now.Seen.Pointing.Values))
	case !was.Seen.Reached && now.Seen.Reached, !was.Seen.Elsewhere.IsZero() && now.Seen.Elsewhere.IsZero():
		add("The domain %s leads to this site.", name)
	}
	return list
}

func days(d time.Duration) string { return fmt.Sprintf("%d days", int(d.Hours()/24)) }
