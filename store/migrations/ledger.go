package migrations

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
)

// entry is a line of the ledger as its seal covered it, in this order.
type entry struct {
	Number        int64  `json:"number"`
	At            string `json:"at"`
	Who           string `json:"who"`
	Site          string `json:"site"`
	Kind          string `json:"kind"`
	What          string `json:"what"`
	Before, After string
	Earlier       string `json:"earlier"`
	SiteID        string `json:"site_id,omitempty"`
	WhoID         string `json:"who_id,omitempty"`
	Hash          string `json:"-"`

	unsealed bool // its seal covers neither id
}

// mendLedger is migration 30. Migration 13 wrote into every entry the address that it was by as who it was
// by, also where that was a person whom the entry's seal covers: such an entry seems to be tampered with
// ever since. The person is put back with whom the seal fits, and is looked for among all who ever were
// somebody here; an entry that fits with nobody stays as it is. Where the seal does not cover them, the
// person is the one who has, or had, the address.
func mendLedger(ctx context.Context, tx *sql.Tx) error {
	people, err := readPeople(ctx, tx)
	if err != nil {
		return err
	}
	byAddress := map[string][]string{}
	var everybody []string
	for _, p := range people {
		everybody = append(everybody, p.id)
		for _, address := range append([]string{p.address}, p.former...) {
			byAddress[address] = append(byAddress[address], p.id)
		}
	}
	others, err := collect(ctx, tx, scanText, `SELECT who FROM accounts UNION SELECT who_id FROM ledger`)
	if err != nil {
		return fmt.Errorf("reading who there is: %w", err)
	}
	everybody = append(everybody, others...)
	list, err := collect(ctx, tx, func(r *sql.Rows) (e entry, err error) {
		return e, r.Scan(&e.Number, &e.At, &e.Who, &e.Site, &e.Kind, &e.What, &e.Before, &e.After, &e.Earlier, &e.Hash, &e.SiteID, &e.WhoID, &e.unsealed)
	}, `SELECT number, at, who, site, kind, what, before, after, earlier, hash, site_id, who_id, NOT sealed FROM ledger ORDER BY number`)
	if err != nil {
		return fmt.Errorf("reading the ledger: %w", err)
	}
	fits := map[string]string{} // who an address was when an entry was mended last
	tried := map[string]int{}   // how often somebody was looked for among all, by address
	for _, e := range list {
		who, found := e.WhoID, false
		switch holders := byAddress[e.Who]; {
		case e.unsealed:
			if found = (e.WhoID == "" || e.WhoID == e.Who) && len(holders) == 1; found {
				who = holders[0]
			}
		case e.sealedBy(e.WhoID):
		default:
			candidates := slices.Concat([]string{fits[e.Who]}, holders, []string{"", e.Who})
			if tried[e.Who] < mostTried {
				candidates = append(candidates, everybody...)
			}
			for i, candidate := range candidates {
				if i == len(holders)+3 {
					tried[e.Who]++
				}
				if found = e.sealedBy(candidate); found {
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
func (e entry) sealedBy(who string) bool {
	e.WhoID = who
	text, err := json.Marshal(e)
	sum := sha256.Sum256(text)
	return err == nil && hex.EncodeToString(sum[:]) == e.Hash
}
