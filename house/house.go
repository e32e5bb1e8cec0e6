// Package house is one writer and one state: the only place that begins a transaction,
// holds the lock, swaps the state and writes the ledger. Everything that changes a house
// goes through Change; everything that is read comes from State or Reader.
package house

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// House is a running house: its database, and its state as requests read it.
type House struct {
	Sessions    *Sessions                   // who is signed in where
	Outbox      *Outbox                     // letters, and the links in them
	Keys        *Keys                       // what only this installation can make and read
	Trays       *Trays                      // rehearsals
	ConsoleHost string                      // of the console, where it is not below the base
	ConsoleURL  string                      // the console's origin, for links in mail
	SiteURL     func(address string) string // a site's origin, likewise
	Base        string                      // the domain below which console and sites have their hosts
	Addresses   []netip.Addr                // at which the house is reached; nil is to be looked up
	NamesScreen string                      // where the records of its own name servers are set; "" has none
	Names       NameServers                 // nil where none can be asked

	background sync.WaitGroup                // what goes on after an answer was given
	changed    atomic.Pointer[chan struct{}] // closed when the state is swapped

	db        *sql.DB
	syncer    *store.Syncer // nil where nobody waits for the disk
	now       func() time.Time
	snapshots chan struct{} // one for each that is open
	writing   sync.Mutex    // one change at a time, so that none is based on a stale state
	state     atomic.Pointer[State]
	kept      keeping // what rendered pages take, of all sites
	disk      disk

	Throttles Throttles
	Servers   Servers // that sites live on

	names       sync.Map // store.Who → the name of the account's holder
	texts, data cache    // of pages and files of editions
	pictures    *pictureDesk
}

// Option is something that a house is opened with.
type Option func(*House)

// WithVault has a house seal its secrets by the keys of a vault. Without it the keys
// lie in the file velada.key beside the database.
func WithVault(v *identity.Vault) Option { return func(h *House) { h.Keys.vault = v } }

// OnDisk has changes be answered once the disk has them, by a syncer of the house's database.
func OnDisk(s *store.Syncer) Option { return func(h *House) { h.syncer = s } }

// Open loads a house from its database. Before it is set up its state is nil.
func Open(ctx context.Context, db *sql.DB, now func() time.Time, options ...Option) (*House, error) {
	h := &House{db: db, now: now, Throttles: newThrottles(), texts: cache{most: 48 << 20}, data: cache{most: 32 << 20}, pictures: newPictureDesk(), snapshots: make(chan struct{}, mostSnapshots)}
	h.Sessions, h.Outbox, h.Keys, h.Trays = &Sessions{house: h, Tickets: identity.NewTickets()}, newOutbox(h), &Keys{house: h}, &Trays{h}
	for _, o := range options {
		o(h)
	}
	var err error
	if h.Keys.vault == nil {
		if h.Keys.vault, err = vaultBeside(ctx, db); err != nil {
			return nil, err
		}
	}
	if err := h.Keys.sealWhatIsNot(ctx, db); err != nil {
		return nil, fmt.Errorf("sealing secrets: %w", err)
	}
	if h.Keys.cookieKey, err = h.Keys.secret(ctx, "cookies"); err != nil {
		return nil, err
	}
	visits, err := store.SiteSessions(ctx, db, now())
	if err != nil {
		return nil, fmt.Errorf("reading who is signed in: %w", err)
	}
	for _, v := range visits {
		h.Sessions.visits.Store(v.Token, v)
	}
	names, err := store.AccountNames(ctx, db)
	if err != nil {
		return nil, fmt.Errorf("reading what people are called: %w", err)
	}
	for who, name := range names {
		h.names.Store(who, name)
	}
	if err := h.Reload(ctx); err != nil && !errors.Is(err, store.ErrNoHouse) {
		return nil, err
	}
	return h, nil
}

// load reads the whole state from the database.
func (h *House) load(ctx context.Context, q store.Reader) (*State, error) {
	doc, err := store.Document(ctx, q)
	if err != nil {
		return nil, err
	}
	policy, err := access.Compile(doc, nil)
	if err != nil {
		return nil, fmt.Errorf("the house in the database is not valid: %w", err)
	}
	zone, err := time.LoadLocation(doc.House.Zone)
	if err != nil {
		return nil, err
	}
	s := &State{Policy: policy, Zone: zone}
	if s.reuseSalt, err = store.HouseSalt(ctx, q); err != nil {
		return nil, err
	}
	if err := s.readSites(ctx, q, everything); err != nil {
		return nil, err
	}
	if s.cleared, err = store.ClearedHosts(ctx, q); err != nil {
		return nil, err
	}
	s.Settings, err = h.Keys.readSettings(ctx, q)
	return s, err
}

// Reload reads the whole state from the database and puts it in force.
func (h *House) Reload(ctx context.Context) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	s, err := h.load(ctx, h.db)
	if err == nil {
		h.put(s)
	}
	return err
}

// wake tells whoever waits for a change that there was one.
func (h *House) wake() {
	next := make(chan struct{})
	if earlier := h.changed.Swap(&next); earlier != nil {
		close(*earlier)
	}
}

// Changed returns a channel that is closed when the state is swapped next.
func (h *House) Changed() <-chan struct{} {
	if c := h.changed.Load(); c != nil {
		return *c
	}
	return nil
}

// Reader returns what is kept, to be read: nothing is written but by Change.
func (h *House) Reader() store.Reader { return reader{h.db} }

// reader hides that a database could write too.
type reader struct{ store.Reader }

// State is what requests read now; nil before the house is set up.
func (h *House) State() *State { return h.state.Load() }

// Now is the instant that everything is decided at.
func (h *House) Now() time.Time { return h.now() }
