package house

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"time"

	"velada/core/access"
	"velada/core/parts"
	"velada/store"
)

// Change makes one change of the house, which is every way in which anything of it
// changes. It takes the lock, asks inside it for what is needed, runs do in one
// transaction, compiles what do has drafted, checks the rules about teams and owners,
// writes, commits, and puts the state in force for the very next request. What follows
// a commit comes after: sign-ins that end, streams that wake.
//
// It returns what Needs, do, access.Compile (access.Problems) or access.Policy.CheckTeam
// (access.TeamRefusal) return; nothing has changed then. Long work is done before, and
// what it was based on checked in do.
//
// It is answered once the disk has it, where the house was opened OnDisk: others go on meanwhile, and all
// who wait share one call. Where the disk does not say that it has it, ErrNotKept comes back, though the
// change is in force.
func (h *House) Change(ctx context.Context, a Actor, n Needs, do func(tx *Tx) error) error {
	tx, err := h.change(ctx, a, n, do)
	if err != nil || h.syncer == nil || tx.lazy {
		return err
	}
	if err := h.syncer.Sync(); err != nil {
		return fmt.Errorf("%w: %w", ErrNotKept, h.room(err))
	}
	return nil
}

// ErrNotKept says that a change is in force, and may be gone after a power cut.
var ErrNotKept = errors.New("this was changed, and the disk may not keep it")

func (h *House) change(ctx context.Context, a Actor, n Needs, do func(tx *Tx) error) (*Tx, error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	tx := &Tx{ctx: ctx, house: h, by: a, at: h.Now(), was: h.State()}
	tx.next = tx.was
	err := store.InTx(ctx, h.db, func(q *sql.Tx) error {
		tx.Queryer = q
		if err := tx.Require(n); err != nil {
			return err
		}
		if err := tx.run(do); err != nil {
			return err
		}
		return tx.finish()
	})
	if err = h.room(err); err != nil {
		return nil, err
	}
	for _, after := range tx.after {
		Recovered("following a change", after) // what was committed comes into force
	}
	tx.swap()
	return tx, nil
}

// Preview is what a change would do.
type Preview struct {
	Then   *access.Policy
	Impact Summary
	Plan   string // a mark of what it would change, see AsSeen
}

// ErrMoved says that a change would do something else by now than what was shown.
var ErrMoved = errors.New("somebody else changed this meanwhile: look at what it would do now, then go on")

type seenKey struct{}

// AsSeen returns a context in which the next change of the document that is made must be the one that
// was shown, by the mark of its plan: ErrMoved otherwise, and nothing is changed. "" is any.
func AsSeen(ctx context.Context, plan string) context.Context {
	if plan == "" {
		return ctx
	}
	return context.WithValue(ctx, seenKey{}, &plan)
}

// asSeen asks whether a change is the one that was shown, where one was.
func (tx *Tx) asSeen(then *access.Policy) error {
	seen, is := tx.ctx.Value(seenKey{}).(*string)
	if !is || *seen == "" || tx.was == nil {
		return nil
	}
	if parts.Mark(tx.was.Policy.Document(), then.Document()) != *seen {
		return ErrMoved
	}
	*seen = "" // what follows in the same request is another change
	return nil
}

// Preview runs a change without a transaction: nothing is written and nothing is in
// force. It returns what the change would do, or the error that Change would.
func (h *House) Preview(ctx context.Context, a Actor, n Needs, do func(tx *Tx) error) (*Preview, error) {
	return h.previewOf(ctx, h.State(), a, n, do)
}

func (h *House) previewOf(ctx context.Context, s *State, a Actor, n Needs, do func(tx *Tx) error) (*Preview, error) {
	tx, err := h.Draft(ctx, s, a, n, do)
	if err == nil {
		err = ctx.Err() // nobody waits for it any more
	}
	if err != nil {
		return nil, err
	}
	return &Preview{Then: tx.then, Impact: summarise(s.Policy, tx.then, access.At(tx.at)), Plan: parts.Mark(s.Policy.Document(), tx.then.Document())}, nil
}

// Draft runs a change as far as it is compiled and checked, on a snapshot of the database that
// SQLite keeps from being written to.
func (h *House) Draft(ctx context.Context, s *State, a Actor, n Needs, do func(tx *Tx) error) (*Tx, error) {
	reading := &snapshot{of: h}
	defer reading.end()
	tx := &Tx{Queryer: reading, ctx: ctx, house: h, by: a, at: h.Now(), was: s, next: s, preview: true}
	if err := tx.Require(n); err != nil {
		return nil, err
	}
	if err := tx.run(do); err != nil {
		return nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	return tx, tx.Check()
}

// run runs what a change does, and returns its error or the first that it went on after.
func (tx *Tx) run(do func(tx *Tx) error) error {
	if err := do(tx); err != nil {
		return err
	}
	return tx.failed
}

// Tx is a change on its way: the state it is based on, what it drafts, and the
// transaction that it writes in.
type Tx struct {
	store.Queryer

	ctx     context.Context
	house   *House
	by      Actor
	at      time.Time
	preview bool
	lazy    bool // what it writes may go with the machine

	was  *State
	next *State // with sites that were read anew

	doc     *access.Document // drafted whole; nil where it is sites alone
	sites   map[string]*access.Site
	order   []string // of sites drafted, by address
	becomes map[string]string
	then    *access.Policy // compiled of the drafts
	anyTeam bool
	teamBy  *Actor

	entries  []store.Entry   // of the ledger
	letters  []store.Mail    // written to the outbox
	comments []store.Comment // as they were written

	parts    map[store.SiteID]Parts
	settings *Settings
	whole    bool // the whole document is put in place of another
	anew     bool // all of the state is read anew
	compiled bool // the policy was asked for by the change itself
	after    []func()
	failed   error
}

// Context returns the context that the change was asked for with.
func (tx *Tx) Context() context.Context { return tx.ctx }

// State returns the state that the change is based on.
func (tx *Tx) State() *State { return tx.was }

// Now returns the instant of the change.
func (tx *Tx) Now() time.Time { return tx.at }

// By returns who makes the change.
func (tx *Tx) By() Actor { return tx.by }

// Can returns what the one who makes the change may do on a site below a path.
func (tx *Tx) Can(site, path string) access.Capabilities {
	return tx.was.Can(tx.by, site, path, access.At(tx.at))
}

// Require returns nil where the one who makes the change has what is needed, or why
// not: for what depends on what the change has read.
func (tx *Tx) Require(n Needs) error {
	return tx.was.Allows(tx.ctx, tx, tx.by, n, access.At(tx.at))
}

// Site returns the draft of a site, which the change may write in; nil where there is
// none. Its lists are its own, what they hold is not.
func (tx *Tx) Site(address string) *access.Site {
	if draft := tx.sites[address]; draft != nil {
		tx.then = nil
		return draft
	}
	doc := tx.was.SiteDocument(address)
	if tx.doc != nil {
		i := slices.IndexFunc(tx.doc.Sites, func(s *access.Site) bool { return s.Address == address })
		if i < 0 {
			return nil
		}
		doc = tx.doc.Sites[i]
	}
	if doc == nil {
		return nil
	}
	return tx.PutSite(doc.Clone())
}

// PutSite makes a site the draft of the one at its address, or a new site there.
func (tx *Tx) PutSite(site *access.Site) *access.Site {
	if tx.sites == nil {
		tx.sites = map[string]*access.Site{}
	}
	if tx.sites[site.Address] == nil {
		tx.order = append(tx.order, site.Address)
	}
	tx.sites[site.Address], tx.then = site, nil
	if tx.doc != nil {
		tx.doc.Sites = withSite(tx.doc.Sites, site)
	}
	return site
}

func withSite(list []*access.Site, site *access.Site) []*access.Site {
	if i := slices.IndexFunc(list, func(s *access.Site) bool { return s.Address == site.Address }); i >= 0 {
		list[i] = site
		return list
	}
	return append(list, site)
}

// Document returns the draft of the whole document, which the change may write in:
// its people, groups, house rules and promises. A site in it is put in place of another,
// never written in; Site returns one to write in.
func (tx *Tx) Document() *access.Document {
	tx.then = nil
	if tx.doc == nil {
		tx.doc = tx.was.Policy.Document().Clone()
		for _, address := range tx.order {
			tx.doc.Sites = withSite(tx.doc.Sites, tx.sites[address])
		}
	}
	return tx.doc
}

// PutDocument puts a whole document in the place of the house's.
func (tx *Tx) PutDocument(doc *access.Document) {
	tx.doc, tx.then, tx.whole, tx.anew = doc, nil, true, true
}

// Becomes says that one person of the document turns out to be another, by id.
func (tx *Tx) Becomes(from, to string) {
	if tx.becomes == nil {
		tx.becomes = map[string]string{}
	}
	tx.becomes[from] = to
}

// AnyTeam says that what changes in teams is not by the right of who makes the change:
// they accept what others gave, or a page moves with its section.
func (tx *Tx) AnyTeam() { tx.anyTeam = true }

// TeamBy says by whose right teams change, where that is not who makes the change.
func (tx *Tx) TeamBy(a Actor) { tx.teamBy = &a }

// Policy returns the policy with what was drafted so far, compiled once. A draft is not
// written in any more after that, unless it is asked for anew: the change fails where
// it is.
func (tx *Tx) Policy() (*access.Policy, error) {
	tx.compiled = true
	return tx.compile()
}

// compile compiles copies of the drafts: what is written is what was compiled.
func (tx *Tx) compile() (*access.Policy, error) {
	if tx.then != nil || tx.doc == nil && tx.was == nil {
		return tx.then, nil
	}
	var earlier *access.Policy
	if tx.was != nil {
		earlier = tx.was.Policy
	}
	if tx.doc == nil {
		then, err := earlier, error(nil)
		for _, address := range tx.order {
			if then, err = then.Replace(tx.sites[address].Clone()); err != nil {
				return nil, err
			}
		}
		tx.then = then
		return then, nil
	}
	doc := tx.doc.Clone()
	for i, site := range doc.Sites {
		if tx.sites[site.Address] == site { // else it was put in place of the draft since
			doc.Sites[i] = site.Clone()
		}
	}
	if earlier != nil {
		doc.Share(earlier.Document())
	}
	then, err := access.Compile(doc, earlier)
	if err == nil {
		tx.then = then
	}
	return then, err
}

// asCompiled reports whether the drafts are still what was compiled of them.
func (tx *Tx) asCompiled() bool {
	doc := tx.then.Document()
	for _, address := range tx.order {
		if tx.doc != nil && !slices.Contains(tx.doc.Sites, tx.sites[address]) { // put in place of the draft since
			continue
		}
		if !reflect.DeepEqual(tx.sites[address], tx.then.Site(address).Document()) {
			return false
		}
	}
	return tx.doc == nil || slices.EqualFunc(tx.doc.People, doc.People, access.Person.Equal) &&
		slices.EqualFunc(tx.doc.Groups, doc.Groups, access.Group.Equal) && slices.EqualFunc(tx.doc.Rules, doc.Rules, access.HouseRule.Equal) &&
		slices.Equal(tx.doc.Promises, doc.Promises) && len(tx.doc.Sites) == len(doc.Sites)
}

// Check compiles what was drafted so far and asks the rules about teams, as is done in
// the end too: for whoever says at which field what is wrong.
func (tx *Tx) Check() error {
	tx.compiled = true
	then, err := tx.compile()
	if err != nil {
		return err
	}
	return tx.checkTeams(then)
}

// Renew has parts of a site's state read anew from what the change has written.
func (tx *Tx) Renew(site store.SiteID, parts Parts) {
	if tx.parts == nil {
		tx.parts = map[store.SiteID]Parts{}
	}
	tx.parts[site] |= parts
}

// RenewAll has the whole state read anew.
func (tx *Tx) RenewAll() { tx.anew = true }

// After has something done once the change is committed, just before it is in force.
func (tx *Tx) After(do func()) {
	if !tx.preview {
		tx.after = append(tx.after, do)
	}
}

// Lazy says that what the change writes may be lost when the machine stops, as counts may: nobody waits
// for the disk.
func (tx *Tx) Lazy() { tx.lazy = true }

// Try keeps an error that a change goes on after; the change fails with it in the end.
func (tx *Tx) Try(err error) {
	if tx.failed == nil {
		tx.failed = err
	}
}

// swap puts what was changed in force.
func (tx *Tx) swap() {
	if tx.next == tx.was {
		if len(tx.after) > 0 {
			tx.house.wake()
		}
		return
	}
	tx.house.put(tx.next)
}

// put puts a state in force for the next request. Sites whose pages are shown anew
// come without what was rendered for them.
func (h *House) put(next *State) {
	before := h.state.Load()
	var old []*Rendered
	for id, site := range next.sites {
		if site.rendered == nil {
			site.rendered = &Rendered{of: &h.kept}
		}
		if before != nil && before.sites[id] != nil && before.sites[id].rendered != site.rendered {
			old = append(old, before.sites[id].rendered)
		}
	}
	if before != nil {
		for id, site := range before.sites {
			if next.sites[id] == nil {
				old = append(old, site.rendered)
			}
		}
	}
	h.state.Store(next)
	h.wake()
	for _, r := range old {
		r.drop()
	}
}

// anewFor returns the state in which the pages of all sites are shown anew.
func (s *State) anew() *State {
	next := *s
	next.sites, next.byAddress = make(map[store.SiteID]*Site, len(s.sites)), make(map[string]*Site, len(s.sites))
	for id, site := range s.sites {
		copied := *site
		copied.rendered = nil
		next.sites[id], next.byAddress[site.Address] = &copied, &copied
	}
	next.old = maps.Clone(s.old)
	return &next
}
