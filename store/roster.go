package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// mostRosters is of how many kinds of rosters the columns are remembered.
const mostRosters = 500

// RosterColumns reads what columns were said to be when they came last, one for each;
// nil where they never came.
func RosterColumns(ctx context.Context, q Reader, columns string) (fields []string, err error) {
	var text string
	err = q.QueryRowContext(ctx, `SELECT fields FROM roster_columns WHERE columns = ?`, columns).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err == nil {
		err = json.Unmarshal([]byte(text), &fields)
	}
	return fields, err
}

// SaveRosterColumns keeps what columns were said to be, and forgets what was not used for longest.
func SaveRosterColumns(ctx context.Context, q Queryer, columns string, fields []string, now time.Time) error {
	text, err := json.Marshal(fields)
	if err != nil {
		return err
	}
	return errors.Join(
		exec(ctx, q, `INSERT INTO roster_columns (columns, fields, used) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET fields = excluded.fields, used = excluded.used`, columns, string(text), now.Unix()),
		exec(ctx, q, `DELETE FROM roster_columns WHERE columns NOT IN (SELECT columns FROM roster_columns ORDER BY used DESC LIMIT ?)`, mostRosters),
	)
}
