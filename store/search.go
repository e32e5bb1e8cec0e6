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
	Title string
	Words string
}

// SearchedEdition returns which edition of a site can be searched; 0 where none can yet.
func SearchedEdition(ctx context.Context, q Reader, site SiteID) (number int, err error) {
	err = q.QueryRowContext(ctx, `SELECT number FROM site_searched WHERE site = ?`, site).Scan(&number)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return number, err
}

// wordsOf is what finds a site's rows by the index.
func wordsOf(site SiteID) string { return `{site} : "` + string(site) + `"` }

// SaveSearchable puts the words of an edition in the place of those of another one.
func SaveSearchable(ctx context.Context, q Queryer, site SiteID, number int, list []Searchable) error {
	if err := exec(ctx, q, `DELETE FROM site_search WHERE site_search MATCH ?`, wordsOf(site)); err != nil {
		return fmt.Errorf("forgetting the words of a site: %w", err)
	}
	for _, s := range list {
		if err := exec(ctx, q, `INSERT INTO site_search (site, path, records, title, words) VALUES (?, ?, ?, ?, ?)`, site, s.Path, s.Records, s.Title, s.Words); err != nil {
			return fmt.Errorf("keeping the words of %s: %w", s.Path, err)
		}
	}
	return exec(ctx, q, `INSERT INTO site_searched (site, number) VALUES (?, ?) ON CONFLICT DO UPDATE SET number = excluded.number`, site, number)
}

// What stands around the words that were found in a snippet.
const (
	MarkBegins = "\x02"
	MarkEnds   = "\x03"
)

// Search finds what matches at just the given places of an edition of a site, the best first,
// pages before rows of tables; Words is a snippet. match is a query of FTS5. It finds nothing
// where it is another edition that can be searched.
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
		return s, r.Scan(&s.Path, &s.Records, &s.Title, &s.Words)
	}, `SELECT path, records, title, snippet(site_search, 4, ?1, ?2, '…', 24) FROM site_search
		WHERE site_search MATCH ?3 AND site = ?5 AND path || '#' || records IN (SELECT value FROM json_each(?4))
		AND EXISTS (SELECT 1 FROM site_searched WHERE site = ?5 AND number = ?6)
		ORDER BY records != '', bm25(site_search, 0, 0, 0, 6, 1), rowid LIMIT ?7`,
		MarkBegins, MarkEnds, wordsOf(site)+` AND {title words} : (`+match+`)`, string(places), site, edition, most)
}
