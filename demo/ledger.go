package demo

import (
	"context"
	"database/sql"
	"time"

	"velada/core/access"
	"velada/store"
)

// happened is what the ledger of the demo house tells of the weeks before its clock begins,
// the longest ago first.
var happened = []struct {
	days            int // ago
	who, site, kind string
	what            string
}{
	{63, "mateo", "variable-stars", "door", "Accounts at aula.cerroalcor.example come in."},
	{61, "ines", "society", "edition", "Edition 29 is live."},
	{52, "bram", "instrument-log", "door", "The night crew comes in."},
	{31, "ines", "new-dome", "holding", "What the holding page says was changed."},
	{20, "pilar", "society", "edition", "Edition 30 is live."},
	{17, "mateo", "variable-stars", "door", "/crew/corvus opens to its crew alone until 12 December, 20:00."},
	{13, "aiko", "variable-stars", "edition", "Edition 6 is live."},
	{12, "pilar", "dossier", "door", "The password “Ribera” was made."},
	{8, "ines", "variable-stars", "edition", "Edition 7 is live."},
	{5, "ines", "society", "edition", "Edition 31 is live."},
}

// makeLedger writes what happened.
func makeLedger(ctx context.Context, tx *sql.Tx, doc *access.Document, now time.Time) error {
	names := map[string]string{}
	for _, p := range doc.People {
		names[p.ID] = p.Address
	}
	for _, e := range happened {
		at := now.AddDate(0, 0, -e.days).Add(-time.Duration(e.days%7) * time.Hour)
		err := store.WriteLedger(ctx, tx, store.Entry{At: at.UTC().Format(time.RFC3339), Who: names[e.who], WhoID: store.Who(e.who), Site: e.site, Kind: e.kind, What: e.what})
		if err != nil {
			return err
		}
	}
	return nil
}
