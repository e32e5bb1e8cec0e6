package store

import (
	"context"
	"database/sql"
	"errors"
)

// BeginSteps keeps what a new site is for, by which its next steps are listed.
func BeginSteps(ctx context.Context, q Queryer, site SiteID, purpose string) error {
	return exec(ctx, q, `INSERT INTO first_steps (site, purpose) VALUES (?, ?) ON CONFLICT DO UPDATE SET purpose = excluded.purpose`, site, purpose)
}

// StepsOf returns what a new site is for; "" where its steps are done or dismissed.
func StepsOf(ctx context.Context, q Reader, site SiteID) (purpose string, err error) {
	err = q.QueryRowContext(ctx, `SELECT purpose FROM first_steps WHERE site = ?`, site).Scan(&purpose)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return purpose, err
}

// EndSteps forgets what a new site is for.
func EndSteps(ctx context.Context, q Queryer, site SiteID) error {
	return exec(ctx, q, `DELETE FROM first_steps WHERE site = ?`, site)
}
