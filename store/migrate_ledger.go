package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
)

// newIDsInLedger notes who entries are by whose addresses became people's in migration 13: those alone
// whose seal does not cover it.
func newIDsInLedger[A interface {
	comparable
	String() string
}](ctx context.Context, tx *sql.Tx, ids map[A]Who) error {
	for a, id := range ids {
		if err := exec(ctx, tx, `UPDATE ledger SET who_id = ? WHERE who = ? AND sealed = 0 AND who_id IN ('', who)`, id, a.String()); err != nil {
			return err
		}
	}
	return nil
}

// mendLedger is migration 30. Migration 13 wrote into every entry the address that it was by as who it was
// by, also where that was a person whom the entry's seal covers: such an entry seems to be tampered with
// ever since. The person is put back with whom the seal fits, and is looked for among all who ever were
// somebody here; an entry that fits with nobody stays as it is. Where the seal does not cover them, the
// person is the one who has, or had, the address.
func mendLedger(ctx context.Context, tx *sql.Tx) error {
	doc, err := Document(ctx, tx)
	if errors.Is(err, ErrNoHouse) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("reading the house: %w", err)
	}
	byAddress := map[string][]Who{}
	var everybody []Who
	for _, p := range doc.People {
		everybody = append(everybody, Who(p.ID))
		for _, address := range append([]string{p.Address}, p.Former...) {
			byAddress[address] = append(byAddress[address], Who(p.ID))
		}
	}
	accounts, err := collect(ctx, tx, scanText[Who], `SELECT who FROM accounts UNION SELECT who_id FROM ledger`)
	if err != nil {
		return fmt.Errorf("reading who there is: %w", err)
	}
	everybody = append(everybody, accounts...)
	list, err := collect(ctx, tx, scanEntry, entryColumns+` ORDER BY number`)
	if err != nil {
		return fmt.Errorf("reading the ledger: %w", err)
	}
	fits := map[string]Who{}  // who an address was when an entry was mended last
	tried := map[string]int{} // how often somebody was looked for among all, by address
	for _, e := range list {
		who, found := e.WhoID, false
		switch holders := byAddress[e.Who]; {
		case e.unsealed:
			if found = (e.WhoID == "" || string(e.WhoID) == e.Who) && len(holders) == 1; found {
				who = holders[0]
			}
		case sealedBy(e, e.WhoID):
		default:
			candidates := slices.Concat([]Who{fits[e.Who]}, holders, []Who{"", Who(e.Who)})
			if tried[e.Who] < mostTried {
				candidates = append(candidates, everybody...)
			}
			for i, candidate := range candidates {
				if i == len(holders)+3 {
					tried[e.Who]++
				}
				if found = sealedBy(e, candidate); found {
					who, fits[e.Who] = candidate, candidate
					break
				}
			}
		}
		if found && who != e.WhoID {
			if err := exec(ctx, tx, `UPDATE ledger SET who_id = ? WHERE number = ?`, who, e.Number); err != nil {
				return err
			}
		}
	}
	return nil
}

// mostTried is how often somebody is looked for among all who ever were, for one address: who is not found
// by then is nobody's, and a large ledger is not gone through for each of its entries.
const mostTried = 20

// sealedBy reports whether an entry's seal fits where it is by somebody.
func sealedBy(e Entry, who Who) bool {
	e.WhoID = who
	seal, err := e.seal()
	return err == nil && seal == e.Hash
}
