// Package app holds the use cases: one function each, checking what the one who
// asks may do, writing in one transaction with its ledger entry, and then
// swapping what the gate decides by. It knows no HTTP.
package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
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
	Tickets    identity.Tickets            // from the console to a site's host
	ConsoleURL string                      // the console's origin, for links in mail
	SiteURL    func(address string) string // a site's origin, likewise

	background sync.WaitGroup                // what goes on after an answer was given
	changed    atomic.Pointer[chan struct{}] // closed when the state is swapped

	now       func() time.Time
	writing   sync.Mutex // one change at a time, so that none is based on a stale state
	state     atomic.Pointer[State]
	visits    sync.Map // [32]byte → store.Visit
	cookieKey []byte
	kept      keeping // what rendered pages take, of all sites

	vault     *identity.Vault // seals secrets before they are kept
	throttles throttles

	names       sync.Map // store.Who → the name of the account's holder
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
	rendered    map[string]*Rendered                   // whole pages as they were sent in this state, by site
	ids         map[string]store.SiteID                // of sites, by address
	addresses   map[store.SiteID]string                // of sites, by id
	salts       map[string][]byte
	reuseSalt   []byte            // of the house, see store.PassSecret
	links       map[[2]string]int // versions of links' tokens, by site and link
}

// Option is something that a house is opened with.
type Option func(*House)

// WithVault has a house seal its secrets by the keys of a vault. Without it the keys
// lie in the file velada.key beside the database.
func WithVault(v *identity.Vault) Option { return func(h *House) { h.vault = v } }

// Open loads a house from its database. Before it is set up its state is nil.
func Open(ctx context.Context, db *sql.DB, now func() time.Time, options ...Option) (*House, error) {
	h := &House{DB: db, now: now, throttles: newThrottles(), texts: cache{most: 48 << 20}, data: cache{most: 32 << 20}}
	for _, o := range options {
		o(h)
	}
	var err error
	if h.vault == nil {
		if h.vault, err = vaultBeside(ctx, db); err != nil {
			return nil, err
		}
	}
	if err := h.sealWhatIsNot(ctx, db); err != nil {
		return nil, fmt.Errorf("sealing secrets: %w", err)
	}
	if h.cookieKey, err = h.secret(ctx, "cookies"); err != nil {
		return nil, err
	}
	visits, err := store.Visits(ctx, db, now())
	if err != nil {
		return nil, fmt.Errorf("reading who is signed in: %w", err)
	}
	for _, v := range visits {
		h.visits.Store(v.Token, v)
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
	if s.reuseSalt, err = store.HouseSalt(ctx, h.DB); err != nil {
		return err
	}
	if err := s.readIDs(ctx, h.DB); err != nil {
		return err
	}
	if err := errors.Join(s.readPasses(ctx, h.DB), s.readHolding(ctx, h.DB), s.readEditions(ctx, h.DB, ""), s.readAddresses(ctx, h.DB), s.readMemberships(ctx, h.DB)); err != nil {
		return err
	}
	if s.Settings, err = h.readSettings(ctx, h.DB); err != nil {
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
		site := s.addresses[p.Site]
		if s.Passes[site] == nil {
			s.Passes[site] = map[string]store.PassSecret{}
		}
		s.Passes[site][p.Pass] = p
	}
	salts, err := store.SiteSalts(ctx, q)
	if err != nil {
		return fmt.Errorf("reading salts: %w", err)
	}
	s.salts = byAddress(s, salts)
	versions, err := store.LinkVersions(ctx, q)
	if err != nil {
		return fmt.Errorf("reading links: %w", err)
	}
	s.links = make(map[[2]string]int, len(versions))
	for key, version := range versions {
		s.links[[2]string{s.addresses[key.Site], key.Link}] = version
	}
	return nil
}

// swap puts a state in force for the next request, of which anything may differ.
func (h *House) swap(s *State) {
	before := h.state.Load()
	s.rendered = make(map[string]*Rendered, len(s.ids))
	for site := range s.ids {
		s.rendered[site] = &Rendered{of: &h.kept}
	}
	h.swapUnseen(s)
	if before != nil {
		for _, r := range before.rendered {
			r.drop()
		}
	}
}

// swapFor puts a state in force in which nothing but some sites differs for visitors:
// pages of the others stay as they were sent.
func (h *House) swapFor(s *State, sites ...string) {
	s.rendered = maps.Clone(s.rendered)
	var old []*Rendered
	for _, site := range sites {
		old = append(old, s.rendered[site])
		s.rendered[site] = &Rendered{of: &h.kept}
	}
	h.swapUnseen(s)
	for _, r := range old {
		r.drop()
	}
}

// swapUnseen puts a state in force in which no visitor meets anything new, so that
// pages stay as they were sent.
func (h *House) swapUnseen(s *State) {
	h.state.Store(s)
	h.wake()
}

// wake tells whoever waits for a change that there was one.
func (h *House) wake() {
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

// ErrMayNot says that the one who asks lacks the capability for it.
var ErrMayNot = errors.New("you may not do this here")

// ErrNoSite says that there is no such site, or none that the one who asks has
// anything to do with.
var ErrNoSite = errors.New("there is no such site")

// Can returns what somebody may do on a site as a whole, or below a path, now: who
// they are is looked up in the policy that decides.
func (h *House) Can(a Actor, site, path string) access.Capabilities {
	s := h.State()
	return s.Policy.Site(site).Capabilities(path, s.Identity(a.Who), access.At(h.now()))
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
	id := store.Who("")
	if a, err := access.ParseAddress(who); err == nil {
		id = store.Who(a.String())
		if s := h.State(); s != nil {
			id = s.WhoHas(a)
		}
	}
	return store.WriteLedger(ctx, q, store.Entry{
		WhoID: id, At: h.now().UTC().Format(time.RFC3339), Who: who, Site: site, Kind: kind, What: what, Before: before, After: after,
	})
}
