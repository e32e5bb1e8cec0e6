package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
)

// Setting reads a named setting into one that holds its defaults.
func Setting[T any](ctx context.Context, q Queryer, name string, defaults T) (T, error) {
	var text string
	err := q.QueryRowContext(ctx, `SELECT value FROM settings WHERE name = ?`, name).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return defaults, nil
	}
	if err == nil {
		err = json.Unmarshal([]byte(text), &defaults)
	}
	if err != nil {
		return defaults, fmt.Errorf("reading the setting %s: %w", name, err)
	}
	return defaults, nil
}

// SaveSetting writes a named setting.
func SaveSetting(ctx context.Context, q Queryer, name string, value any) error {
	text, err := json.Marshal(value)
	if err != nil {
		return err
	}
	return exec(ctx, q, `INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT DO UPDATE SET value = excluded.value`, name, string(text))
}
