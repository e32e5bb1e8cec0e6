package identity

import (
	"crypto/rand"
	"encoding/base64"
	"sync"
	"time"
)

// TicketLife is how long a ticket can be redeemed.
const TicketLife = 30 * time.Second

// Ticket carries a sign-in from the console's host to one site's.
type Ticket struct {
	Site    string
	Address string
	Console string // the console session it comes from

	ends time.Time
}

// Tickets keeps the tickets that were handed out and not redeemed yet. They
// live in memory alone: a restart ends them, as half a minute would.
type Tickets struct {
	mu      sync.Mutex
	waiting map[string]Ticket
}

// Issue hands out a ticket for one site.
func (t *Tickets) Issue(ticket Ticket, now time.Time) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.waiting == nil {
		t.waiting = map[string]Ticket{}
	}
	for code, old := range t.waiting {
		if !now.Before(old.ends) {
			delete(t.waiting, code)
		}
	}
	ticket.ends = now.Add(TicketLife)
	code := Token()
	t.waiting[code] = ticket
	return code
}

// Redeem gives what a ticket carries, once, and only on the host it is for.
func (t *Tickets) Redeem(code, site string, now time.Time) (Ticket, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	ticket, ok := t.waiting[code]
	delete(t.waiting, code)
	return ticket, ok && ticket.Site == site && now.Before(ticket.ends)
}

// Token is a fresh random value of 192 bits for a URL or a cookie.
func Token() string {
	b := make([]byte, 24)
	rand.Read(b)
	return base64.RawURLEncoding.EncodeToString(b)
}
