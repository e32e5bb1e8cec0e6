package store

import (
	"context"
	"database/sql"
	"time"
)

// Preview is a link by which somebody without an account looks at a working copy.
type Preview struct {
	ID, Label string
	Site      SiteID
	Until     time.Time
	Who       Who // whose eyes it looks through
}

// SavePreview writes a preview link.
func SavePreview(ctx context.Context, q Queryer, p Preview) error {
	return exec(ctx, q, `INSERT INTO previews (id, site, label, until, who) VALUES (?, ?, ?, ?, ?)`, p.ID, p.Site, p.Label, p.Until.Unix(), p.Who)
}

// Previews reads the preview links of a site, or the one with an id.
func Previews(ctx context.Context, q Reader, site SiteID, id string) ([]Preview, error) {
	if site != "" {
		return previews(ctx, q, `WHERE site = ?`, site)
	}
	return previews(ctx, q, `WHERE id = ?`, id)
}

// AllPreviews reads the preview links of all sites.
func AllPreviews(ctx context.Context, q Reader) ([]Preview, error) { return previews(ctx, q, ``) }

func previews(ctx context.Context, q Reader, where string, args ...any) ([]Preview, error) {
	return collect(ctx, q, func(r *sql.Rows) (p Preview, err error) {
		var until int64
		err = r.Scan(&p.ID, &p.Site, &p.Label, &until, &p.Who)
		p.Until = time.Unix(until, 0)
		return p, err
	}, `SELECT id, site, label, until, who FROM previews `+where+` ORDER BY until`, args...)
}

// DropPreview takes a preview link back.
func DropPreview(ctx context.Context, q Queryer, site SiteID, id string) error {
	return exec(ctx, q, `DELETE FROM previews WHERE site = ? AND id = ?`, site, id)
}
