package store

import (
	"context"
	"database/sql"
	"time"
)

// SaveMade writes since when a thing of a site is as it is: pass:ID, link:ID, or holding.
func SaveMade(ctx context.Context, q Queryer, site SiteID, thing string, at time.Time) error {
	return exec(ctx, q, `INSERT INTO made (site, thing, at) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET at = excluded.at`, site, thing, at.Unix())
}

// Made reads since when the things of all sites are as they are.
func Made(ctx context.Context, q Reader) (map[SiteID]map[string]time.Time, error) {
	all := map[SiteID]map[string]time.Time{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var thing string
		var at int64
		err = r.Scan(&site, &thing, &at)
		if all[site] == nil {
			all[site] = map[string]time.Time{}
		}
		all[site][thing] = time.Unix(at, 0)
		return struct{}{}, err
	}, `SELECT site, thing, at FROM made`)
	return all, err
}

// mostSources is how many places that a link is followed from are told apart.
const mostSources = 200

// CountLinkSource notes the mark of a place that a link was followed from.
func CountLinkSource(ctx context.Context, q Queryer, site SiteID, link string, source []byte) error {
	return exec(ctx, q, `INSERT INTO link_sources (site, link, source) SELECT ?1, ?2, ?3
		WHERE (SELECT count(*) FROM link_sources WHERE site = ?1 AND link = ?2) < ?4 ON CONFLICT DO NOTHING`, site, link, source, mostSources)
}

// ForgetLinkSources forgets where a link was followed from, whose address is another now.
func ForgetLinkSources(ctx context.Context, q Queryer, site SiteID, link string) error {
	return exec(ctx, q, `DELETE FROM link_sources WHERE site = ? AND link = ?`, site, link)
}

// LinkSources counts the places that the links of all sites were followed from.
func LinkSources(ctx context.Context, q Reader) (map[SiteID]map[string]int, error) {
	all := map[SiteID]map[string]int{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var link string
		var n int
		err = r.Scan(&site, &link, &n)
		if all[site] == nil {
			all[site] = map[string]int{}
		}
		all[site][link] = n
		return struct{}{}, err
	}, `SELECT site, link, count(*) FROM link_sources GROUP BY site, link`)
	return all, err
}

// LeftAsIs is something that rounds found and somebody left as it is.
type LeftAsIs struct {
	Finding string // its key
	Site    SiteID // "" is the house
	State   string // as it was then; it counts no longer once that is another
	Title   string
	Who     Who
	At      time.Time
	Reason  string
}

// SaveLeftAsIs writes that something is left as it is.
func SaveLeftAsIs(ctx context.Context, q Queryer, l LeftAsIs) error {
	site := sql.NullString{String: string(l.Site), Valid: l.Site != ""}
	return exec(ctx, q, `INSERT INTO left_as_is (finding, site, state, title, who, at, reason) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (finding) DO UPDATE SET site = excluded.site, state = excluded.state, title = excluded.title, who = excluded.who, at = excluded.at, reason = excluded.reason`,
		l.Finding, site, l.State, l.Title, l.Who, l.At.Unix(), l.Reason)
}

// AllLeftAsIs reads what was left as it is, the latest first.
func AllLeftAsIs(ctx context.Context, q Reader) ([]LeftAsIs, error) {
	return collect(ctx, q, func(r *sql.Rows) (l LeftAsIs, err error) {
		var site sql.NullString
		var at int64
		err = r.Scan(&l.Finding, &site, &l.State, &l.Title, &l.Who, &at, &l.Reason)
		l.Site, l.At = SiteID(site.String), time.Unix(at, 0)
		return l, err
	}, `SELECT finding, site, state, title, who, at, reason FROM left_as_is ORDER BY at DESC, finding`)
}

// DropLeftAsIs looks after something again that was left as it is.
func DropLeftAsIs(ctx context.Context, q Queryer, finding string) error {
	return exec(ctx, q, `DELETE FROM left_as_is WHERE finding = ?`, finding)
}

// CountFailedMails counts messages that could not be sent since a time.
func CountFailedMails(ctx context.Context, q Reader, since time.Time) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM mails WHERE status = 'failed' AND at > ?`, since.Unix()).Scan(&n)
	return n, err
}

// FirstSaveAfter returns when a page of a site was first saved after a time; false where none was.
func FirstSaveAfter(ctx context.Context, q Reader, site SiteID, after time.Time) (time.Time, bool, error) {
	var at sql.NullInt64
	err := q.QueryRowContext(ctx, `SELECT min(at) FROM (SELECT at FROM page_saves WHERE site = ?1 AND at > ?2
		UNION ALL SELECT saved_at FROM pages WHERE site = ?1 AND saved_at > ?2)`, site, after.Unix()).Scan(&at)
	return time.Unix(at.Int64, 0), at.Valid, err
}

// WithSecondStep lists those who sign in with a second step: a code, or a passkey.
func WithSecondStep(ctx context.Context, q Reader) ([]Who, error) {
	return collect(ctx, q, scanText[Who], `SELECT who FROM accounts WHERE totp <> '' UNION SELECT who FROM passkeys`)
}

// AllLetIns reads who asks to be let in, on all sites.
func AllLetIns(ctx context.Context, q Reader) ([]LetIn, error) {
	return collect(ctx, q, scanLetIn, `SELECT id, site, path, who, word, at FROM let_in_requests ORDER BY id`)
}

// AllWaitingInvitations reads the invitations that nobody has answered, on all sites.
func AllWaitingInvitations(ctx context.Context, q Reader) ([]Invitation, error) {
	return findInvitations(ctx, q, `status = 'waiting'`)
}
