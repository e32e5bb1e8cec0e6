package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"
)

// PassSecret is what is kept of a pass beside the policy document.
type PassSecret struct {
	Site    SiteID
	Pass    string
	Version int
	Hash    []byte // argon2id under the site's salt
	Weak    bool
	Reuse   []byte // the same under a salt of the house; empty where it was not worked out
}

// PassSecrets reads the secrets of all passes.
func PassSecrets(ctx context.Context, q Reader, site SiteID) ([]PassSecret, error) {
	return collectOf(ctx, q, func(r *sql.Rows) (s PassSecret, err error) {
		return s, r.Scan(&s.Site, &s.Pass, &s.Version, &s.Hash, &s.Weak, &s.Reuse)
	}, `SELECT site, pass, version, hash, weak, reuse FROM pass_secrets`, "site", site, "")
}

// SavePassSecret sets a pass's hash and moves its version on, so that whoever
// entered it before is locked out.
func SavePassSecret(ctx context.Context, q Queryer, site SiteID, pass string, secret NewSecret) error {
	return exec(ctx, q, `INSERT INTO pass_secrets (site, pass, version, hash, weak, reuse) VALUES (?, ?, 1, ?, ?, ?)
		ON CONFLICT DO UPDATE SET version = version + 1, hash = excluded.hash, weak = excluded.weak, reuse = excluded.reuse`,
		site, pass, secret.Hash, secret.Weak, append([]byte{}, secret.Reuse...))
}

// MovePassOn moves a pass's version on without changing its password.
func MovePassOn(ctx context.Context, q Queryer, site SiteID, pass string) error {
	return exec(ctx, q, `UPDATE pass_secrets SET version = version + 1 WHERE site = ? AND pass = ?`, site, pass)
}

// CountPassUse notes that a pass was entered.
func CountPassUse(ctx context.Context, q Queryer, site SiteID, pass string, at time.Time) error {
	return exec(ctx, q, `UPDATE pass_secrets SET uses = uses + 1, used_at = ? WHERE site = ? AND pass = ?`, at.Unix(), site, pass)
}

// Secret reads a secret of the installation by its name, making it with fresh
// at first use.
func Secret(ctx context.Context, q Queryer, name string, fresh func() []byte) ([]byte, error) {
	err := exec(ctx, q, `INSERT INTO secrets (name, value) VALUES (?, ?) ON CONFLICT DO NOTHING`, name, fresh())
	if err != nil {
		return nil, fmt.Errorf("making the secret %s: %w", name, err)
	}
	var value []byte
	err = q.QueryRowContext(ctx, `SELECT value FROM secrets WHERE name = ?`, name).Scan(&value)
	return value, err
}
