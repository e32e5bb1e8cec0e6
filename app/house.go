// Package app holds the use cases: one function each, checking what the one who
// asks may do, writing in one transaction with its ledger entry, and then
// swapping what the gate decides by. It knows no HTTP.
package app

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// House is a running house: its database, and its state as requests read it.
type House struct {
	DB         *sql.DB
	Tickets    identity.Tickets
	ConsoleURL string                      // the console's origin, for links in mail
	SiteURL    func(address string) string // a site's origin, likewise

	background sync.WaitGroup                // what goes on after an answer was given
	changed    atomic.Pointer[chan struct{}] // closed when the state is swapped

	now       func() time.Time
	writing   sync.Mutex // one change at a time, so that none is based on a stale state
	state     atomic.Pointer[State]
	visits    sync.Map // [32]byte → visiting
	cookieKey []byte

	passGuesses   *identity.Throttle // by where a visitor comes from, and site
	siteGuesses   *identity.Throttle // by site, wherever they come from
	signInGuesses *identity.Throttle
	mailAsks      *identity.Throttle // for links by mail
	commentTries  *identity.Throttle

	names       sync.Map // address → what the account's holder is called
	texts, data cache    // of pages and files of editions
}

// State is everything that a request reads: immutable, and swapped whole.
type State struct {
	Policy      *access.Policy
	Zone        *time.Location
	Passes      map[string]map[string]store.PassSecret // by site and pass
	Editions    map[string]*LiveEdition                // by site
	Working     map[string]Working                     // by site
	Moved       map[string]map[string]string           // where live pages stood: page ids by site and path
	Holding     map[string]store.HoldingPage           // what holding pages say, by site
	Old         map[string]string                      // sites by addresses they had before
	Short       map[string]map[string]string           // paths by site and short name
	Details     map[string]store.Details               // what sites say of themselves
	Memberships map[string]Membership                  // what membership is like, by site
	Comments    map[string]map[string][]store.Comment  // by site and path, those that wait too
	Settings    *Settings                              // of the house
	Rendered    *Rendered                              // whole pages as they were sent in this state
	salts       map[string][]byte
	links       map[[2]string]int // versions of links' tokens, by site and link
}

// Open loads a house from its database. Before it is set up its state is nil.
func Open(ctx context.Context, db *sql.DB, now func() time.Time) (*House, error) {
	h := &House{
		DB: db, now: now,
		passGuesses:   &identity.Throttle{Every: 12 * time.Second, Burst: 5},
		siteGuesses:   &identity.Throttle{Every: time.Second, Burst: 120},
		signInGuesses: &identity.Throttle{Every: 12 * time.Second, Burst: 8},
		mailAsks:      &identity.Throttle{Every: time.Minute, Burst: 6},
		commentTries:  &identity.Throttle{Every: 20 * time.Second, Burst: 10},
		texts:         cache{most: 48 << 20}, data: cache{most: 32 << 20},
	}
	var err error
	h.cookieKey, err = store.Secret(ctx, db, "cookies", func() []byte {
		key := make([]byte, 32)
		rand.Read(key)
		return key
	})
	if err != nil {
		return nil, err
	}
	visits, err := store.Visits(ctx, db, now())
	if err != nil {
		return nil, fmt.Errorf("reading who is signed in: %w", err)
	}
	for _, v := range visits {
		h.keepVisit(v)
	}
	names, err := store.AccountNames(ctx, db)
	if err != nil {
		return nil, fmt.Errorf("reading what people are called: %w", err)
	}
	for address, name := range names {
		h.names.Store(address, name)
	}
	if err := h.Reload(ctx); err != nil && !errors.Is(err, store.ErrNoHouse) {
		return nil, err
	}
	return h, nil
}

// Reload reads the whole state from the database and swaps it in.
func (h *House) Reload(ctx context.Context) error {
	doc, err := store.Document(ctx, h.DB)
	if err != nil {
		return err
	}
	policy, err := access.Compile(doc, nil)
	if err != nil {
		return fmt.Errorf("the house in the database is not valid: %w", err)
	}
	zone, err := time.LoadLocation(doc.House.Zone)
	if err != nil {
		return err
	}
	s := &State{Policy: policy, Zone: zone}
	if err := errors.Join(s.readPasses(ctx, h.DB), s.readHolding(ctx, h.DB), s.readEditions(ctx, h.DB, ""), s.readAddresses(ctx, h.DB), s.readMemberships(ctx, h.DB)); err != nil {
		return err
	}
	if s.Settings, err = readSettings(ctx, h.DB); err != nil {
		return err
	}
	h.swap(s)
	return nil
}

func (s *State) readPasses(ctx context.Context, q store.Queryer) error {
	secrets, err := store.PassSecrets(ctx, q)
	if err != nil {
		return fmt.Errorf("reading passes: %w", err)
	}
	s.Passes = map[string]map[string]store.PassSecret{}
	for _, p := range secrets {
		if s.Passes[p.Site] == nil {
			s.Passes[p.Site] = map[string]store.PassSecret{}
		}
		s.Passes[p.Site][p.Pass] = p
	}
	if s.salts, err = store.SiteSalts(ctx, q); err != nil {
		return fmt.Errorf("reading salts: %w", err)
	}
	if s.links, err = store.LinkVersions(ctx, q); err != nil {
		return fmt.Errorf("reading links: %w", err)
	}
	return nil
}

// swap puts a state in force for the next request.
func (h *House) swap(s *State) {
	s.Rendered = &Rendered{}
	h.swapUnseen(s)
}

// swapUnseen puts a state in force in which no visitor meets anything new, so that
// pages stay as they were sent.
func (h *House) swapUnseen(s *State) {
	h.state.Store(s)
	next := make(chan struct{})
	if earlier := h.changed.Swap(&next); earlier != nil {
		close(*earlier)
	}
}

// Changed gives a channel that is closed when the state is swapped next.
func (h *House) Changed() <-chan struct{} {
	if c := h.changed.Load(); c != nil {
		return *c
	}
	return nil
}

// Rest waits until everything that goes on in the background is done.
func (h *House) Rest() { h.background.Wait() }

// State is what requests read now; nil before the house is set up.
func (h *House) State() *State { return h.state.Load() }

// Now is the instant that everything is decided at.
func (h *House) Now() time.Time { return h.now() }

// Actor is somebody who is signed in on the console.
type Actor struct {
	Address  access.Address
	Identity access.Identity
	Name     string
}

// ErrMayNot says that the one who asks lacks the capability for it.
var ErrMayNot = errors.New("you may not do this here")

// ErrNoSite says that there is no such site, or none that the one who asks has
// anything to do with.
var ErrNoSite = errors.New("there is no such site")

// Actor finds who an address is now.
func (h *House) Actor(a access.Address) Actor {
	s := h.State()
	actor := Actor{Address: a, Identity: s.Policy.Address(a)}
	if p, ok := s.Policy.PersonOf(actor.Identity); ok && p.Name != "" {
		actor.Name = p.Name
		return actor
	}
	actor.Name = a.String()
	if name, ok := h.names.Load(actor.Name); ok && name != "" {
		actor.Name = name.(string)
	}
	return actor
}

// saveAccount writes an account, and keeps what its holder is called.
func (h *House) saveAccount(ctx context.Context, q store.Queryer, a store.Account) error {
	if err := store.SaveAccount(ctx, q, a); err != nil {
		return err
	}
	h.names.Store(a.Address, a.Name)
	return nil
}

// Can gives what somebody may do on a site as a whole, or below a path.
func (h *House) Can(a Actor, site, path string) access.Capabilities {
	return h.State().Policy.Site(site).Capabilities(path, a.Identity, access.At(h.now()))
}

// WorksSomewhere reports whether somebody may do anything on any site.
func (h *House) WorksSomewhere(a Actor) bool {
	return slices.ContainsFunc(h.State().Policy.Document().Sites, func(site *access.Site) bool { return h.CanAnywhere(a, site.Address) != 0 })
}

// CanAnywhere gives what somebody may do anywhere on a site.
func (h *House) CanAnywhere(a Actor, site string) access.Capabilities {
	doc := h.State().SiteDocument(site)
	if doc == nil {
		return 0
	}
	caps := h.Can(a, site, "/")
	for _, e := range doc.Team {
		caps |= h.Can(a, site, e.Under)
	}
	return caps
}

// SiteDocument gives a site as the document has it, or nil.
func (s *State) SiteDocument(address string) *access.Site { return s.Policy.Site(address).Document() }

// ledger writes an entry in the transaction of the change it tells of.
func (h *House) ledger(ctx context.Context, q store.Queryer, who, site, kind, what, before, after string) error {
	return store.WriteLedger(ctx, q, store.Entry{
		At: h.now().UTC().Format(time.RFC3339), Who: who, Site: site, Kind: kind, What: what, Before: before, After: after,
	})
}
