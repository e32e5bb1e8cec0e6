package store

import (
	"context"
	"database/sql"
	"time"
)

// Invitation asks somebody to accept entries of teams.
type Invitation struct {
	ID       string
	Who, By  Who
	At, Ends time.Time
	Token    [32]byte // SHA-256
	Mailed   bool     // the token was sent to the address and shown to nobody
	Word     string
	Stay     string // where a site is handed over: what becomes of who hands it over
	Status   string // waiting, accepted, declined, withdrawn
	To       []Invited
}

// Invited is one entry of a team that somebody is invited to.
type Invited struct {
	Site        SiteID
	Under, Role string
}

// SaveInvitation writes an invitation in place of one with its id.
func SaveInvitation(ctx context.Context, q Queryer, i Invitation) error {
	err := exec(ctx, q, `INSERT INTO invitations (id, who, by, at, ends, token, mailed, word, stay, status) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET by = excluded.by, at = excluded.at, ends = excluded.ends, token = excluded.token, mailed = excluded.mailed, word = excluded.word, status = excluded.status`,
		i.ID, i.Who, i.By, i.At.Unix(), i.Ends.Unix(), i.Token[:], i.Mailed, i.Word, i.Stay, i.Status)
	if err == nil {
		err = exec(ctx, q, `DELETE FROM invited WHERE invitation = ?`, i.ID)
	}
	for _, t := range i.To {
		if err == nil {
			err = exec(ctx, q, `INSERT INTO invited (invitation, site, under, role) VALUES (?, ?, ?, ?)`, i.ID, t.Site, t.Under, t.Role)
		}
	}
	return err
}

// MarkInvitation says what became of an invitation.
func MarkInvitation(ctx context.Context, q Queryer, id, status string) error {
	return exec(ctx, q, `UPDATE invitations SET status = ? WHERE id = ?`, status, id)
}

func findInvitations(ctx context.Context, q Reader, where string, args ...any) ([]Invitation, error) {
	list, err := collect(ctx, q, func(r *sql.Rows) (i Invitation, err error) {
		var at, ends int64
		var token []byte
		err = r.Scan(&i.ID, &i.Who, &i.By, &at, &ends, &token, &i.Mailed, &i.Word, &i.Stay, &i.Status)
		i.At, i.Ends = time.Unix(at, 0), time.Unix(ends, 0)
		copy(i.Token[:], token)
		return i, err
	}, `SELECT id, who, by, at, ends, token, mailed, word, stay, status FROM invitations WHERE `+where+` ORDER BY at, id`, args...)
	for n := range list {
		if err != nil {
			break
		}
		list[n].To, err = collect(ctx, q, func(r *sql.Rows) (t Invited, err error) { return t, r.Scan(&t.Site, &t.Under, &t.Role) },
			`SELECT i.site, i.under, i.role FROM invited i JOIN sites s ON s.id = i.site WHERE i.invitation = ? ORDER BY s.address, i.under`, list[n].ID)
	}
	return list, err
}

func oneInvitation(list []Invitation, err error) (*Invitation, error) {
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// WaitingInvitations reads the invitations to a site's team that nobody has answered.
func WaitingInvitations(ctx context.Context, q Reader, site SiteID) ([]Invitation, error) {
	return findInvitations(ctx, q, `status = 'waiting' AND id IN (SELECT invitation FROM invited WHERE site = ?)`, site)
}

// InvitationsTo reads the unanswered invitations to somebody.
func InvitationsTo(ctx context.Context, q Reader, who Who) ([]Invitation, error) {
	return findInvitations(ctx, q, `status = 'waiting' AND who = ?`, who)
}

// InvitationByToken reads an invitation by the hash of its token; nil where there is none.
func InvitationByToken(ctx context.Context, q Reader, token [32]byte) (*Invitation, error) {
	return oneInvitation(findInvitations(ctx, q, `token = ?`, token[:]))
}

// FindInvitation reads an invitation by its id; nil where there is none.
func FindInvitation(ctx context.Context, q Reader, id string) (*Invitation, error) {
	return oneInvitation(findInvitations(ctx, q, `id = ?`, id))
}

// TeamReasons reads why people are on a site's team, by a person's id, group:ID
// or an address.
func TeamReasons(ctx context.Context, q Reader, site SiteID) (map[string]string, error) {
	reasons := map[string]string{}
	_, err := collect(ctx, q, func(r *sql.Rows) (who string, err error) {
		var reason string
		err = r.Scan(&who, &reason)
		reasons[who] = reason
		return who, err
	}, `SELECT who, reason FROM team_reasons WHERE site = ?`, site)
	return reasons, err
}

// SaveTeamReason writes why somebody is on a site's team; "" forgets it.
func SaveTeamReason(ctx context.Context, q Queryer, site SiteID, who, reason string) error {
	if reason == "" {
		return exec(ctx, q, `DELETE FROM team_reasons WHERE site = ? AND who = ?`, site, who)
	}
	return exec(ctx, q, `INSERT INTO team_reasons (site, who, reason) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET reason = excluded.reason`, site, who, reason)
}

// Notice is something that somebody is told in the console.
type Notice struct {
	ID                    int64
	Who                   Who
	Site, Kind, What, URL string // what happened in a sentence, with instants as words.Then keeps them
	At                    time.Time
	Seen                  bool
}

// SaveNotice writes a notice.
func SaveNotice(ctx context.Context, q Queryer, n Notice) error {
	return exec(ctx, q, `INSERT INTO notices (who, at, site, kind, what, url) VALUES (?, ?, ?, ?, ?, ?)`, n.Who, n.At.Unix(), n.Site, n.Kind, n.What, n.URL)
}

// Notices reads what somebody was told, the newest first.
func Notices(ctx context.Context, q Reader, who Who, most int) ([]Notice, error) {
	return NoticesFrom(ctx, q, who, 0, most)
}

// NoticesFrom reads a stretch of what somebody was told: so many from the given one on, 0 being
// the newest.
func NoticesFrom(ctx context.Context, q Reader, who Who, from, many int) ([]Notice, error) {
	return collect(ctx, q, func(r *sql.Rows) (n Notice, err error) {
		var at int64
		err = r.Scan(&n.ID, &n.Who, &at, &n.Site, &n.Kind, &n.What, &n.URL, &n.Seen)
		n.At = time.Unix(at, 0)
		return n, err
	}, `SELECT id, who, at, site, kind, what, url, seen FROM notices WHERE who = ? ORDER BY id DESC LIMIT ? OFFSET ?`, who, many, from)
}

// CountNotices counts what somebody was told.
func CountNotices(ctx context.Context, q Reader, who Who) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM notices WHERE who = ?`, who).Scan(&n)
	return n, err
}

// UnseenNotices counts what somebody has not looked at yet.
func UnseenNotices(ctx context.Context, q Reader, who Who) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM notices WHERE who = ? AND seen = 0`, who).Scan(&n)
	return n, err
}

// SeeNotices marks everything that somebody was told as looked at, up to a notice.
func SeeNotices(ctx context.Context, q Queryer, who Who, upTo int64) error {
	return exec(ctx, q, `UPDATE notices SET seen = 1 WHERE who = ? AND seen = 0 AND id <= ?`, who, upTo)
}
