package identity

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"
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
	waiting *expirable.LRU[string, Ticket]
}

// NewTickets returns a place for tickets; beyond mostTickets the oldest are forgotten.
func NewTickets() *Tickets {
	return &Tickets{expirable.NewLRU[string, Ticket](mostTickets, nil, TicketLife)}
}

// Issue hands out a ticket for one site, and returns the code that it is redeemed by.
func (t *Tickets) Issue(ticket Ticket, now time.Time) string {
	ticket.ends = now.Add(TicketLife)
	code := Token()
	t.waiting.Add(code, ticket)
	return code
}

// Redeem returns what a ticket carries, once, and only on the host and in the browser
// that it is for. A ticket that is shown anywhere else is spent.
func (t *Tickets) Redeem(code, site, nonce string, now time.Time) (Ticket, bool) {
	ticket, there := t.waiting.Peek(code)
	if there = t.waiting.Remove(code) && there; !there { // another was first
		return Ticket{}, false
	}
	return ticket, nonce != "" && ticket.Site == site && ticket.Nonce == Nonced(nonce) && now.Before(ticket.ends)
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
