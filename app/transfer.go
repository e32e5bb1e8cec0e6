package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

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
	next, err := access.Compile(doc, nil)
	if err != nil {
		return nil, err
	}
	plan := &Import{Document: doc, Policy: next}
	at := access.At(h.now())
	s := h.State()
	for _, site := range doc.Sites {
		for _, p := range site.Passes {
			if s == nil || s.Passes[site.Address][p.ID].Hash == nil {
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
	h.writing.Lock()
	defer h.writing.Unlock()
	if len(plan.Lost) > 0 && !deleteSites {
		return fmt.Errorf("%w: %s", ErrLosesSites, strings.Join(plan.Lost, ", "))
	}
	before := ""
	if s := h.State(); s != nil {
		text, err := s.Policy.Document().JSON()
		if err != nil {
			return err
		}
		before = string(text)
	}
	after, err := plan.Document.JSON()
	if err != nil {
		return err
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.SaveDocument(ctx, tx, plan.Document),
			h.ledger(ctx, tx, "velada", "", "import", "A policy document was imported on the command line.", before, string(after)),
		)
	})
	if err != nil {
		return fmt.Errorf("importing: %w", err)
	}
	return h.Reload(ctx)
}
