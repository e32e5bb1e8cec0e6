package house

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/store"
)

// Import is a document that is about to take the place of the house's own.
type Import struct {
	Document *access.Document
	Policy   *access.Policy
	Lost     []string        // sites of the house that the document lacks
	Bare     []string        // passes that nobody can enter until they get a password
	Impact   *access.Impact  // nil into an empty house
	Broken   []access.Breach // promises that it breaks, where each first is
}

// PlanImport works out what a document would do to the house.
func (h *House) PlanImport(doc *access.Document) (*Import, error) {
	return h.State().planImport(doc, access.At(h.Now()))
}

// PlanImportInto works out what a document would do to the house in a database that
// is only read; nil stands for an empty house.
func PlanImportInto(ctx context.Context, db *sql.DB, doc *access.Document, now time.Time) (*Import, error) {
	if db == nil {
		return (*State)(nil).planImport(doc, access.At(now))
	}
	was, err := store.Document(ctx, db)
	if errors.Is(err, store.ErrNoHouse) {
		return PlanImportInto(ctx, nil, doc, now)
	}
	if err != nil {
		return nil, err
	}
	s := &State{}
	if s.Policy, err = access.Compile(was, nil); err != nil {
		return nil, fmt.Errorf("the house in the database is not valid: %w", err)
	}
	if err := s.readSites(ctx, db, PassesAndLinks); err != nil {
		return nil, err
	}
	return s.planImport(doc, access.At(now))
}

func (s *State) planImport(doc *access.Document, at access.Instant) (*Import, error) {
	next, err := access.Compile(doc, nil)
	if err != nil {
		return nil, err
	}
	plan := &Import{Document: doc, Policy: next}
	for _, site := range doc.Sites {
		for _, p := range site.Passes {
			if s == nil || s.Site(site.Address).Passes[p.ID].Hash == nil {
				plan.Bare = append(plan.Bare, site.Address+": "+p.ID)
			}
		}
	}
	for _, j := range next.Judge(at) {
		if !j.Kept {
			plan.Broken = append(plan.Broken, j.Breaks)
		}
	}
	if s == nil {
		return plan, nil
	}
	for _, site := range s.Policy.Document().Sites {
		if !slices.ContainsFunc(doc.Sites, func(n *access.Site) bool { return n.Address == site.Address }) {
			plan.Lost = append(plan.Lost, site.Address)
		}
	}
	impact := access.ImpactOf(s.Policy, next, at)
	plan.Impact = &impact
	return plan, nil
}

// ErrLosesSites says that an import would delete sites with all they hold.
var ErrLosesSites = errors.New("the document lacks sites that the house has: they would be deleted with their editions")

// Import puts a document in the place of the house's, in one transaction with
// its ledger entry. Sites that it lacks are deleted only where that was asked for.
func (h *House) Import(ctx context.Context, plan *Import, deleteSites bool) error {
	return h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		if len(plan.Lost) > 0 && !deleteSites {
			return fmt.Errorf("%w: %s", ErrLosesSites, strings.Join(plan.Lost, ", "))
		}
		before := []byte(nil)
		var err error
		if s := tx.State(); s != nil {
			if before, err = s.Policy.Document().JSON(); err != nil {
				return err
			}
		}
		after, err := plan.Document.JSON()
		if err != nil {
			return err
		}
		tx.PutDocument(plan.Document)
		tx.Log("", "import", "A policy document was imported on the command line.", string(before), string(after))
		return nil
	})
}
