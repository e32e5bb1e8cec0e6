package store

import (
	"context"
	"database/sql"
	"time"
)

// PageResult is what a page says of itself in search results; what is empty is made of the page.
type PageResult struct {
	Title, Description string
	Picture            string // the path of a picture of the site
}

// PageResults reads what pages say of themselves in search results: by site and page id.
func PageResults(ctx context.Context, q Reader, site SiteID) (map[SiteID]map[string]PageResult, error) {
	bySite := map[SiteID]map[string]PageResult{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var page string
		var p PageResult
		if err = r.Scan(&site, &page, &p.Title, &p.Description, &p.Picture); err == nil {
			if bySite[site] == nil {
				bySite[site] = map[string]PageResult{}
			}
			bySite[site][page] = p
		}
		return
	}, `SELECT site, page, title, description, shared FROM page_results`, "site", site, "")
	return bySite, err
}

// SavePageResult writes what a page says of itself in search results.
func SavePageResult(ctx context.Context, q Queryer, site SiteID, page string, p PageResult) error {
	if p == (PageResult{}) {
		return exec(ctx, q, `DELETE FROM page_results WHERE site = ? AND page = ?`, site, page)
	}
	return exec(ctx, q, `INSERT INTO page_results (site, page, title, description, shared) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET title = excluded.title, description = excluded.description, shared = excluded.shared`, site, page, p.Title, p.Description, p.Picture)
}

// ListedPage is since when the sitemap has a page, and until when it had it; the zero time where
// it has it still.
type ListedPage struct{ Since, Until time.Time }

// ListedPages reads the pages that the sitemap of a site has, or had, by path.
func ListedPages(ctx context.Context, q Reader, site SiteID) (map[string]ListedPage, error) {
	byPath := map[string]ListedPage{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var path string
		var since, until int64
		if err = r.Scan(&path, &since, &until); err == nil {
			p := ListedPage{Since: time.Unix(since, 0)}
			if until > 0 {
				p.Until = time.Unix(until, 0)
			}
			byPath[path] = p
		}
		return
	}, `SELECT path, since, until FROM listed_pages WHERE site = ?`, site)
	return byPath, err
}

// SaveListed notes which pages the sitemap of a site has at an instant: those that came, and those
// that it has no more. What it had is forgotten after a time.
func SaveListed(ctx context.Context, q Queryer, site SiteID, came, went []string, at, forget time.Time) error {
	for _, path := range came {
		err := exec(ctx, q, `INSERT INTO listed_pages (site, path, since, until) VALUES (?, ?, ?, 0) ON CONFLICT DO UPDATE SET since = excluded.since, until = 0`, site, path, at.Unix())
		if err != nil {
			return err
		}
	}
	for _, path := range went {
		if err := exec(ctx, q, `UPDATE listed_pages SET until = ? WHERE site = ? AND path = ?`, at.Unix(), site, path); err != nil {
			return err
		}
	}
	return exec(ctx, q, `DELETE FROM listed_pages WHERE site = ? AND until > 0 AND until < ?`, site, forget.Unix())
}
