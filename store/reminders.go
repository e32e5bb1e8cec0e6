package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Remind notes that somebody was reminded of something, and reports whether that was for the
// first time.
func Remind(ctx context.Context, q Queryer, who Who, what string, at time.Time) (bool, error) {
	done, err := q.ExecContext(ctx, `INSERT INTO reminded (who, what, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, who, what, at.Unix())
	if err != nil {
		return false, err
	}
	n, err := done.RowsAffected()
	return n == 1, err
}

// Reminded reports whether somebody was reminded of something.
func Reminded(ctx context.Context, q Reader, who Who, what string) (there bool, err error) {
	err = q.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM reminded WHERE who = ? AND what = ?)`, who, what).Scan(&there)
	return there, err
}

// ForgetReminded forgets what people were reminded of before a time.
func ForgetReminded(ctx context.Context, q Queryer, before time.Time) error {
	return exec(ctx, q, `DELETE FROM reminded WHERE at < ?`, before.Unix())
}

// Reminders is how often somebody is reminded by mail: day, week, or "" for never.
type Reminders struct {
	Who   Who
	Every string
	Sent  time.Time // the last time
}

// RemindersOf reads how often somebody is reminded by mail.
func RemindersOf(ctx context.Context, q Reader, who Who) (Reminders, error) {
	r := Reminders{Who: who}
	var sent int64
	err := q.QueryRowContext(ctx, `SELECT every, sent FROM reminders WHERE who = ?`, who).Scan(&r.Every, &sent)
	if errors.Is(err, sql.ErrNoRows) {
		return r, nil
	}
	r.Sent = time.Unix(sent, 0)
	return r, err
}

// AllReminders reads who is reminded by mail, and how often.
func AllReminders(ctx context.Context, q Reader) ([]Reminders, error) {
	return collect(ctx, q, func(r *sql.Rows) (rem Reminders, err error) {
		var sent int64
		err = r.Scan(&rem.Who, &rem.Every, &sent)
		rem.Sent = time.Unix(sent, 0)
		return rem, err
	}, `SELECT who, every, sent FROM reminders WHERE every <> '' ORDER BY who`)
}

// SaveReminders writes how often somebody is reminded by mail, and when that was last.
func SaveReminders(ctx context.Context, q Queryer, r Reminders) error {
	return exec(ctx, q, `INSERT INTO reminders (who, every, sent) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET every = excluded.every, sent = excluded.sent`, r.Who, r.Every, r.Sent.Unix())
}
