package identity

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"sync"
	"time"
)

// TicketLife is how long a ticket can be redeemed.
const TicketLife = 30 * time.Second

// mostTickets bounds the memory that tickets take.
const mostTickets = 100_000

// Ticket carries a sign-in from the console's host to one site's, in one browser.
type Ticket struct {
	Site    string // its id
	Nonce   string // Nonced of the value that the site's host gave the browser
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
		if !now.Before(old.ends) || len(t.waiting) >= mostTickets {
			delete(t.waiting, code)
		}
	}
	ticket.ends = now.Add(TicketLife)
	code := Token()
	t.waiting[code] = ticket
	return code
}

// Redeem returns what a ticket carries, once, and only on the host and in the browser
// that it is for. A ticket that is shown anywhere else is spent.
func (t *Tickets) Redeem(code, site, nonce string, now time.Time) (Ticket, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	ticket, ok := t.waiting[code]
	delete(t.waiting, code)
	return ticket, ok && nonce != "" && ticket.Site == site && ticket.Nonce == Nonced(nonce) && now.Before(ticket.ends)
}

// Nonced is what the console is told of a value that only a browser and a site's
// host know.
func Nonced(value string) string {
	hash := sha256.Sum256([]byte(value))
	return base64.RawURLEncoding.EncodeToString(hash[:])
}

// Token is a fresh random value of 192 bits for a URL or a cookie.
func Token() string {
	b := make([]byte, 24)
	rand.Read(b)
	return base64.RawURLEncoding.EncodeToString(b)
}
