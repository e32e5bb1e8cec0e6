package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// SaveCalendarAddress keeps the hash of the secret address of somebody's calendar, in place
// of an earlier one, which ends.
func SaveCalendarAddress(ctx context.Context, q Queryer, who Who, token [32]byte, made time.Time) error {
	return exec(ctx, q, `INSERT INTO calendar_addresses (who, token, made) VALUES (?, ?, ?)
		ON CONFLICT (who) DO UPDATE SET token = excluded.token, made = excluded.made`, who, token[:], made.Unix())
}

// CalendarAddressMade returns when somebody's secret address was made; false where there is
// none.
func CalendarAddressMade(ctx context.Context, q Reader, who Who) (time.Time, bool, error) {
	var made int64
	err := q.QueryRowContext(ctx, `SELECT made FROM calendar_addresses WHERE who = ?`, who).Scan(&made)
	if errors.Is(err, sql.ErrNoRows) {
		return time.Time{}, false, nil
	}
	return time.Unix(made, 0), err == nil, err
}

// WhoseCalendar returns whose secret address has a hash; "" where nobody's has.
func WhoseCalendar(ctx context.Context, q Reader, token [32]byte) (who Who, err error) {
	err = q.QueryRowContext(ctx, `SELECT who FROM calendar_addresses WHERE token = ?`, token[:]).Scan(&who)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return who, err
}

// DropCalendarAddress ends somebody's secret address.
func DropCalendarAddress(ctx context.Context, q Queryer, who Who) error {
	return exec(ctx, q, `DELETE FROM calendar_addresses WHERE who = ?`, who)
}
