package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// WhoIsSubject returns whom a provider means by a subject; "" is nobody known.
func WhoIsSubject(ctx context.Context, q Reader, issuer, subject string) (who Who, err error) {
	err = q.QueryRowContext(ctx, `SELECT who FROM provider_subjects WHERE issuer = ? AND subject = ?`, issuer, subject).Scan(&who)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return who, err
}

// HasSubject reports whether somebody is known to a provider by any subject.
func HasSubject(ctx context.Context, q Reader, issuer string, who Who) (has bool, err error) {
	err = q.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM provider_subjects WHERE issuer = ? AND who = ?)`, issuer, who).Scan(&has)
	return has, err
}

// SaveSubject says whom a provider means by a subject, in place of any other that it had for them.
func SaveSubject(ctx context.Context, q Queryer, issuer, subject string, who Who, since time.Time) error {
	return errors.Join(
		exec(ctx, q, `DELETE FROM provider_subjects WHERE issuer = ? AND who = ?`, issuer, who),
		exec(ctx, q, `INSERT INTO provider_subjects (issuer, subject, who, since) VALUES (?, ?, ?, ?) ON CONFLICT DO UPDATE SET who = excluded.who, since = excluded.since`, issuer, subject, who, since.Unix()),
	)
}
