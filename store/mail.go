package store

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"strings"
	"time"
)

// Mail is a message as it was written, and what became of it.
type Mail struct {
	ID                  int64
	At                  time.Time
	Address, Site, Kind string
	About               string // what it is about: MailAbout finds it by that
	Subject, Text, HTML string
	Raw                 []byte // as in RFC 5322; not read into lists
	Link                []byte // SHA-256 of the secret in its link, while that is in it
	Status              string // one of the below
	Tries               int
	Answer              string    // what the mail server said last, or why it could not be asked
	First, Last, Next   time.Time // when it was tried, by the real clock, and is tried again
}

// What became of a message.
const (
	MailKept        = "kept"    // there was no mail server
	MailWaiting     = "waiting" // to be sent
	MailSent        = "sent"    // the mail server took it
	MailFailed      = "failed"
	MailUnreachable = "unreachable" // the account has no mailbox
)

// SaveMail writes a message and returns its id.
func SaveMail(ctx context.Context, q Queryer, m Mail) (id int64, err error) {
	err = q.QueryRowContext(ctx, `INSERT INTO mails (at, address, site, kind, about, subject, text, html, raw, status, link, answer) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) RETURNING id`,
		m.At.Unix(), m.Address, m.Site, m.Kind, m.About, m.Subject, m.Text, m.HTML, m.Raw, m.Status, m.Link, m.Answer).Scan(&id)
	return id, err
}

const mailColumns = `id, at, address, site, kind, about, subject, text, html, status, tries, answer, first, last, next`

func scanMail(r *sql.Rows) (m Mail, err error) {
	var at, first, last, next int64
	err = r.Scan(&m.ID, &at, &m.Address, &m.Site, &m.Kind, &m.About, &m.Subject, &m.Text, &m.HTML, &m.Status, &m.Tries, &m.Answer, &first, &last, &next)
	m.At, m.First, m.Last, m.Next = time.Unix(at, 0), unixOrZero(first), unixOrZero(last), unixOrZero(next)
	return m, err
}

// MailsLike says which messages are meant: those with words in their address or
// subject, and with a status; "" means any.
type MailsLike struct{ Words, Status string }

func (like MailsLike) query() (string, []any) {
	query, args, word := ` FROM mails`, []any(nil), " WHERE "
	if match := matchWords(like.Words); match != "" {
		query, args, word = query+word+`id IN (SELECT rowid FROM mails_words WHERE mails_words MATCH ?)`, append(args, match), " AND "
	} else if strings.TrimSpace(like.Words) != "" {
		query, word = query+word+`0`, " AND " // nothing that could be found is in it
	}
	if like.Status != "" {
		query, args = query+word+`status = ?`, append(args, like.Status)
	}
	return query, args
}

// Mails reads so many messages from the given one on, the newest first, 0 being the newest.
func Mails(ctx context.Context, q Reader, like MailsLike, from, many int) ([]Mail, error) {
	query, args := like.query()
	return collect(ctx, q, scanMail, `SELECT `+mailColumns+query+` ORDER BY id DESC LIMIT ? OFFSET ?`, append(args, many, from)...)
}

// EachMail hands on what Mails reads, the oldest first, stretch by stretch and without its texts.
func EachMail(ctx context.Context, q Reader, like MailsLike, each func(Mail) error) error {
	query, args := like.query()
	word := " WHERE "
	if len(args) > 0 || strings.Contains(query, word) {
		word = " AND "
	}
	for after := int64(0); ; {
		list, err := collect(ctx, q, scanMail, `SELECT id, at, address, site, kind, about, subject, '', '', status, tries, answer, first, last, next`+query+word+`id > ? ORDER BY id LIMIT ?`, append(slices.Clone(args), after, ledgerStretch)...)
		if err != nil {
			return err
		}
		for _, m := range list {
			if err := each(m); err != nil {
				return err
			}
		}
		if len(list) < ledgerStretch {
			return nil
		}
		after = list[len(list)-1].ID
	}
}

// CountMails counts what Mails reads.
func CountMails(ctx context.Context, q Reader, like MailsLike) (n int, err error) {
	query, args := like.query()
	err = q.QueryRowContext(ctx, `SELECT count(*)`+query, args...).Scan(&n)
	return n, err
}

// NextMail reads the message that has been due longest; nil where none is.
func NextMail(ctx context.Context, q Reader, now time.Time) (*Mail, error) {
	list, err := collect(ctx, q, scanMail, `SELECT `+mailColumns+` FROM mails WHERE status = 'waiting' AND next <= ? ORDER BY next, id LIMIT 1`, now.Unix())
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// MailAbout reads the newest message about something, without its words; nil where there is none.
func MailAbout(ctx context.Context, q Reader, about string) (*Mail, error) {
	list, err := collect(ctx, q, scanMail, `SELECT `+mailColumns+` FROM mails WHERE about = ? AND about <> '' ORDER BY id DESC LIMIT 1`, about)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
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
func MarkMail(ctx context.Context, q Queryer, m Mail) error {
	return exec(ctx, q, `UPDATE mails SET status = ?, tries = ?, answer = ?, first = ?, last = ?, next = ? WHERE id = ?`,
		m.Status, m.Tries, m.Answer, unixOf(m.First), unixOf(m.Last), unixOf(m.Next), m.ID)
}

// unixOf is the opposite of unixOrZero.
func unixOf(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.Unix()
}

// PutOffMails has all that is due wait until a time, since the mail server could not be
// handed anything, and gives up what was first tried before another. It returns how many it gave up.
func PutOffMails(ctx context.Context, q Queryer, now, next, before time.Time, why string) (gaveUp int64, err error) {
	if err := exec(ctx, q, `UPDATE mails SET tries = tries + 1, answer = ?1, last = ?2, next = ?3, first = CASE first WHEN 0 THEN ?2 ELSE first END
		WHERE status = 'waiting' AND next <= ?2`, why, now.Unix(), next.Unix()); err != nil {
		return 0, err
	}
	done, err := q.ExecContext(ctx, `UPDATE mails SET status = 'failed' WHERE status = 'waiting' AND first > 0 AND first < ?`, before.Unix())
	if err != nil {
		return 0, err
	}
	return done.RowsAffected()
}

// SendMailsNow makes messages with a status due now, as if they had not been tried yet,
// and returns how many; but those whose link was taken out.
func SendMailsNow(ctx context.Context, q Queryer, status string, id int64) (int64, error) {
	done, err := q.ExecContext(ctx, `UPDATE mails SET status = 'waiting', tries = 0, first = 0, next = 0
		WHERE status = ?1 AND (?2 = 0 OR id = ?2) AND NOT stripped`, status, id)
	if err != nil {
		return 0, err
	}
	return done.RowsAffected()
}

// CountSendable counts what SendMailsNow would send.
func CountSendable(ctx context.Context, q Reader, status string, id int64) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM mails WHERE status = ?1 AND (?2 = 0 OR id = ?2) AND NOT stripped`, status, id).Scan(&n)
	return n, err
}

// liveLinks are the links that can be followed still: sign-in links by the real clock, invitations by the house's.
const liveLinks = `(SELECT token FROM mail_links WHERE ends > ?1 UNION ALL SELECT token FROM invitations WHERE status = 'waiting' AND ends > ?2)`

// AnySpentWaiting reports whether GiveUpSpent has anything to do.
func AnySpentWaiting(ctx context.Context, q Reader, real, now time.Time) (any bool, err error) {
	err = q.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM mails WHERE status = 'waiting' AND link IS NOT NULL AND link NOT IN `+liveLinks+`)`, real.Unix(), now.Unix()).Scan(&any)
	return any, err
}

// GiveUpSpent gives up messages that wait with a link that was used, withdrawn or has ended.
func GiveUpSpent(ctx context.Context, q Queryer, real, now time.Time, why string) error {
	return exec(ctx, q, `UPDATE mails SET status = 'failed', answer = ?3 WHERE status = 'waiting' AND link IS NOT NULL AND link NOT IN `+liveLinks, real.Unix(), now.Unix(), why)
}

// SpentLetters lists the letters that still hold a link and were sent, or whose link
// was used or has ended: sign-in links by the real clock, invitations by the house's.
func SpentLetters(ctx context.Context, q Reader, real, now time.Time) ([]int64, error) {
	return collect(ctx, q, scanNumber, `SELECT id FROM mails WHERE link IS NOT NULL AND status <> 'waiting' AND (status = 'sent' OR link NOT IN `+liveLinks+`)`,
		real.Unix(), now.Unix())
}

// LettersWith lists the letters that hold a link, by the hash of its secret.
func LettersWith(ctx context.Context, q Reader, link []byte) ([]int64, error) {
	return collect(ctx, q, scanNumber, `SELECT id FROM mails WHERE link = ? AND status <> 'waiting'`, link)
}

func scanNumber(r *sql.Rows) (n int64, err error) { return n, r.Scan(&n) }

// StripMail puts a letter without its link in the place of the one with it.
func StripMail(ctx context.Context, q Queryer, id int64, text, html string, raw []byte) error {
	return exec(ctx, q, `UPDATE mails SET text = ?, html = ?, raw = ?, link = NULL, stripped = 1 WHERE id = ?`, text, html, raw, id)
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

// DropMailLinksTo forgets all links that were sent to an address.
func DropMailLinksTo(ctx context.Context, q Queryer, address string) error {
	return exec(ctx, q, `DELETE FROM mail_links WHERE address = ?`, address)
}
