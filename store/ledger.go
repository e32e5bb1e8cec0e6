package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// Entry is one line of the ledger: who changed what, and when.
type Entry struct {
	Number        int64  `json:"number"`
	At            string `json:"at"` // RFC 3339
	Who           string `json:"who"`
	Site          string `json:"site"` // the address that it had then; "" for the house
	Kind          string `json:"kind"`
	What          string `json:"what"` // one sentence
	Before, After string
	Earlier       string `json:"earlier"`           // the hash of the entry before
	SiteID        SiteID `json:"site_id,omitempty"` // of which site it tells
	WhoID         Who    `json:"who_id,omitempty"`  // who it was then
	Hash          string `json:"-"`

	unsealed bool // its seal is from before the ledger knew the ids of sites
}

// seal is the hash over everything an entry says and the entry before.
func (e Entry) seal() (string, error) {
	if e.unsealed {
		e.SiteID, e.WhoID = "", ""
	}
	text, err := json.Marshal(e)
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), err
}

// WriteLedger adds an entry, chained to the one before it.
func WriteLedger(ctx context.Context, q Queryer, e Entry) error {
	err := q.QueryRowContext(ctx, `SELECT number, hash FROM ledger ORDER BY number DESC LIMIT 1`).Scan(&e.Number, &e.Earlier)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("reading the ledger: %w", err)
	}
	e.Number++
	if e.Site != "" && e.SiteID == "" {
		if err := q.QueryRowContext(ctx, `SELECT id FROM sites WHERE address = ?`, e.Site).Scan(&e.SiteID); err != nil && !errors.Is(err, sql.ErrNoRows) {
			return fmt.Errorf("looking for the site of an entry: %w", err)
		}
	}
	if e.Hash, err = e.seal(); err != nil {
		return err
	}
	err = exec(ctx, q, `INSERT INTO ledger (number, at, who, site, kind, what, before, after, earlier, hash, site_id, who_id, sealed) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 1)`,
		e.Number, e.At, e.Who, e.Site, e.Kind, e.What, e.Before, e.After, e.Earlier, e.Hash, e.SiteID, e.WhoID)
	if err != nil {
		return fmt.Errorf("writing the ledger: %w", err)
	}
	return nil
}

// LedgerFilter says which entries of the ledger are wanted; what is empty does
// not matter.
type LedgerFilter struct {
	Sites       []SiteID // nil for all, and the house
	Who         Who
	Kind        string
	From, Until time.Time
	Most        int // 0 for all
}

// Ledger reads entries, the newest first.
func Ledger(ctx context.Context, q Queryer, f LedgerFilter) ([]Entry, error) {
	sites, err := json.Marshal(f.Sites)
	if err != nil {
		return nil, err
	}
	instant := func(t time.Time) string {
		if t.IsZero() {
			return ""
		}
		return t.UTC().Format(time.RFC3339)
	}
	most := f.Most
	if most == 0 {
		most = -1
	}
	return collect(ctx, q, scanEntry, `SELECT number, at, who, site, kind, what, before, after, earlier, hash, site_id, who_id, NOT sealed FROM ledger
		WHERE (?1 = 'null' OR site_id IN (SELECT value FROM json_each(?1))) AND (?2 = '' OR who_id = ?2) AND (?3 = '' OR kind = ?3)
		AND (?4 = '' OR at >= ?4) AND (?5 = '' OR at < ?5) ORDER BY number DESC LIMIT ?6`, string(sites), f.Who, f.Kind, instant(f.From), instant(f.Until), most)
}

// LedgerKinds lists the kinds of entries that there are.
func LedgerKinds(ctx context.Context, q Queryer) ([]string, error) {
	return collect(ctx, q, func(r *sql.Rows) (kind string, err error) { return kind, r.Scan(&kind) }, `SELECT DISTINCT kind FROM ledger ORDER BY kind`)
}

// FindEntry reads one entry of the ledger; nil where there is none.
func FindEntry(ctx context.Context, q Queryer, number int64) (*Entry, error) {
	list, err := collect(ctx, q, scanEntry, `SELECT number, at, who, site, kind, what, before, after, earlier, hash, site_id, who_id, NOT sealed FROM ledger WHERE number = ?`, number)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

func scanEntry(r *sql.Rows) (e Entry, err error) {
	return e, r.Scan(&e.Number, &e.At, &e.Who, &e.Site, &e.Kind, &e.What, &e.Before, &e.After, &e.Earlier, &e.Hash, &e.SiteID, &e.WhoID, &e.unsealed)
}

// VerifyLedger walks the chain and gives the number of the first entry that was
// tampered with, or 0, and how many entries there are.
func VerifyLedger(ctx context.Context, q Queryer) (broken int64, entries int, err error) {
	list, err := collect(ctx, q, scanEntry, `SELECT number, at, who, site, kind, what, before, after, earlier, hash, site_id, who_id, NOT sealed FROM ledger ORDER BY number`)
	if err != nil {
		return 0, 0, err
	}
	earlier := ""
	for i, e := range list {
		seal, err := e.seal()
		if err != nil {
			return 0, 0, err
		}
		if e.Number != int64(i+1) || e.Earlier != earlier || e.Hash != seal {
			return e.Number, len(list), nil
		}
		earlier = e.Hash
	}
	return 0, len(list), nil
}
