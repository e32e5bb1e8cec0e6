package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Mail is a message as it was written.
type Mail struct {
	ID                  int64
	At                  time.Time
	Address, Site, Kind string
	Subject, Text, HTML string
	Raw                 []byte // as in RFC 5322; not read into lists
	Link                []byte // SHA-256 of the secret in its link, while that is in it
	Status              string // kept, waiting, sent, failed, unreachable
	Tries               int
	Trouble             string
}

// SaveMail writes a message.
func SaveMail(ctx context.Context, q Queryer, m Mail) error {
	return exec(ctx, q, `INSERT INTO mails (at, address, site, kind, subject, text, html, raw, status, link) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		m.At.Unix(), m.Address, m.Site, m.Kind, m.Subject, m.Text, m.HTML, m.Raw, m.Status, m.Link)
}

const mailColumns = `id, at, address, site, kind, subject, text, html, status, tries, trouble`

func scanMail(r *sql.Rows) (m Mail, err error) {
	var at int64
	err = r.Scan(&m.ID, &at, &m.Address, &m.Site, &m.Kind, &m.Subject, &m.Text, &m.HTML, &m.Status, &m.Tries, &m.Trouble)
	m.At = time.Unix(at, 0)
	return m, err
}

// Mails reads messages that have words in their address or subject, the newest first.
func Mails(ctx context.Context, q Reader, words string, most int) ([]Mail, error) {
	return collect(ctx, q, scanMail, `SELECT `+mailColumns+` FROM mails
		WHERE ?1 = '' OR instr(lower(address || ' ' || subject), lower(?1)) > 0 ORDER BY id DESC LIMIT ?2`, words, most)
}

// MailsFrom reads a stretch of Mails: so many from the given one on, 0 being the newest.
func MailsFrom(ctx context.Context, q Reader, words string, from, many int) ([]Mail, error) {
	return collect(ctx, q, scanMail, `SELECT `+mailColumns+` FROM mails
		WHERE ?1 = '' OR instr(lower(address || ' ' || subject), lower(?1)) > 0 ORDER BY id DESC LIMIT ?3 OFFSET ?2`, words, from, many)
}

// CountMails counts what Mails reads.
func CountMails(ctx context.Context, q Reader, words string) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM mails WHERE ?1 = '' OR instr(lower(address || ' ' || subject), lower(?1)) > 0`, words).Scan(&n)
	return n, err
}

// WaitingMails reads what is still to be sent, the oldest first.
func WaitingMails(ctx context.Context, q Reader, most int) ([]Mail, error) {
	return collect(ctx, q, scanMail, `SELECT `+mailColumns+` FROM mails WHERE status = 'waiting' ORDER BY id LIMIT ?`, most)
}

// FindMail reads one message with its raw form; nil where there is none.
func FindMail(ctx context.Context, q Reader, id int64) (*Mail, error) {
	list, err := collect(ctx, q, scanMail, `SELECT `+mailColumns+` FROM mails WHERE id = ?`, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], q.QueryRowContext(ctx, `SELECT raw FROM mails WHERE id = ?`, id).Scan(&list[0].Raw)
}

// MarkMail says what became of a message.
func MarkMail(ctx context.Context, q Queryer, id int64, status string, tries int, trouble string) error {
	return exec(ctx, q, `UPDATE mails SET status = ?, tries = ?, trouble = ? WHERE id = ?`, status, tries, trouble, id)
}

// SpentLetters lists the letters that still hold a link and were sent, or whose link
// was used or has ended: sign-in links by the real clock, invitations by the house's.
func SpentLetters(ctx context.Context, q Reader, real, now time.Time) ([]int64, error) {
	return collect(ctx, q, scanNumber, `SELECT id FROM mails WHERE link IS NOT NULL AND status <> 'waiting' AND (status = 'sent'
		OR link NOT IN (SELECT token FROM mail_links WHERE ends > ?1 UNION ALL SELECT token FROM invitations WHERE status = 'waiting' AND ends > ?2))`,
		real.Unix(), now.Unix())
}

// LettersWith lists the letters that hold a link, by the hash of its secret.
func LettersWith(ctx context.Context, q Reader, link []byte) ([]int64, error) {
	return collect(ctx, q, scanNumber, `SELECT id FROM mails WHERE link = ? AND status <> 'waiting'`, link)
}

func scanNumber(r *sql.Rows) (n int64, err error) { return n, r.Scan(&n) }

// StripMail puts a letter without its link in the place of the one with it.
func StripMail(ctx context.Context, q Queryer, id int64, text, html string, raw []byte) error {
	return exec(ctx, q, `UPDATE mails SET text = ?, html = ?, raw = ?, link = NULL WHERE id = ?`, text, html, raw, id)
}

// MailLink is a single-use link that was sent by mail.
type MailLink struct {
	Kind, Address, Detail string
	Ends                  time.Time
}

// SaveMailLink writes a link by the hash of its token, and forgets those that ended.
func SaveMailLink(ctx context.Context, q Queryer, token [32]byte, l MailLink, now time.Time) error {
	return errors.Join(
		exec(ctx, q, `DELETE FROM mail_links WHERE ends <= ?`, now.Unix()),
		exec(ctx, q, `INSERT INTO mail_links (token, kind, address, detail, ends) VALUES (?, ?, ?, ?, ?)`, token[:], l.Kind, l.Address, l.Detail, l.Ends.Unix()),
	)
}

// FindMailLink reads a link that has not ended; nil where there is none.
func FindMailLink(ctx context.Context, q Reader, token [32]byte, now time.Time) (*MailLink, error) {
	var l MailLink
	var ends int64
	err := q.QueryRowContext(ctx, `SELECT kind, address, detail, ends FROM mail_links WHERE token = ? AND ends > ?`, token[:], now.Unix()).
		Scan(&l.Kind, &l.Address, &l.Detail, &ends)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	l.Ends = time.Unix(ends, 0)
	return &l, err
}

// SpendMailLink forgets a link and reports whether it was there.
func SpendMailLink(ctx context.Context, q Queryer, token [32]byte) (bool, error) {
	done, err := q.ExecContext(ctx, `DELETE FROM mail_links WHERE token = ?`, token[:])
	if err != nil {
		return false, err
	}
	n, err := done.RowsAffected()
	return n == 1, err
}

// DropMailLinks forgets all links of a kind that were sent to an address.
func DropMailLinks(ctx context.Context, q Queryer, kind, address string) error {
	return exec(ctx, q, `DELETE FROM mail_links WHERE kind = ? AND address = ?`, kind, address)
}
