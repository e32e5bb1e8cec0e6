package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
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

// manyEntries is how many entries are written by one statement.
const manyEntries = 60

// WriteLedger adds entries, each chained to the one before it.
func WriteLedger(ctx context.Context, q Queryer, entries ...Entry) error {
	if len(entries) == 0 {
		return nil
	}
	var last Entry
	err := q.QueryRowContext(ctx, `SELECT number, hash FROM ledger WHERE number = (SELECT max(number) FROM ledger)`).Scan(&last.Number, &last.Hash)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("reading the ledger: %w", err)
	}
	ids := map[string]SiteID{}
	for some := range slices.Chunk(entries, manyEntries) {
		args := make([]any, 0, 12*len(some))
		for _, e := range some {
			e.Number, e.Earlier = last.Number+1, last.Hash
			if e.Site != "" && e.SiteID == "" {
				if e.SiteID, err = siteAt(ctx, q, e.Site, ids); err != nil {
					return err
				}
			}
			if e.Hash, err = e.seal(); err != nil {
				return err
			}
			args = append(args, e.Number, e.At, e.Who, e.Site, e.Kind, e.What, e.Before, e.After, e.Earlier, e.Hash, e.SiteID, e.WhoID)
			last = e
		}
		err := exec(ctx, q, `INSERT INTO ledger (number, at, who, site, kind, what, before, after, earlier, hash, site_id, who_id, sealed) VALUES `+
			strings.TrimSuffix(strings.Repeat("(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 1), ", len(some)), ", "), args...)
		if err != nil {
			return fmt.Errorf("writing the ledger: %w", err)
		}
	}
	return nil
}

// siteAt returns the id of the site at an address, "" where there is none; known are those
// that were looked for already.
func siteAt(ctx context.Context, q Queryer, address string, known map[string]SiteID) (SiteID, error) {
	if id, is := known[address]; is {
		return id, nil
	}
	var id SiteID
	if err := q.QueryRowContext(ctx, `SELECT id FROM sites WHERE address = ?`, address).Scan(&id); err != nil && !errors.Is(err, sql.ErrNoRows) {
		return "", fmt.Errorf("looking for the site of an entry: %w", err)
	}
	known[address] = id
	return id, nil
}

// LedgerFilter says which entries of the ledger are wanted; what is empty does
// not matter.
type LedgerFilter struct {
	Sites       []SiteID // nil for all, and the house
	Who         Who
	Kind        string
	Words       string // in who, the site's address or what
	From, Until time.Time
	Most        int    // 0 for all
	Skip        int    // the newest, with Most
	Oldest      bool   // the oldest first
	After       *int64 // just those beyond this number, the oldest first
}

const entryColumns = `SELECT number, at, who, site, kind, what, before, after, earlier, hash, site_id, who_id, NOT sealed FROM ledger`

// Ledger reads entries, the newest first where the filter says nothing else.
func Ledger(ctx context.Context, q Reader, f LedgerFilter) ([]Entry, error) {
	query, args := f.query()
	return collect(ctx, q, scanEntry, query, args...)
}

// query is the query of a filter: with just the conditions that there are, so that an
// index serves it.
func (f LedgerFilter) query() (string, []any) {
	query, args, word := entryColumns, []any(nil), " WHERE "
	and := func(condition string, values ...any) {
		query, args, word = query+word+condition, append(args, values...), " AND "
	}
	if f.Sites != nil {
		var sites []any
		for _, id := range f.Sites {
			sites = append(sites, id)
		}
		and("site_id IN ("+strings.TrimSuffix(strings.Repeat("?, ", len(sites)), ", ")+")", sites...)
	}
	if f.Who != "" {
		and("who_id = ?", f.Who)
	}
	if f.Kind != "" {
		and("kind = ?", f.Kind)
	}
	if match := matchWords(f.Words); match != "" {
		and("number IN (SELECT rowid FROM ledger_words WHERE ledger_words MATCH ?)", match)
	} else if strings.TrimSpace(f.Words) != "" {
		and("0") // nothing that could be found is in it
	}
	if !f.From.IsZero() {
		and("at >= ?", f.From.UTC().Format(time.RFC3339))
	}
	if !f.Until.IsZero() {
		and("at < ?", f.Until.UTC().Format(time.RFC3339))
	}
	if f.After != nil {
		and("number > ?", *f.After)
		query += " ORDER BY number"
	} else if f.Oldest {
		query += " ORDER BY number"
	} else {
		query += " ORDER BY number DESC"
	}
	if f.Most > 0 {
		query, args = query+" LIMIT ? OFFSET ?", append(args, f.Most, f.Skip)
	}
	return query, args
}

// ledgerStretch is how many entries EachEntry reads at a time.
const ledgerStretch = 1000

// EachEntry hands on the entries of a filter, the oldest first, until each returns an error. It
// reads them stretch by stretch, so that nobody who takes them slowly holds anything up.
func EachEntry(ctx context.Context, q Reader, f LedgerFilter, each func(Entry) error) error {
	var after int64
	for {
		f.After, f.Most, f.Skip = &after, ledgerStretch, 0
		list, err := Ledger(ctx, q, f)
		if err != nil {
			return err
		}
		for _, e := range list {
			if err := each(e); err != nil {
				return err
			}
		}
		if len(list) < ledgerStretch {
			return nil
		}
		after = list[len(list)-1].Number
	}
}

// CountLedger counts the entries of a filter.
func CountLedger(ctx context.Context, q Reader, f LedgerFilter) (n int, err error) {
	f.Most = 0
	query, args := f.query()
	_, conditions, _ := strings.Cut(query, " FROM ledger")
	conditions, _, _ = strings.Cut(conditions, " ORDER BY")
	err = q.QueryRowContext(ctx, "SELECT count(*) FROM ledger"+conditions, args...).Scan(&n)
	return n, err
}

// LedgerKinds lists the kinds of entries that there are.
func LedgerKinds(ctx context.Context, q Reader) ([]string, error) {
	return collect(ctx, q, func(r *sql.Rows) (kind string, err error) { return kind, r.Scan(&kind) }, `WITH RECURSIVE kinds (kind) AS (
		SELECT min(kind) FROM ledger
		UNION ALL SELECT (SELECT min(kind) FROM ledger WHERE kind > kinds.kind) FROM kinds WHERE kinds.kind IS NOT NULL
	) SELECT kind FROM kinds WHERE kind IS NOT NULL`)
}

// FindEntry reads one entry of the ledger; nil where there is none.
func FindEntry(ctx context.Context, q Reader, number int64) (*Entry, error) {
	list, err := collect(ctx, q, scanEntry, entryColumns+` WHERE number = ?`, number)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

func scanEntry(r *sql.Rows) (e Entry, err error) {
	return e, r.Scan(&e.Number, &e.At, &e.Who, &e.Site, &e.Kind, &e.What, &e.Before, &e.After, &e.Earlier, &e.Hash, &e.SiteID, &e.WhoID, &e.unsealed)
}

// VerifyLedger walks the chain and returns the number of the first entry that was
// tampered with, or 0, and how many entries there are.
func VerifyLedger(ctx context.Context, q Reader) (broken int64, entries int, err error) {
	list, err := collect(ctx, q, scanEntry, entryColumns+` ORDER BY number`)
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
