package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
)

// SearchPlace is where words stand: a page, or a table of records on it.
type SearchPlace struct {
	Path    string
	Records string // the id of the table; "" is the page itself
}

// Searchable is a page, or a row of a table on it, with its words.
type Searchable struct {
	SearchPlace
	Title  string
	Words  string
	Marked string // all its words, with those that were found marked
}

// SearchedEdition returns which edition of a site can be searched; 0 where none can yet.
func SearchedEdition(ctx context.Context, q Reader, site SiteID) (number int, err error) {
	err = q.QueryRowContext(ctx, `SELECT number FROM site_searched WHERE site = ?`, site).Scan(&number)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return number, err
}

// wordsOf is what finds a site's rows by the index: of one edition, or with 0 of all.
func wordsOf(site SiteID, number int) string {
	if number == 0 {
		return `{site} : "` + string(site) + `"`
	}
	return fmt.Sprintf(`{site} : "%s %d"`, site, number)
}

// AddSearchable keeps words of an edition beside those of the one that can be searched.
func AddSearchable(ctx context.Context, q Queryer, site SiteID, number int, list []Searchable) error {
	for _, s := range list {
		if err := exec(ctx, q, `INSERT INTO site_search (site, path, records, title, words) VALUES (?, ?, ?, ?, ?)`, fmt.Sprint(site, " ", number), s.Path, s.Records, s.Title, s.Words); err != nil {
			return fmt.Errorf("keeping the words of %s: %w", s.Path, err)
		}
	}
	return nil
}

// SetSearched says that all words of an edition are kept: it can be searched, and no other.
func SetSearched(ctx context.Context, q Queryer, site SiteID, number int) error {
	return exec(ctx, q, `INSERT INTO site_searched (site, number) VALUES (?, ?) ON CONFLICT DO UPDATE SET number = excluded.number`, site, number)
}

// DropSearchable forgets so many rows of words of a site that are not of an edition; it reports whether
// there are more.
func DropSearchable(ctx context.Context, q Queryer, site SiteID, but, most int) (more bool, err error) {
	done, err := q.ExecContext(ctx, `DELETE FROM site_search WHERE rowid IN (SELECT rowid FROM site_search WHERE site_search MATCH ? AND site <> ? LIMIT ?)`, wordsOf(site, 0), fmt.Sprint(site, " ", but), most)
	if err != nil {
		return false, fmt.Errorf("forgetting the words of a site: %w", err)
	}
	n, err := done.RowsAffected()
	return n == int64(most), err
}

// DropSearchableOf forgets so many rows of words of one edition of a site; it reports whether there are more.
func DropSearchableOf(ctx context.Context, q Queryer, site SiteID, number, most int) (more bool, err error) {
	done, err := q.ExecContext(ctx, `DELETE FROM site_search WHERE rowid IN (SELECT rowid FROM site_search WHERE site_search MATCH ? AND site = ? LIMIT ?)`, wordsOf(site, number), fmt.Sprint(site, " ", number), most)
	if err != nil {
		return false, fmt.Errorf("forgetting the words of an edition: %w", err)
	}
	n, err := done.RowsAffected()
	return n == int64(most), err
}

// What stands around the words that were found in a snippet.
const (
	MarkBegins = "\x02"
	MarkEnds   = "\x03"
)

// Search finds what matches at just the given places of an edition of a site, in the order of the
// edition, pages before rows of tables; Words are marked whole, see MarkBegins. match is a query of
// FTS5. It finds nothing where it is another edition that can be searched. Nothing else of the house
// has a say in what it finds, nor in which order.
func Search(ctx context.Context, q Reader, site SiteID, edition int, match string, in []SearchPlace, most int) ([]Searchable, error) {
	keys := make([]string, len(in))
	for i, place := range in {
		keys[i] = place.Path + "#" + place.Records
	}
	places, err := json.Marshal(keys)
	if err != nil {
		return nil, err
	}
	return collect(ctx, q, func(r *sql.Rows) (s Searchable, err error) {
		return s, r.Scan(&s.Path, &s.Records, &s.Title, &s.Words, &s.Marked)
	}, `SELECT path, records, title, snippet(site_search, 4, ?1, ?2, '…', 24), highlight(site_search, 4, ?1, ?2) FROM site_search
		WHERE site_search MATCH ?3 AND site = ?5 AND path || '#' || records IN (SELECT value FROM json_each(?4))
		AND EXISTS (SELECT 1 FROM site_searched WHERE site = ?7 AND number = ?6)
		ORDER BY records != '', rowid LIMIT ?8`,
		MarkBegins, MarkEnds, wordsOf(site, edition)+` AND {title words} : (`+match+`)`, string(places), fmt.Sprint(site, " ", edition), edition, site, most)
}
