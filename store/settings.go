package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
)

// Setting reads a named setting; "" where it was never written.
func Setting(ctx context.Context, q Reader, name string) (value string, err error) {
	err = q.QueryRowContext(ctx, `SELECT value FROM settings WHERE name = ?`, name).Scan(&value)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return "", fmt.Errorf("reading the setting %s: %w", name, err)
	}
	return value, nil
}

// SaveSetting writes a named setting.
func SaveSetting(ctx context.Context, q Queryer, name, value string) error {
	return exec(ctx, q, `INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT DO UPDATE SET value = excluded.value`, name, value)
}
