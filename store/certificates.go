package store

import (
	"context"
	"database/sql"
	"errors"
	"io/fs"
	"time"
)

// Certificate is something that is kept for encrypted connections, by a path.
type Certificate struct {
	Name    string
	Sealed  string
	Size    int64 // of what is sealed, in bytes
	Changed time.Time
}

// SaveCertificate writes one.
func SaveCertificate(ctx context.Context, q Queryer, c Certificate) error {
	return exec(ctx, q, `INSERT INTO certificates (name, sealed, size, changed) VALUES (?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET sealed = excluded.sealed, size = excluded.size, changed = excluded.changed`, c.Name, c.Sealed, c.Size, c.Changed.Unix())
}

// FindCertificate reads one. It returns fs.ErrNotExist where there is none.
func FindCertificate(ctx context.Context, q Reader, name string) (c Certificate, err error) {
	var changed int64
	err = q.QueryRowContext(ctx, `SELECT name, sealed, size, changed FROM certificates WHERE name = ?`, name).Scan(&c.Name, &c.Sealed, &c.Size, &changed)
	if errors.Is(err, sql.ErrNoRows) {
		return c, fs.ErrNotExist
	}
	c.Changed = time.Unix(changed, 0)
	return c, err
}

// CertificateNames lists the paths that are a path or below it, in byte order.
func CertificateNames(ctx context.Context, q Reader, below string) ([]string, error) {
	return collect(ctx, q, func(r *sql.Rows) (name string, err error) { return name, r.Scan(&name) },
		`SELECT name FROM certificates WHERE name = ?1 OR ?1 = '' OR name > ?1 || '/' AND name < ?1 || '0' ORDER BY name`, below)
}

// DropCertificates removes what is kept at a path and below it.
func DropCertificates(ctx context.Context, q Queryer, below string) error {
	return exec(ctx, q, `DELETE FROM certificates WHERE name = ?1 OR name > ?1 || '/' AND name < ?1 || '0'`, below)
}
