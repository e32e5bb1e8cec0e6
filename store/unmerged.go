package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Unmerged is what somebody wrote on a page that could not be put together with what others saved meanwhile.
type Unmerged struct {
	ID          int64
	At          time.Time
	Who         Who
	Title, Body string
}

// mostUnmerged is how many of them are kept of a page, the latest.
const mostUnmerged = 20

// SaveUnmerged keeps what somebody wrote on a page, unless it is what they wrote last.
func SaveUnmerged(ctx context.Context, q Queryer, site SiteID, page string, u Unmerged) error {
	return errors.Join(
		exec(ctx, q, `INSERT INTO page_unmerged (site, page, at, who, title, body) SELECT ?1, ?2, ?3, ?4, ?5, ?6 WHERE NOT EXISTS (
			SELECT 1 FROM page_unmerged WHERE id = (SELECT max(id) FROM page_unmerged WHERE site = ?1 AND page = ?2 AND who = ?4) AND title = ?5 AND body = ?6)`,
			site, page, u.At.Unix(), u.Who, u.Title, u.Body),
		exec(ctx, q, `DELETE FROM page_unmerged WHERE site = ?1 AND page = ?2 AND id NOT IN (SELECT id FROM page_unmerged WHERE site = ?1 AND page = ?2 ORDER BY id DESC LIMIT ?3)`, site, page, mostUnmerged),
	)
}

// UnmergedOf lists what was not put together on a page, without what it says, the latest first.
func UnmergedOf(ctx context.Context, q Reader, site SiteID, page string) ([]Unmerged, error) {
	return collect(ctx, q, func(r *sql.Rows) (u Unmerged, err error) {
		var at int64
		err = r.Scan(&u.ID, &at, &u.Who)
		u.At = time.Unix(at, 0)
		return u, err
	}, `SELECT id, at, who FROM page_unmerged WHERE site = ? AND page = ? ORDER BY id DESC`, site, page)
}

// FindUnmerged reads what was not put together on a page; nil where there is none of that id.
func FindUnmerged(ctx context.Context, q Reader, site SiteID, page string, id int64) (*Unmerged, error) {
	list, err := collect(ctx, q, func(r *sql.Rows) (u Unmerged, err error) { return u, r.Scan(&u.ID, &u.Title, &u.Body) },
		`SELECT id, title, body FROM page_unmerged WHERE site = ? AND page = ? AND id = ?`, site, page, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}
