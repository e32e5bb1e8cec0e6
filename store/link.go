package store

import (
	"context"
	"database/sql"
	"time"
)

// LinkKey names a link of a site.
type LinkKey struct {
	Site SiteID
	Link string
}

// LinkVersions reads the version of the token of each link that is not at its
// first, by site and link.
func LinkVersions(ctx context.Context, q Reader, site SiteID) (map[LinkKey]int, error) {
	versions := map[LinkKey]int{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var key LinkKey
		var version int
		if err = r.Scan(&key.Site, &key.Link, &version); err == nil {
			versions[key] = version
		}
		return
	}, `SELECT site, link, version FROM link_uses`, "site", site, "")
	return versions, err
}

// MoveLinkOn gives a link a new token, so that the old one and whoever came by
// it are out.
func MoveLinkOn(ctx context.Context, q Queryer, site SiteID, link string) error {
	return exec(ctx, q, `INSERT INTO link_uses (site, link, version) VALUES (?, ?, 2)
		ON CONFLICT DO UPDATE SET version = version + 1`, site, link)
}

// CountLinkUse notes that somebody came by a link.
func CountLinkUse(ctx context.Context, q Queryer, site SiteID, link string, at time.Time) error {
	return exec(ctx, q, `INSERT INTO link_uses (site, link, uses, used_at) VALUES (?, ?, 1, ?)
		ON CONFLICT DO UPDATE SET uses = uses + 1, used_at = excluded.used_at`, site, link, at.Unix())
}

// KeyUse is how often a pass was entered or a link followed, and when last.
type KeyUse struct {
	Uses int
	Last time.Time
}

// KeyUses reads how the passes and links of a site were used, as pass:ID and link:ID.
func KeyUses(ctx context.Context, q Reader, site SiteID) (map[string]KeyUse, error) {
	uses := map[string]KeyUse{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var key string
		var use KeyUse
		var last int64
		if err = r.Scan(&key, &use.Uses, &last); err == nil {
			use.Last = time.Unix(last, 0)
			uses[key] = use
		}
		return
	}, `SELECT 'pass:' || pass, uses, used_at FROM pass_secrets WHERE site = ?1 AND uses > 0
		UNION ALL SELECT 'link:' || link, uses, used_at FROM link_uses WHERE site = ?1 AND uses > 0`, site)
	return uses, err
}
